"""All sites at a glance."""

from __future__ import annotations

from contextlib import suppress
from datetime import date
from uuid import uuid4

import structlog

from noctilum.actions import keywords
from noctilum.actions.find import find_source
from noctilum.actions.install import Install
from noctilum.actions.portfolio_cache import glance
from noctilum.actions.site_access import Opened, open_site, open_sites, site_of
from noctilum.core.errors import Fault, NotThere
from noctilum.readings import portfolio as portfolios
from noctilum.readings.portfolio_ranks import at_a_glance
from noctilum.readings.site_access import SiteAccess
from noctilum.wire import portfolio as wire

log = structlog.get_logger("noctilum.portfolio")


def portfolio(install: Install, today: date) -> wire.Portfolio:
    """Take all sites at a glance, those that need a look first."""
    return portfolios.arranged([_portfolio_row(install, each) for each in open_sites(install)], today)


def _portfolio_row(install: Install, opened: Opened) -> wire.PortfolioRow:
    """Read one site; one that cannot be read says why, and takes no other away."""
    site, access = opened.site, opened.access
    try:
        if isinstance(access, Fault):
            raise access
        return glance(install, opened.number, site, access, _stamp(access, opened.keywords))
    except NotThere as why:
        return portfolios.waiting(site, f"{why.what} {why.remedy.capitalize()}.", _ranks_alone(site, access))
    except Fault as why:
        return portfolios.unreadable(site, f"{why.what} {why.remedy.capitalize()}.")
    except Exception as why:
        log.exception("site not read", site=site.key)
        text = f"Its history cannot be read ({type(why).__name__}). Run `noctilum verify {site.key}`."
        return portfolios.unreadable(site, text)


def _ranks_alone(site: portfolios.SiteOf, access: SiteAccess | Fault) -> wire.RanksAtAGlance | None:
    """Read the ranks of a site of which nothing else is held."""
    return None if isinstance(access, Fault) else at_a_glance(access, site.currency)


def keep_glance(install: Install, source: int) -> None:
    """Make the portfolio's row of a source's site ahead of whoever looks next; a site not to be read has none."""
    with install.records.read() as db:
        site = find_source(db, source).site
        of, tracked = site_of(site), keywords.stamps(db, site.id).get(site.id, "")
    with suppress(Fault):
        opened = open_site(install, site.key)
        glance(install, site.id, of, opened, _stamp(opened, tracked))


def stamps(install: Install) -> str:
    """Stand for everything the portfolio depends on."""
    return "; ".join(
        f"{each.site.client_name} {each.site.key} {_stamp_of(each.access, each.keywords)}"
        for each in open_sites(install)
    )


def _stamp(opened: SiteAccess, tracked: str) -> str:
    return f"{opened.stamp} {tracked}"


def _stamp_of(opened: SiteAccess | Fault, tracked: str) -> str:
    """Stand for a site's state; one that cannot be read is looked at anew each time."""
    try:
        if isinstance(opened, NotThere):
            return opened.code
        return uuid4().hex if isinstance(opened, Fault) else _stamp(opened, tracked)
    except Fault:
        return uuid4().hex
