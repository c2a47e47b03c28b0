"""Figures as they are told, from grouped sums: averages formed last, what never adds up only where one row says it."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from noctilum.core.table import Grouped
from noctilum.datasets.declaring import MILLI, Dataset, Derived, Measure

Floats = npt.NDArray[np.float64]


def told_figures(kept: Dataset, found: Grouped) -> dict[str, Floats]:
    """Give every measure of every group in its unit, NaN where it is undefined; shape (groups,) each.

    sum and last: the sum over its scale. weighted: Σ value × weight / Σ weight, undefined without weight. none: the
    figure of the only row, undefined where there were more or none.
    """
    return {
        measure.name: _told(kept, measure, found) for measure in kept.measures if measure.tallied_as in found.figures
    }


def _told(kept: Dataset, measure: Measure, found: Grouped) -> Floats:
    summed = found.figures[measure.tallied_as].astype(np.float64)
    if measure.weight:
        weight = found.figures[kept.measure(measure.weight).tallied_as].astype(np.float64)
        return summed / MILLI / np.where(weight > 0, weight, np.nan)
    if measure.merge == "none":
        return np.where(found.figures[measure.told_by] == 1, summed, np.nan) / measure.scale
    return summed / measure.scale


def moved(kept: Dataset, now: dict[str, Floats], before: dict[str, Floats], times: float = 1.0) -> dict[str, Floats]:
    """Give what each measure changed by: now less before; sums before count times, where windows differ in length."""
    factors = {measure.name: times if measure.merge == "sum" else 1.0 for measure in kept.measures}
    factors |= {each.name: factors[each.of] if each.less else 1.0 for each in kept.derived}
    return {name: figures - before[name] * factors[name] for name, figures in now.items()}


def with_derived(kept: Dataset, told: dict[str, Floats]) -> dict[str, Floats]:
    """Put in the figures that are formed from the measures, in the order in which a dataset's figures are told.

    less: of − less. over: of / over, undefined where that is nothing. Undefined wherever a part is.
    """
    formed = told | {each.name: _derived(each, told) for each in kept.derived if set(each.parts) <= set(told)}
    return {each.name: formed[each.name] for each in kept.told if each.name in formed}


def _derived(each: Derived, told: dict[str, Floats]) -> Floats:
    if each.less:
        return told[each.of] - told[each.less]
    return told[each.of] / np.where(told[each.over] > 0, told[each.over], np.nan)
