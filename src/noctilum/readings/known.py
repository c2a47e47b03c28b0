"""Since when a figure is known that has to be set up at its source, as goals are."""

from __future__ import annotations

from datetime import date

from noctilum.datasets.declaring import Dataset, Measure
from noctilum.history import Question
from noctilum.readings.grains import read
from noctilum.readings.holding import Holding


def known_since(held: Holding, kept: Dataset, measure: Measure) -> date | None:
    """Give the first day on which any of a measure was counted, over all that is held; None where none ever was."""
    asked = Question(
        *(kept.name, held.first_held, held.complete_through, ("day",)), sources=held.sources, measures=(measure.name,)
    )
    found = read(held.history, asked)
    days = found.keys[0][found.figures[measure.tallied_as] != 0]
    return date.fromordinal(int(days.min())) if days.size else None
