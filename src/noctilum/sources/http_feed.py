"""Asking a feed over HTTP: signed, patient, at the provider's pace, within limits. Shared by connectors that do."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping
from contextlib import closing
from typing import Any

import httpx
from tenacity import (
    RetryCallState,
    Retrying,
    retry_if_exception,
    stop_after_attempt,
    stop_after_delay,
    wait_exponential_jitter,
)

from noctilum.core.errors import FeedFault, worded
from noctilum.sources.outgoing import Clock, Guard, InsideRefused, Limits, Meter, guarded_client, received
from noctilum.sources.pace import pace_of, seconds_of
from noctilum.sources.secrecy import Secrets
from noctilum.wire.plain_text import cleaned, unkeepable

USUAL = Limits()
ATTEMPTS = 7
TIMEOUT = httpx.Timeout(30.0, connect=5.0)
LONGEST_WAIT = 30.0
LONGEST_TRY = 90.0
"""Nothing is tried again once so many seconds went into it."""

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
    exponential waits and jitter; a refused signature is renewed once. Signed requests go to the feed's own origin
    only, whatever an answer points to. Secrets that an answer echoes are hidden in it. Raises FeedFault.
    inside: what the operator allows inside the network.
    """

    def __init__(self, url: str, inside: tuple[str, ...] = (), limits: Limits = USUAL) -> None:
        self.limits = limits
        self.http = guarded_client(checked_url(url), Guard(inside), TIMEOUT, limits.answer_seconds)
        self.secrets = Secrets()
        self._pace = pace_of(str(self.http.base_url))
        self._whole = Clock(limits.whole_seconds) if limits.whole_seconds else None

    def close(self) -> None:
        """Let go of connections."""
        self.http.close()

    def meter(self, where: str, grains: int = 1) -> Meter:
        """Begin to count what the pages of one question, for so many grains, come to."""
        return Meter(self.limits, where, grains)

    def ask(self, method: str, url: str, sign: Sign, **more: Any) -> httpx.Response:
        """Send a signed request until it succeeds or there is no hope."""

        def once() -> httpx.Response:
            if left := self._pace.wait(self._longest_wait()):
                raise _quota(url, left)
            answer = self._send(method, url, headers=sign(False), **more)
            if answer.status_code == 401:
                answer = self._send(method, url, headers=sign(True), **more)
            self._heed(answer, url)
            return judged(answer)

        return self.patiently(once)

    def post_form(self, url: str, form: Mapping[str, str]) -> httpx.Response:
        """Send a form once, as to where tokens are handed out; what it answers is not judged, nor secrets hidden."""
        return self._send("POST", url, signed=False, data=dict(form))

    def _stay_here(self, there: httpx.URL) -> None:
        """Refuse an address of another origin: what signs requests is meant for this one."""
        mine = self.http.base_url
        if (there.scheme, there.host, _port(there)) != (mine.scheme, mine.host, _port(mine)):
            raise FeedFault(
                "feed-elsewhere",
                worded(
                    "The feed points to another origin, {what}.",
                    what=cleaned(f"{there.scheme}://{there.netloc.decode()}", 100),
                ),
                where=str(mine),
                remedy="its secret is not sent there; ask the provider",
            )

    def _built(self, method: str, url: str, **more: Any) -> httpx.Request:
        try:
            return self.http.build_request(method, url, **more)
        except httpx.InvalidURL as why:
            raise _no_address(url) from why

    def _send(self, method: str, url: str, *, signed: bool = True, **more: Any) -> httpx.Response:
        """Send one request and take its answer in within the limits; a signed one only to the feed's own origin."""
        clock = self._clock()
        timeout = httpx.Timeout(min(30.0, clock.check(url)), connect=min(5.0, clock.check(url)))
        request = self._built(method, url, timeout=timeout, **more)
        if signed:
            self._stay_here(request.url)
        else:
            checked_url(str(request.url))
        try:
            with closing(self.http.send(request, stream=True)) as answer:
                body = received(answer, self.limits, clock)
        except httpx.ReadTimeout:
            clock.check(url)
            raise
        dropped = ("content-encoding", "content-length", "transfer-encoding")
        headers = [(name, value) for name, value in answer.headers.multi_items() if name not in dropped]
        if signed:
            body = self.secrets.hidden_bytes(body)
            headers = [(name, self.secrets.hidden(value)) for name, value in headers]
        return httpx.Response(answer.status_code, headers=headers, content=body, request=request)

    def _clock(self) -> Clock:
        clock = Clock(self.limits.answer_seconds)
        if self._whole is not None:
            clock.ends = min(clock.ends, self._whole.ends)
        return clock

    def _longest_wait(self) -> float:
        return LONGEST_WAIT if self._whole is None else max(0.0, self._whole.check(str(self.http.base_url)))

    def _heed(self, answer: httpx.Response, url: str) -> None:
        self._pace.heed(answer.headers)
        if answer.status_code == 429 and (pause := seconds_of(answer.headers.get("Retry-After"))):
            self._pace.hold(pause)
            if pause > self._longest_wait():
                raise _quota(url, pause)

    def patiently(self, ask: Callable[[], httpx.Response]) -> httpx.Response:
        """Do something until it works or has failed too often."""
        retrying = Retrying(
            retry=retry_if_exception(_may_pass),
            stop=lambda state: _tried_enough(state) or self._is_over(state.upcoming_sleep),
            wait=self._wait,
            reraise=True,
        )
        where = str(self.http.base_url)
        try:
            return retrying(ask)
        except Passing as last:
            raise last.fault from last
        except httpx.TransportError as why:
            if _is_inside(why):
                raise _inside(where) from why
            raise FeedFault(
                "feed-unreachable",
                worded(
                    "The feed cannot be reached: {hidden}.",
                    hidden=cleaned(self.secrets.hidden(str(why))) or type(why).__name__,
                ),
                where=where,
                remedy="check the address; if the feed is down, pull again later",
            ) from why

    def _is_over(self, after: float) -> bool:
        """Say whether there is no time for another try after a pause: what went wrong is told then, not that."""
        return self._whole is not None and self._whole.ends <= time.monotonic() + after + 0.2

    def _wait(self, state: RetryCallState) -> float:
        failure = state.outcome.exception() if state.outcome else None
        asked = failure.wait if isinstance(failure, Passing) else None
        wait = _backing_off(state) if asked is None else min(asked, LONGEST_WAIT)
        return wait if self._whole is None else max(0.0, min(wait, self._whole.ends - time.monotonic()))


_backing_off = wait_exponential_jitter(multiplier=0.1, max=8.0, jitter=0.3)


def _tried_enough(state: RetryCallState) -> bool:
    return (stop_after_attempt(ATTEMPTS) | stop_after_delay(LONGEST_TRY))(state)


def _port(url: httpx.URL) -> int | None:
    return url.port or {"http": 80, "https": 443}.get(url.scheme)


def _may_pass(why: BaseException) -> bool:
    """Say whether asking again may help."""
    return isinstance(why, Passing | httpx.TransportError) and not _is_inside(why)


def _is_inside(why: BaseException | None) -> bool:
    while why is not None:
        if isinstance(why, InsideRefused):
            return True
        why = why.__cause__ or why.__context__
    return False


def _inside(where: str) -> FeedFault:
    return FeedFault(
        "feed-inside",
        "The feed's address lies inside this network, where feeds are not asked.",
        where=where,
        remedy="an operator who wants it so adds the host to inside_hosts in the settings",
        lasting=True,
    )


def judged(answer: httpx.Response) -> httpx.Response:
    """Give a good answer back; raise Passing where asking again may help, FeedFault where not."""
    if answer.is_success:
        return answer
    where = answer.request.url.path
    if answer.status_code == 429:
        fault = FeedFault("feed-limit", "The feed keeps saying there are too many requests.", where=where)
        raise Passing(fault, seconds_of(answer.headers.get("Retry-After")))
    if answer.status_code >= 500:
        what = worded("The feed answers {status_code}.", status_code=answer.status_code)
        fault = FeedFault("feed-broken", what, where=where, remedy="pull again later")
        raise Passing(fault, seconds_of(answer.headers.get("Retry-After")))
    lasting = answer.status_code in (401, 403)
    what = worded("The feed answers {status_code}: {answer}", status_code=answer.status_code, answer=_detail(answer))
    raise FeedFault("feed-refused", what, where=where, lasting=lasting)


def refused(account: str, where: str) -> FeedFault:
    """Say that a credential is refused."""
    return FeedFault(
        "feed-credential-refused",
        worded("The feed refuses the credential of {account!r}.", account=account),
        where=where,
        remedy="check the client id and enter the secret again",
        lasting=True,
    )


def token_of(answer: httpx.Response, account: str) -> dict[str, Any]:
    """Read a token answer (RFC 6749, 5.1); raises FeedFault when it is a refusal or no token."""
    if answer.status_code in (400, 401, 403):
        raise refused(account, str(answer.request.url.copy_with(query=None)))
    if not answer.is_success:
        answer = httpx.Response(answer.status_code, headers=answer.headers, request=answer.request)
    try:
        found = judged(answer).json()
    except (ValueError, RecursionError):
        found = None
    token = found.get("access_token") if isinstance(found, dict) else None
    if not isinstance(token, str) or unkeepable(token, line=True) or not token.isascii():
        raise FeedFault("feed-unreadable", "The feed handed out no token.", where=answer.request.url.path)
    assert isinstance(found, dict)
    return found


def _quota(where: str, seconds: float) -> FeedFault:
    return FeedFault(
        "feed-quota",
        worded(
            "The feed's quota is used up; it wants to be asked again in {seconds:.0f} minutes.", seconds=seconds / 60
        ),
        where=where,
        remedy="nothing to do: the pull goes on by itself then",
        retry_after=seconds,
    )


def _detail(answer: httpx.Response) -> str:
    try:
        found = answer.json()
        return cleaned(str(found.get("detail") or found.get("error") or found), 200)
    except (ValueError, AttributeError, RecursionError):
        return cleaned(answer.reason_phrase, 200)


def checked_url(url: str) -> str:
    """Give an address back; raises FeedFault when it is none."""
    try:
        found = httpx.URL(url)
    except (httpx.InvalidURL, ValueError) as why:
        raise _no_address(url) from why
    if (
        found.scheme not in ("http", "https")
        or not found.host
        or found.userinfo
        or unkeepable(url, line=True)
        or " " in url
    ):
        raise _no_address(url)
    return url


def _no_address(url: str) -> FeedFault:
    return FeedFault(
        "feed-address",
        worded("{url!r} is not an http address.", url=cleaned(url, 100)),
        remedy="like https://feed.example",
        lasting=True,
    )
