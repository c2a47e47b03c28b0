"""Trying filters and brand terms on a site before they are kept."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress

from noctilum.actions.find import find_site
from noctilum.actions.install import Install
from noctilum.core.brand import BrandRule
from noctilum.core.errors import NotThere
from noctilum.readings import previews
from noctilum.readings.site_access import SiteAccess
from noctilum.wire import explain
from noctilum.wire.noted import BrandTry, FilterTry


def try_filter(site: SiteAccess, text: str, item: explain.Item) -> FilterTry:
    """Say what a filter means on a site."""
    return previews.try_filter(site.history, site.words, text, item)


def try_brand(install: Install, key: str, terms: str | None, texts: Sequence[str]) -> BrandTry:
    """Try brand terms, those in use by default, on all a site was ever shown for; nothing is known of a new one."""
    with install.records.read() as db:
        site = find_site(db, key)
    saved = BrandRule.read(site.brand_terms)
    asked = saved if terms is None else BrandRule.read(terms)
    known: Sequence[str] = ()
    with suppress(NotThere):
        known = install.history(site.id).all_texts("query")
    return previews.try_brand(known, saved, asked, texts)
