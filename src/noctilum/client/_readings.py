"""The readings as methods.

Made by tools/readings.py from the specifications in wire/catalogue.py; `make readings` renews it.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import Any, Literal

from noctilum.wire import compare, explain, noted, readings


class Readings:
    """Ask a service for readings; each method's keywords are the parameters of its address."""

    def read(self, reading: str, site: str, **asked: Any) -> Any:
        """Ask for a reading by its name."""
        raise NotImplementedError

    def timeline(
        self,
        site: str,
        *,
        window: str = "P28D",
        query: str | None = None,
        page: str | None = None,
        country: str | None = None,
        device: str | None = None,
        kind: str | None = None,
        filter: str = "",
        engine: str | None = None,
        source: int | None = None,
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
        against: str = "before",
        season: bool = True,
        by: Literal["day", "week", "month", "quarter"] = "day",
        week_starts: Literal["monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"] = "monday",
    ) -> readings.Timeline:
        """Figures by day, week, month or quarter, now and before."""
        found: readings.Timeline = self.read(
            "timeline",
            site,
            window=window,
            query=query,
            page=page,
            country=country,
            device=device,
            kind=kind,
            filter=filter,
            engine=engine,
            source=source,
            language=language,
            against=against,
            season=season,
            by=by,
            week_starts=week_starts,
        )
        return found

    def breakdown(
        self,
        site: str,
        dimension: Literal["query", "page", "country", "device", "kind", "look"],
        *,
        limit: int = 50,
        offset: int = 0,
        window: str = "P28D",
        query: str | None = None,
        page: str | None = None,
        country: str | None = None,
        device: str | None = None,
        kind: str | None = None,
        filter: str = "",
        engine: str | None = None,
        source: int | None = None,
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
        against: str = "before",
        find: str = "",
        sort: str = "clicks",
    ) -> readings.Breakdown:
        """Rows by one dimension; rows + rest + outside + unlisted = total; pages by Link headers."""
        found: readings.Breakdown = self.read(
            "breakdown",
            site,
            limit=limit,
            offset=offset,
            window=window,
            query=query,
            page=page,
            country=country,
            device=device,
            kind=kind,
            filter=filter,
            engine=engine,
            source=source,
            language=language,
            against=against,
            dimension=dimension,
            find=find,
            sort=sort,
        )
        return found

    def cross(
        self,
        site: str,
        rows: Literal["query", "page", "country", "device", "kind", "look", "set"] = "query",
        columns: Literal["query", "page", "country", "device", "kind", "band", "month"] = "device",
        *,
        limit: int = 50,
        offset: int = 0,
        window: str = "P28D",
        query: str | None = None,
        page: str | None = None,
        country: str | None = None,
        device: str | None = None,
        kind: str | None = None,
        filter: str = "",
        engine: str | None = None,
        source: int | None = None,
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
    ) -> explain.Cross:
        """Rows by one dimension with a cell for each value of another, each band of places, or each month."""
        found: explain.Cross = self.read(
            "cross",
            site,
            limit=limit,
            offset=offset,
            window=window,
            query=query,
            page=page,
            country=country,
            device=device,
            kind=kind,
            filter=filter,
            engine=engine,
            source=source,
            language=language,
            rows=rows,
            columns=columns,
        )
        return found

    def bands(
        self,
        site: str,
        *,
        window: str = "P12M",
        query: str | None = None,
        page: str | None = None,
        country: str | None = None,
        device: str | None = None,
        kind: str | None = None,
        filter: str = "",
        engine: str | None = None,
        source: int | None = None,
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
        of: Literal["query", "page"] = "query",
    ) -> explain.BandCounts:
        """How many queries or pages were in each band month by month, how many came and how many went."""
        found: explain.BandCounts = self.read(
            "bands",
            site,
            window=window,
            query=query,
            page=page,
            country=country,
            device=device,
            kind=kind,
            filter=filter,
            engine=engine,
            source=source,
            language=language,
            of=of,
        )
        return found

    def weekdays(
        self,
        site: str,
        *,
        window: str = "P84D",
        query: str | None = None,
        page: str | None = None,
        country: str | None = None,
        device: str | None = None,
        kind: str | None = None,
        filter: str = "",
        engine: str | None = None,
        source: int | None = None,
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
        against: str = "before",
    ) -> compare.Weekdays:
        """Clicks and impressions a day by day of the week, over held days."""
        found: compare.Weekdays = self.read(
            "weekdays",
            site,
            window=window,
            query=query,
            page=page,
            country=country,
            device=device,
            kind=kind,
            filter=filter,
            engine=engine,
            source=source,
            language=language,
            against=against,
        )
        return found

    def life(
        self,
        site: str,
        item: Literal["query", "page"],
        key: str,
        *,
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
        engine: str | None = None,
        source: int | None = None,
    ) -> readings.Life:
        """First and last seen, best week, weeks in the top ten, and every week."""
        found: readings.Life = self.read(
            "life", site, item=item, key=key, language=language, engine=engine, source=source
        )
        return found

    def drivers(
        self,
        site: str,
        *,
        window: str = "P28D",
        query: str | None = None,
        page: str | None = None,
        country: str | None = None,
        device: str | None = None,
        kind: str | None = None,
        filter: str = "",
        engine: str | None = None,
        source: int | None = None,
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
        against: str = "before",
        season: bool = True,
        driver: Literal["demand", "rank", "appeal", "entered", "left"] | None = None,
        most: int = 20,
        offset: int = 0,
    ) -> readings.Drivers:
        """The change in clicks split into demand, rank, appeal, entered, left and unlisted."""
        found: readings.Drivers = self.read(
            "drivers",
            site,
            window=window,
            query=query,
            page=page,
            country=country,
            device=device,
            kind=kind,
            filter=filter,
            engine=engine,
            source=source,
            language=language,
            against=against,
            season=season,
            driver=driver,
            most=most,
            offset=offset,
        )
        return found

    def fading(
        self,
        site: str,
        item: Literal["query", "page"] = "page",
        *,
        limit: int = 50,
        offset: int = 0,
        window: str = "P28D",
        query: str | None = None,
        page: str | None = None,
        country: str | None = None,
        device: str | None = None,
        kind: str | None = None,
        filter: str = "",
        engine: str | None = None,
        source: int | None = None,
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
        against: str = "before",
        season: bool = True,
        verdict: Sequence[Literal["fading", "slipping", "holding", "rising", "too few to tell"]] = (),
    ) -> explain.Judgements:
        """Pages or queries judged against their own noise, most lost beyond the site's own fall first."""
        found: explain.Judgements = self.read(
            "fading",
            site,
            limit=limit,
            offset=offset,
            window=window,
            query=query,
            page=page,
            country=country,
            device=device,
            kind=kind,
            filter=filter,
            engine=engine,
            source=source,
            language=language,
            against=against,
            season=season,
            item=item,
            verdict=verdict,
        )
        return found

    def within_reach(
        self,
        site: str,
        *,
        limit: int = 50,
        offset: int = 0,
        window: str = "P28D",
        query: str | None = None,
        page: str | None = None,
        country: str | None = None,
        device: str | None = None,
        kind: str | None = None,
        filter: str = "",
        engine: str | None = None,
        source: int | None = None,
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
        fewest: int = 50,
    ) -> explain.Reach:
        """Queries just below a better band with the clicks to be gained, by query and summed by page."""
        found: explain.Reach = self.read(
            "within-reach",
            site,
            limit=limit,
            offset=offset,
            window=window,
            query=query,
            page=page,
            country=country,
            device=device,
            kind=kind,
            filter=filter,
            engine=engine,
            source=source,
            language=language,
            fewest=fewest,
        )
        return found

    def overlap(
        self,
        site: str,
        *,
        limit: int = 50,
        offset: int = 0,
        window: str = "P28D",
        query: str | None = None,
        page: str | None = None,
        country: str | None = None,
        device: str | None = None,
        kind: str | None = None,
        filter: str = "",
        engine: str | None = None,
        source: int | None = None,
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
        fewest: int = 50,
    ) -> explain.Overlap:
        """Queries of which two or more pages have a tenth of the impressions each, and how they take turns."""
        found: explain.Overlap = self.read(
            "overlap",
            site,
            limit=limit,
            offset=offset,
            window=window,
            query=query,
            page=page,
            country=country,
            device=device,
            kind=kind,
            filter=filter,
            engine=engine,
            source=source,
            language=language,
            fewest=fewest,
        )
        return found

    def clusters(
        self,
        site: str,
        *,
        limit: int = 50,
        offset: int = 0,
        window: str = "P28D",
        query: str | None = None,
        page: str | None = None,
        country: str | None = None,
        device: str | None = None,
        kind: str | None = None,
        filter: str = "",
        engine: str | None = None,
        source: int | None = None,
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
        against: str = "before",
    ) -> explain.Clusters:
        """Clusters of the queries of a site, or of one page, with totals."""
        found: explain.Clusters = self.read(
            "clusters",
            site,
            limit=limit,
            offset=offset,
            window=window,
            query=query,
            page=page,
            country=country,
            device=device,
            kind=kind,
            filter=filter,
            engine=engine,
            source=source,
            language=language,
            against=against,
        )
        return found

    def unclicked(
        self,
        site: str,
        *,
        limit: int = 50,
        offset: int = 0,
        window: str = "P28D",
        query: str | None = None,
        page: str | None = None,
        country: str | None = None,
        device: str | None = None,
        kind: str | None = None,
        filter: str = "",
        engine: str | None = None,
        source: int | None = None,
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
    ) -> compare.Unclicked:
        """Queries on pages with at most half the clicks that their places let expect, beyond chance."""
        found: compare.Unclicked = self.read(
            "unclicked",
            site,
            limit=limit,
            offset=offset,
            window=window,
            query=query,
            page=page,
            country=country,
            device=device,
            kind=kind,
            filter=filter,
            engine=engine,
            source=source,
            language=language,
        )
        return found

    def device_gap(
        self,
        site: str,
        *,
        limit: int = 50,
        offset: int = 0,
        window: str = "P28D",
        query: str | None = None,
        page: str | None = None,
        country: str | None = None,
        device: str | None = None,
        kind: str | None = None,
        filter: str = "",
        engine: str | None = None,
        source: int | None = None,
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
        fewest: int = 50,
    ) -> compare.DeviceGap:
        """Queries on both devices with their places, and what the worse one would gain in the other's place."""
        found: compare.DeviceGap = self.read(
            "device-gap",
            site,
            limit=limit,
            offset=offset,
            window=window,
            query=query,
            page=page,
            country=country,
            device=device,
            kind=kind,
            filter=filter,
            engine=engine,
            source=source,
            language=language,
            fewest=fewest,
        )
        return found

    def odd_days(
        self,
        site: str,
        *,
        window: str = "P28D",
        query: str | None = None,
        page: str | None = None,
        country: str | None = None,
        device: str | None = None,
        kind: str | None = None,
        filter: str = "",
        engine: str | None = None,
        source: int | None = None,
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
    ) -> explain.OddDays:
        """Days of the window far from what the same weekdays before let expect, with the notes near them."""
        found: explain.OddDays = self.read(
            "odd-days",
            site,
            window=window,
            query=query,
            page=page,
            country=country,
            device=device,
            kind=kind,
            filter=filter,
            engine=engine,
            source=source,
            language=language,
        )
        return found

    def note_effect(
        self, site: str, number: int, *, days: int = 28, language: Literal["en", "de", "fr", "es", "nb"] = "en"
    ) -> noted.NoteEffect:
        """Whole weeks after it against as many before it, judged beside the rest of the site."""
        found: noted.NoteEffect = self.read("note-effect", site, number=number, days=days, language=language)
        return found

    def ledger(
        self,
        site: str,
        *,
        source: int | None = None,
        grain: str | None = None,
        first: date | None = None,
        last: date | None = None,
    ) -> readings.Ledger:
        """Each day's state, revision, origin, sums and digest."""
        found: readings.Ledger = self.read("ledger", site, source=source, grain=grain, first=first, last=last)
        return found

    def day(self, site: str, day: date, *, source: int | None = None) -> readings.DayMaking:
        """A day's ledger rows at every grain, what the provider promised, and how it changed since."""
        found: readings.DayMaking = self.read("day", site, day=day, source=source)
        return found

    def changes(
        self,
        site: str,
        *,
        source: int | None = None,
        grain: str | None = None,
        first: date | None = None,
        last: date | None = None,
    ) -> readings.Changes:
        """Each time a day that was final came out differently, with its sums before and after."""
        found: readings.Changes = self.read("changes", site, source=source, grain=grain, first=first, last=last)
        return found

    def reconcile(self, site: str, *, window: str = "P28D") -> readings.Reconciliation:
        """Every source's totals at every grain side by side, with what lies between them."""
        found: readings.Reconciliation = self.read("reconcile", site, window=window)
        return found
