"""Days, months and years as a filter writes them."""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import date

import numpy as np
import numpy.typing as npt

from noctilum.core.filters.tree import Test
from noctilum.core.windows import month_end

_FORM = re.compile(r"(\d{4})(?:-(\d{2})(?:-(\d{2}))?)?", re.ASCII)


def period(text: str) -> tuple[date, date]:
    """Read an ISO day, month or year as its first and last day; raises ValueError.

    >>> period("2024-02")
    (datetime.date(2024, 2, 1), datetime.date(2024, 2, 29))
    """
    found = _FORM.fullmatch(text)
    if found is None:
        raise ValueError(f"{text!r} is no day, month or year")
    year, month, day = (int(part) if part else None for part in found.groups())
    assert year is not None
    if month is None:
        return date(year, 1, 1), date(year, 12, 31)
    first = date(year, month, day or 1)
    return first, (first if day else month_end(first))


def day_mask(test: Test, days: npt.NDArray[np.int64]) -> npt.NDArray[np.bool_]:
    """Say which days (proleptic ordinals) pass a test: before a period, in it, after it. Shape (days,).

    >>> march = [date(2026, 2, 28).toordinal(), date(2026, 3, 1).toordinal(), date(2026, 4, 1).toordinal()]
    >>> day_mask(Test("first seen", "<=", ("2026-03",)), np.array(march)).tolist()
    [True, True, False]
    """
    periods = [period(str(value)) for value in test.values]
    first, last = periods[0][0].toordinal(), periods[-1][1].toordinal()
    tries: dict[str, Callable[[], npt.NDArray[np.bool_]]] = {
        "=": lambda: (days >= first) & (days <= last),
        "between": lambda: (days >= first) & (days <= last),
        "!=": lambda: (days < first) | (days > last),
        "<": lambda: days < first,
        "<=": lambda: days <= last,
        ">": lambda: days > last,
        ">=": lambda: days >= first,
    }
    return tries[test.op]()
