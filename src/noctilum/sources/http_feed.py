"""Asking a feed over HTTP: signed, patient, at the provider's pace. Shared by the connectors that do."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import httpx
from tenacity import RetryCallState, Retrying, retry_if_exception_type, stop_after_attempt, wait_exponential_jitter

from noctilum.core.errors import FeedFault
from noctilum.sources.pace import pace_of

ATTEMPTS = 7
TIMEOUT = httpx.Timeout(30.0, connect=5.0)
LONGEST_WAIT = 30.0

Sign = Callable[[bool], Mapping[str, str]]
"""Gives the headers that sign a request; asked with True after they were refused, to renew them."""


class Passing(Exception):
    """A failure that asking again may cure; wait is what the feed asked for, in seconds."""

    def __init__(self, fault: FeedFault, wait: float | None = None) -> None:
        super().__init__(str(fault))
        self.fault, self.wait = fault, wait


class HttpFeed:
    """Ask one feed. Safe to share between threads.

    Requests are tried again after cut connections, 429 (as long as Retry-After says) and 5xx, with
    exponential waits and jitter; a refused signature is renewed once. Raises FeedFault.
    """

    def __init__(self, url: str) -> None:
        self.http = httpx.Client(base_url=checked_url(url), timeout=TIMEOUT, follow_redirects=False)
        self._pace = pace_of(str(self.http.base_url))

    def close(self) -> None:
        """Let go of connections."""
        self.http.close()

    def ask(self, method: str, url: str, sign: Sign, **more: Any) -> httpx.Response:
        """Send a request until it succeeds or there is no hope."""

        def once() -> httpx.Response:
            if left := self._pace.wait(LONGEST_WAIT):
                raise _quota(url, left)
            answer = self.http.request(method, url, headers=sign(False), **more)
            if answer.status_code == 401:
                answer = self.http.request(method, url, headers=sign(True), **more)
            self._heed(answer, url)
            return judged(answer)

        return self.patiently(once)

    def _heed(self, answer: httpx.Response, url: str) -> None:
        self._pace.heed(answer.headers)
        if answer.status_code == 429 and (pause := _seconds(answer.headers.get("Retry-After"))):
            self._pace.hold(pause)
            if pause > LONGEST_WAIT:
                raise _quota(url, pause)

    def patiently(self, ask: Callable[[], httpx.Response]) -> httpx.Response:
        """Do something until it works or has failed too often."""
        retrying = Retrying(
            retry=retry_if_exception_type((Passing, httpx.TransportError)),
            stop=stop_after_attempt(ATTEMPTS),
            wait=_wait,
            reraise=True,
        )
        try:
            return retrying(ask)
        except Passing as last:
            raise last.fault from last
        except httpx.TransportError as why:
            raise FeedFault(
                "feed-unreachable",
                f"The feed cannot be reached: {why or type(why).__name__}.",
                where=str(self.http.base_url),
                remedy="check the address; if the feed is down, pull again later",
            ) from why


_backing_off = wait_exponential_jitter(multiplier=0.1, max=8.0, jitter=0.3)


def _wait(state: RetryCallState) -> float:
    failure = state.outcome.exception() if state.outcome else None
    if isinstance(failure, Passing) and failure.wait is not None:
        return min(failure.wait, LONGEST_WAIT)
    return _backing_off(state)


def judged(answer: httpx.Response) -> httpx.Response:
    """Give a good answer back; raise Passing where asking again may help, FeedFault where not."""
    if answer.is_success:
        return answer
    where = answer.request.url.path
    if answer.status_code == 429:
        fault = FeedFault("feed-limit", "The feed keeps saying there are too many requests.", where=where)
        raise Passing(fault, _seconds(answer.headers.get("Retry-After")))
    if answer.status_code >= 500:
        what = f"The feed answers {answer.status_code}."
        fault = FeedFault("feed-broken", what, where=where, remedy="pull again later")
        raise Passing(fault, _seconds(answer.headers.get("Retry-After")))
    lasting = answer.status_code in (401, 403)
    what = f"The feed answers {answer.status_code}: {_detail(answer)}"
    raise FeedFault("feed-refused", what, where=where, lasting=lasting)


def refused(account: str, where: str) -> FeedFault:
    """Say that a credential is refused."""
    return FeedFault(
        "feed-credential-refused",
        f"The feed refuses the credential of {account!r}.",
        where=where,
        remedy="check the client id and enter the secret again",
        lasting=True,
    )


def token_of(answer: httpx.Response, account: str) -> dict[str, Any]:
    """Read a token answer (RFC 6749, 5.1); raises FeedFault when it is a refusal or no token."""
    if answer.status_code in (400, 401, 403):
        raise refused(account, str(answer.request.url.copy_with(query=None)))
    try:
        found = judged(answer).json()
    except ValueError:
        found = None
    if not isinstance(found, dict) or not isinstance(found.get("access_token"), str):
        raise FeedFault("feed-unreadable", "The feed handed out no token.", where=answer.request.url.path)
    return found


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


def checked_url(url: str) -> str:
    """Give an address back; raises FeedFault when it is none."""
    if not url.startswith(("http://", "https://")) or httpx.URL(url).host == "":
        raise FeedFault(
            "feed-address", f"{url!r} is not an http address.", remedy="like https://feed.example", lasting=True
        )
    return url
