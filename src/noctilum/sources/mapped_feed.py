"""The mapped feed: any JSON or CSV interface over HTTP, described by a TOML mapping and reached without code."""

from __future__ import annotations

import csv
import io
import math
import re
import threading
from collections import OrderedDict
from collections.abc import Iterator, Mapping, Sequence
from datetime import date, timedelta
from typing import Any
from urllib.parse import quote

import httpx
import jmespath
import orjson

from noctilum import machine_time
from noctilum.core.batch import DayBatch, batch_of
from noctilum.core.days import DayState
from noctilum.core.errors import FeedFault, Nonsense
from noctilum.core.windows import EARLIEST, LATEST
from noctilum.datasets import DATASETS
from noctilum.datasets.declaring import Dataset
from noctilum.sources.contract import Connector, FeedSettings, OfferedDay, Page, Property, told_text
from noctilum.sources.expressions import value_of
from noctilum.sources.http_feed import HttpFeed, token_of
from noctilum.sources.mapping import Ask, FeedMapping, Grain, Paging, place, read_mapping
from noctilum.wire.plain_text import cleaned, unkeepable

KEPT_RANGES, KEPT_ROWS = 16, 3_000_000


class MappedFeed(Connector):
    """Reach a feed by its mapping. Safe to share between threads.

    The secret is what the mapping's kind of signing needs: a client secret, a token, or what a person
    granted (JSON with refresh_token); a refresh token that is replaced is handed to keep_secret.
    """

    name = "mapped-feed"

    def __init__(self, settings: FeedSettings) -> None:
        super().__init__(settings)
        self.mapping: FeedMapping = read_mapping(settings.mapping)
        self.grains = tuple(grain for grain in DATASETS if grain in self.mapping.grains)
        if "site" not in self.grains:
            where = place(settings.mapping, ["grains"])
            raise Nonsense("mapping-lacking", "The mapping has no grain site, the totals.", where=where)
        self._feed = HttpFeed(settings.url, settings.inside, settings.limits)
        self._feed.secrets.learn(settings.client_secret.get_secret_value())
        self._token: str | None = None
        self._lock = threading.Lock()
        self._ranges: OrderedDict[tuple[str, date], dict[date, list[Any]]] = OrderedDict()

    def close(self) -> None:
        """Let go of connections."""
        self._feed.close()

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
        return Property(first_day=first, last_day=last, **told)

    def _last_day(self, found: Any) -> date:
        expression = self.mapping.properties.last_day
        if not expression:
            return machine_time.moment().date() - timedelta(self.mapping.days.lag_days)
        told = self._picked(expression, found, ["properties", "last_day"])
        try:
            found_day = date.fromisoformat(str(told))
        except ValueError as why:
            raise self._mismatch(["properties", "last_day"], f"{_short(told)} is no day") from why
        if not EARLIEST <= found_day <= LATEST:
            raise self._mismatch(["properties", "last_day"], f"{found_day} is no day that can be kept")
        return found_day

    def _picked(self, expression: str, found: Any, path: Sequence[str]) -> Any:
        try:
            value = value_of(expression, found)
        except jmespath.exceptions.JMESPathError as why:
            raise self._mismatch(path, " ".join(str(why).split())[:200]) from why
        if value is None:
            raise self._mismatch(path, f"{expression!r} finds nothing in {_short(found)}")
        return value

    def _mismatch(self, path: Sequence[str], why: str) -> FeedFault:
        return FeedFault(
            "mapping-mismatch",
            f"What the feed sends does not fit the mapping: {why}.",
            where=place(self.settings.mapping, list(path)),
            remedy="see what it sends with `noctilum try`",
        )

    def days(self, first: date | None, last: date | None) -> list[OfferedDay]:
        """List the days there should be, by how long the feed keeps them and how late it settles."""
        mine = [found for found in self.properties() if found.id == self.settings.property]
        if not mine:
            text = f"The credential no longer sees {self.settings.property!r}."
            raise FeedFault("feed-property-gone", text, lasting=True, remedy="ask its owner for access")
        newest, oldest = mine[0].last_day, mine[0].first_day
        low, high = max(oldest, first or oldest), min(newest, last or newest)
        return [self._offered(low + timedelta(n), newest) for n in range((high - low).days + 1)]

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
        (offered,) = self._revision(day)
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
        return list(self._rows(asked, ["grains", grain], _placeholders(self.settings, day, day)))

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

    def _rows(self, asked: Ask, path: Sequence[str], filled: Mapping[str, str]) -> Iterator[Any]:
        """Ask page by page and give the rows of each answer."""
        params: dict[str, Any] = {name: _filled(text, filled) for name, text in asked.query.items()}
        body = _filled_in(asked.body, filled)
        method, _, address = _filled(asked.request, {"url": self.settings.url, **_quoted(filled)}).partition(" ")
        place_of: dict[str, Any] = body if body else params
        next_page: str | int | None = _first_page(asked.paging)
        meter, seen = self._feed.meter(cleaned(address, 200)), set[str]()
        while True:
            if asked.paging.kind == "link" and address in seen:
                raise self._mismatch([*path, "paging"], "its pages go round in a circle")
            seen.add(address)
            if asked.paging.size_param:
                place_of[asked.paging.size_param] = asked.paging.size if body else str(asked.paging.size)
            if next_page is not None and asked.paging.kind != "link":
                place_of[asked.paging.param] = next_page if body else str(next_page)
            answer = self._feed.ask(method, address, self._signed, params=params or None, json=body or None)
            rows, whole = self._read(asked, answer, path)
            meter.page(len(answer.content), len(rows))
            yield from rows
            next_page, address = self._next(asked.paging, answer, whole, len(rows), next_page, address, path)
            if next_page is None:
                return
            if asked.paging.kind == "link":
                params = {}

    def _next(
        self,
        paging: Paging,
        answer: httpx.Response,
        whole: Any,
        rows: int,
        here: str | int | None,
        address: str,
        path: Sequence[str],
    ) -> tuple[str | int | None, str]:
        """Say what the next page is asked with; None when this was the last."""
        if paging.kind == "link":
            link = answer.links.get("next", {}).get("url")
            return (1, str(answer.request.url.join(link))) if link else (None, address)
        if paging.kind == "cursor":
            found = self._cursor(paging, whole, path)
            if found is not None and found == here:
                raise self._mismatch([*path, "paging", "next"], "the next cursor is the same as this one")
            return found or None, address
        if paging.kind in ("offset", "page") and rows and (not paging.size or rows >= paging.size):
            step = rows if paging.kind == "offset" else 1
            return int(here or 0) + step, address
        return None, address

    def _cursor(self, paging: Paging, whole: Any, path: Sequence[str]) -> str | int | None:
        try:
            found = value_of(paging.next, whole)
        except jmespath.exceptions.JMESPathError as why:
            raise self._mismatch([*path, "paging", "next"], " ".join(str(why).split())[:200]) from why
        if found is None or isinstance(found, str | int):
            return found
        raise self._mismatch([*path, "paging", "next"], f"{_short(found)} is no cursor")

    def _read(self, asked: Ask, answer: httpx.Response, path: Sequence[str]) -> tuple[list[Any], Any]:
        try:
            if asked.format == "csv":
                rows = list(csv.DictReader(io.StringIO(answer.text, newline=""), delimiter=asked.delimiter))
                return rows, rows
            if asked.format == "ndjson":
                rows = [orjson.loads(line) for line in answer.content.splitlines() if line.strip()]
                return rows, rows
            whole = orjson.loads(answer.content)
        except (ValueError, csv.Error, LookupError) as why:
            what = f"The feed's answer is no {asked.format.upper()}."
            raise FeedFault("feed-unreadable", what, where=place(self.settings.mapping, [*path, "format"])) from why
        found = self._picked(asked.rows, whole, [*path, "rows"]) if asked.rows else whole
        if not isinstance(found, list):
            raise self._mismatch([*path, "rows"], f"{asked.rows or 'the answer'!r} is no list")
        return found, whole

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
            raise self._mismatch([*path, name], f"{_short(value)} is no {kind} in {_short(row)}")
        return int(value) if whole else float(value)

    def _told(self, text: str, path: Sequence[str]) -> str:
        """Give a text that can be kept."""
        if sign := unkeepable(text):
            raise self._mismatch(path, f"a text holds {sign}, which cannot be kept")
        return text

    def _signed(self, renew: bool) -> dict[str, str]:
        auth = self.mapping.auth
        if auth.kind == "none":
            return {}
        if auth.kind == "token":
            return _header(auth.header, auth.prefix + self.settings.client_secret.get_secret_value())
        with self._lock:
            if self._token is None or renew:
                self._token = self._new_token()
            return _header(auth.header, auth.prefix + self._token)

    def _new_token(self) -> str:
        auth, secret = self.mapping.auth, self.settings.client_secret.get_secret_value()
        form = {"client_id": self.settings.client_id}
        if auth.scope:
            form["scope"] = auth.scope
        granted: dict[str, str] = {}
        if auth.kind == "oauth-client":
            form |= {"grant_type": "client_credentials", "client_secret": secret}
        else:
            granted = _granted(secret)
            form |= {"grant_type": "refresh_token", "refresh_token": granted.get("refresh_token", "")}
            if granted.get("client_secret"):
                form["client_secret"] = granted["client_secret"]
        address = _filled(auth.token_url, {"url": self.settings.url})
        found = token_of(self._feed.post_form(address, form), self.settings.client_id)
        self._feed.secrets.learn(str(found["access_token"]), str(found.get("refresh_token") or ""))
        newer = found.get("refresh_token")
        if granted and newer and newer != granted.get("refresh_token"):
            self._keep(orjson.dumps(granted | {"refresh_token": newer}).decode())
        return str(found["access_token"])

    def _keep(self, secret: str) -> None:
        self.settings = self.settings.model_copy(update={"client_secret": type(self.settings.client_secret)(secret)})
        if self.keep_secret:
            self.keep_secret(secret)


def _header(name: str, value: str) -> dict[str, str]:
    """Give a signing header; raises FeedFault for a secret that no header can carry."""
    if not value.isascii() or unkeepable(value, line=True) or not re.fullmatch(r"[A-Za-z0-9-]{1,60}", name):
        raise FeedFault("feed-secret", "The secret cannot be sent in a header.", lasting=True, remedy="enter it again")
    return {name: value}


def _granted(secret: str) -> dict[str, str]:
    try:
        found = orjson.loads(secret)
        return {str(name): str(value) for name, value in found.items()}
    except (ValueError, AttributeError):
        return {"refresh_token": secret}


def _placeholders(settings: FeedSettings, first: date, last: date) -> dict[str, str]:
    return {"property": settings.property, "day": str(first), "first": str(first), "last": str(last)}


def _filled(text: str, values: Mapping[str, str]) -> str:
    for name, value in values.items():
        text = text.replace(f"{{{name}}}", value)
    return text


def _quoted(values: Mapping[str, str]) -> dict[str, str]:
    return {name: quote(value, safe="") for name, value in values.items()}


def _filled_in(found: Any, values: Mapping[str, str]) -> Any:
    if isinstance(found, str):
        return _filled(found, values)
    if isinstance(found, Mapping):
        return {name: _filled_in(value, values) for name, value in found.items()}
    return [_filled_in(value, values) for value in found] if isinstance(found, list) else found


def _first_page(paging: Paging) -> int | None:
    return {"offset": 0, "page": paging.first}.get(paging.kind)


def _short(found: Any) -> str:
    try:
        text = orjson.dumps(found, default=str, option=orjson.OPT_NON_STR_KEYS).decode()
    except TypeError:
        text = cleaned(repr(found), 200)
    return text if len(text) <= 160 else text[:157] + "…"
