"""Pace: how fast a provider may be asked, shared by everything in this process that asks it."""

from __future__ import annotations

import math
import re
import threading
import time
from collections.abc import Callable, Mapping
from datetime import UTC
from email.utils import parsedate_to_datetime

from noctilum import machine_time

LONGEST_HOLD = 86_400.0
"""Seconds that a provider can ask to be left alone for; what asks for more waits a day and asks again."""


class Pace:
    """Hold requests to one provider back while it says so. Safe to share between threads.

    No header holds it for more than a day. Understands Retry-After, RateLimit-Remaining with RateLimit-Reset, and
    the structured RateLimit field ("r" left, "t" seconds until more). clock and sleep are given for tests.
    """

    def __init__(
        self, clock: Callable[[], float] = time.monotonic, sleep: Callable[[float], None] = time.sleep
    ) -> None:
        self._clock, self._sleep = clock, sleep
        self._until = 0.0
        self._lock = threading.Lock()

    def wait(self, longest: float) -> float:
        """Wait until asking is allowed, at most so many seconds; returns what is still left to wait."""
        with self._lock:
            left = self._until - self._clock()
        if left <= 0:
            return 0.0
        if left > longest:
            return left
        self._sleep(left)
        return 0.0

    def hold(self, seconds: float) -> None:
        """Let nobody ask for so long."""
        with self._lock:
            self._until = max(self._until, self._clock() + min(max(0.0, seconds), LONGEST_HOLD))

    def heed(self, headers: Mapping[str, str]) -> None:
        """Hold back when an answer says that nothing is left of the quota."""
        told = _remaining(headers)
        if told is not None and told[0] <= 0 and told[1] > 0:
            self.hold(told[1])


def seconds_of(text: str | None) -> float | None:
    """Read a wait as a header gives it, in seconds or as a moment; at most a day. None for what is no wait.

    >>> seconds_of("30"), seconds_of("1e300"), seconds_of("nan"), seconds_of("-1"), seconds_of("soon")
    (30.0, 86400.0, None, 0.0, None)
    """
    if text is None:
        return None
    try:
        found = float(text)
    except ValueError:
        return _until(text)
    except OverflowError:
        return None
    if math.isnan(found):
        return None
    return min(max(0.0, found), LONGEST_HOLD) if math.isfinite(found) else None


def _until(text: str) -> float | None:
    """Read a moment (RFC 9110) as the seconds until then."""
    try:
        moment = parsedate_to_datetime(text)
        known = moment if moment.tzinfo else moment.replace(tzinfo=UTC)
        left = (known - machine_time.moment()).total_seconds()
    except (TypeError, ValueError, OverflowError, IndexError):
        return None
    return min(max(0.0, left), LONGEST_HOLD)


def _remaining(headers: Mapping[str, str]) -> tuple[int, float] | None:
    """Read (requests left, seconds until more); None when the answer does not say."""
    if "ratelimit-remaining" in headers:
        left = re.fullmatch(r"\s*-?\d{1,18}\s*", headers["ratelimit-remaining"], re.ASCII)
        wait = seconds_of(headers.get("ratelimit-reset", "1"))
        return (int(left[0]), wait) if left and wait is not None else None
    structured = headers.get("ratelimit", "")
    rest = re.search(r"\br=(\d{1,18})(?!\d)", structured, re.ASCII)
    reset = re.search(r"\bt=(\d+)", structured, re.ASCII)
    wait = seconds_of(reset[1]) if reset else 1.0
    return (int(rest[1]), wait) if rest and wait is not None else None


_paces: dict[str, Pace] = {}
_lock = threading.Lock()


def pace_of(provider: str) -> Pace:
    """Give the pace that all who ask a provider (its host and port) share."""
    with _lock:
        return _paces.setdefault(provider, Pace())
