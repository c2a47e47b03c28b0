"""What one question keeps for itself goes with it: nothing of it stays in a service that runs for months."""

from __future__ import annotations

import gc
import weakref
from datetime import date

import numpy as np

from noctilum.core.table import Grouped
from noctilum.core.targets import Aim, Daily, way
from noctilum.core.windows import Window
from noctilum.readings.by_day import ByDay


def test_months_that_were_read_for_a_question_are_read_once_and_let_go_with_it():
    asked = []

    def read(window: Window) -> Grouped:
        asked.append(window)
        day = np.array([window.first.toordinal()])
        return Grouped((np.zeros(1, dtype=np.int64), day), {"clicks": np.ones(1, dtype=np.int64)})

    by_day = ByDay(read, "clicks")
    window = Window(date(2026, 1, 1), date(2026, 2, 28))
    assert by_day.over(window)[2].tolist() == [1, 1] and by_day.over(window)[2].tolist() == [1, 1]
    assert len(asked) == 2
    seen = weakref.ref(by_day)
    del by_day
    gc.collect()
    assert seen() is None


def test_days_that_a_target_was_read_from_are_let_go():
    daily = Daily(date(2024, 1, 1), np.full(800, 100.0))
    assert way(daily, Aim(date(2026, 1, 1), date(2026, 6, 30), 3000), {}) is not None
    seen = weakref.ref(daily)
    del daily
    gc.collect()
    assert seen() is None
