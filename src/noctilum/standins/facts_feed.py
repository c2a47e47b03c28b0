"""The stand-in of term facts: a month's are there on the fifth of the next; its days are the first of each month.

Run it with `python -m noctilum.standins.facts_feed --port 8436 --anchor 2026-03-20`.
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, timedelta

from flask import Flask

from noctilum.standins.facts_model import FACT_WORLDS, MONTHS, Fact, facts_of, related_of
from noctilum.standins.feed_app import Feed, Property, Row, feed_app, run

LAG_DAYS = 35


def create_app(anchor: date, today: date, accounts: Mapping[str, str]) -> Flask:
    """Make the stand-in's application. accounts: name → secret."""
    first = today.replace(day=1)
    for _ in range(MONTHS):
        first = (first - timedelta(1)).replace(day=1)
    properties = {number: Property(told.label, told.site, first) for number, told in FACT_WORLDS.items()}

    def volumes(number: str, day: date, fresh: bool) -> list[Row]:
        return [_row(number, fact) for fact in facts_of(number, anchor, day)]

    def related(number: str, day: date, fresh: bool) -> list[Row]:
        found = related_of(number, anchor, day)
        return [{"word": word, **_row(number, fact)} for word, facts in found.items() for fact in facts]

    rows = {"volumes": volumes, "related": related}
    feed = Feed("facts-feed", "facts", properties, rows, today, LAG_DAYS, 0, offers=lambda day: day.day == 1)
    return feed_app(feed, accounts)


def _row(number: str, fact: Fact) -> Row:
    country = FACT_WORLDS[number].country
    return {"term": fact.term, "country": country, "volume": fact.volume, "cpc": fact.cpc / 100}


if __name__ == "__main__":
    run("A made-up feed of term facts for demo and tests.", 8436, create_app)
