"""More hands for much work: processes of their own, at lower priority, each with the install open."""

from __future__ import annotations

import os
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from contextlib import contextmanager
from dataclasses import replace
from multiprocessing import get_context

from noctilum.actions.install import Install, Settings
from noctilum.orphans import end_with_parent

AT_ONCE = 2
CACHE_MB, ANSWERS_MB = 32, 8
"""Each site is read once there: what is kept decoded is of little use."""

SPARING = {"MALLOC_ARENA_MAX": "1"}
"""Environment of processes that read much in several threads: they share one pool, so that what one frees another takes
(glibc; 30 MB less of 400, and no slower)."""

_there: list[Install] = []


@contextmanager
def hands(install: Install, niceness: int) -> Iterator[ProcessPoolExecutor]:
    """Give a pool whose work finds the install by here(); what was not begun when it is left is let go."""
    pool = ProcessPoolExecutor(
        AT_ONCE, mp_context=get_context("forkserver"), initializer=_begin, initargs=(install.settings, niceness)
    )
    try:
        yield pool
    finally:
        pool.shutdown(cancel_futures=True)


def here() -> Install:
    """Give the install of a process of the pool."""
    return _there[0]


def _begin(settings: Settings, niceness: int) -> None:
    os.nice(niceness)
    end_with_parent()
    _there.append(Install(replace(settings, cache_mb=CACHE_MB, answers_mb=ANSWERS_MB)))
