"""What was before and after a dated note, judged against the rest of the site."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import timedelta

import numpy as np

from noctilum.core import verdicts as core
from noctilum.core.errors import NotThere
from noctilum.core.measures import Sums
from noctilum.core.windows import YEAR_SHIFT, Window
from noctilum.readings.frame import Asked, Frame, frame, grain_of
from noctilum.readings.header import change_of, days_of, figures, frame_cautions
from noctilum.readings.holding import Holding
from noctilum.readings.rows_of import weeks_before
from noctilum.readings.site_access import SiteAccess
from noctilum.wire import noted as wire
from noctilum.wire import questions as ask

DAYS = 28
LEAST_DAYS = 7
TYPICAL = 2.0
"""The dispersion that a row alone is drawn to, for want of a list to lend it one (ours)."""
_UNTOLD = (
    *("window", "against", "now", "before", "change"),
    *("beside", "rest_now", "rest_before", "z", "p", "expected", "moved"),
)
SURE = 0.05
"""A note's reading is better or worse from p ≤ 0.05 and a tenth of change on (ours)."""


def effect(
    held: Holding, site: str, note: wire.NoteOut, others: Sequence[wire.NoteOut], days: int = DAYS
) -> wire.NoteEffect:
    """Compare so many days after a note with as many before it, whole weeks of them.

    What the note is on is tested against the change of the rest of the site in the same days, so that a season is
    not taken for an effect; a note on the site as a whole against its own change in the same weeks a year before,
    where those are held.
    """
    after = min(days, (held.complete_through - note.last).days) // 7 * 7
    if after < LEAST_DAYS:
        return _too_early(note, others)
    window = Window(note.last + timedelta(1), note.last + timedelta(after))
    against = Window(note.first - timedelta(after), note.first - timedelta(1))
    asked = Asked(site, window.text, against.text, {"page": note.page} if note.page else {}, _filter(note))
    of = frame(held, asked)
    mine = _sums(of)
    parts = _rest(of, mine) if of.dims else _a_year_before(of)
    beside = "rest of the site" if of.dims else "a year before"
    found = _judged(of, mine, parts)
    expected = _expected(mine, parts) if found[0] is not None else None
    verdict = _verdict(found, mine, expected)
    near = [each for each in others if each.id != note.id and each.first <= window.last and each.last >= against.first]
    return wire.NoteEffect.model_validate(
        {
            "note": note,
            "of": note.page or (f"set {note.set}" if note.set else site),
            "verdict": verdict,
            "expected": None if expected is None else round(expected, 3),
            "moved": None if expected is None else round(mine[0].clicks / expected - 1, 6),
            "window": days_of(window, held.states, len(of.now_days)),
            "against": days_of(against, held.states, len(of.before_days)),
            "now": figures(mine[0]),
            "before": figures(mine[1]),
            "change": change_of(of.change(*mine)),
            "beside": beside if parts else None,
            "rest_now": parts[0].clicks if parts else None,
            "rest_before": parts[1].clicks if parts else None,
            "z": found[0],
            "p": found[1],
            "others": near,
            "cautions": frame_cautions(of, grain_of(of.dims)),
        }
    )


def _filter(note: wire.NoteOut) -> str:
    escaped = (note.set or "").replace("\\", "\\\\").replace('"', '\\"')
    return f'set "{escaped}"' if note.set else ""


def _sums(of: Frame, grain: str | None = None) -> tuple[Sums, Sums]:
    at = grain or grain_of(of.dims)
    return of.read(at, ()).sums, of.read(at, (), before=True).sums


def _rest(of: Frame, mine: tuple[Sums, Sums]) -> tuple[Sums, Sums]:
    """Give what the site has besides, in the same days."""
    everything = replace(of, narrow=frame(of.held, replace(of.asked, where={}, filter="")).narrow)
    whole = _sums(everything, grain_of(of.dims))
    return whole[0] - mine[0], whole[1] - mine[1]


def _a_year_before(of: Frame) -> tuple[Sums, Sums] | None:
    """Give the same sums 52 weeks earlier; None where those days are not held, or had too few clicks to tell."""
    shift = timedelta(YEAR_SHIFT)
    window, against = (Window(w.first - shift, w.last - shift) for w in (of.window, of.against or of.window))
    year = frame(of.held, replace(of.asked, window=window.text, against=against.text))
    now, before = _sums(year)
    return (now, before) if year.comparable and min(now.clicks, before.clicks) >= core.RULE.fewest else None


def _judged(of: Frame, mine: tuple[Sums, Sums], rest: tuple[Sums, Sums] | None) -> tuple[float | None, float | None]:
    """Give z and p of the change, against that of the rest of the site, or of a year before, where there is one."""
    if not of.comparable or mine[0].clicks + mine[1].clicks < core.RULE.fewest:
        return None, None
    days = max(1, len(of.now_days)), max(1, len(of.before_days))
    phi, freedom = core.drawn_to(TYPICAL, *core.dispersion(_weekly(of)))
    ratio, extra = days[0] / days[1], 0.0
    if rest and rest[0].clicks and rest[1].clicks:
        ratio = rest[0].clicks / rest[1].clicks
        extra = 1 / rest[0].clicks + 1 / rest[1].clicks
    now, before = np.array([float(mine[0].clicks)]), np.array([float(mine[1].clicks)])
    spread = phi * (ratio**2 * before + now + (ratio * before) ** 2 * extra)
    z = (now - ratio * before) / np.sqrt(spread)
    return float(z[0]), float(core.two_sided(z, freedom)[0])


def _weekly(of: Frame) -> np.ndarray:
    """Give the 26 weeks before the note, those wholly held, of what it is on; shape (1, weeks)."""
    if of.against is None:
        return np.zeros((1, 0))
    before = replace(of, window=Window(of.against.last + timedelta(1), of.against.last + timedelta(1)))
    span, whole = weeks_before(before, core.RULE.weeks)
    daily = of.read_days(grain_of(of.dims), ("day",), span)
    at = (daily.keys[0] - span.first.toordinal()) // 7
    weekly = np.bincount(at, weights=daily.clicks, minlength=whole.size)[: core.RULE.weeks]
    return weekly[whole[: core.RULE.weeks]][None, :]


def _expected(mine: tuple[Sums, Sums], rest: tuple[Sums, Sums] | None) -> float | None:
    """Give the clicks to be expected: those before, times the change of what they are set beside; None for none."""
    ratio = rest[0].clicks / rest[1].clicks if rest and rest[1].clicks else 1.0
    return mine[1].clicks * ratio or None


def _verdict(found: tuple[float | None, float | None], mine: tuple[Sums, Sums], expected: float | None) -> str:
    z, p = found
    if z is None or p is None or expected is None:
        return "too few to tell"
    if p > SURE or abs(mine[0].clicks / expected - 1) < core.RULE.ratio:
        return "no clear change"
    return "better" if z > 0 else "worse"


def _too_early(note: wire.NoteOut, others: Sequence[wire.NoteOut]) -> wire.NoteEffect:
    ready = note.last + timedelta(LEAST_DAYS)
    return wire.NoteEffect.model_validate(
        {
            "note": note,
            "of": note.page or note.set or "site",
            "verdict": "too early to tell",
            "ready": ready,
            "others": [each for each in others if each.id != note.id and each.first == note.first],
            "cautions": [],
            **dict.fromkeys(_UNTOLD),
        }
    )


def answer(site: SiteAccess, asked: ask.EffectQuery) -> wire.NoteEffect:
    """Answer for a dated note of a site; raises NotThere."""
    others = site.notes()
    note = next((each for each in others if each.id == asked.number), None)
    if note is None:
        raise NotThere(
            "no-such-note", f"{site.key} has no note {asked.number}.", remedy="list them with `noctilum notes`"
        )
    return effect(site.holding, site.key, note, others, asked.days)
