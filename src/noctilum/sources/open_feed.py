"""The open feed: Noctilum's own protocol for search data over HTTP."""

from __future__ import annotations

import threading
from collections.abc import Callable
from datetime import date
from functools import partial
from typing import Any, TypeVar

import httpx
from tenacity import (
    RetryCallState,
    Retrying,
    retry_if_exception_type,
    stop_after_attempt,
    wait_exponential_jitter,
)

from noctilum.core.batch import DayBatch
from noctilum.core.days import DayState
from noctilum.core.errors import FeedFault
from noctilum.core.reconcile import Promised
from noctilum.sources.contract import (
    Connector,
    FeedSettings,
    OfferedDay,
    Page,
    Property,
)
from noctilum.sources.ndjson import parse_rows
from noctilum.sources.pace import pace_of

ATTEMPTS = 7
TIMEOUT = httpx.Timeout(30.0, connect=5.0)
LONGEST_WAIT = 30.0
_STATES = {
    "final": DayState.FINAL,
    "fresh": DayState.PROVISIONAL,
    "none": DayState.MISSING,
}


T = TypeVar("T")


class _Passing(Exception):
    """A failure that asking again may cure; wait is what the feed asked for, in seconds."""

    def __init__(self, fault: FeedFault, wait: float | None = None) -> None:
        super().__init__(str(fault))
        self.fault, self.wait = fault, wait


class OpenFeed(Connector):
    """Reach an open feed. Tokens are fetched when needed and renewed once when refused.

    Requests are tried again after cut connections, 429 (as long as Retry-After says) and 5xx, with
    exponential waits and jitter. Safe to share between threads.
    """

    name = "open-feed"
    grains = ("site", "query", "page", "pair")

    def __init__(self, settings: FeedSettings) -> None:
        super().__init__(settings)
        self._http = httpx.Client(base_url=_checked_url(settings.url), timeout=TIMEOUT)
        self._pace = pace_of(str(self._http.base_url))
        self._token: str | None = None
        self._lock = threading.Lock()

    def close(self) -> None:
        """Let go of connections."""
        self._http.close()

    def properties(self) -> list[Property]:
        """List what the credential can see."""
        found = self._json("/properties")
        return [_shaped("properties", partial(_property, p)) for p in found.get("properties", [])]

    def days(self, first: date | None, last: date | None) -> list[OfferedDay]:
        """List what the provider has, by day."""
        asked = {
            "from": first.isoformat() if first else None,
            "to": last.isoformat() if last else None,
        }
        params = {name: value for name, value in asked.items() if value}
        found = self._json(f"/properties/{self.settings.property}/ledger", params)
        return [_shaped("ledger", partial(_offered, d)) for d in found.get("days", [])]

    def fetch(self, day: date, grain: str) -> Page:
        """Fetch one day at one grain, following Link rel=next; all pages must be of one revision."""
        url: str | None = f"/properties/{self.settings.property}/days/{day}/{grain}"
        bodies: list[bytes] = []
        revision: str | None = None
        promised = Promised()
        while url:
            answer = self._get(url)
            seen = answer.headers.get("ETag", "").strip('"') or None
            if bodies and seen != revision:
                raise FeedFault(
                    "feed-moved",
                    f"{day} was revised while it was being read.",
                    remedy="pull again",
                )
            revision = seen
            promised = _promised(answer.headers)
            bodies.append(answer.content)
            url = answer.links.get("next", {}).get("url")
        body = b"".join(bodies)
        if promised.rows is not None and (lines := body.count(b"\n")) < promised.rows:
            raise FeedFault(
                "feed-short",
                f"{day} {grain} came with {lines} rows of {promised.rows}.",
                remedy="pull again",
            )
        return Page(day, grain, body, revision, promised)

    @staticmethod
    def parse(page: Page) -> DayBatch:
        """Turn NDJSON rows into typed columns."""
        return parse_rows(page.body, page.day, page.grain)

    def _json(self, url: str, params: dict[str, str] | None = None) -> dict[str, Any]:
        answer = self._get(url, params)
        try:
            found = answer.json()
        except ValueError as why:
            raise FeedFault("feed-unreadable", "The feed's answer is not JSON.", where=url) from why
        if not isinstance(found, dict):
            raise FeedFault("feed-unreadable", "The feed's answer is not an object.", where=url)
        return found

    def _get(self, url: str, params: dict[str, str] | None = None) -> httpx.Response:
        return self._patiently(lambda: self._get_signed(url, params))

    def _get_signed(self, url: str, params: dict[str, str] | None) -> httpx.Response:
        if left := self._pace.wait(LONGEST_WAIT):
            raise _quota(url, left)
        token = self._bearer()
        answer = self._http.get(url, params=params, headers={"Authorization": f"Bearer {token}"})
        if answer.status_code == 401:
            token = self._renewed(token)
            answer = self._http.get(url, params=params, headers={"Authorization": f"Bearer {token}"})
        self._pace.heed(answer.headers)
        if answer.status_code == 429 and (pause := _seconds(answer.headers.get("Retry-After"))):
            self._pace.hold(pause)
            if pause > LONGEST_WAIT:
                raise _quota(url, pause)
        return _judged(answer)

    def _bearer(self) -> str:
        with self._lock:
            if self._token is None:
                self._token = self._new_token()
            return self._token

    def _renewed(self, refused: str) -> str:
        with self._lock:
            if self._token == refused:
                self._token = self._new_token()
            return self._token or ""

    def _new_token(self) -> str:
        secret = self.settings.client_secret.get_secret_value()
        form = {
            "grant_type": "client_credentials",
            "client_id": self.settings.client_id,
            "client_secret": secret,
        }
        answer = self._http.post("/token", data=form)
        if answer.status_code in (400, 401, 403):
            raise FeedFault(
                "feed-credential-refused",
                f"The feed refuses the credential of {self.settings.client_id!r}.",
                where=str(self._http.base_url),
                remedy="check the client id and enter the secret again",
                lasting=True,
            )
        token = _judged(answer).json().get("access_token")
        if not isinstance(token, str):
            raise FeedFault("feed-unreadable", "The feed handed out no token.", where="/token")
        return token

    def _patiently(self, ask: Callable[[], httpx.Response]) -> httpx.Response:
        retrying = Retrying(
            retry=retry_if_exception_type((_Passing, httpx.TransportError)),
            stop=stop_after_attempt(ATTEMPTS),
            wait=_wait,
            reraise=True,
        )
        try:
            return retrying(ask)
        except _Passing as last:
            raise last.fault from last
        except httpx.TransportError as why:
            raise FeedFault(
                "feed-unreachable",
                f"The feed cannot be reached: {why or type(why).__name__}.",
                where=str(self._http.base_url),
                remedy="check the address; if the feed is down, pull again later",
            ) from why


_backing_off = wait_exponential_jitter(multiplier=0.1, max=8.0, jitter=0.3)


def _wait(state: RetryCallState) -> float:
    failure = state.outcome.exception() if state.outcome else None
    if isinstance(failure, _Passing) and failure.wait is not None:
        return min(failure.wait, LONGEST_WAIT)
    return _backing_off(state)


def _judged(answer: httpx.Response) -> httpx.Response:
    if answer.is_success:
        return answer
    where = answer.request.url.path
    if answer.status_code == 429:
        fault = FeedFault(
            "feed-limit",
            "The feed keeps saying there are too many requests.",
            where=where,
        )
        raise _Passing(fault, _seconds(answer.headers.get("Retry-After")))
    if answer.status_code >= 500:
        fault = FeedFault(
            "feed-broken",
            f"The feed answers {answer.status_code}.",
            where=where,
            remedy="pull again later",
        )
        raise _Passing(fault, _seconds(answer.headers.get("Retry-After")))
    lasting = answer.status_code in (401, 403)
    raise FeedFault(
        "feed-refused",
        f"The feed answers {answer.status_code}: {_detail(answer)}",
        where=where,
        lasting=lasting,
    )


def _promised(headers: httpx.Headers) -> Promised:
    """Read what the feed says the rows of a day and grain add up to."""
    named = (headers.get(name, "") for name in ("Row-Count", "Clicks-Total", "Impressions-Total"))
    return Promised(*(int(text) if text.isdigit() else None for text in named))


def _quota(where: str, seconds: float) -> FeedFault:
    return FeedFault(
        "feed-quota",
        f"The feed's quota is used up; it wants to be asked again in {seconds / 60:.0f} minutes.",
        where=where,
        remedy="nothing to do: the pull goes on by itself then",
        retry_after=seconds,
    )


def _seconds(text: str | None) -> float | None:
    try:
        return max(0.0, float(text)) if text is not None else None
    except ValueError:
        return None


def _detail(answer: httpx.Response) -> str:
    try:
        found = answer.json()
        return str(found.get("detail") or found.get("error") or found)[:200]
    except (ValueError, AttributeError):
        return answer.reason_phrase


def _checked_url(url: str) -> str:
    if not url.startswith(("http://", "https://")) or httpx.URL(url).host == "":
        raise FeedFault(
            "feed-address",
            f"{url!r} is not an http address.",
            remedy="like https://feed.example",
            lasting=True,
        )
    return url


def _shaped(where: str, build: Callable[[], T]) -> T:
    try:
        return build()
    except (KeyError, TypeError, ValueError) as why:
        raise FeedFault(
            "feed-unreadable",
            f"The feed's answer lacks something: {why!r}.",
            where=where,
        ) from why


def _property(found: dict[str, Any]) -> Property:
    return Property(
        id=str(found["id"]),
        label=str(found["label"]),
        site=str(found["site"]),
        engine=str(found["engine"]),
        time_zone=str(found["time_zone"]),
        first_day=date.fromisoformat(found["first_day"]),
        last_day=date.fromisoformat(found["last_day"]),
    )


def _offered(found: dict[str, Any]) -> OfferedDay:
    revision = found.get("revision")
    state = _STATES[found["state"]]
    return OfferedDay(
        date.fromisoformat(found["day"]),
        state,
        None if revision is None else str(revision),
    )
