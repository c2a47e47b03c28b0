"""What was before and after a dated note, judged against the rest of the site."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, timedelta

import numpy as np
import numpy.typing as npt

from noctilum.core import verdicts as core
from noctilum.core.beside_rows import own_and_stray
from noctilum.core.errors import NotThere, worded
from noctilum.core.measures import Sums
from noctilum.core.season import SEASON, Pair, Year, departure, over, untold, years_back
from noctilum.core.windows import Window
from noctilum.readings.around_sums import AroundSums, ReadByWindow, RowsByDay
from noctilum.readings.frame import Asked, Frame, frame, grain_of
from noctilum.readings.header import change_of, days_of, figures, frame_cautions
from noctilum.readings.holding import Holding
from noctilum.readings.rows_of import Floats, weeks_before
from noctilum.readings.season import MOST_YEARS
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


@dataclass(frozen=True)
class Happened:
    """Something that happened over days: where (a page or query) or by which rule; of: what that is called."""

    first: date
    last: date
    of: str
    where: Mapping[str, str] = field(default_factory=dict)
    rule: str = ""


@dataclass(frozen=True)
class Around:
    """What was before and after: the frame, the figures, what they are set beside, z, p and clicks to be expected."""

    of: Frame
    mine: tuple[Sums, Sums]
    beside: _Beside
    z: float | None
    p: float | None
    expected: float | None
    verdict: str

    @property
    def moved(self) -> float | None:
        """Clicks after over those expected, less one; None where nothing is to be expected."""
        return None if self.expected is None else self.mine[0].clicks / self.expected - 1


def around(held: Holding, site: str, what: Happened, days: int, sums: AroundSums | None = None) -> Around | None:
    """Compare so many days after with as many before, whole weeks of them; None where no week after is held yet.

    What it happened to is tested against the change of the rest of the site in the same days, times what its own year
    does beside that, where earlier years are held; the site as a whole against its own change in the same weeks of
    those years. So a season is not taken for an effect. sums: where figures come from; those of many events are read
    once.
    """
    after = min(days, (held.complete_through - what.last).days) // 7 * 7
    if after < LEAST_DAYS:
        return None
    window = Window(what.last + timedelta(1), what.last + timedelta(after))
    against = Window(what.first - timedelta(after), what.first - timedelta(1))
    of = frame(held, Asked(site, window.text, against.text, what.where, what.rule))
    added = sums or ReadByWindow()
    mine = added.mine(of)
    past = _past(of)
    weekly = past.of(added.clicks(past.before, past.span))
    phi, freedom = core.drawn_to(TYPICAL, *core.dispersion(weekly))
    beside = _beside(of, mine, past, weekly, added)
    found = _judged(of, mine, beside, phi, freedom)
    expected = mine[1].clicks * beside.ratio or None if found[0] is not None else None
    return Around(of, mine, beside, *found, expected, _verdict(found, mine, expected))


def effect(
    held: Holding, site: str, note: wire.NoteOut, others: Sequence[wire.NoteOut], days: int = DAYS
) -> wire.NoteEffect:
    """Compare so many days after a note with as many before it."""
    found = around(held, site, _happened(note, site), days)
    if found is None:
        return _too_early(note, others)
    of, mine, beside, expected = found.of, found.mine, found.beside, found.expected
    window, against = of.window, of.against or of.window
    near = [each for each in others if each.id != note.id and each.first <= window.last and each.last >= against.first]
    return wire.NoteEffect.model_validate(
        {
            "note": note,
            "of": note.page or (f"set {note.set}" if note.set else site),
            "verdict": found.verdict,
            "expected": None if expected is None else round(expected, 3),
            "moved": None if found.moved is None else round(found.moved, 6),
            "window": days_of(window, held.states, len(of.now_days)),
            "against": days_of(against, held.states, len(of.before_days)),
            "now": figures(mine[0]),
            "before": figures(mine[1]),
            "change": change_of(of.change(*mine)),
            "beside": beside.what,
            "years": beside.years,
            "own_season": None if beside.own_season is None else round(beside.own_season, 6),
            "rest_now": beside.now if beside.what else None,
            "rest_before": beside.before if beside.what else None,
            "z": found.z,
            "p": found.p,
            "others": near,
            "cautions": frame_cautions(of, grain_of(of.dims)),
        }
    )


def _happened(note: wire.NoteOut, site: str) -> Happened:
    where = {"page": note.page} if note.page else {}
    return Happened(note.first, note.last, note.page or note.set or site, where, in_set(note.set) if note.set else "")


def in_set(name: str) -> str:
    """Write the rule that names a set.

    >>> in_set('our "best"')
    'set "our \\\\"best\\\\""'
    """
    escaped = name.replace("\\", "\\\\").replace('"', '\\"')
    return f'set "{escaped}"'


def _rest(of: Frame, mine: tuple[Sums, Sums], added: AroundSums) -> tuple[Sums, Sums]:
    """Give what the site has besides, in the same days."""
    whole = added.whole(of)
    return whole[0] - mine[0], whole[1] - mine[1]


@dataclass(frozen=True)
class _Beside:
    """What takes the season out: clicks of what the noted is set beside, and what its own year adds.

    stray: how much more, in squared logarithms, the expected may be off than chance says.
    """

    what: str | None = None
    now: int = 0
    before: int = 0
    years: int = 0
    own_season: float | None = None
    stray: float = 0.0

    @property
    def ratio(self) -> float:
        """By what the clicks before are to be multiplied."""
        own = 1.0 if self.own_season is None else 1.0 + self.own_season
        return own * (self.now / self.before if self.now and self.before else 1.0)

    @property
    def extra(self) -> float:
        """1/now + 1/before: what the counts of what it is set beside leave open, in squared logarithms."""
        return 1 / self.now + 1 / self.before if self.now and self.before else 0.0


@dataclass(frozen=True)
class _Year:
    """The windows as asked, or in an earlier year: what they hold of the row, and of the rest."""

    of: Frame
    mine: tuple[Sums, Sums]
    rest: tuple[Sums, Sums]


def _beside(of: Frame, mine: tuple[Sums, Sums], past: _Past, weekly: Floats, added: AroundSums) -> _Beside:
    years = [(year, sums) for year in _years(of) if _enough(sums := added.mine(year))]
    if not of.dims:
        return _beside_earlier_years([sums for _, sums in years])
    rest = _rest(of, mine, added)
    known = [_Year(year, sums, _rest(year, sums, added)) for year, sums in years]
    known = [year for year in known if _enough(year.rest)]
    own, stray = _learnt(_Year(of, mine, rest), known, past, weekly, added) or _alone(of, known, weekly)
    season = float(np.expm1(own)) if known else None
    return _Beside("rest of the site", rest[0].clicks, rest[1].clicks, len(known), season, stray)


def _alone(of: Frame, years: Sequence[_Year], weekly: Floats) -> tuple[float, float]:
    """Say what its own year does to what has no rows like it, as a set, and how far it may stray."""
    if not years:
        return 0.0, untold(len(of.window))
    phi = float(core.drawn_to(TYPICAL, *core.dispersion(weekly))[0][0])
    apart = np.array([_log(year.mine) - _log(year.rest) for year in years])
    variances = np.array([phi * (_open(year.mine) + _open(year.rest)) for year in years])
    return departure(apart, variances, over(len(of.window)))


def _learnt(
    now: _Year, years: Sequence[_Year], past: _Past, weekly: Floats, added: AroundSums
) -> tuple[float, float] | None:
    """Learn one row's own year, and how far such rows stray, from rows like it; None where there are too few."""
    rows = added.beside(now.of)
    if rows is None:
        return None
    pair, before = _pair(now, rows), [Year(_pair(year, rows)) for year in years]
    every = np.concatenate([weekly, rows.weekly(past.span.first, core.RULE.weeks)[:, past.whole]])
    eligible = (pair.now + pair.before) >= core.RULE.fewest
    phi, _ = core.shrunk(*core.dispersion(every), eligible, core.RULE)
    return own_and_stray(pair, before, phi, eligible, 0)


def _pair(year: _Year, rows: RowsByDay) -> Pair:
    """Put the clicks of a row, first, and of those like it side by side."""
    days = year.of.now_days, year.of.before_days
    now, before = (np.concatenate([[sums.clicks], rows.over(each)]) for sums, each in zip(year.mine, days, strict=True))
    wholes = [sums.clicks + others.clicks for sums, others in zip(year.mine, year.rest, strict=True)]
    days_now, days_before = (max(1, len(each)) for each in days)
    return Pair(now, before, days_now, days_before, wholes[0], wholes[1])


def _beside_earlier_years(years: Sequence[tuple[Sums, Sums]]) -> _Beside:
    """Set a site beside itself: the clicks of the same weeks of all earlier years together."""
    if not years:
        return _Beside()
    logs = np.array([_log(sums) for sums in years])
    stray = SEASON.omega**2 if len(years) == 1 else max(SEASON.least_omega**2, float(logs.var(ddof=1)))
    now, before = (sum(sums[side].clicks for sums in years) for side in (0, 1))
    return _Beside("a year before" if len(years) == 1 else "earlier years", now, before, len(years), None, stray)


def _years(of: Frame) -> Iterator[Frame]:
    """Frame the same weeks of every earlier year, nearest first, as far as they are held."""
    for back in range(1, MOST_YEARS + 1):
        before = of.against or of.window
        shift, _ = years_back(of.window, before, back, of.held.words.holidays)
        window, against = (Window(w.first - shift, w.last - shift) for w in (of.window, before))
        year = frame(of.held, replace(of.asked, window=window.text, against=against.text))
        if not year.comparable:
            return
        yield year


def _enough(sums: tuple[Sums, Sums]) -> bool:
    return min(each.clicks for each in sums) >= core.RULE.fewest


def _log(sums: tuple[Sums, Sums]) -> float:
    return float(np.log(sums[0].clicks / sums[1].clicks))


def _open(sums: tuple[Sums, Sums]) -> float:
    return 1 / sums[0].clicks + 1 / sums[1].clicks


def _judged(
    of: Frame, mine: tuple[Sums, Sums], beside: _Beside, phi: Floats, freedom: Floats
) -> tuple[float | None, float | None]:
    """Give z and p of the change, against what is to be expected."""
    if not of.comparable or mine[0].clicks + mine[1].clicks < core.RULE.fewest:
        return None, None
    ratio = beside.ratio
    if not (beside.now and beside.before):
        ratio *= max(1, len(of.now_days)) / max(1, len(of.before_days))
    now, before = np.array([float(mine[0].clicks)]), np.array([float(mine[1].clicks)])
    chance = phi * (ratio**2 * before + now + (ratio * before) ** 2 * beside.extra)
    z = (now - ratio * before) / np.sqrt(chance + (ratio * before) ** 2 * beside.stray)
    return float(z[0]), float(core.two_sided(z, freedom)[0])


@dataclass(frozen=True)
class _Past:
    """The 26 weeks before what happened: as a frame and a span, and which of them are wholly held."""

    before: Frame
    span: Window
    whole: npt.NDArray[np.bool_]

    def of(self, daily: npt.NDArray[np.int64]) -> Floats:
        """Sum days by those weeks that are held; shape (1, weeks)."""
        weekly: Floats = daily[: 7 * core.RULE.weeks].astype(np.float64).reshape(core.RULE.weeks, 7).sum(axis=1)
        return weekly[self.whole][None, :]


def _past(of: Frame) -> _Past:
    first = (of.against or of.window).last + timedelta(1)
    before = replace(of, window=Window(first, first))
    span, whole = weeks_before(before, core.RULE.weeks)
    return _Past(before, span, whole[: core.RULE.weeks])


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
            "no-such-note",
            worded("{key} has no note {number}.", key=site.key, number=asked.number),
            remedy="list them with `noctilum notes`",
        )
    return effect(site.holding, site.key, note, others, asked.days)
