"""The visits feed stand-in: an HTTP service that speaks the open feed about visits; a day late, and its newest settles.

Run it with `python -m noctilum.standins.visits_feed --port 8433 --anchor 2026-03-20`.
"""

from __future__ import annotations

from calendar import monthrange
from collections.abc import Callable, Iterator, Mapping
from datetime import date, timedelta

from flask import Flask

from noctilum.standins.feed_app import Feed, Property, Row, feed_app, run
from noctilum.standins.visits_model import STREAMS, Visit, visits_of

RETENTION_DAYS = 182
LAG_DAYS, FRESH_DAYS = 1, 1
COUNTED_FRESH = 0.94
"""Share of the newest day that is counted as yet."""
AGAIN = 0.8
"""Share of a day's users who were not there on an earlier day of the same week or month."""


def create_app(anchor: date, today: date, accounts: Mapping[str, str]) -> Flask:
    """Make the stand-in's application. accounts: name → secret."""
    oldest = today - timedelta(RETENTION_DAYS - 1)
    properties = {
        number: Property(told.label, told.site, max(oldest, anchor + timedelta(told.first)), told.time_zone)
        for number, told in STREAMS.items()
    }

    def counted(
        write: Callable[[tuple[Visit, ...]], list[Row]],
    ) -> Callable[[str, date, bool], list[Row]]:
        return lambda number, day, fresh: write(visits_of(number, anchor, day, COUNTED_FRESH if fresh else 1.0))

    def came(days: Callable[[date], int]) -> Callable[[str, date, bool], list[Row]]:
        """Count who came in the whole week or month that begins on a day."""

        def write(number: str, first: date, fresh: bool) -> list[Row]:
            last = first + timedelta(days(first) - 1)
            share = {last: COUNTED_FRESH} if fresh else {}
            each = [first + timedelta(n) for n in range(days(first))]
            return _users([_visitors(visits_of(number, anchor, day, share.get(day, 1.0))) for day in each])

        return write

    rows = {"visits": counted(_visits), "visitors": counted(_visitors), "goals": counted(_goals)}
    rows |= {"week-visitors": came(lambda _: 7), "month-visitors": came(lambda day: monthrange(day.year, day.month)[1])}
    totals = ("sessions", "engaged", "new_users", "conversions")
    return feed_app(Feed("visits-feed", "visits", properties, rows, today, LAG_DAYS, FRESH_DAYS, totals), accounts)


def _visits(found: tuple[Visit, ...]) -> list[Row]:
    return [
        {
            **{
                name: getattr(each, name)
                for name in ("page", "title", "channel", "device", "country", "region", "city")
            },
            **{name: getattr(each, name) for name in ("sessions", "engaged", "new_users")},
            "conversions": sum(times for _, times, _ in each.reached),
            "revenue": sum(worth for _, _, worth in each.reached) / 100,
        }
        for each in found
    ]


def _visitors(found: tuple[Visit, ...]) -> list[Row]:
    """Users of the day by channel: some of them come twice."""
    sums: dict[str, int] = {}
    for each in found:
        sums[each.channel] = sums.get(each.channel, 0) + each.sessions
    return [
        {"channel": channel, "sessions": sessions, "users": max(1, round(sessions * 0.87))}
        for channel, sessions in sums.items()
    ]


def _users(days: list[list[Row]]) -> list[Row]:
    """Tell the users of several days apart: of who comes on a day, some have been there on a day before."""
    sessions: dict[str, int] = {}
    apart: dict[str, float] = {}
    for rows in days:
        for row in rows:
            channel, users = str(row["channel"]), int(str(row["users"]))
            sessions[channel] = sessions.get(channel, 0) + int(str(row["sessions"]))
            apart[channel] = apart.get(channel, 0.0) + users * (AGAIN if channel in apart else 1.0)
    return [
        {"channel": channel, "sessions": total, "users": max(1, round(apart[channel]))}
        for channel, total in sessions.items()
    ]


def _goals(found: tuple[Visit, ...]) -> list[Row]:
    sums: dict[tuple[str, str, str], list[int]] = {}
    for name, each, times, worth in _reached(found):
        kept = sums.setdefault((name, each.page, each.channel), [0, 0])
        kept[0], kept[1] = kept[0] + times, kept[1] + worth
    return [
        {"goal": goal, "page": page, "channel": channel, "conversions": times, "revenue": worth / 100}
        for (goal, page, channel), (times, worth) in sums.items()
    ]


def _reached(found: tuple[Visit, ...]) -> Iterator[tuple[str, Visit, int, int]]:
    for each in found:
        for name, times, worth in each.reached:
            yield name, each, times, worth


if __name__ == "__main__":
    run("A made-up visits feed for demo and tests.", 8433, create_app)
