"""What readings say of breaks: rows that fell silent, falls of the whole, late days, and all that calls out."""

from __future__ import annotations

from noctilum.wire import breaks as wire
from noctilum.wire.readings import Sentence
from noctilum.words.speech import Speech
from noctilum.words.teller import Teller, message

MOST_TOLD = 8
TITLE = message("Alerts of {agency}")
OVER = message("Over: {text}")
SILENT = message("{key} has not been shown since {since}: before, {usual} impressions on a usual day.")
FELL = message("Clicks fell to {now} in {days} days since {since}, where {expected} were to be expected ({change}).")


def silent(teller: Teller) -> list[Sentence]:
    """Name what fell silent."""
    found: wire.Silent = teller.reading
    if not found.looked_at:
        return [teller.tell("Nothing is shown steadily enough for a silence to tell.")]
    if not found.matching:
        return [
            teller.tell_many(
                "The {n} row that is shown day by day still is.",
                "All {n} rows that are shown day by day still are.",
                "count:/looked_at",
            )
        ]
    return [_silent(teller, f"/rows/{n}") for n in range(min(3, len(found.rows)))]


def _silent(teller: Teller, at: str, facts: str = "") -> Sentence:
    """Say that a row fell silent. facts: where its figures stand, where that is elsewhere."""
    figures = facts or at
    told = {"key": f"text:{at}/key", "since": f"day:{at}/since", "usual": f"count:{figures}/usual"}
    queries = f"count:{figures}/queries"
    if not _known(teller, queries):
        return teller.tell(SILENT, **told)
    return teller.tell_many(
        "{key} has not been shown since {since}: before, {usual} impressions on a usual day, for {n} query.",
        "{key} has not been shown since {since}: before, {usual} impressions on a usual day, for {n} queries.",
        queries,
        **told,
    )


def _known(teller: Teller, figure: str) -> bool:
    try:
        return bool(teller.value(figure))
    except (KeyError, AttributeError):
        return False


def slump(teller: Teller) -> list[Sentence]:
    """Say whether clicks and impressions of the last days are as usual."""
    found: wire.Slumped = teller.reading
    clicks = found.rows[0]
    if clicks.verdict == "too few to tell":
        return [teller.tell("Too few clicks or days to tell whether they fell.")]
    return [_fell(teller, "/rows/0") if clicks.verdict == "fell" else _as_expected(teller)]


def _fell(teller: Teller, at: str) -> Sentence:
    figures = {name: f"count:{at}/{name}" for name in ("now", "days", "expected")}
    return teller.tell(FELL, **figures, since=f"day:{at}/since", change=f"signed_percent:{at}/change")


def _as_expected(teller: Teller) -> Sentence:
    figures = {name: f"count:/rows/0/{name}" for name in ("now", "days", "expected")}
    return teller.tell("{now} clicks in the last {days} days, where {expected} were to be expected.", **figures)


def feeds(teller: Teller) -> list[Sentence]:
    """Name the sources whose days are late."""
    found: wire.Feeds = teller.reading
    at_fault = [teller.tell(FAULTY, key=f"text:/rows/{n}/label") for n, row in enumerate(found.rows) if row.faulty]
    late = [n for n, row in enumerate(found.rows) if row.late]
    if not late:
        return [*at_fault[:3], teller.tell("No source is late.")]
    return [*at_fault[:3], *(_late(teller, f"/rows/{n}") for n in late[:3])]


FAULTY = message("{key} cannot be read any more; see its fault under Sources.")


LATE = message("The days of {label} end on {last}; {due} should be held by now.")


def _late(teller: Teller, at: str) -> Sentence:
    return teller.tell(LATE, label=f"text:{at}/label", last=f"day:{at}/last", due=f"day:{at}/due")


def alarms(teller: Teller) -> list[Sentence]:
    """Say of each alarm what it is, since when, and by how much."""
    found: wire.Alarms = teller.reading
    if not found.rows:
        return [
            teller.tell_many(
                "Nothing calls out; {n} rule was looked at.",
                "Nothing calls out; {n} rules were looked at.",
                "count:/looked_at",
            )
        ]
    return [_alarm(teller, row, f"/rows/{n}") for n, row in enumerate(found.rows[:MOST_TOLD])]


ODD = (
    message("{since} was an odd day: {value} clicks, where {expected} were to be expected."),
    message("{since} was an odd day: {value} impressions, where {expected} were to be expected."),
)


def of_one(row: wire.AlarmRow, language: str) -> str:
    """Say one alarm in a language."""
    found = wire.Alarms(site="", rows=[row], left_out=[], looked_at=1, generation=0, offset=0, matching=1)
    return _alarm(Teller(found, Speech(language)), row, "/rows/0").text


KEYED = {
    "source fault": FAULTY,
    "keyword lost": message("{key} stood at {before} and is no longer found near the top."),
    "written answer came": message("A written answer came to {key} on {since}."),
    "written answer left": message("The written answer at {key} is gone since {since}."),
    "competitor jumped": message("{key} gained {change} of the places where the site stands."),
}


def _alarm(teller: Teller, row: wire.AlarmRow, at: str) -> Sentence:
    facts, key = f"{at}/facts", f"text:{at}/key"
    match row.rule:
        case "page gone":
            return _silent(teller, at, facts)
        case "site fell":
            figures = {name: f"count:{facts}/{name}" for name in ("now", "days", "expected")}
            return teller.tell(FELL, **figures, since=f"day:{at}/since", change=f"signed_percent:{facts}/change")
        case "counting broke":
            told = {name: f"count:{facts}/{name}" for name in ("sessions", "expected")}
            return teller.tell(
                "Counting stopped on {since} at {key}: {sessions} sessions where {expected} were to be expected.",
                key=key,
                since=f"day:{at}/since",
                **told,
            )
        case "odd day":
            told = {name: f"count:{facts}/{name}" for name in ("value", "expected")}
            return teller.tell(ODD[row.key == "impressions"], since=f"day:{at}/since", **told)
        case "index fell":
            told = {name: f"count:{facts}/{name}" for name in ("counted", "counted_before")}
            return teller.tell("Indexed pages fell from {counted_before} to {counted}.", **told)
        case "days late":
            return teller.tell(
                "The days of {label} are late: {due} should be held by now.", label=key, due=f"day:{at}/since"
            )
        case "keyword lost":
            return teller.tell(KEYED[row.rule], key=key, before=f"place:{facts}/before")
        case "competitor jumped":
            return teller.tell(KEYED[row.rule], key=key, change=f"percent:{facts}/change")
        case "written answer came" | "written answer left":
            return teller.tell(KEYED[row.rule], key=key, since=f"day:{at}/since")
        case name if name in KEYED:
            return teller.tell(KEYED[name], key=key)
        case _:
            rule = f"text:{at}/rule"
            return teller.tell("{rule}: {key}.", rule=rule, key=key) if row.key else teller.tell("{rule}.", rule=rule)
