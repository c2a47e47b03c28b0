"""What stands on the demo agency's worklist: work that was done and can be read, and work that waits."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from typing import Any

from noctilum.actions import kept_work, targets, trials, worklist
from noctilum.actions.install import Install
from noctilum.wire.targets import NewTarget, TargetsQuery
from noctilum.wire.trials import NewTrial, TrialsQuery
from noctilum.wire.work import NewWork, WorkQuery

INES = "ines@tallowlane.example"
HIVE, SKERRY, NORTHLOFT, UMBRA = (
    "hivewright.example",
    "skerryferries.example",
    "northloft.example",
    "umbrapoint.example",
)


@dataclass(frozen=True)
class DemoWork:
    """One item. made, done, due: days from the demo's today; done and due: none for neither."""

    site: str
    of: str
    key: str
    todo: str
    why: str
    kind: str
    made: int
    done: int | None = None
    due: int | None = None
    owner: str | None = INES
    state: str = "to do"
    reason: str = ""


ITEMS = (
    *(
        DemoWork(HIVE, "page", page, "Refresh the guide", "fading", "refresh", -62, -48)
        for page in ("/guides/swarm-control", "/guides/varroa-treatment", "/guides/feeding-bees")
    ),
    DemoWork(
        *(SKERRY, "page", "/timetables/ronsay", "Rewrite as one page for all seasons", "four pages on one query"),
        *("new content", -163, -150),
    ),
    DemoWork(
        *(HIVE, "query", "bee smoker", "Let one page answer it", "two pages overlap; the lead changes", "other", -6),
        due=12,
    ),
    DemoWork(HIVE, "page", "/guides/first-hive", "Refresh the guide", "fading", "refresh", -9, due=5, state="doing"),
    DemoWork(
        *(HIVE, "site", "", "Mend the counting on the blog", "organic visits follow clicks no more", "technical", -4),
        due=-1,
        owner=None,
    ),
    DemoWork(
        *(NORTHLOFT, "site", "", "Ask the calendar to link again", "46 links lost on one day", "links", -20),
        due=10,
    ),
    DemoWork(
        *(UMBRA, "set", "Explainers", "Shorten what answers above the results leave unsaid", "fewer clicks at a place"),
        *("title and snippet", -30),
        due=21,
    ),
    DemoWork(
        *(UMBRA, "page", "/learn/meteor-showers", "Add dates of this year", "asked for", "refresh", -75),
        state="dropped",
        reason="the page comes out of the calendar by itself",
    ),
)


TRIALS: tuple[dict[str, Any], ...] = (
    {
        "site": NORTHLOFT,
        "name": "Titles that ask",
        "what": "Two collections have a question in their title",
        "treated": ["/collections/rope", "/collections/maps"],
        "control": ["/collections/lamps", "/collections/toys", "/families"],
        "starts": -200,
        "log": ((-200, "both titles went live"), (-199, "sitemap sent again")),
    },
    {
        "site": SKERRY,
        "name": "Fares on the page",
        "what": "The fare stands in the first line",
        "treated": ["/routes/ronsay"],
        "control": [],
        "starts": -9,
        "log": ((-9, "went live"),),
    },
)


def plan_trials(install: Install, anchor: date) -> None:
    """Plan the demo's trials, unless there are some: one that can be read, one that runs."""
    if trials.listed(install, TrialsQuery()):
        return
    for each in TRIALS:
        log = [{"day": anchor + timedelta(day), "text": text} for day, text in each["log"]]
        told = each | {"starts": anchor + timedelta(each["starts"]), "log": log}
        trials.added(install, NewTrial.model_validate(told), _noon(told["starts"]))


TARGETS: tuple[dict[str, Any], ...] = (
    {"site": HIVE, "name": "Clicks of the season", "value": 6500, "starts": -75, "by": 102},
    {"site": HIVE, "name": "Guides", "filter": 'set "Guides"', "value": 3600, "starts": -75, "by": 102},
    {"site": HIVE, "name": "Shop and blog", "over": "client", "value": 8600, "starts": -75, "by": 102},
    {"site": HIVE, "name": "In the top ten", "metric": "top10", "value": 30, "starts": -75, "by": 102},
    {"site": SKERRY, "name": "Clicks by Easter", "value": 9_000, "starts": -60, "by": 14},
)


def set_targets(install: Install, anchor: date) -> None:
    """Set the demo's targets, unless there are some."""
    if targets.listed(install, TargetsQuery()):
        return
    for each in TARGETS:
        told = each | {name: anchor + timedelta(each[name]) for name in ("starts", "by")}
        targets.added(install, NewTarget.model_validate(told), _noon(told["starts"]))


def put_on_worklist(install: Install, anchor: date) -> None:
    """Put the demo's items on the worklist, unless something stands there: each as of the day it was made."""
    if kept_work.listed(install, WorkQuery()):
        return
    for each in ITEMS:
        made = anchor + timedelta(each.made)
        told = {name: getattr(each, name) for name in ("site", "of", "key", "todo", "why", "kind", "owner", "reason")}
        told |= {"state": each.state, "due": None if each.due is None else anchor + timedelta(each.due)}
        item = worklist.added(install, NewWork.model_validate(told), _noon(made))
        if each.done is not None:
            done = anchor + timedelta(each.done)
            asked = NewWork.model_validate(told | {"state": "done", "done_on": done})
            worklist.changed(install, item.id, asked, _noon(done))


def _noon(day: date) -> datetime:
    return datetime.combine(day, time(12), UTC)
