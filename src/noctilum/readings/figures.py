"""A dataset's own reading: its measures by one of its dimensions or by day, as each of them adds up."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import date
from math import isnan
from typing import Any

import numpy as np
import numpy.typing as npt

from noctilum.core.days import HELD
from noctilum.core.errors import Nonsense, worded
from noctilum.core.filters import fields_of
from noctilum.core.filters.fields import CHANGE
from noctilum.core.filters.rows import result_mask
from noctilum.core.table import Grouped, SideBySide, side_by_side
from noctilum.core.told import Floats, moved, told_figures, with_derived
from noctilum.core.windows import Window, month_end
from noctilum.datasets import DATASETS
from noctilum.datasets.declaring import Dataset, Span
from noctilum.history import Question
from noctilum.readings.frame import Asked, Frame, frame_at
from noctilum.readings.grains import standing
from noctilum.readings.header import Header, header
from noctilum.readings.judged import judged
from noctilum.readings.known import known_since
from noctilum.readings.narrow import narrowing
from noctilum.readings.rows_of import Slice
from noctilum.readings.season import laid_by, told
from noctilum.readings.site_access import SiteAccess
from noctilum.wire.catalogue import READINGS
from noctilum.wire.figures import FiguresQuery, FiguresReading

Sides = dict[str, dict[str, Floats]]
"""The measures of every row "now" and, where there is a comparison, "before" and their "change"."""


def figures(site: SiteAccess, kept: Dataset, asked: Any) -> dict[str, object]:
    """Read a dataset's measures by a dimension, or by day, with their totals.

    Averages are formed from sums, what counts by its last day stands as of the last held day, and what never adds up is
    given for single rows: of a day, or of a week or month that the source counted by itself and that is the window.
    """
    of = _frame(site, kept, asked)
    by = (asked.by,)
    both = _read(of, kept, by)
    sides = _sides(of, kept, both)
    matching = _matching(of, sides, len(both.keys[0]))
    order = _ordered(site, both.keys[0], sides, matching, asked)
    shown = Slice(asked.limit, asked.offset).of(order)
    labels = _labels(site, asked.by, both.keys[0][shown].tolist())
    total = _sides(of, kept, _read(of, kept, ()))
    verdicts = judged(of, kept, asked.by, both, season=asked.season) if kept.judged else None
    rows = [{"key": label} | _at(sides, int(at)) for label, at in zip(labels, shown, strict=True)]
    if verdicts is not None and asked.by != "day":
        rows = [row | {"verdict": verdicts.of(int(at))} for row, at in zip(rows, shown, strict=True)]
    return {
        **_header(of, kept),
        "by": asked.by,
        "sort": asked.sort or kept.measures[0].name,
        "offset": asked.offset,
        "matching": int(order.size),
        "rows": rows,
        "total": _at(total, 0) if len(next(iter(total["now"].values()))) else _nothing(kept, total),
        **({"season": told(verdicts.whole, laid_by(of))} if verdicts is not None else {}),
    }


def _header(of: Frame, kept: Dataset) -> Header:
    """Give the header; that windows are of different lengths says nothing of figures that stand as of a day."""
    found = header(of, kept.name)
    if not kept.added:
        found["cautions"] = [each for each in found["cautions"] if each.code != "uneven-windows"]
    return found


def _frame(site: SiteAccess, kept: Dataset, asked: Any) -> Frame:
    held = site.held_of(kept, asked.source)
    where = {name: text for name in kept.dims if (text := getattr(asked, name)) is not None}
    narrow = narrowing(site.history, where, asked.filter, site.words, held.sources, fields_of(kept))
    put = Asked(site.key, asked.window, asked.against, where, asked.filter, asked.language)
    return frame_at(held, put, narrow)


def _read(of: Frame, kept: Dataset, by: tuple[str, ...]) -> SideBySide:
    """Read both sides; a day stands beside the day it is compared with."""
    now, before = of.read(kept.name, by), of.read(kept.name, by, before=True)
    if by == ("day",) and of.against is not None:
        paired = dict(zip((d.toordinal() for d in of.before_days), (d.toordinal() for d in of.now_days), strict=False))
        keys = np.array([paired.get(day, day) for day in before.keys[0].tolist()], dtype=np.int64)
        before = replace(before, keys=(keys,))
    return side_by_side(_with_counted(of, kept, by, now, of.window), _with_counted(of, kept, by, before, of.against))


def _with_counted(of: Frame, kept: Dataset, by: tuple[str, ...], found: Any, window: Window | None) -> Any:
    """Put in the figures that never add up, where the window is a span that the source counted by itself."""
    single = tuple(measure for measure in kept.measures if measure.merge == "none")
    span = span_of(kept, window) if window is not None and single and "day" not in by else None
    if span is None or window is None:
        return found
    known = standing(of.held.history, of.held.sources, span.name).states
    if known.get(window.first) not in HELD or of.narrow.ids is None or of.narrow.rest is not None:
        return found
    names = tuple(measure.name for measure in single)
    asked = Question(span.name, window.first, window.first, by, of.narrow.ids, sources=of.held.sources, measures=names)
    counted = of.held.history.read(asked)
    both = side_by_side(found, counted)
    return replace(both.now, figures={**both.now.figures, **both.before.figures})


def span_of(kept: Dataset, window: Window) -> Dataset | None:
    """Find the dataset of spans of which one is exactly this window.

    >>> from noctilum.datasets import DATASETS
    >>> span_of(DATASETS["site"], Window(date(2026, 3, 1), date(2026, 3, 31))).name
    'month-site'
    """
    spans: Mapping[Span, bool] = {
        "week": window.first.weekday() == 0 and len(window) == 7,
        "month": window.first.day == 1 and window.last == month_end(window.first),
    }
    return next((DATASETS[f"{span}-{kept.name}"] for span, fits in spans.items() if fits and span in kept.spans), None)


def _sides(of: Frame, kept: Dataset, both: SideBySide) -> Sides:
    since = {each.name: known_since(of.held, kept, each) for each in kept.measures if each.set_up}
    sides = {"now": _told(kept, both.now, since, of.window)}
    if of.against is not None and of.before_days:
        sides["before"] = _told(kept, both.before, since, of.against)
        if of.comparable:
            sides["change"] = moved(kept, sides["now"], sides["before"], of.times)
    return sides


def _told(kept: Dataset, found: Grouped, since: Mapping[str, date | None], window: Window) -> dict[str, Floats]:
    """Tell a side's figures; what was not set up before the window's end is not known, nor what is formed from it."""
    told = told_figures(kept, found)
    for name, first in since.items():
        if first is None or first > window.last:
            told[name] = np.full_like(told[name], np.nan)
    return with_derived(kept, told)


def _matching(of: Frame, sides: Sides, size: int) -> npt.NDArray[np.intp]:
    """Say which rows pass the filter on results."""
    if of.narrow.results is None:
        return np.arange(size)
    unknown = np.full(size, np.nan)
    changes = sides.get("change", dict.fromkeys(sides["now"], unknown))
    columns = {**sides["now"], **{f"{CHANGE}{name}": values for name, values in changes.items()}}
    return np.flatnonzero(result_mask(of.narrow.results, columns))


def _ordered(
    site: SiteAccess, keys: npt.NDArray[np.int64], sides: Sides, rows: npt.NDArray[np.intp], asked: Any
) -> npt.NDArray[np.intp]:
    """Order rows: the most first, unknown ones last; days and keys from the first on; ties by key."""
    name, turned = asked.sort.removeprefix("-"), asked.sort.startswith("-")
    if not name:
        name = "key" if asked.by == "day" else next(iter(sides["now"]))
    if name == "key":
        labels = _labels(site, asked.by, keys[rows].tolist())
        order = np.array(sorted(range(len(labels)), key=labels.__getitem__, reverse=turned), dtype=np.intp)
        return rows[order]
    values = _sorted_by(sides, name)[rows]
    return rows[np.lexsort((keys[rows], values if turned else -values, np.isnan(values)))]


def _sorted_by(sides: Sides, name: str) -> Floats:
    side, measure = ("change", name.removeprefix(CHANGE)) if name.startswith(CHANGE) else ("now", name)
    if measure not in sides["now"]:
        known = ", ".join(["key", *sides["now"], *(f"{CHANGE}{each}" for each in sides["now"])])
        raise Nonsense(
            "no-such-sort",
            worded("Rows cannot be sorted by {name!r}.", name=name),
            where="sort",
            remedy=worded("one of {known}", known=known),
        )
    return sides[side][measure] if side in sides else np.full_like(sides["now"][measure], np.nan)


def _labels(site: SiteAccess, by: str, keys: list[int]) -> list[str]:
    if by == "day":
        return [date.fromordinal(key).isoformat() for key in keys]
    return site.history.texts(by, keys)


def _at(sides: Sides, at: int) -> dict[str, object]:
    return {side: {name: _known(values[at]) for name, values in figures.items()} for side, figures in sides.items()}


def _nothing(kept: Dataset, sides: Sides) -> dict[str, object]:
    """Say that nothing was counted: sums are nothing, averages are not known."""
    none = {each.name: 0.0 if each.merge in ("sum", "last") else None for each in kept.measures}
    none |= {each.name: 0.0 if each.less else None for each in kept.derived}
    nothing = {each.name: none[each.name] for each in kept.told}
    return dict.fromkeys(sides, nothing)


def _known(value: float) -> float | None:
    return None if isnan(value) else float(value)


def answer(site: SiteAccess, asked: FiguresQuery) -> FiguresReading:
    """Answer for the sources of a site that count what the question is of."""
    spec = next(spec for spec in READINGS if spec.question is type(asked))
    answered: Any = spec.answer.model_validate(figures(site, DATASETS[spec.name], asked))
    return answered  # type: ignore[no-any-return]
