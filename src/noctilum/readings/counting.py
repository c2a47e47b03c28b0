"""Counting: whether organic visits follow clicks, for the site, its parts and its pages, against the days before."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np

from noctilum.core import counting as core
from noctilum.core.days import HELD
from noctilum.core.windows import Window
from noctilum.readings.beside_years import COUNTED, by_day_of
from noctilum.readings.both import Both, both_of, fields_of_results
from noctilum.readings.header import header
from noctilum.readings.rows_of import Ints
from noctilum.readings.site_access import SiteAccess, rows_asked
from noctilum.wire import counting as wire

DAYS_BEFORE = 91
"""So many days before the window its ratios are from, where they are held: a quarter, so that what counting was like
long ago weighs nothing."""
LACKING_FROM = 20
"""Clicks or sessions of a page from which on it is worth saying that the other feed has none."""
MOST_LACKING = 50


@dataclass(frozen=True)
class Counts:
    """Clicks and organic sessions by page and day: arrays of (pages, days), the days of the window last."""

    pages: Ints
    days: tuple[date, ...]
    window: int
    clicks: Ints
    sessions: Ints


def counting(site: SiteAccess, asked: wire.CountingQuery) -> wire.Counting:
    """Find where counting broke: a part only where the whole did not, a page only where its part did not."""
    both = both_of(site, asked, fields_of_results())
    counts = _counts(both)
    labels = site.history.texts("page", counts.pages.tolist())
    rows = _rows(site.key, labels, counts) if counts.window else ([], 0)
    page = rows_asked(asked)
    return wire.Counting(
        **header(both.of, "page"),
        rows=rows[0][page.offset : page.offset + page.limit],
        lacking=_lacking(labels, counts),
        looked_at=rows[1],
        days=counts.window,
        days_before=len(counts.days) - counts.window,
        offset=page.offset,
        matching=len(rows[0]),
    )


def _counts(both: Both) -> Counts:
    first = both.of.window.first - timedelta(DAYS_BEFORE)
    earlier = Window(first, both.of.window.first - timedelta(1))
    days = (*(day for day in earlier.days() if both.states.get(day) in HELD), *both.days)
    span = Window(first, both.of.window.last)
    held = frozenset(days)
    clicked, came = (by_day_of(both, name).over(span, held) for name in COUNTED)
    names = np.union1d(np.unique(clicked[0]), np.unique(came[0]))
    row_of = _places(names)
    column_of = _places(np.array([day.toordinal() for day in days], dtype=np.int64) - span.first.toordinal())

    def spread(pages: Ints, on: Ints, values: Ints) -> Ints:
        cell = row_of[pages] * len(days) + column_of[on - span.first.toordinal()]
        summed = np.bincount(cell, weights=values, minlength=len(names) * len(days))
        return summed.astype(np.int64).reshape(len(names), len(days))

    return Counts(
        names,
        days,
        len(both.days),
        spread(*clicked),
        spread(*came),
    )


def _places(values: Ints) -> Ints:
    """Give an array that says where each of some ascending numbers stands."""
    found = np.zeros(int(values.max(initial=0)) + 1, dtype=np.int64)
    found[values] = np.arange(values.size)
    return found


def _rows(host: str, labels: Sequence[str], counts: Counts) -> tuple[list[wire.CountingRow], int]:
    """Look at the site, then at its parts, then at pages; what is in something broken is not said again."""
    members: dict[str, list[int]] = {}
    for n, label in enumerate(labels):
        members.setdefault(_section(label), []).append(n)
    shared = {name: np.array(members[name]) for name in sorted(members) if len(members[name]) > 1}
    cut = len(counts.days) - counts.window
    busy = np.flatnonzero(
        core.can_be_told(
            counts.sessions[:, :cut].sum(axis=1), counts.clicks[:, :cut].sum(axis=1), counts.clicks[:, cut:].sum(axis=1)
        )
    )
    groups: list[tuple[str, str, Ints]] = [("site", host, np.arange(len(labels)))]
    groups += [("section", f"{name}*", of) for name, of in shared.items()]
    groups += [("page", labels[n], np.array([n])) for n in busy.tolist()]
    sums = [
        np.vstack([values.sum(axis=0, keepdims=True), _summed(values, [*shared.values()]), values[busy]])
        for values in (counts.sessions, counts.clicks)
    ]
    found = core.broken(sums[0][:, cut:], sums[1][:, cut:], sums[0][:, :cut], sums[1][:, :cut])
    taken: set[int] = set()
    rows = []
    for n, row in enumerate(found.row.tolist()):
        level, key, of = groups[row]
        if taken.issuperset(of.tolist()):
            continue
        taken.update(of.tolist())
        rows.append(_row(found, n, level, key, counts.days[cut + int(found.since[n])]))
    return rows, found.looked_at


def _summed(values: Ints, groups: Sequence[Ints]) -> Ints:
    """Add up rows by group; shape (groups, days)."""
    if not groups:
        return values[:0]
    starts = np.cumsum([0, *(of.size for of in groups[:-1])])
    return np.asarray(np.add.reduceat(values[np.concatenate(groups)], starts, axis=0), dtype=np.int64)


def _row(found: core.Broken, n: int, level: str, key: str, since: date) -> wire.CountingRow:
    sessions, clicks, expected = int(found.sessions[n]), int(found.clicks[n]), float(found.expected[n])
    told = {
        "level": level,
        "key": key,
        "verdict": "stopped" if sessions < expected else "doubled",
        "since": since,
        "sessions": sessions,
        "expected": round(expected, 3),
        "clicks": clicks,
        "before": round(float(found.ratio[n]), 4),
        "after": round(sessions / clicks, 4) if clicks else None,
    }
    return wire.CountingRow.model_validate(told)


def _section(page: str) -> str:
    """Give the part of a site that a page is in.

    >>> _section("/shop/hives"), _section("/about"), _section("/")
    ('/shop/', '/about', '/')
    """
    head, _, rest = page.lstrip("/").partition("/")
    return f"/{head}/" if rest else page


def _lacking(labels: Sequence[str], counts: Counts) -> list[wire.LackingRow]:
    cut = len(counts.days) - counts.window
    clicks, sessions = counts.clicks[:, cut:].sum(axis=1), counts.sessions[:, cut:].sum(axis=1)
    rows = [
        wire.LackingRow(
            page=labels[n],
            lacking="no clicks held" if not clicks[n] else "no visits held",
            clicks=int(clicks[n]),
            sessions=int(sessions[n]),
        )
        for n in np.flatnonzero(
            (np.minimum(clicks, sessions) == 0) & (np.maximum(clicks, sessions) >= LACKING_FROM)
        ).tolist()
    ]
    return sorted(rows, key=lambda row: -max(row.clicks, row.sessions))[:MOST_LACKING]


def answer(site: SiteAccess, asked: wire.CountingQuery) -> wire.Counting:
    """Answer for a site."""
    return counting(site, asked)
