"""Glances: each site's row of the portfolio, kept beside its history until something changes."""

from __future__ import annotations

import os
from pathlib import Path

from pydantic import BaseModel, ValidationError

from noctilum import __version__
from noctilum.actions.install import Install
from noctilum.readings import portfolio
from noctilum.readings.portfolio_ranks import at_a_glance
from noctilum.readings.site_access import SiteAccess
from noctilum.wire.portfolio import PortfolioRow

FORM = 7
"""How rows are made; another number makes all of them anew."""


class _Kept(BaseModel):
    stamp: str
    row: PortfolioRow


def glance(install: Install, number: int, site: portfolio.SiteOf, opened: SiteAccess, stamp: str) -> PortfolioRow:
    """Give a site's row: the one kept under this stamp, or a new one, which is then kept.

    stamp: stands for everything of the history and records that the row depends on. A row that cannot be
    kept, as on a full disk, is given all the same.
    """
    whole = f"{FORM} {__version__} {site.client} {site.client_name} {site.currency} {stamp}"
    path = install.glance_path(number)
    kept = _read(path)
    if kept is not None and kept.stamp == whole:
        return kept.row
    row = portfolio.row(site, opened.holding).model_copy(update={"ranks": at_a_glance(opened, site.currency)})
    if install.history_path(number).exists():
        _write(path, _Kept(stamp=whole, row=row))
    return row


def _read(path: Path) -> _Kept | None:
    try:
        return _Kept.model_validate_json(path.read_bytes())
    except (OSError, ValidationError):
        return None


def _write(path: Path, kept: _Kept) -> None:
    partial = path.with_name(f"{path.name}.{os.getpid()}")
    try:
        partial.write_text(kept.model_dump_json())
        partial.replace(path)
    except OSError:
        partial.unlink(missing_ok=True)
