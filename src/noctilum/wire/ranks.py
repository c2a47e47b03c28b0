"""Readings of tracked keywords: where they stand, how they moved, who stands beside them, what the page showed."""

from __future__ import annotations

from datetime import date
from typing import ClassVar, Literal, get_args

from pydantic import Field

from noctilum.wire.base import Wire
from noctilum.wire.columns import column, group
from noctilum.wire.common_columns import MATCHING
from noctilum.wire.keywords import Device
from noctilum.wire.questions import LARGEST, Language, Paged, Question, word
from noctilum.wire.readings import Reading

Movement = Literal["up", "same", "down", "entered", "lost", "absent", "unknown"]
EffectVerdict = Literal["lower", "higher", "no effect can be shown", "too few to tell"]
VisibilityVerdict = Literal["rose", "fell", "no change can be shown", "too few to tell"]
DEVICES = get_args(Device)
FEATURES = ("written answer", "snippet", "questions", "video", "images", "shop", "sitelinks")
"""What lookups name; whatever else one names is said as it came."""
HINTS = {
    "few": "few impressions",
    "place": "looked up from one place",
    "page": "another page ranks",
    "feature": "a feature led to the site",
}
"""What may lie behind a rank and an average that differ, in words."""
GroupedBy = Literal["tag", "device", "place", "engine", "track", "country", "page"]


class TrackedQuery(Question):
    """Which keywords, over which window."""

    window: str = Field(default="P28D", max_length=40, description="ISO 8601: P28D, 2026-03; also 2026-Q1, month, all")
    against: str = Field(default="before", max_length=40, description="before, year, none, or a window")
    tag: str | None = Field(default=None, max_length=60, description="Only keywords with this tag")
    device: str | None = Field(default=None, max_length=20, description="Only those looked up on this device")
    place: str | None = Field(default=None, max_length=120, description="Only those looked up from this place")
    track: str | None = Field(default=None, max_length=12, description="Only this language and country, as en-GB")
    on: str | None = Field(default=None, max_length=60, description="Only this search engine")
    find: str = Field(default="", max_length=200, description="Only keywords whose term holds this text")
    pinned: bool = Field(default=False, description="Only those followed closely")
    language: Language = Field(default="en", description="Of the sentences")


class RankSummaryQuery(TrackedQuery):
    """By what keywords are grouped."""

    by: GroupedBy = word("tag", in_path=False, description="What rows are by")


class LadderQuery(TrackedQuery, Paged):
    """How the ladder is laid out."""

    window: str = Field(default="P182D", max_length=40, description="As of every reading; cut to whole steps")
    step: Literal["day", "week", "month"] = Field(default="week", description="How long a step is")
    choice: Literal["last", "best", "average"] = Field(default="last", description="Of several checks of a step")
    back: int = Field(default=4, ge=1, le=520, description="The change is told over so many steps")
    by: Literal["none", "tag", "device", "place", "engine", "track", "page"] = Field(
        default="tag", description="What keywords are grouped by"
    )
    limit: int = Field(default=200, ge=1, le=1000, description="How many keywords")


class KeywordQuery(Question):
    """Which keyword."""

    number: int = word(ge=1, le=LARGEST, description="The keyword")
    window: str = Field(default="P12M", max_length=40, description="As of every reading; also all")
    language: Language = Field(default="en", description="Of the sentences")


class VoiceQuery(TrackedQuery, Paged):
    """Whose share is told, and over which steps."""

    window: str = Field(default="P84D", max_length=40, description="As of every reading")
    step: Literal["day", "week", "month"] = Field(default="week", description="How long a step of the shares is")
    limit: int = Field(default=20, ge=1, le=1000, description="How many domains")


class DomainQuery(TrackedQuery, Paged):
    """Which domain is looked at."""

    domain: str = word(in_path=False, max_length=300, description="A domain that was seen on a result page")


class FeaturesQuery(TrackedQuery):
    """By what step features are counted."""

    window: str = Field(default="P84D", max_length=40, description="As of every reading")
    step: Literal["day", "week", "month"] = Field(default="week", description="How long a step is")


class FeatureTurnsQuery(TrackedQuery, Paged):
    """What of which feature turned in the window."""

    feature: str = word("written answer", in_path=False, max_length=40, description="The feature, by its name")
    limit: int = Field(default=100, ge=1, le=1000, description="How many rows")


class FeatureOwnersQuery(TrackedQuery, Paged):
    """Whom which feature leads to."""

    feature: str = word("written answer", in_path=False, max_length=40, description="The feature, by its name")
    window: str = Field(default="P84D", max_length=40, description="As of every reading")
    step: Literal["day", "week", "month"] = Field(default="week", description="How long a step is")


class CrossCheckQuery(TrackedQuery, Paged):
    """Tracked ranks beside the provider's average."""


class FeatureEffectQuery(TrackedQuery):
    """The effect of which feature on click-through."""

    feature: str = word("written answer", in_path=False, max_length=40, description="The feature, by its name")
    window: str = Field(default="P12M", max_length=40, description="As of every reading")


class RankFigures(Wire):
    """How some keywords stand at the end of a window, each by its latest check in the window's last seven days."""

    checked: int = column("count", "checked", "Keywords looked up in the last seven days of the window.")
    found: int = column("count", "found", "Of them, those with the site among the results.", better="higher")
    top3: int = column("count", "in top 3", "Of them, those at rank 1 to 3.", better="higher")
    top10: int = column("count", "in top 10", "Of them, those at rank 1 to 10.", better="higher")
    top20: int = column("count", "in top 20", "Of them, those at rank 1 to 20.", better="higher")
    average: float | None = column(
        "place", "average rank", "The mean rank of keywords found; none where none was.", better="lower"
    )
    visibility: float | None = column(
        "number",
        "visibility",
        "100 × Σ weight × reference click-through at the rank / Σ weight × that of rank 1, over keywords checked.",
        better="higher",
        decimals=1,
    )
    visibility_by_volume: float | None = column(
        "number",
        "visibility by volume",
        "The same with every keyword also weighed by its searches a month; none where no volume is known.",
        better="higher",
        decimals=1,
    )
    clicks: float | None = column(
        "count",
        "estimated clicks",
        "Searches a month × reference click-through at the rank: an estimate, of keywords whose volume is known.",
        better="higher",
    )
    value: float | None = column(
        "money",
        "estimated value",
        "Estimated clicks × what a click would cost: an estimate, of keywords with a known price.",
        better="higher",
        decimals=2,
    )
    weight: float = Field(default=0.0, description="Σ weight of keywords checked: what visibility is a mean over")
    weight_by_volume: float = Field(default=0.0, description="Σ weight × searches a month of those with known volume")


class Movements(Wire):
    """How keywords moved between the ends of two windows. A keyword without a check on either side is unknown."""

    up: int = column("count", "up", "Keywords at a better rank than before.", better="higher")
    same: int = column("count", "same", "Keywords at the same rank as before.")
    down: int = column("count", "down", "Keywords at a worse rank than before.", better="lower")
    entered: int = column("count", "entered", "Keywords found now and not before.", better="higher")
    lost: int = column("count", "lost", "Keywords found before and not now.", better="lower")
    absent: int = column("count", "absent", "Keywords found neither before nor now.")
    unknown: int = column("count", "unknown", "Keywords without a check on one side; never counted as lost.")


class RankGroup(Wire):
    """Some keywords together."""

    SHOWN: ClassVar[tuple[str, ...]] = (
        *("key", "tracked", "visibility", "visibility_before", "average", "average_before", "top3", "top10"),
        *("up", "down", "entered", "lost", "unknown"),
    )

    key: str = column("text", "group", titled_by="by", named_by="by")
    tracked: int = column("count", "tracked", "Keywords in this group.")
    now: RankFigures = group(ending="")
    before: RankFigures | None = group("before", "At the end of the window compared with.", default=None)
    moved: Movements | None = group(ending="", default=None)


class RankPoint(Wire):
    """All keywords at the end of one week."""

    first: date
    last: date
    checked: int
    top3: int
    top10: int
    top20: int
    found: int
    average: float | None
    visibility: float | None
    clicks: float | None = Field(default=None, description="Estimated clicks a month, of keywords with known volume")
    value: float | None = Field(default=None, description="Estimated value a month, of keywords with a known price")


class RankMover(Wire):
    """One keyword that moved."""

    number: int
    term: str
    place: str
    device: str
    engine: str
    movement: Movement
    before: float | None
    now: float | None
    page: str
    worth: float = Field(description="Change in weight × reference click-through; below 0 is a loss")


class RankSummary(Reading):
    """How tracked keywords stand and moved."""

    by: str
    tracked: int = column("count", "tracked", "Keywords that are tracked, of those asked for.")
    now: RankFigures
    before: RankFigures | None = None
    moved: Movements | None = None
    verdict: VisibilityVerdict | None = Field(
        default=None, description="Whether visibility changed beyond its own noise; none where nothing is compared"
    )
    rows: list[RankGroup]
    points: list[RankPoint] = Field(description="Week for week to the end of the window, 26 at least where held")
    movers: list[RankMover] = Field(description="Those that moved most by weight and place, losses and gains")


class LadderStep(Wire):
    """One step of a ladder."""

    first: date
    last: date
    checked: int = Field(description="Keywords with a check in it")
    top3: int
    top10: int


class LadderRow(Wire):
    """One keyword of a ladder."""

    SHOWN: ClassVar[tuple[str, ...]] = (
        *("group", "term", "place", "device", "weight", "before", "now", "change", "best", "best_day"),
    )

    group: str = column("text", "group", default="")
    number: int = column("count", "number", "The keyword's own number.")
    term: str = column("text", "keyword")
    place: str = column("text", "place")
    device: str = column("verdict", "device", words=DEVICES)
    engine: str = column("text", "engine")
    track: str = column("text", "track", "Language and country that are looked from.")
    weight: int = column("count", "weight", "How much it counts, 1 to 5.")
    tags: list[str]
    pinned: bool
    page: str = column("text", "page", "The page that ranks now.")
    target: str = column("text", "target page", "The page that ought to be found.")
    now: float | None = column(
        "place", "rank", "At the last step that has a check; none where not found.", better="lower"
    )
    before: float | None = column("place", "before", "So many steps before.", better="lower")
    movement: Movement = column("verdict", "moved", "Over the steps told; unknown without a check on either side.")
    change: float | None = column(
        "places", "change", "Rank now less before; below 0 is better.", better="lower", signed=True
    )
    best: float | None = column("place", "best ever", "The best rank of all checks that are held.", better="lower")
    best_day: date | None = column("day", "best on", "The last day it was held on.")
    features: list[str] = Field(description="What its result page shows besides, at the last check")
    owned: list[str] = Field(description="Those of them that lead to the site")
    cells: list[float | None] = Field(description="Rank at each step; 0 looked up and not found, none without a check")


class Ladder(Reading):
    """Tracked keywords by steps."""

    step: str
    choice: str
    by: str
    back: int
    offset: int
    matching: int = MATCHING
    tracked: int
    depth: int = Field(description="How many results are looked through")
    steps: list[LadderStep]
    rows: list[LadderRow]


class RankDay(Wire):
    """One day of a keyword's history."""

    day: date = column("day", "day")
    rank: float | None = column("place", "rank", "Rank among plain results; none where not found.", better="lower")
    spot: float | None = column("place", "with features", "The same with features above it counted.", better="lower")
    page: str = column("text", "page", "The page that ranked.")
    provider: float | None = column(
        "place", "provider average", "The provider’s average position of the query, in the same engine and country.",
        better="lower",
    )  # fmt: skip
    impressions: int = column("count", "impressions", "Behind the provider’s average.")
    features: list[str]
    owned: list[str]


class Rival(Wire):
    """Another domain's ranks on the days of a keyword's history."""

    domain: str
    named: bool = Field(description="Named as a competitor")
    seen: int = Field(description="Days it was among the first results")
    now: float | None
    ranks: list[float | None] = Field(description="Day for day as the rows; none where it was not among the first")


class CrossCheck(Wire):
    """Tracked ranks beside the provider's average over some days."""

    days: int = column("count", "days", "Days with both a check and impressions.")
    agree: int = column("count", "agree", "Days on which they lie at most 1.5 places apart.", better="higher")
    tracked_better: int = column("count", "tracked better", "Days on which the tracked rank is better by more.")
    average_better: int = column("count", "average better", "Days on which the average is better by more.")


class KeywordHistory(Reading):
    """The whole history of one keyword."""

    number: int
    term: str
    engine: str
    track: str
    place: str
    device: str
    target: str
    weight: int
    tags: list[str]
    pinned: bool
    volume: int | None
    cpc: float | None
    now: float | None
    before: float | None = Field(description="At the latest check at least 28 days before the last")
    best: float | None
    best_day: date | None
    top3_days: int
    found_days: int
    last_day: date | None
    clicks: int | None = Field(description="Of the query in the newest 28 days of the window")
    clicks_before: int | None = Field(description="In the 28 days before")
    rows: list[RankDay]
    rivals: list[Rival]
    cross: CrossCheck


class VoiceRow(Wire):
    """One domain's share of what the reference click-through gives all domains seen."""

    SHOWN: ClassVar[tuple[str, ...]] = (
        *("domain", "share", "share_before", "change", "keywords", "top3", "average", "gained", "named"),
    )

    domain: str = column("text", "domain")
    share: float = column(
        "share",
        "share of voice",
        "Σ weight × reference click-through of its best rank, over that of all domains seen.",
        better="higher",
    )
    share_before: float | None = column("share", "before", "Over the window compared with.")
    change: float | None = column(
        "points", "change", "Share now less before, in hundredths.", signed=True, better="higher"
    )
    keywords: int = column("count", "keywords", "Tracked keywords it was seen for.")
    top3: int = column("count", "in top 3", "Of them, those at an average best rank of 3 or better.")
    average: float | None = column("place", "average rank", "Its average best rank, where seen.", better="lower")
    gained: int = column("count", "gained where we lost", "Keywords it gained at while the site lost.")
    named: bool = column("flag", "named", "Named as a competitor.")
    own: bool = column("flag", "the site", "Whether it is the site itself.")
    shares: list[float | None] = Field(description="LadderStep for step; none where nothing was looked up")


class VoiceSteps(Wire):
    """One step of the shares."""

    first: date
    last: date
    checks: int


class RivalCell(Wire):
    """One keyword at one domain."""

    domain: str
    rank: float | None


class RivalRow(Wire):
    """One keyword with the ranks of several domains."""

    number: int
    term: str
    place: str
    device: str
    own: float | None
    cells: list[float | None] = Field(description="Average best rank of each domain, in the order of `domains`")


class ShareOfVoice(Reading):
    """Who has which share of what tracked keywords bring."""

    step: str
    offset: int
    matching: int = MATCHING
    steps: list[VoiceSteps]
    rows: list[VoiceRow]
    domains: list[str] = Field(description="Those compared keyword by keyword: the site, then the others by share")
    table: list[RivalRow]


class DomainRow(Wire):
    """One keyword that a domain was seen for."""

    SHOWN: ClassVar[tuple[str, ...]] = ("term", "place", "device", "rank", "before", "change", "address", "own")

    number: int = column("count", "number", "The keyword's own number.")
    term: str = column("text", "keyword")
    place: str = column("text", "place")
    device: str = column("verdict", "device", words=DEVICES)
    address: str = column("text", "its page", "Its best placed page.")
    rank: float | None = column("place", "rank", "Its average best rank, of lookups that saw it.", better="lower")
    before: float | None = column("place", "before", "Over the window compared with.", better="lower")
    change: float | None = column(
        "places", "change", "Rank now less before; below 0 is better.", better="lower", signed=True
    )
    own: float | None = column("place", "our rank", "The site’s average rank, where found.", better="lower")


class DomainPage(Wire):
    """One page of a domain."""

    address: str = column("text", "page")
    keywords: int = column("count", "keywords", "Tracked keywords it was seen for.")
    rank: float | None = column("place", "average rank", "Its average best rank, where seen.", better="lower")
    best: str = column("text", "best keyword", "The keyword it stands best for.")


class DomainReading(Reading):
    """One domain that was seen, opened like one's own."""

    domain: str
    offset: int
    matching: int = MATCHING
    rows: list[DomainRow]
    pages: list[DomainPage]


class FeatureRow(Wire):
    """One feature of result pages."""

    SHOWN: ClassVar[tuple[str, ...]] = (
        *("feature", "present", "present_before", "owned", "owned_before", "keywords", "owned_keywords"),
    )

    feature: str = column("verdict", "feature", words=FEATURES)
    present: float = column("share", "present", "Lookups whose result page showed it, over all lookups.")
    present_before: float | None = column("share", "present before", "Over the window compared with.")
    owned: float | None = column(
        "share", "ours", "Of the lookups that showed it, those in which it led to the site.", better="higher"
    )
    owned_before: float | None = column("share", "ours before", "Over the window compared with.")
    keywords: int = column("count", "keywords", "Tracked keywords whose result page showed it at least once.")
    owned_keywords: int = column("count", "our keywords", "Of them, those where it led to the site at least once.")
    steps: list[float | None] = Field(description="Share of lookups that showed it, step for step")
    owned_steps: list[float | None] = Field(description="Share that it led to the site, of those, step for step")


class FeatureTurnRow(Wire):
    """A keyword at whose result page a feature came and stays, or left."""

    SHOWN: ClassVar[tuple[str, ...]] = ("term", "device", "place", "turned", "since", "lookups", "before", "now")

    number: int = column("count", "number", "The keyword's own number.")
    term: str = column("text", "keyword")
    device: str = column("verdict", "device", words=DEVICES)
    place: str = column("text", "place")
    turned: Literal["came", "left"] = column(
        "verdict",
        "turned",
        "came: there on a tenth of the days before at most, and on half of them or more since. left: on half or more "
        "before, and on a tenth since at most.",
    )
    since: date = column("day", "since", "The day of the first lookup after it.")
    lookups: int = column("count", "days since", "Days with a lookup since then.")
    before: float = column("share", "there before", "Of the last 56 days with a lookup before it, as far as held.")
    now: float = column("share", "there since", "Of the days with a lookup since.")
    chance: float = column("number", "chance", "How likely so many are by what was usual before.", decimals=6)


class FeatureTurns(Reading):
    """Where a feature of result pages came or left, the newest first."""

    feature: str
    looked_at: int = column("count", "looked at", "Keywords that were looked up.")
    rows: list[FeatureTurnRow]
    offset: int
    matching: int = MATCHING


class ResultFeatures(Reading):
    """What result pages showed besides plain results, and what of it led to the site."""

    step: str
    checks: int = Field(description="Lookups in the window")
    steps: list[VoiceSteps]
    rows: list[FeatureRow]


class CrossCheckRow(Wire):
    """One keyword's tracked rank beside the provider's average."""

    SHOWN: ClassVar[tuple[str, ...]] = (
        *("term", "place", "device", "days", "agree", "tracked", "average", "apart", "hint"),
    )

    number: int = column("count", "number", "The keyword's own number.")
    term: str = column("text", "keyword")
    place: str = column("text", "place")
    device: str = column("verdict", "device", words=DEVICES)
    counted: CrossCheck = group(ending="")
    tracked: float | None = column("place", "tracked rank", "Mean of the days with both.", better="lower")
    average: float | None = column("place", "provider average", "Mean of the days with both.", better="lower")
    apart: float | None = column("places", "apart", "Tracked less average, in the mean.", signed=True)
    impressions: int = column("count", "impressions", "Behind the average, over the days with both.")
    hint: str = column(
        "verdict", "why they differ", "What may lie behind the difference.", words=tuple(HINTS.values()), default=""
    )
    hints: list[str] = Field(description="feature, few, place, page: what may lie behind it")


class CrossChecks(Reading):
    """Tracked ranks beside the provider's averages, keyword by keyword."""

    offset: int
    matching: int = MATCHING
    counted: CrossCheck
    rows: list[CrossCheckRow]


class FeatureEffect(Reading):
    """What a feature does to click-through at equal places."""

    feature: str = column("verdict", "feature", words=FEATURES)
    verdict: EffectVerdict = column("verdict", "verdict")
    ratio: float | None = column("number", "ratio", "Click-through with it over that without, at equal places.")
    low: float | None = column("number", "at least", "Lower end of the 95% interval.")
    high: float | None = column("number", "at most", "Upper end of the 95% interval.")
    strata: int = column(
        "count", "strata", "Query × device × nearest place × weekday or weekend, with days of both kinds."
    )
    clicks: int = column("count", "clicks", "Clicks on all days of these strata.")
    queries: int = column("count", "queries", "Queries that have such strata.")
    days_with: int = column("count", "days with it", "Query days in the window with the feature.")
    days_without: int = column("count", "days without it", "Query days in the window without the feature.")


class GridQuery(Question):
    """Which grid, and how it was at which time."""

    number: int = word(0, ge=0, le=LARGEST, description="The grid; 0 for the site's first")
    window: str = Field(default="P28D", max_length=40, description="As of every reading; its end counts")
    against: str = Field(default="before", max_length=40, description="before, year, none, or a window; its end counts")
    domain: str = Field(
        default="", max_length=300, description="Whose ranks, as that of a competitor; the site's without"
    )
    language: Language = Field(default="en", description="Of the sentences")


class GridPoint(Wire):
    """One point of a grid."""

    SHOWN: ClassVar[tuple[str, ...]] = (
        *("down", "across", "latitude", "longitude", "rank", "before", "moved", "first", "day"),
    )

    down: int = column("count", "row", "0 is the northernmost.")
    across: int = column("count", "column", "0 is the westernmost.")
    latitude: float = column("number", "latitude", decimals=4)
    longitude: float = column("number", "longitude", decimals=4)
    checked: bool = Field(description="Whether it was looked up in the last seven days of the window")
    rank: float | None = column("place", "rank", "Rank among plain results; none where not found.", better="lower")
    before: float | None = column("place", "before", "At the end of the window compared with.", better="lower")
    moved: Movement | None = column(
        "verdict", "moved", "How it moved; unknown where it was not looked up on one side, none without a comparison."
    )
    first: str = column("text", "first there", "Whose result stands first at this point.")
    top: list[str] = Field(description="Whose results are the first three, in order")
    day: date | None = column("day", "looked up on")


class GridSums(Wire):
    """What the points that were looked up say together."""

    points: int
    mean: float | None = Field(description="Mean rank; a point that found nothing counts as depth + 1")
    top3: float | None = Field(description="Share of points with the site among the first three")
    found: float | None = Field(description="Share of points with the site among the results")


class GridRival(Wire):
    """One domain over the points of a grid."""

    domain: str = column("text", "domain")
    won: int = column("count", "points won", "Points at which it stands first.")
    top3: int = column("count", "in top 3", "Points at which it is among the first three.")
    mean: float = column("place", "mean rank", "Over the points; where it was not seen, depth + 1.", better="lower")
    own: bool = column("flag", "the site", "Whether it is the site itself.")


class LocalGrid(Reading):
    """A term looked up from points around a place."""

    number: int
    label: str
    term: str
    device: str
    engine: str
    size: int
    spacing: float
    latitude: float
    longitude: float
    depth: int
    domain: str = Field(description="Whose ranks these are")
    own: bool = Field(description="Whether that is the site itself")
    now: GridSums
    before: GridSums | None = None
    north: float | None = Field(description="Mean rank of the northern half of the points, the middle row in neither")
    south: float | None
    west: float | None
    east: float | None
    rows: list[GridPoint]
    rivals: list[GridRival]


class DeviceRanksQuery(TrackedQuery, Paged):
    """Ranks on each device side by side."""


class DeviceRanksRow(Wire):
    """One term from one place, on each device."""

    SHOWN: ClassVar[tuple[str, ...]] = (
        "term",
        "place",
        "track",
        "engine",
        "desktop",
        "mobile",
        "map",
        "pack",
        "behind",
    )

    term: str = column("text", "keyword")
    place: str = column("text", "place")
    track: str = column("text", "track", "Language and country that are looked from.")
    engine: str = column("text", "engine")
    desktop: float | None = column("place", "desktop", "At its latest check; 0 where not found.", better="lower")
    mobile: float | None = column("place", "mobile", "At its latest check; 0 where not found.", better="lower")
    map: float | None = column("place", "on the map", "At its latest check; 0 where not found.", better="lower")
    pack: float | None = column(
        "place", "map pack", "Among those on the map above plain results; 0 where not on it, none without a map.",
        better="lower",
    )  # fmt: skip
    behind: float | None = column(
        "places", "mobile behind", "Mobile less desktop; above 0 mobile stands lower.", better="lower", signed=True
    )


class DeviceRanks(Reading):
    """Desktop, mobile and map ranks side by side."""

    offset: int
    matching: int = MATCHING
    both: int = Field(description="Terms that were found on desktop and on mobile")
    behind: float | None = Field(description="Median of mobile less desktop over them")
    lower: int = Field(description="Of them, those lower on mobile")
    far: bool = Field(
        description="Mobile is far behind: by two places or more, on four of five terms, of five at least"
    )
    rows: list[DeviceRanksRow]


class OwnerRow(Wire):
    """One domain that a feature leads to."""

    SHOWN: ClassVar[tuple[str, ...]] = ("domain", "share", "share_before", "change", "keywords", "address", "named")

    domain: str = column("text", "domain")
    share: float = column(
        "share", "cited", "Lookups that led to the domain, of those that showed the feature.", better="higher"
    )
    share_before: float | None = column("share", "before", "Over the window compared with.")
    change: float | None = column(
        "points", "change", "Share now less before, in hundredths.", signed=True, better="higher"
    )
    keywords: int = column("count", "keywords", "Tracked keywords whose result pages led there.")
    address: str = column("text", "page", "The page led to most often.")
    named: bool = column("flag", "named", "Named as a competitor.")
    own: bool = column("flag", "the site", "Whether it is the site itself.")
    shares: list[float | None] = Field(description="Step for step; none where no lookup showed the feature")


class OwnedKeyword(Wire):
    """One keyword whose result pages show a feature."""

    SHOWN: ClassVar[tuple[str, ...]] = (
        *("term", "place", "device", "present", "present_before", "owned", "owned_before", "page", "others"),
        "volatility",
    )

    number: int = column("count", "number", "The keyword's own number.")
    term: str = column("text", "keyword")
    place: str = column("text", "place")
    device: str = column("verdict", "device", words=DEVICES)
    present: float = column("share", "present", "Lookups that showed the feature.")
    present_before: float | None = column("share", "before", "Over the window compared with.")
    owned: float | None = column(
        "share", "ours", "Lookups that led to the site, of those that showed the feature.", better="higher"
    )
    owned_before: float | None = column("share", "ours before", "Over the window compared with.", better="higher")
    page: str = column("text", "our page", "The site’s page led to most often.")
    others: list[str] = column("texts", "others", "The other domains led to most often, three at most.")
    volatility: float | None = column(
        "share",
        "volatility",
        "How much the domains led to change from one day to the next: the mean of 1 − shared ÷ all of both days.",
    )


class FeatureOwners(Reading):
    """Whom a feature leads to, and how steadily."""

    feature: str
    step: str
    offset: int
    matching: int = MATCHING
    lookups: int = Field(description="Lookups that showed the feature")
    owned: float | None = Field(description="Of them, the share that led to the site")
    owned_before: float | None = None
    volatility: float | None = Field(description="The mean of all keywords'; none where no two days can be compared")
    steps: list[VoiceSteps] = Field(description="With the lookups that showed the feature")
    rows: list[OwnerRow]
    keywords: list[OwnedKeyword] = Field(description="Those whose result pages show it, heaviest first")
