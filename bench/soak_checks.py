"""A year of daily checks in fast time, with lookups that fail, days off, runs that die and a limit a month.

Counts what must be nothing: lookups asked for twice on a day they were answered, days held that were not answered or
answered and not held, months beyond their limit.

    python -m bench.soak_checks [--keywords 5000] [--days 365]
"""

from __future__ import annotations

import argparse
import random
import tempfile
import time
from collections import Counter
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

from tests.tracking import Desk, Desked, at_rank, tracked_site

from noctilum.actions import checks
from noctilum.actions.find import find_source
from noctilum.actions.install import Install, Settings
from noctilum.history import Question

START = datetime(2025, 3, 21, 5, 0, tzinfo=UTC)


def main() -> None:
    """Live through it, and count."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--keywords", type=int, default=5000)
    parser.add_argument("--days", type=int, default=365)
    asked = parser.parse_args()
    draw = random.Random(12)
    with tempfile.TemporaryDirectory() as folder:
        install = Install(Settings(Path(folder), agency="Tallow Lane"))
        install.prepare()
        source = tracked_site(install, START, [f"term {n}" for n in range(asked.keywords)])
        limit = asked.keywords * 31 - asked.keywords // 2
        with install.records.begin() as db:
            find_source(db, source).settings = {"a_month": limit}
        began = time.monotonic()
        wrong = live_through(install, source, asked.days, draw)
        wrong["months beyond the limit"] = sum(used > limit for used in used_by_month(install, source).values())
        print(f"{asked.keywords:,} keywords, {asked.days} days in {time.monotonic() - began:.0f} s: {wrong}")
        install.close()


def live_through(install: Install, source: int, days: int, draw: random.Random) -> dict[str, int]:
    """Run every day but those off; one run in seven dies and is taken up a little later."""
    answered: set[tuple[str, date]] = set()
    twice = Counter[tuple[str, date]]()

    def page(look, day):
        if draw.random() < 0.02:
            return None
        twice[look.term, day] += 1
        answered.add((look.term, day))
        return at_rank(1 + hash((look.term, day.month)) % 20)

    desk = Desk(page)
    checks.connect = lambda _install, _source: Desked(desk)
    for n in range(days):
        now = START + timedelta(days=n)
        if draw.random() < 0.04:
            continue
        desk.day = now.date()
        desk.dies_after = draw.randrange(0, 20) if draw.random() < 1 / 7 else None
        for hour in (0, 1):
            try:
                moment = now + timedelta(hours=hour)
                checks.check(install, source, origin="soak", clock=lambda at=moment: at, report=lambda _: True)
                break
            except KeyboardInterrupt:
                desk.dies_after = None
        desk.asked.clear()
    held = held_days(install)
    return {
        "answered": len(answered),
        "answered twice": sum(many > 1 for many in twice.values()),
        "held and not answered": len(held - answered),
        "answered and not held": len(answered - held),
    }


def held_days(install: Install) -> set[tuple[str, date]]:
    """Give every keyword and day that is held."""
    history = install.history(1)
    held = set()
    for part in history.rows(Question("ranks", date.min, date.max), ("keyword", "day")):
        texts = history.texts("keyword", part.columns["keyword"].tolist())
        held |= {(t, date.fromordinal(d)) for t, d in zip(texts, part.columns["day"].tolist(), strict=True)}
    return held


def used_by_month(install: Install, source: int) -> dict[str, int]:
    """Give the lookups used, by month."""
    with install.records.read() as db:
        return dict(find_source(db, source).settings["used"])


if __name__ == "__main__":
    main()
