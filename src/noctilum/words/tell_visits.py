"""What readings of visits say of themselves."""

from __future__ import annotations

from noctilum.wire import counting as told
from noctilum.wire import landing as pages
from noctilum.wire import outcomes as wire
from noctilum.wire.readings import Sentence
from noctilum.wire.worth import ValueUsed
from noctilum.words.tell import WORTH_SAYING
from noctilum.words.teller import Teller, message


def outcomes(teller: Teller) -> list[Sentence]:
    """Say what visits from search brought, and what is not known of it."""
    found: wire.Outcomes = teller.reading
    if not found.days:
        return [
            teller.tell(
                "No day of the window has both searches and visits; visits are held since {day}.",
                day="day:/visits_since",
            )
        ]
    said = [
        teller.tell_many(
            "{n} day with both counted: {sessions} sessions came from search.",
            "{n} days with both counted: {sessions} sessions came from search.",
            "count:/days",
            sessions="count:/total/sessions",
        )
    ]
    if found.total.conversions is None:
        said.append(_no_goals(teller, found))
        return said + _worth(teller, found)
    figures = {"conversions": "figure:/total/conversions", "revenue": "figure:/total/revenue"}
    if found.total.revenue:
        said.append(teller.tell("They brought {conversions} conversions and {revenue} of revenue.", **figures))
    else:
        said.append(teller.tell("They brought {conversions} conversions.", conversions=figures["conversions"]))
    if found.goals_since is not None and found.goals_since > found.window.first:
        said.append(teller.tell("Goals are counted since {day}; before that nothing is known.", day="day:/goals_since"))
    if found.rows and found.offset == 0 and found.rows[0].conversions:
        most = {"key": f"of {found.by}:/rows/0/key", "conversions": "figure:/rows/0/conversions"}
        said.append(teller.tell("Most came by {key}: {conversions}.", **most))
    return said


MOST_VALUES_TOLD = 4


def _worth(teller: Teller, found: wire.Outcomes) -> list[Sentence]:
    """Say what the sessions are worth by what the site says, and what that rests on."""
    said = []
    if found.value is not None and len(found.values) == 1 and not found.values[0].set and not found.values[0].views:
        worth = {"each": "figure:/values/0/amount", "value": "figure:/value"}
        return [teller.tell("At {each} a session they are worth {value}: an estimate, for want of goals.", **worth)]
    if found.value is not None:
        said.append(teller.tell("They are worth {value}: an estimate, for want of goals.", value="figure:/value"))
    said += [_rests_on(teller, each, at) for at, each in enumerate(found.values[:MOST_VALUES_TOLD])]
    if found.valued is not None and found.valued < 1:
        said.append(
            teller.tell("{share} of the sessions are on pages that were given a value.", share="percent:/valued")
        )
    return said


def _rests_on(teller: Teller, used: ValueUsed, at: int) -> Sentence:
    here = f"/values/{at}"
    figures = {"amount": f"figure:{here}/amount"} | ({"views": f"figure:{here}/views"} if used.views else {})
    if used.gone:
        return teller.tell("The set {name} is no longer there, so what it earns is left out.", name=f"text:{here}/set")
    if not used.set:
        text = (
            message("All other pages: {amount} per thousand page views, of which a session has {views}.")
            if used.views
            else message("All other pages: {amount} a session.")
        )
        return teller.tell(text, **figures)
    text = (
        message("{name}: {amount} per thousand page views, of which a session has {views}.")
        if used.views
        else message("{name}: {amount} a session.")
    )
    return teller.tell(text, name=f"text:{here}/set", **figures)


def _no_goals(teller: Teller, found: wire.Outcomes) -> Sentence:
    if found.goals_since is None:
        return teller.tell("No goal was ever counted here, so what they brought is not known.")
    return teller.tell("Goals are counted since {day}, after this window.", day="day:/goals_since")


def counting(teller: Teller) -> list[Sentence]:
    """Say where counting broke, or that it did not as far as can be told."""
    found: told.Counting = teller.reading
    if not found.days or not found.days_before:
        return [teller.tell("Searches and visits are not held together long enough to set one beside the other.")]
    if not found.looked_at:
        return [teller.tell("Too few visits to tell whether they follow clicks.")]
    if not found.matching:
        return [
            teller.tell_many(
                "Visits follow clicks as before in the {n} part that can be told.",
                "Visits follow clicks as before in all {n} parts that can be told.",
                "count:/looked_at",
            )
        ]
    if not found.rows:
        return []
    row = {name: f"{form}:/rows/0/{name}" for name, form in (("key", "text"), ("since", "day"), ("sessions", "count"))}
    row["expected"] = "count:/rows/0/expected"
    if found.rows[0].verdict == "stopped":
        text = message(
            "Counting stopped on {since} at {key}: {sessions} sessions where {expected} were to be expected."
        )
    else:
        text = message(
            "Counted twice since {since} at {key}: {sessions} sessions where {expected} were to be expected."
        )
    return [
        teller.tell(text, **row),
        teller.tell("Look at whether the counting code is there, is asked for consent anew, or runs twice."),
    ]


def landing(teller: Teller) -> list[Sentence]:
    """Say how many landing pages lost clicks, visits, or only their counting."""
    found: pages.Landing = teller.reading
    if not found.days or not found.days_before:
        return [teller.tell("Searches and visits are not held together over both windows.")]
    said = []
    for at, each in enumerate(found.counts):
        if each.pages and (sentence := _told(teller, each.told, at)):
            said.append(sentence)
    said = said[:4] or [teller.tell("No landing page fell, as far as can be told.")]
    return said + _of_the_year(teller, found)


def _of_the_year(teller: Teller, found: pages.Landing) -> list[Sentence]:
    """Say what the year did to clicks and to sessions, where it let expect a change."""
    said = []
    texts = {
        "season": message("Clicks moved by {change}, where earlier years let expect {expected}."),
        "season_sessions": message("Organic sessions moved by {change}, where earlier years let expect {expected}."),
    }
    for name, text in texts.items():
        each = getattr(found, name)
        if each.expected is not None and each.change is not None and abs(each.expected) >= WORTH_SAYING:
            figures = {part: f"signed_percent:/{name}/{part}" for part in ("change", "expected")}
            said.append(teller.tell(text, **figures))
    return said


def _told(teller: Teller, told: str, at: int) -> Sentence | None:
    pages_so, moved = f"count:/counts/{at}/pages", f"signed:/counts/{at}/sessions"
    match told:
        case "clicks fell":
            return teller.tell_many(
                "On {n} page clicks fell, and visits with them: {sessions} sessions.",
                "On {n} pages clicks fell, and visits with them: {sessions} sessions.",
                pages_so,
                sessions=moved,
            )
        case "visits fell":
            return teller.tell_many(
                "On {n} page visits fell and clicks did not: {sessions} sessions.",
                "On {n} pages visits fell and clicks did not: {sessions} sessions.",
                pages_so,
                sessions=moved,
            )
        case "counting broke":
            return teller.tell_many(
                "On {n} page only the counting broke: {sessions} sessions that clicks do not miss.",
                "On {n} pages only the counting broke: {sessions} sessions that clicks do not miss.",
                pages_so,
                sessions=moved,
            )
        case "clicks fell alone":
            return teller.tell_many(
                "On {n} page clicks fell and visits did not.",
                "On {n} pages clicks fell and visits did not.",
                pages_so,
            )
    return None
