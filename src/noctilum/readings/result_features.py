"""What result pages showed besides plain results, and what of it led to the site."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from noctilum.core.table import Grouped
from noctilum.core.windows import Window
from noctilum.datasets.lookups import TRACKED
from noctilum.history import Question
from noctilum.readings.rank_rows import Tracked, rank_header, steps_of, tracked
from noctilum.readings.site_access import SiteAccess
from noctilum.wire import ranks as wire


@dataclass(frozen=True)
class _Counts:
    """How often a feature was there and led to the site, and at how many keywords."""

    present: int = 0
    owned: int = 0
    keywords: int = 0
    owned_keywords: int = 0


def features(site: SiteAccess, asked: wire.FeaturesQuery) -> wire.ResultFeatures:
    """Tell each feature's share of lookups and the site's share of it, now, before and step for step."""
    of = tracked(site, asked)
    window, against = of.frame.window, of.frame.against
    steps = steps_of(window, asked.step)
    checks, *checked = of.checks_in([window, *([against] if against else []), *steps])
    now = _counts(of, window)
    before, were = (_counts(of, against), checked.pop(0)) if against else ({}, 0)
    by_step = [(_counts(of, step), many) for step, many in zip(steps, checked, strict=True)]
    numbers = sorted({*now, *before}, key=lambda each: (-now.get(each, _Counts()).present, each))
    texts = dict(zip(numbers, site.history.texts("feature", numbers), strict=True))
    return wire.ResultFeatures(
        **rank_header(of.frame, "features"),
        step=asked.step,
        checks=checks,
        steps=[wire.VoiceSteps(first=s.first, last=s.last, checks=n) for s, (_, n) in zip(steps, by_step, strict=True)],
        rows=[
            _row(texts[each], now.get(each, _Counts()), checks, before.get(each, _Counts()), were).model_copy(
                update={
                    "steps": [share_of(counts.get(each, _Counts()).present, n) for counts, n in by_step],
                    "owned_steps": [
                        share_of(counts.get(each, _Counts()).owned, counts.get(each, _Counts()).present)
                        for counts, _ in by_step
                    ],
                }
            )
            for each in numbers
        ],
    )


def _row(name: str, now: _Counts, checks: int, before: _Counts, were: int) -> wire.FeatureRow:
    return wire.FeatureRow(
        feature=name,
        present=share_of(now.present, checks) or 0.0,
        present_before=share_of(before.present, were),
        owned=share_of(now.owned, now.present),
        owned_before=share_of(before.owned, before.present),
        keywords=now.keywords,
        owned_keywords=now.owned_keywords,
        steps=[],
        owned_steps=[],
    )


def share_of(part: int, whole: int) -> float | None:
    """Give a part of lookups; None of none."""
    return round(part / whole, 4) if whole else None


def _counts(of: Tracked, window: Window) -> dict[int, _Counts]:
    asked = Question("features", window.first, window.last, ("feature", *TRACKED), sources=of.frame.held.sources)
    found = of.site.history.read(asked)
    owner = of.owners(found.keys[1:])
    counts: dict[int, _Counts] = {}
    for number in np.unique(found.keys[0][owner >= 0]).tolist():
        counts[number] = _counted(found, (found.keys[0] == number) & (owner >= 0))
    return counts


def _counted(found: Grouped, mine: npt.NDArray[np.bool_]) -> _Counts:
    present, owned = found.figures["present"][mine], found.figures["owned"][mine]
    return _Counts(int(present.sum()), int(owned.sum()), int((present > 0).sum()), int((owned > 0).sum()))
