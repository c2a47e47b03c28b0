"""Verdicts on a dataset's rows by the measure it is judged by: beside the window before, and net of the year."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

import numpy as np
import numpy.typing as npt

from noctilum.core.season import Pair, SiteJudged, judge_net, judge_site
from noctilum.core.table import Grouped, SideBySide
from noctilum.core.verdicts import RULE, VERDICTS, Verdict, judge
from noctilum.core.windows import Window
from noctilum.datasets.declaring import Dataset
from noctilum.readings.by_day import ByDay, CountsByDay
from noctilum.readings.frame import Frame
from noctilum.readings.rows_of import Ints
from noctilum.readings.season import years_counted


@dataclass(frozen=True)
class RowsJudged:
    """What was found of each row, places in VERDICTS, (rows,), and of the whole; no whole without an earlier year."""

    verdict: npt.NDArray[np.int8]
    whole: SiteJudged | None

    def of(self, row: int) -> Verdict:
        """Name the verdict on a row."""
        return VERDICTS[int(self.verdict[row])]


def judged(of: Frame, kept: Dataset, by: str, both: SideBySide, *, season: bool) -> RowsJudged | None:
    """Judge rows of a dataset, ascending, each by itself; None where two windows cannot be compared.

    season: net of what the year does, where a year is held. Days are no rows: of them only the whole is judged.
    """
    if not of.comparable or not (of.now_days and of.before_days):
        return None
    figure = kept.measure(kept.judged).tallied_as
    by_day = ByDay(partial(_read, of, kept, by), figure)
    ids = np.zeros(1, dtype=np.int64) if by == "day" else both.keys[0]
    now, before = (_summed(side.figures[figure], whole=by == "day") for side in (both.now, both.before))
    pair = Pair(now, before, len(of.now_days), len(of.before_days), int(now.sum()), int(before.sum()))
    over = CountsByDay(by_day, ids, of.held.states, of.held.complete_through)
    years = years_counted(of, over, outside=False) if season else []
    weekly = over.weeks(of, now + before)
    whole = judge_site(pair, weekly.sum(axis=0), years) if years else None
    if years:
        return RowsJudged(judge_net(pair, weekly, years, beside=False)[0].verdict, whole)
    return RowsJudged(judge(now, before, weekly, len(of.now_days), len(of.before_days), RULE).verdict, None)


def _read(of: Frame, kept: Dataset, by: str, window: Window) -> Grouped:
    """Read the judged measure of a window by row and day; all rows as one where rows are days."""
    if by != "day":
        return of.read_days(kept.name, (by, "day"), window, measures=(kept.judged,))
    found = of.read_days(kept.name, ("day",), window, measures=(kept.judged,))
    return Grouped((np.zeros(len(found), dtype=np.int64), *found.keys), found.figures)


def _summed(counts: Ints, *, whole: bool) -> Ints:
    return np.array([counts.sum()], dtype=np.int64) if whole else np.asarray(counts, dtype=np.int64)
