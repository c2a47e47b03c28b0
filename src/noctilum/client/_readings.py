"""The readings as methods.

Made by tools/readings.py from the specifications in wire/catalogue.py; `make readings` renews it.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import Any, Literal

from noctilum.wire import (
    breaks,
    compare,
    counting,
    explain,
    facts,
    index,
    landing,
    links,
    noted,
    outcomes,
    ranks,
    readings,
    targets,
    trials,
    work,
)


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

    def worked(
        self,
        site: str,
        *,
        limit: int = 50,
        offset: int = 0,
        window: str = "P12M",
        work_kind: Literal["refresh", "new content", "title and snippet", "links", "technical", "other"] | None = None,
        only: Literal["all", "better", "worse", "read", "waits"] = "all",
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
    ) -> work.Worked:
        """Work done in the window, read 28 and 84 days after it, beside the rest of the site and its season."""
        found: work.Worked = self.read(
            "worked", site, limit=limit, offset=offset, window=window, work_kind=work_kind, only=only, language=language
        )
        return found

    def trial(
        self, site: str, number: int, *, language: Literal["en", "de", "fr", "es", "nb"] = "en"
    ) -> trials.TrialRead:
        """Treated against control by week; its effect, with an interval, once its weeks are complete."""
        found: trials.TrialRead = self.read("trial", site, number=number, language=language)
        return found

    def trial_plan(
        self,
        site: str,
        treated: Sequence[str],
        *,
        of: Literal["page", "query"] = "page",
        weeks: int = 4,
        limit: int = 12,
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
    ) -> trials.TrialPlan:
        """The smallest effect that a trial of some pages or queries would show, and controls for it."""
        found: trials.TrialPlan = self.read(
            "trial-plan", site, treated=treated, of=of, weeks=weeks, limit=limit, language=language
        )
        return found

    def course(
        self,
        site: str,
        *,
        limit: int = 50,
        offset: int = 0,
        only: Literal["all", "open", "behind", "over"] = "all",
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
    ) -> targets.CourseRead:
        """Figures to be reached by a day: the path there net of the season, and how far one is off it."""
        found: targets.CourseRead = self.read("course", site, limit=limit, offset=offset, only=only, language=language)
        return found

    def target(
        self, site: str, number: int, *, language: Literal["en", "de", "fr", "es", "nb"] = "en"
    ) -> targets.TargetRead:
        """A figure week by week, beside the path to where it should be and what the year alone would bring."""
        found: targets.TargetRead = self.read("target", site, number=number, language=language)
        return found

    def rank_summary(
        self,
        site: str,
        by: Literal["tag", "device", "place", "engine", "track", "country", "page"] = "tag",
        *,
        window: str = "P28D",
        against: str = "before",
        tag: str | None = None,
        device: str | None = None,
        place: str | None = None,
        track: str | None = None,
        on: str | None = None,
        find: str = "",
        pinned: bool = False,
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
    ) -> ranks.RankSummary:
        """Tracked keywords at the end of the window and of the one before: visibility, bands, movements."""
        found: ranks.RankSummary = self.read(
            "rank-summary",
            site,
            window=window,
            against=against,
            tag=tag,
            device=device,
            place=place,
            track=track,
            on=on,
            find=find,
            pinned=pinned,
            language=language,
            by=by,
        )
        return found

    def ladder(
        self,
        site: str,
        *,
        limit: int = 200,
        offset: int = 0,
        window: str = "P182D",
        against: str = "before",
        tag: str | None = None,
        device: str | None = None,
        place: str | None = None,
        track: str | None = None,
        on: str | None = None,
        find: str = "",
        pinned: bool = False,
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
        step: Literal["day", "week", "month"] = "week",
        choice: Literal["last", "best", "average"] = "last",
        back: int = 4,
        by: Literal["none", "tag", "device", "place", "engine", "track", "page"] = "tag",
    ) -> ranks.Ladder:
        """Ranks of tracked keywords step for step, with their change, their best, and what else was shown."""
        found: ranks.Ladder = self.read(
            "ladder",
            site,
            limit=limit,
            offset=offset,
            window=window,
            against=against,
            tag=tag,
            device=device,
            place=place,
            track=track,
            on=on,
            find=find,
            pinned=pinned,
            language=language,
            step=step,
            choice=choice,
            back=back,
            by=by,
        )
        return found

    def keyword(
        self, site: str, number: int, *, window: str = "P12M", language: Literal["en", "de", "fr", "es", "nb"] = "en"
    ) -> ranks.KeywordHistory:
        """A keyword's ranks day by day, with pages, features, rivals and the provider's average beside it."""
        found: ranks.KeywordHistory = self.read("keyword", site, number=number, window=window, language=language)
        return found

    def share_of_voice(
        self,
        site: str,
        *,
        limit: int = 20,
        offset: int = 0,
        window: str = "P84D",
        against: str = "before",
        tag: str | None = None,
        device: str | None = None,
        place: str | None = None,
        track: str | None = None,
        on: str | None = None,
        find: str = "",
        pinned: bool = False,
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
        step: Literal["day", "week", "month"] = "week",
    ) -> ranks.ShareOfVoice:
        """Each domain's share of what ranks of tracked keywords are worth, step for step, and by keyword."""
        found: ranks.ShareOfVoice = self.read(
            "share-of-voice",
            site,
            limit=limit,
            offset=offset,
            window=window,
            against=against,
            tag=tag,
            device=device,
            place=place,
            track=track,
            on=on,
            find=find,
            pinned=pinned,
            language=language,
            step=step,
        )
        return found

    def domain(
        self,
        site: str,
        domain: str,
        *,
        limit: int = 50,
        offset: int = 0,
        window: str = "P28D",
        against: str = "before",
        tag: str | None = None,
        device: str | None = None,
        place: str | None = None,
        track: str | None = None,
        on: str | None = None,
        find: str = "",
        pinned: bool = False,
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
    ) -> ranks.DomainReading:
        """The tracked keywords a domain was seen for, with its pages, beside the site's own ranks."""
        found: ranks.DomainReading = self.read(
            "domain",
            site,
            limit=limit,
            offset=offset,
            window=window,
            against=against,
            tag=tag,
            device=device,
            place=place,
            track=track,
            on=on,
            find=find,
            pinned=pinned,
            language=language,
            domain=domain,
        )
        return found

    def local_grid(
        self,
        site: str,
        number: int = 0,
        *,
        window: str = "P28D",
        against: str = "before",
        domain: str = "",
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
    ) -> ranks.LocalGrid:
        """Points of a grid with their ranks and who stands first, as they are and as they were."""
        found: ranks.LocalGrid = self.read(
            "local-grid", site, number=number, window=window, against=against, domain=domain, language=language
        )
        return found

    def device_ranks(
        self,
        site: str,
        *,
        limit: int = 50,
        offset: int = 0,
        window: str = "P28D",
        against: str = "before",
        tag: str | None = None,
        device: str | None = None,
        place: str | None = None,
        track: str | None = None,
        on: str | None = None,
        find: str = "",
        pinned: bool = False,
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
    ) -> ranks.DeviceRanks:
        """Desktop, mobile and map ranks of the same term from the same place, mobile furthest behind first."""
        found: ranks.DeviceRanks = self.read(
            "device-ranks",
            site,
            limit=limit,
            offset=offset,
            window=window,
            against=against,
            tag=tag,
            device=device,
            place=place,
            track=track,
            on=on,
            find=find,
            pinned=pinned,
            language=language,
        )
        return found

    def result_features(
        self,
        site: str,
        *,
        window: str = "P84D",
        against: str = "before",
        tag: str | None = None,
        device: str | None = None,
        place: str | None = None,
        track: str | None = None,
        on: str | None = None,
        find: str = "",
        pinned: bool = False,
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
        step: Literal["day", "week", "month"] = "week",
    ) -> ranks.ResultFeatures:
        """Each feature's share of result pages and the site's part of it, step for step."""
        found: ranks.ResultFeatures = self.read(
            "result-features",
            site,
            window=window,
            against=against,
            tag=tag,
            device=device,
            place=place,
            track=track,
            on=on,
            find=find,
            pinned=pinned,
            language=language,
            step=step,
        )
        return found

    def feature_turns(
        self,
        site: str,
        feature: str = "written answer",
        *,
        limit: int = 100,
        offset: int = 0,
        window: str = "P28D",
        against: str = "before",
        tag: str | None = None,
        device: str | None = None,
        place: str | None = None,
        track: str | None = None,
        on: str | None = None,
        find: str = "",
        pinned: bool = False,
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
    ) -> ranks.FeatureTurns:
        """Tracked keywords at which a feature turned in the window, beyond its own trembling."""
        found: ranks.FeatureTurns = self.read(
            "feature-turns",
            site,
            limit=limit,
            offset=offset,
            window=window,
            against=against,
            tag=tag,
            device=device,
            place=place,
            track=track,
            on=on,
            find=find,
            pinned=pinned,
            language=language,
            feature=feature,
        )
        return found

    def feature_owners(
        self,
        site: str,
        feature: str = "written answer",
        *,
        limit: int = 50,
        offset: int = 0,
        window: str = "P84D",
        against: str = "before",
        tag: str | None = None,
        device: str | None = None,
        place: str | None = None,
        track: str | None = None,
        on: str | None = None,
        find: str = "",
        pinned: bool = False,
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
        step: Literal["day", "week", "month"] = "week",
    ) -> ranks.FeatureOwners:
        """Whose pages a feature of result pages leads to, step for step and by keyword, and how steadily."""
        found: ranks.FeatureOwners = self.read(
            "feature-owners",
            site,
            limit=limit,
            offset=offset,
            window=window,
            against=against,
            tag=tag,
            device=device,
            place=place,
            track=track,
            on=on,
            find=find,
            pinned=pinned,
            language=language,
            feature=feature,
            step=step,
        )
        return found

    def cross_check(
        self,
        site: str,
        *,
        limit: int = 50,
        offset: int = 0,
        window: str = "P28D",
        against: str = "before",
        tag: str | None = None,
        device: str | None = None,
        place: str | None = None,
        track: str | None = None,
        on: str | None = None,
        find: str = "",
        pinned: bool = False,
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
    ) -> ranks.CrossChecks:
        """Keyword by keyword, on how many days they agree, and what may lie behind it where they do not."""
        found: ranks.CrossChecks = self.read(
            "cross-check",
            site,
            limit=limit,
            offset=offset,
            window=window,
            against=against,
            tag=tag,
            device=device,
            place=place,
            track=track,
            on=on,
            find=find,
            pinned=pinned,
            language=language,
        )
        return found

    def feature_effect(
        self,
        site: str,
        feature: str = "written answer",
        *,
        window: str = "P12M",
        against: str = "before",
        tag: str | None = None,
        device: str | None = None,
        place: str | None = None,
        track: str | None = None,
        on: str | None = None,
        find: str = "",
        pinned: bool = False,
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
    ) -> ranks.FeatureEffect:
        """Click-through with a feature over that without it, at equal places, with its interval."""
        found: ranks.FeatureEffect = self.read(
            "feature-effect",
            site,
            window=window,
            against=against,
            tag=tag,
            device=device,
            place=place,
            track=track,
            on=on,
            find=find,
            pinned=pinned,
            language=language,
            feature=feature,
        )
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

    def outcomes(
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
        by: Literal["query", "page", "brand", "set", "cluster", "country", "device"] = "query",
    ) -> outcomes.Outcomes:
        """Sessions, conversions and revenue of organic visits, shared out to queries by landing page and day."""
        found: outcomes.Outcomes = self.read(
            "outcomes",
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
            by=by,
        )
        return found

    def alarms(
        self,
        site: str,
        *,
        limit: int = 50,
        offset: int = 0,
        on: date | None = None,
        rule: str | None = None,
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
    ) -> breaks.Alarms:
        """What rules find as of a day: pages gone, falls beyond noise and season, days that are late."""
        found: breaks.Alarms = self.read(
            "alarms", site, limit=limit, offset=offset, on=on, rule=rule, language=language
        )
        return found

    def silent(
        self,
        site: str,
        item: Literal["page", "query"] = "page",
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
    ) -> breaks.Silent:
        """What was shown day by day and of late is not, with how little chance explains it."""
        found: breaks.Silent = self.read(
            "silent",
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
            item=item,
        )
        return found

    def slump(
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
    ) -> breaks.Slumped:
        """Clicks and impressions of the last days beside what weekdays, season and scatter let expect."""
        found: breaks.Slumped = self.read(
            "slump",
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

    def feeds(
        self, site: str, *, limit: int = 50, offset: int = 0, language: Literal["en", "de", "fr", "es", "nb"] = "en"
    ) -> breaks.Feeds:
        """Each source with its newest day, and whether it is late by how soon its days used to come."""
        found: breaks.Feeds = self.read("feeds", site, limit=limit, offset=offset, language=language)
        return found

    def counting(
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
    ) -> counting.Counting:
        """Parts of a site whose visits left their ratio to clicks, since when, and pages that one feed lacks."""
        found: counting.Counting = self.read(
            "counting",
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

    def landing(
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
        season: bool = True,
        only: Literal["fell", "counting", "rose", "all"] = "fell",
    ) -> landing.Landing:
        """Organic landing pages against the window before: clicks and sessions, each with its verdict."""
        found: landing.Landing = self.read(
            "landing",
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
            only=only,
        )
        return found

    def backlinks(
        self,
        site: str,
        *,
        limit: int = 50,
        offset: int = 0,
        window: str = "P13W",
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
        by: Literal["domain", "page", "anchor", "address"] = "domain",
        domain: str | None = None,
        page: str | None = None,
        anchor: str | None = None,
        only: Literal["all", "gained", "lost", "gone"] = "all",
        sort: Literal["links", "gained", "lost"] = "links",
    ) -> links.Backlinks:
        """Links from elsewhere by domain, page, words or address: what stands, what was gained and lost."""
        found: links.Backlinks = self.read(
            "backlinks",
            site,
            limit=limit,
            offset=offset,
            window=window,
            language=language,
            by=by,
            domain=domain,
            page=page,
            anchor=anchor,
            only=only,
            sort=sort,
        )
        return found

    def presence(
        self,
        site: str,
        *,
        limit: int = 50,
        offset: int = 0,
        window: str = "P90D",
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
        only: Literal["amiss", "gone", "not-indexed", "not-shown", "not-listed", "only-indexed", "all"] = "amiss",
    ) -> index.Presence:
        """Pages in the sitemaps, in the index and among what was shown, and where each stands."""
        found: index.Presence = self.read(
            "presence", site, limit=limit, offset=offset, window=window, language=language, only=only
        )
        return found

    def arrivals(
        self,
        site: str,
        *,
        limit: int = 50,
        offset: int = 0,
        window: str = "P13W",
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
    ) -> index.Arrivals:
        """Pages that were new in the window, with the days on which each was listed, indexed and first shown."""
        found: index.Arrivals = self.read(
            "arrivals", site, limit=limit, offset=offset, window=window, language=language
        )
        return found

    def terms(
        self,
        site: str,
        *,
        limit: int = 50,
        offset: int = 0,
        window: str = "P28D",
        find: str = "",
        country: str | None = None,
        sort: Literal["volume", "value", "share", "cpc", "clicks"] = "volume",
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
    ) -> facts.Terms:
        """Volume and cost per click of terms, with the site's clicks, its share of demand and their value."""
        found: facts.Terms = self.read(
            "terms",
            site,
            limit=limit,
            offset=offset,
            window=window,
            find=find,
            country=country,
            sort=sort,
            language=language,
        )
        return found

    def ideas(
        self,
        site: str,
        word: str,
        *,
        only: Literal["all", "new", "shown", "tracked", "questions", "long"] = "all",
        window: str = "P28D",
        limit: int = 50,
        offset: int = 0,
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
    ) -> facts.Ideas:
        """Terms near a word, the most searched first, marked new, shown or tracked."""
        found: facts.Ideas = self.read(
            "ideas", site, word=word, only=only, window=window, limit=limit, offset=offset, language=language
        )
        return found

    def ranks(
        self,
        site: str,
        *,
        limit: int = 50,
        offset: int = 0,
        window: str = "P28D",
        against: str = "before",
        filter: str = "",
        source: int | None = None,
        sort: str = "",
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
        by: Literal["keyword", "track", "place", "device", "engine", "page", "day"] = "keyword",
        keyword: str | None = None,
        track: str | None = None,
        place: str | None = None,
        device: str | None = None,
        engine: str | None = None,
        page: str | None = None,
    ) -> Any:
        """Ranks of tracked keywords."""
        found: Any = self.read(
            "ranks",
            site,
            limit=limit,
            offset=offset,
            window=window,
            against=against,
            filter=filter,
            source=source,
            sort=sort,
            language=language,
            by=by,
            keyword=keyword,
            track=track,
            place=place,
            device=device,
            engine=engine,
            page=page,
        )
        return found

    def listings(
        self,
        site: str,
        *,
        limit: int = 50,
        offset: int = 0,
        window: str = "P28D",
        against: str = "before",
        filter: str = "",
        source: int | None = None,
        sort: str = "",
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
        by: Literal["domain", "keyword", "track", "place", "device", "engine", "address", "day"] = "domain",
        domain: str | None = None,
        keyword: str | None = None,
        track: str | None = None,
        place: str | None = None,
        device: str | None = None,
        engine: str | None = None,
        address: str | None = None,
    ) -> Any:
        """Whose results stood on the result pages of tracked keywords."""
        found: Any = self.read(
            "listings",
            site,
            limit=limit,
            offset=offset,
            window=window,
            against=against,
            filter=filter,
            source=source,
            sort=sort,
            language=language,
            by=by,
            domain=domain,
            keyword=keyword,
            track=track,
            place=place,
            device=device,
            engine=engine,
            address=address,
        )
        return found

    def features(
        self,
        site: str,
        *,
        limit: int = 50,
        offset: int = 0,
        window: str = "P28D",
        against: str = "before",
        filter: str = "",
        source: int | None = None,
        sort: str = "",
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
        by: Literal["keyword", "track", "place", "device", "engine", "feature", "day"] = "keyword",
        keyword: str | None = None,
        track: str | None = None,
        place: str | None = None,
        device: str | None = None,
        engine: str | None = None,
        feature: str | None = None,
    ) -> Any:
        """What result pages of tracked keywords showed besides plain results."""
        found: Any = self.read(
            "features",
            site,
            limit=limit,
            offset=offset,
            window=window,
            against=against,
            filter=filter,
            source=source,
            sort=sort,
            language=language,
            by=by,
            keyword=keyword,
            track=track,
            place=place,
            device=device,
            engine=engine,
            feature=feature,
        )
        return found

    def citations(
        self,
        site: str,
        *,
        limit: int = 50,
        offset: int = 0,
        window: str = "P28D",
        against: str = "before",
        filter: str = "",
        source: int | None = None,
        sort: str = "",
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
        by: Literal["domain", "keyword", "track", "place", "device", "engine", "feature", "address", "day"] = "domain",
        domain: str | None = None,
        keyword: str | None = None,
        track: str | None = None,
        place: str | None = None,
        device: str | None = None,
        engine: str | None = None,
        feature: str | None = None,
        address: str | None = None,
    ) -> Any:
        """Whose pages the features of result pages led to."""
        found: Any = self.read(
            "citations",
            site,
            limit=limit,
            offset=offset,
            window=window,
            against=against,
            filter=filter,
            source=source,
            sort=sort,
            language=language,
            by=by,
            domain=domain,
            keyword=keyword,
            track=track,
            place=place,
            device=device,
            engine=engine,
            feature=feature,
            address=address,
        )
        return found

    def visits(
        self,
        site: str,
        *,
        limit: int = 50,
        offset: int = 0,
        window: str = "P28D",
        against: str = "before",
        filter: str = "",
        source: int | None = None,
        sort: str = "",
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
        by: Literal["page", "title", "channel", "device", "country", "region", "city", "day"] = "page",
        page: str | None = None,
        title: str | None = None,
        channel: str | None = None,
        device: str | None = None,
        country: str | None = None,
        region: str | None = None,
        city: str | None = None,
        season: bool = True,
    ) -> Any:
        """Visits by landing page, channel, device and place."""
        found: Any = self.read(
            "visits",
            site,
            limit=limit,
            offset=offset,
            window=window,
            against=against,
            filter=filter,
            source=source,
            sort=sort,
            language=language,
            by=by,
            page=page,
            title=title,
            channel=channel,
            device=device,
            country=country,
            region=region,
            city=city,
            season=season,
        )
        return found

    def visitors(
        self,
        site: str,
        *,
        limit: int = 50,
        offset: int = 0,
        window: str = "P28D",
        against: str = "before",
        filter: str = "",
        source: int | None = None,
        sort: str = "",
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
        by: Literal["channel", "day"] = "channel",
        channel: str | None = None,
    ) -> Any:
        """Who came, as the feed counts them: users of one day, never added up over days."""
        found: Any = self.read(
            "visitors",
            site,
            limit=limit,
            offset=offset,
            window=window,
            against=against,
            filter=filter,
            source=source,
            sort=sort,
            language=language,
            by=by,
            channel=channel,
        )
        return found

    def goals(
        self,
        site: str,
        *,
        limit: int = 50,
        offset: int = 0,
        window: str = "P28D",
        against: str = "before",
        filter: str = "",
        source: int | None = None,
        sort: str = "",
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
        by: Literal["goal", "page", "channel", "day"] = "goal",
        goal: str | None = None,
        page: str | None = None,
        channel: str | None = None,
    ) -> Any:
        """Each goal that was reached, by landing page and channel."""
        found: Any = self.read(
            "goals",
            site,
            limit=limit,
            offset=offset,
            window=window,
            against=against,
            filter=filter,
            source=source,
            sort=sort,
            language=language,
            by=by,
            goal=goal,
            page=page,
            channel=channel,
        )
        return found

    def links(
        self,
        site: str,
        *,
        limit: int = 50,
        offset: int = 0,
        window: str = "P28D",
        against: str = "before",
        filter: str = "",
        source: int | None = None,
        sort: str = "",
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
        by: Literal["domain", "address", "page", "anchor", "day"] = "domain",
        domain: str | None = None,
        address: str | None = None,
        page: str | None = None,
        anchor: str | None = None,
    ) -> Any:
        """Links from other sites, on the days they were first seen and no longer seen."""
        found: Any = self.read(
            "links",
            site,
            limit=limit,
            offset=offset,
            window=window,
            against=against,
            filter=filter,
            source=source,
            sort=sort,
            language=language,
            by=by,
            domain=domain,
            address=address,
            page=page,
            anchor=anchor,
        )
        return found

    def index(
        self,
        site: str,
        *,
        limit: int = 50,
        offset: int = 0,
        window: str = "P28D",
        against: str = "before",
        filter: str = "",
        source: int | None = None,
        sort: str = "",
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
        by: Literal["status", "day"] = "status",
        status: str | None = None,
    ) -> Any:
        """How many pages the engine knows, by whether they are indexed."""
        found: Any = self.read(
            "index",
            site,
            limit=limit,
            offset=offset,
            window=window,
            against=against,
            filter=filter,
            source=source,
            sort=sort,
            language=language,
            by=by,
            status=status,
        )
        return found

    def indexed(
        self,
        site: str,
        *,
        limit: int = 50,
        offset: int = 0,
        window: str = "P28D",
        against: str = "before",
        filter: str = "",
        source: int | None = None,
        sort: str = "",
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
        by: Literal["page", "day"] = "page",
        page: str | None = None,
    ) -> Any:
        """Pages that came into the index or fell out of it."""
        found: Any = self.read(
            "indexed",
            site,
            limit=limit,
            offset=offset,
            window=window,
            against=against,
            filter=filter,
            source=source,
            sort=sort,
            language=language,
            by=by,
            page=page,
        )
        return found

    def sitemap(
        self,
        site: str,
        *,
        limit: int = 50,
        offset: int = 0,
        window: str = "P28D",
        against: str = "before",
        filter: str = "",
        source: int | None = None,
        sort: str = "",
        language: Literal["en", "de", "fr", "es", "nb"] = "en",
        by: Literal["page", "sitemap", "day"] = "page",
        page: str | None = None,
        sitemap: str | None = None,
    ) -> Any:
        """Pages that the site's sitemaps list."""
        found: Any = self.read(
            "sitemap",
            site,
            limit=limit,
            offset=offset,
            window=window,
            against=against,
            filter=filter,
            source=source,
            sort=sort,
            language=language,
            by=by,
            page=page,
            sitemap=sitemap,
        )
        return found
