"""Asking an interface as a mapping says: requests with placeholders, signing, paging, and what an answer holds."""

from __future__ import annotations

import csv
import io
import re
import threading
from abc import ABC
from collections.abc import Iterator, Mapping, Sequence
from typing import Any
from urllib.parse import quote

import httpx
import jmespath
import orjson

from noctilum.core.errors import FeedFault, worded
from noctilum.sources.contract import Connector, FeedSettings
from noctilum.sources.expressions import value_of
from noctilum.sources.http_feed import HttpFeed, token_of
from noctilum.sources.mapping import Ask, Auth, Paging, place
from noctilum.wire.plain_text import cleaned, unkeepable

Filling = Mapping[str, str | int]


class MappedConnector(Connector, ABC):
    """Ask as a mapping says. Safe to share between threads.

    The secret is what the mapping's kind of signing needs: a client secret, a token, or what a person
    granted (JSON with refresh_token); a refresh token that is replaced is handed to keep_secret.
    """

    def __init__(self, settings: FeedSettings, auth: Auth) -> None:
        super().__init__(settings)
        self._auth = auth
        self._feed = HttpFeed(settings.url, settings.inside, settings.limits)
        self._feed.secrets.learn(settings.client_secret.get_secret_value())
        self._token: str | None = None
        self._lock = threading.Lock()

    def close(self) -> None:
        """Let go of connections."""
        self._feed.close()

    def _picked(self, expression: str, found: Any, path: Sequence[str]) -> Any:
        try:
            value = value_of(expression, found)
        except jmespath.exceptions.JMESPathError as why:
            raise self._mismatch(path, " ".join(str(why).split())[:200]) from why
        if value is None:
            raise self._mismatch(path, f"{expression!r} finds nothing in {short(found)}")
        return value

    def _mismatch(self, path: Sequence[str], why: str) -> FeedFault:
        return FeedFault(
            "mapping-mismatch",
            worded("What the feed sends does not fit the mapping: {why}.", why=why),
            where=place(self.settings.mapping, list(path)),
            remedy="see what it sends with `noctilum try`",
        )

    def _rows(self, asked: Ask, path: Sequence[str], filled: Filling) -> Iterator[Any]:
        """Ask page by page and give the rows of each answer."""
        method, address, params, body = self._request(asked, filled)
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

    def _request(self, asked: Ask, filled: Filling) -> tuple[str, str, dict[str, Any], dict[str, Any]]:
        """Fill a request in: (method, address, query, body)."""
        params: dict[str, Any] = {name: _filled(text, filled) for name, text in asked.query.items()}
        address = _filled(asked.request, {"url": self.settings.url, **_quoted(filled)})
        method, _, address = address.partition(" ")
        return method, address, params, _filled_in(asked.body, filled)

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
        raise self._mismatch([*path, "paging", "next"], f"{short(found)} is no cursor")

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
            raise self._unreadable(asked, path) from why
        found = self._picked(asked.rows, whole, [*path, "rows"]) if asked.rows else whole
        if not isinstance(found, list):
            raise self._mismatch([*path, "rows"], f"{asked.rows or 'the answer'!r} is no list")
        return found, whole

    def _unreadable(self, asked: Ask, path: Sequence[str]) -> FeedFault:
        what = worded("The feed's answer is no {upper}.", upper=asked.format.upper())
        return FeedFault("feed-unreadable", what, where=place(self.settings.mapping, [*path, "format"]))

    def _whole(self, asked: Ask, path: Sequence[str], filled: Filling) -> Any:
        """Ask once, and give the whole answer of an interface that answers in JSON."""
        method, address, params, body = self._request(asked, filled)
        answer = self._feed.ask(method, address, self._signed, params=params or None, json=body or None)
        try:
            return orjson.loads(answer.content)
        except ValueError as why:
            raise self._unreadable(asked, path) from why

    def _signed(self, renew: bool) -> dict[str, str]:
        auth = self._auth
        if auth.kind == "none":
            return {}
        if auth.kind == "token":
            return _header(auth.header, auth.prefix + self.settings.client_secret.get_secret_value())
        with self._lock:
            if self._token is None or renew:
                self._token = self._new_token()
            return _header(auth.header, auth.prefix + self._token)

    def _new_token(self) -> str:
        auth, secret = self._auth, self.settings.client_secret.get_secret_value()
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


def _filled(text: str, values: Filling) -> str:
    for name, value in values.items():
        text = text.replace(f"{{{name}}}", str(value))
    return text


def _quoted(values: Filling) -> dict[str, str]:
    return {name: quote(str(value), safe="") for name, value in values.items()}


def _filled_in(found: Any, values: Filling) -> Any:
    """Fill in a body; what is a placeholder of a number and nothing else becomes that number."""
    if isinstance(found, str):
        alone = values.get(found[1:-1]) if found.startswith("{") and found.endswith("}") else None
        return alone if isinstance(alone, int) else _filled(found, values)
    if isinstance(found, Mapping):
        return {name: _filled_in(value, values) for name, value in found.items()}
    return [_filled_in(value, values) for value in found] if isinstance(found, list) else found


def _first_page(paging: Paging) -> int | None:
    return {"offset": 0, "page": paging.first}.get(paging.kind)


def short(found: Any) -> str:
    """Show the beginning of what was found."""
    try:
        text = orjson.dumps(found, default=str, option=orjson.OPT_NON_STR_KEYS).decode()
    except TypeError:
        text = cleaned(repr(found), 200)
    return text if len(text) <= 160 else text[:157] + "…"
