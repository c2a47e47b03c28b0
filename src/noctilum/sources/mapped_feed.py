"""The mapped feed: any JSON or CSV interface over HTTP, described by a TOML mapping and reached without code."""

from __future__ import annotations

import math
from collections import OrderedDict
from collections.abc import Iterator, Sequence
from datetime import date, timedelta
from typing import Any

import orjson

from noctilum import machine_time
from noctilum.core.batch import DayBatch, batch_of
from noctilum.core.days import DayState
from noctilum.core.errors import FeedFault, worded
from noctilum.core.windows import EARLIEST, LATEST, span_end
from noctilum.datasets import DATASETS
from noctilum.datasets.declaring import Dataset, Span
from noctilum.sources.contract import FeedSettings, OfferedDay, Page, Property, told_text
from noctilum.sources.mapped_asking import MappedConnector, short
from noctilum.sources.mapping import FeedMapping, Grain, read_mapping
from noctilum.wire.plain_text import cleaned, unkeepable

KEPT_RANGES, KEPT_ROWS = 16, 3_000_000


class MappedFeed(MappedConnector):
    """Reach a feed by its mapping. Safe to share between threads."""

    name = "mapped-feed"

    def __init__(self, settings: FeedSettings) -> None:
        self.mapping: FeedMapping = read_mapping(settings.mapping)
        super().__init__(settings, self.mapping.auth)
        self.grains = tuple(grain for grain in DATASETS if grain in self.mapping.grains)
        self._ranges: OrderedDict[tuple[str, date], dict[date, list[Any]]] = OrderedDict()

    def properties(self) -> list[Property]:
        """List what the credential can see."""
        asked = self.mapping.properties
        return [self._property(found) for found in self._rows(asked, ["properties"], {})]

    def _property(self, found: Any) -> Property:
        asked = self.mapping.properties
        text = {
            name: self._picked(getattr(asked, name), found, ["properties", name])
            for name in ("id", "label", "site", "engine", "time_zone")
        }
        last = self._last_day(found)
        first = max(EARLIEST, last - timedelta(self.mapping.days.keeps_days - 1 - self.mapping.days.lag_days))
        try:
            told = {name: told_text(value) for name, value in text.items()}
        except ValueError as why:
            raise self._mismatch(["properties"], str(why)) from why
        return Property(first_day=first, last_day=last, kind=self.mapping.kind, currency=self._currency(found), **told)

    def _currency(self, found: Any) -> str:
        expression = self.mapping.properties.currency
        told = str(self._picked(expression, found, ["properties", "currency"])) if expression else ""
        if told and not (len(told) == 3 and told.isascii() and told.isupper()):
            raise self._mismatch(["properties", "currency"], f"{short(told)} is no currency like EUR")
        return told

    def _last_day(self, found: Any) -> date:
        expression = self.mapping.properties.last_day
        if not expression:
            return machine_time.moment().date() - timedelta(self.mapping.days.lag_days)
        told = self._picked(expression, found, ["properties", "last_day"])
        try:
            found_day = date.fromisoformat(str(told))
        except ValueError as why:
            raise self._mismatch(["properties", "last_day"], f"{short(told)} is no day") from why
        if not EARLIEST <= found_day <= LATEST:
            raise self._mismatch(["properties", "last_day"], f"{found_day} is no day that can be kept")
        return found_day

    def days(self, first: date | None, last: date | None) -> list[OfferedDay]:
        """List the days there should be, by how long the feed keeps them and how late it settles."""
        mine = [found for found in self.properties() if found.id == self.settings.property]
        if not mine:
            text = worded("The credential no longer sees {property!r}.", property=self.settings.property)
            raise FeedFault("feed-property-gone", text, lasting=True, remedy="ask its owner for access")
        newest, oldest = mine[0].last_day, mine[0].first_day
        low, high = max(oldest, first or oldest), min(newest, last or newest)
        return [*self._all_offered(low, high, newest)]

    def _all_offered(self, low: date, high: date, newest: date) -> Iterator[OfferedDay]:
        """Offer days, or where the totals are of whole months the first day of each."""
        for day in (low + timedelta(n) for n in range((high - low).days + 1)):
            if span_end(self._span, day) is not None:
                yield self._offered(day, newest)

    @property
    def _span(self) -> Span:
        """What a day that is offered stands for: as the totals' do."""
        return DATASETS.totals_of(DATASETS[self.grains[0]]).span

    def _seen_by(self, day: date, grain: str) -> date:
        """Say by which day that is offered the state of a day of a grain is told: of a span, by its last."""
        span = DATASETS[grain].span
        return day if span == self._span else span_end(span, day) or day

    def _offered(self, day: date, newest: date) -> OfferedDay:
        age = (newest - day).days + self.mapping.days.lag_days
        if age < self.mapping.days.settles_after_days:
            return OfferedDay(day, DayState.PROVISIONAL, f"after {age} days")
        return OfferedDay(day, DayState.FINAL, "settled")

    def fetch(self, day: date, grain: str) -> Page:
        """Fetch one day at one grain; where the feed is asked for several days at once, those are kept."""
        asked = self.mapping.grains[grain]
        rows = self._of_range(day, grain, asked) if asked.range_days > 1 else self._day(day, grain, asked)
        body = b"".join(orjson.dumps(row, option=orjson.OPT_APPEND_NEWLINE) for row in rows)
        (offered,) = self._revision(self._seen_by(day, grain))
        return Page(day, grain, body, offered.revision)

    def _revision(self, day: date) -> list[OfferedDay]:
        with self._lock:
            known = getattr(self, "_known", None)
        if known is None:
            known = {found.day: found for found in self.days(None, None)}
            with self._lock:
                self._known = known
        return [known.get(day, OfferedDay(day, DayState.MISSING, None))]

    def _day(self, day: date, grain: str, asked: Grain) -> list[Any]:
        last = span_end(DATASETS[grain].span, day) or day
        return list(self._rows(asked, ["grains", grain], _placeholders(self.settings, day, last)))

    def _of_range(self, day: date, grain: str, asked: Grain) -> list[Any]:
        start = date.fromordinal(day.toordinal() // asked.range_days * asked.range_days)
        with self._lock:
            kept = self._ranges.get((grain, start))
        if kept is None:
            kept = self._range(start, grain, asked)
            with self._lock:
                self._ranges[grain, start] = kept
                while len(self._ranges) > KEPT_RANGES or (len(self._ranges) > 1 and self._rows_kept() > KEPT_ROWS):
                    self._ranges.popitem(last=False)
        return kept.get(day, [])

    def _rows_kept(self) -> int:
        return sum(len(rows) for days in self._ranges.values() for rows in days.values())

    def _range(self, start: date, grain: str, asked: Grain) -> dict[date, list[Any]]:
        end = start + timedelta(asked.range_days - 1)
        path = ["grains", grain]
        found: dict[date, list[Any]] = {}
        for row in self._rows(asked, path, _placeholders(self.settings, start, end)):
            told = self._picked(asked.day, row, [*path, "day"])
            try:
                found.setdefault(date.fromisoformat(str(told)), []).append(row)
            except ValueError as why:
                raise self._mismatch([*path, "day"], f"{told!r} is no day like 2026-03-20") from why
        return found

    def parse(self, page: Page) -> DayBatch:
        """Pick every field of every row by its expression; the line at fault is named."""
        asked, kept = self.mapping.grains[page.grain], DATASETS[page.grain]
        rows = [orjson.loads(line) for line in page.body.splitlines()]
        path = ["grains", page.grain, "fields"]
        columns = {
            name: [self._field(kept, name, text, row, path) for row in rows] for name, text in asked.fields.items()
        }
        dims = {name: columns.get(name, [kept.dimension(name).default or ""] * len(rows)) for name in kept.dims}
        try:
            return batch_of(kept, page.day, dims, columns)
        except (OverflowError, ValueError) as why:
            raise self._mismatch(path, f"a number is out of range ({cleaned(str(why), 100)})") from why

    def _field(self, kept: Dataset, name: str, expression: str, row: Any, path: Sequence[str]) -> Any:
        value = self._picked(expression, row, [*path, name])
        if name in kept.dims:
            return self._told(str(value), [*path, name])
        measure = kept.measure(name)
        whole = not measure.has_decimals
        number = isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value)
        if not number or (whole and value != int(value)):
            kind = "whole number" if whole else "number"
            raise self._mismatch([*path, name], f"{short(value)} is no {kind} in {short(row)}")
        return int(value) if whole else float(value)

    def _told(self, text: str, path: Sequence[str]) -> str:
        """Give a text that can be kept."""
        if sign := unkeepable(text):
            raise self._mismatch(path, f"a text holds {sign}, which cannot be kept")
        return text


def _placeholders(settings: FeedSettings, first: date, last: date) -> dict[str, str]:
    return {"property": settings.property, "day": str(first), "first": str(first), "last": str(last)}
