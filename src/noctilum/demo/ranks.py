"""Filling the demo's ranks: two years that the agency brings along, the newest months looked up day by day."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta

from sqlalchemy import select, update

from noctilum.actions import checks, competitors, grids, keywords
from noctilum.actions.find import find_site
from noctilum.actions.grids import lookups_of
from noctilum.actions.install import Install
from noctilum.core.days import DayState
from noctilum.core.found import Feature, Found, Result, own_part, written
from noctilum.datasets.lookups import KIND
from noctilum.demo.keywords import COMPETITORS, GAPS, GRIDS, KEYWORDS, PLACES
from noctilum.history import DayEntry, History
from noctilum.history.captures import WHOLE_FOR, Capture
from noctilum.records.models import Grid, Keyword, Source
from noctilum.sources.gazetteer import COLUMNS
from noctilum.standins.lookup_model import Looked, LookupModel, ResultPage, lookup_model
from noctilum.wire.competitors import NewCompetitor
from noctilum.wire.grids import NewGrid
from noctilum.wire.keywords import AskKeywords, KeywordOut

OLDEST, DAILY = -728, -111
"""Looked up once a week from the first day on, day by day from the second."""
CAPTURED_FROM = -200
AT_ONCE = 60
GRIDS_FROM = -56
FAILS_EVERY = 211
"""Every so manieth lookup failed."""


def note_keywords(install: Install, now: datetime) -> None:
    """Track the agency's keywords and name its competitors, unless it tracks some."""
    with install.records.read() as db:
        if db.scalar(select(Keyword.id).limit(1)) is not None:
            return
    _note_places(install)
    for each in KEYWORDS:
        asked = AskKeywords.model_validate(
            {
                "site": each.site,
                "terms": list(each.terms),
                "devices": list(each.devices),
                "places": list(each.places),
                "language": each.language,
                "country": each.country,
                "page": each.page,
                "weight": each.weight,
                "tags": list(each.tags),
                "pinned": each.pinned,
            }
        )
        _price(install, keywords.take(install, asked, now).added, each.volume, each.cpc)
    for site, label, term, latitude, longitude, spacing, size in GRIDS:
        where = {"latitude": latitude, "longitude": longitude, "spacing": spacing, "size": size}
        asked_grid = NewGrid.model_validate({"site": site, "label": label, "term": term, **where})
        grids.added(install, asked_grid, now)
    for site, domain, label in COMPETITORS:
        competitors.added(install, NewCompetitor(site=site, domain=domain, label=label), now)


def _note_places(install: Install) -> None:
    """Put the agency's made-up towns into its own places."""
    lines = [
        f"{name},{country},{region},{latitude},{longitude}" for name, country, region, latitude, longitude in PLACES
    ]
    install.places_path.write_text("\n".join([",".join(COLUMNS), *lines, ""]), "utf-8")


def _price(install: Install, added: Sequence[KeywordOut], volume: int | None, cpc: float | None) -> None:
    """Put down what is known of the terms: a term that is longer is asked less."""
    with install.records.begin() as db:
        for n, keyword in enumerate(added):
            known = None if volume is None else max(10, round(volume / (1 + 0.35 * (n // 2))))
            price = None if cpc is None else round(cpc * 100)
            number = keyword.id
            db.execute(update(Keyword).where(Keyword.id == number).values(volume=known, cpc=price))


@dataclass(frozen=True)
class _Site:
    """What is filled for one site."""

    history: History
    source: int
    host: str
    keywords: list[Keyword]
    model: LookupModel
    anchor: date


def fill_ranks(install: Install, site: str, anchor: date, oldest: int = OLDEST) -> int:
    """Fill the ranks of a site's keywords up to the anchor; returns how many lookups that took.

    oldest: as days before the anchor.
    """
    with install.records.read() as db:
        found = find_site(db, site)
        source = db.scalar(select(Source.id).where(Source.site_id == found.id, Source.kind == KIND))
        tracked = list(db.scalars(select(Keyword).where(Keyword.site_id == found.id)))
        around = [
            each for grid in db.scalars(select(Grid).where(Grid.site_id == found.id)) for each in lookups_of(grid)
        ]
        number, host = found.id, found.host
    if source is None or not tracked:
        return 0
    of = _Site(install.history(number, create=True), source, host, tracked, lookup_model(anchor), anchor)
    entries: list[DayEntry] = []
    captures: list[Capture] = []
    many = 0
    for offset in (each for each in _offsets() if each >= oldest):
        day = anchor + timedelta(offset)
        lookups = list(_lookups(of, day, offset))
        if offset % 7 == 0 and offset >= GRIDS_FROM:
            lookups += _looked_from(of, around, day)
        many += len(lookups)
        moment = datetime.combine(day, time(5), UTC)
        entries += checks.entries_of(host, day, lookups, DayState.FINAL, moment, "checks brought along")
        if _is_captured(offset):
            captures += [_capture(of, named, found, day, moment) for named, found in lookups]
    of.history.put_days(source, entries)
    for at in range(0, len(captures), 2000):
        of.history.put_captures(source, captures[at : at + 2000])
    checked = datetime.combine(anchor, time(5), UTC)
    with install.records.begin() as db:
        numbers = [keyword.id for keyword in tracked]
        db.execute(update(Keyword).where(Keyword.id.in_(numbers)).values(checked_at=checked))
        db.execute(update(Grid).where(Grid.site_id == number).values(checked_at=checked))
        db.execute(update(Source).where(Source.id == source).values(pulled_at=checked))
    return many


def _offsets() -> Iterator[int]:
    """Give the days that are looked up, as days before the anchor."""
    for offset in range(OLDEST, 1):
        if offset not in GAPS and (offset >= DAILY or offset % 7 == 0):
            yield offset


def _is_captured(offset: int) -> bool:
    return offset >= 1 - WHOLE_FOR // 2 or (offset >= CAPTURED_FROM and offset % 7 == 0)


def _lookups(of: _Site, day: date, offset: int) -> Iterator[tuple[tuple[str, str, str, str, str], Found]]:
    for keyword in of.keywords:
        if (keyword.id * 31 + offset) % FAILS_EVERY == 0:
            continue
        looked = Looked(
            keyword.term, keyword.engine, keyword.language, keyword.country, keyword.place, keyword.device, checks.DEPTH
        )
        yield checks.named(keyword), found_of(of.model.page(looked, day))


def _looked_from(of: _Site, around: Sequence[Keyword], day: date) -> list[tuple[tuple[str, str, str, str, str], Found]]:
    """Look up from the points of grids."""
    found = []
    for each in around:
        looked = Looked(each.term, each.engine, each.language, each.country, each.place, each.device, checks.DEPTH)
        found.append((checks.named(each), found_of(of.model.page(looked, day))))
    return found


def found_of(page: ResultPage) -> Found:
    """Read a page of the stand-in as what was found."""
    return Found(tuple(map(Result._make, page.results)), tuple(map(Feature._make, page.features)))


def _capture(of: _Site, named: tuple[str, str, str, str, str], found: Found, day: date, moment: datetime) -> Capture:
    stamp = moment.isoformat(timespec="seconds")
    return Capture("\x1f".join(named), day, stamp, own_part(of.host, found), written(named, found))
