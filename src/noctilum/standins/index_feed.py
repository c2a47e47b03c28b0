"""The index feed stand-in, two days late and final at once; beside it the sites' own sitemaps, as XML.

Run it with `python -m noctilum.standins.index_feed --port 8435 --anchor 2026-03-20`.
"""

from __future__ import annotations

import gzip
from collections.abc import Mapping
from datetime import date
from xml.sax.saxutils import escape

from flask import Flask, Response, abort, request

from noctilum.standins.feed_app import Feed, Property, Row, feed_app, run
from noctilum.standins.index_model import INDEX_WORLDS, counts_on, first_day, listed_on, moved_on

LAG_DAYS = 2
_SPACE = 'xmlns="http://www.sitemaps.org/schemas/sitemap/0.9"'
_HEAD = '<?xml version="1.0" encoding="UTF-8"?>\n'


def create_app(anchor: date, today: date, accounts: Mapping[str, str]) -> Flask:
    """Make the stand-in's application. accounts: name → secret."""
    first = first_day(anchor)
    properties = {number: Property(told.label, told.site, first) for number, told in INDEX_WORLDS.items()}

    def counted(number: str, day: date, fresh: bool) -> list[Row]:
        return [{"status": name, "counted": many} for name, many in counts_on(number, anchor, day).items()]

    def moved(number: str, day: date, fresh: bool) -> list[Row]:
        found = moved_on(number, anchor, day, first)
        return [{"page": path, "entered": int(there), "left": int(not there)} for path, there in found]

    rows = {"index": counted, "indexed": moved}
    totals = ("counted", "entered", "left")
    app = feed_app(Feed("index-feed", "index", properties, rows, today, LAG_DAYS, 0, totals), accounts)

    @app.get("/sitemaps/<number>/sitemap.xml")
    def _sitemaps(number: str) -> Response:
        if number not in INDEX_WORLDS:
            abort(404)
        base = request.base_url.rpartition("/")[0]
        files = "".join(
            f"<sitemap><loc>{escape(base)}/{name}</loc></sitemap>" for name in listed_on(number, anchor, today)
        )
        return _xml(f"{_HEAD}<sitemapindex {_SPACE}>{files}</sitemapindex>")

    @app.get("/sitemaps/<number>/<name>")
    def _sitemap(number: str, name: str) -> Response:
        files = listed_on(number, anchor, today) if number in INDEX_WORLDS else {}
        if name not in files:
            abort(404)
        site = INDEX_WORLDS[number].site
        pages = "".join(f"<url><loc>https://{site}{escape(path)}</loc></url>" for path in files[name])
        body = f"{_HEAD}<urlset {_SPACE}>{pages}</urlset>"
        if name.endswith(".gz"):
            return Response(gzip.compress(body.encode(), mtime=0), content_type="application/gzip")
        return _xml(body)

    return app


def _xml(body: str) -> Response:
    return Response(body, content_type="application/xml; charset=utf-8")


if __name__ == "__main__":
    run("A made-up index feed and sitemaps for demo and tests.", 8435, create_app)
