"""All sites at a glance."""

from __future__ import annotations

from contextlib import suppress
from datetime import date
from uuid import uuid4

import structlog

from noctilum.actions.find import find_source
from noctilum.actions.install import Install
from noctilum.actions.portfolio_cache import glance
from noctilum.actions.site_access import open_site, open_sites, site_of
from noctilum.core.errors import Fault, NotThere
from noctilum.readings import portfolio as portfolios
from noctilum.readings.site_access import SiteAccess
from noctilum.wire import readings as wire

log = structlog.get_logger("noctilum.portfolio")


def portfolio(install: Install, today: date) -> wire.Portfolio:
    """Take all sites at a glance, those that need a look first."""
    rows = [_portfolio_row(install, *each) for each in open_sites(install)]
    return portfolios.arranged(rows, today)


def _portfolio_row(
    install: Install, site: portfolios.SiteOf, number: int, opened: SiteAccess | Fault
) -> wire.PortfolioRow:
    """Read one site; one that cannot be read says why, and takes no other away."""
    try:
        if isinstance(opened, Fault):
            raise opened
        return glance(install, number, site, opened, opened.stamp)
    except NotThere as why:
        return portfolios.waiting(site, f"{why.what} {why.remedy.capitalize()}.")
    except Fault as why:
        return portfolios.unreadable(site, f"{why.what} {why.remedy.capitalize()}.")
    except Exception as why:
        log.exception("site not read", site=site.key)
        text = f"Its history cannot be read ({type(why).__name__}). Run `noctilum verify {site.key}`."
        return portfolios.unreadable(site, text)


def keep_glance(install: Install, source: int) -> None:
    """Make the portfolio's row of a source's site ahead of whoever looks next; a site not to be read has none."""
    with install.records.read() as db:
        site = find_source(db, source).site
        of = site_of(site)
    with suppress(Fault):
        opened = open_site(install, site.key)
        glance(install, site.id, of, opened, opened.stamp)


def stamps(install: Install) -> str:
    """Stand for everything the portfolio depends on."""
    return "; ".join(f"{site.client_name} {site.key} {_stamp_of(opened)}" for site, _, opened in open_sites(install))


def _stamp_of(opened: SiteAccess | Fault) -> str:
    """Stand for a site's state; one that cannot be read is looked at anew each time."""
    try:
        return (
            opened.code if isinstance(opened, NotThere) else uuid4().hex if isinstance(opened, Fault) else opened.stamp
        )
    except Fault:
        return uuid4().hex
