"""The links feed stand-in: three days late, and the newest four may still change.

Run it with `python -m noctilum.standins.links_feed --port 8434 --anchor 2026-03-20`.
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, timedelta

from flask import Flask

from noctilum.standins.feed_app import Feed, Property, Row, feed_app, run
from noctilum.standins.links_model import FIRST, LINK_WORLDS, events_of

LAG_DAYS, FRESH_DAYS = 3, 4


def create_app(anchor: date, today: date, accounts: Mapping[str, str]) -> Flask:
    """Make the stand-in's application. accounts: name → secret."""
    first = anchor + timedelta(FIRST)
    properties = {number: Property(told.label, told.site, first) for number, told in LINK_WORLDS.items()}

    def rows(number: str, day: date, fresh: bool) -> list[Row]:
        """Give what began and ended; of a fresh day a part of the new ones is not found yet."""
        found = events_of(number, anchor, day)
        return [
            {
                **{name: getattr(link, name) for name in ("domain", "address", "page", "anchor")},
                "gained": int(began),
                "lost": int(not began),
            }
            for n, (link, began) in enumerate(found)
            if not (fresh and began and n % 7 == 3)
        ]

    feed = Feed("links-feed", "links", properties, {"links": rows}, today, LAG_DAYS, FRESH_DAYS, ("gained", "lost"))
    return feed_app(feed, accounts)


if __name__ == "__main__":
    run("A made-up links feed for demo and tests.", 8434, create_app)
