"""Taking turns: answers that wait for feeds, or make reports, never hold more than a few threads."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from threading import BoundedSemaphore
from typing import ParamSpec, TypeVar

from noctilum.core.errors import TooMany

FEEDS_AT_ONCE, REPORTS_AT_ONCE = 2, 1
"""Answers of one process that may wait for feeds, or make a report, at once, out of web_threads."""
REPORT_WAIT = 2.0
"""Seconds a report waits for the one before it; a report takes a processor for a second or two."""
P = ParamSpec("P")
R = TypeVar("R")


def _in_turn(at_once: int, wait: float, code: str, what: str) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """Make a decorator for routes that take turns; raises TooMany (503) where there is none within the wait."""
    turns = BoundedSemaphore(at_once)

    def turned(view: Callable[P, R]) -> Callable[P, R]:
        @wraps(view)
        def taken(*args: P.args, **more: P.kwargs) -> R:
            if not turns.acquire(timeout=wait):
                remedy = "try again in a few seconds"
                raise TooMany(code, what, remedy=remedy, retry_after=5, status=503)
            try:
                return view(*args, **more)
            finally:
                turns.release()

        return taken

    return turned


waits_for_feed = _in_turn(FEEDS_AT_ONCE, 0.01, "feeds-busy", "Others are waiting for feeds right now.")
one_report_at_a_time = _in_turn(REPORTS_AT_ONCE, REPORT_WAIT, "reports-busy", "Other reports are being made right now.")
