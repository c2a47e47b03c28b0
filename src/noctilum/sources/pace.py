"""Pace: how fast a provider may be asked, shared by everything in this process that asks it."""

from __future__ import annotations

import re
import threading
import time
from collections.abc import Callable, Mapping


class Pace:
    """Hold requests to one provider back while it says so. Safe to share between threads.

    Understands Retry-After in seconds, RateLimit-Remaining with RateLimit-Reset, and the structured
    RateLimit field ("r" left, "t" seconds until more). clock and sleep are given for tests.
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
            self._until = max(self._until, self._clock() + seconds)

    def heed(self, headers: Mapping[str, str]) -> None:
        """Hold back when an answer says that nothing is left of the quota."""
        told = _remaining(headers)
        if told is not None and told[0] <= 0:
            self.hold(told[1])


def _remaining(headers: Mapping[str, str]) -> tuple[int, float] | None:
    """Read (requests left, seconds until more); None when the answer does not say."""
    try:
        if "ratelimit-remaining" in headers:
            return int(headers["ratelimit-remaining"]), float(headers.get("ratelimit-reset", "1"))
    except ValueError:
        return None
    structured = headers.get("ratelimit", "")
    left, reset = re.search(r"\br=(\d+)", structured), re.search(r"\bt=(\d+)", structured)
    return (int(left[1]), float(reset[1]) if reset else 1.0) if left else None


_paces: dict[str, Pace] = {}
_lock = threading.Lock()


def pace_of(provider: str) -> Pace:
    """Give the pace that all who ask a provider (its host and port) share."""
    with _lock:
        return _paces.setdefault(provider, Pace())
