"""What to know before believing a figure, said in a language."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import date
from typing import Any

from noctilum.wire.readings import Caution
from noctilum.words.speech import Speech

Facts = Mapping[str, Any]


def said(caution: Caution, speech: Speech) -> Caution:
    """Give a caution with its text."""
    return caution.model_copy(update={"text": _SAYING[caution.code](caution.facts, speech)})


def _window_not_full(facts: Facts, speech: Speech) -> str:
    number = speech.numbers.count
    parts = []
    if facts["provisional"]:
        parts.append(
            speech.many(
                "{n} provisional day in no total",
                "{n} provisional days in no total",
                facts["provisional"],
                n=number(facts["provisional"]),
            )
        )
    if facts["missing"]:
        parts.append(speech.say("{n} not held", n=number(facts["missing"])))
    counts = {"held": number(facts["held"]), "days": number(facts["days"])}
    text = speech.say("{held} of {days} days held: {parts}.", parts=", ".join(parts), **counts)
    return _with_change(text, facts, speech)


def _comparison_not_full(facts: Facts, speech: Speech) -> str:
    counts = {name: speech.numbers.count(facts[name]) for name in ("held", "days")}
    return _with_change(speech.say("{held} of {days} days of the comparison held.", **counts), facts, speech)


def _with_change(text: str, facts: Facts, speech: Speech) -> str:
    if facts["change"] != "none":
        return text
    silent = speech.say("No change is given.")
    return _with_day(f"{text} {silent}", facts, speech)


def _with_day(text: str, facts: Facts, speech: Speech) -> str:
    """Add from when on a change is given, where that is known."""
    if "from" not in facts:
        return text
    later = speech.say("Once {day} is complete, a change can be given.", day=_day(facts["from"], speech))
    return f"{text} {later}"


def _day(told: object, speech: Speech) -> str:
    return speech.numbers.day(told if isinstance(told, date) else date.fromisoformat(str(told)))


def _comparison_not_held(facts: Facts, speech: Speech) -> str:
    day = _day(facts["first_held"], speech)
    return _with_day(speech.say("Nothing is held of the comparison: history starts on {day}.", day=day), facts, speech)


def _uneven(facts: Facts, speech: Speech) -> str:
    counts = {name: speech.numbers.count(facts[name]) for name in ("now", "before")}
    times = speech.numbers.decimal(float(facts["times"]), 3)
    return speech.say(
        "{now} held days against {before}: changes take those before for as many days, × {times}.",
        times=times,
        **counts,
    )


def _pairs(facts: Facts, speech: Speech) -> str:
    counts = {name: speech.numbers.count(facts[name]) for name in ("kept", "days")}
    return speech.say("{kept} of {days} day pairs compared; the others left both sums.", **counts)


def _never_seen(facts: Facts, speech: Speech) -> str:
    return speech.say("Never seen on this site: {texts}.", texts=", ".join(f"“{text}”" for text in facts["texts"]))


def _whole_months(facts: Facts, speech: Speech) -> str:
    return speech.many(
        "{n} month is a total that came without days: shown, but in no sum and in no comparison.",
        "{n} months are totals that came without days: shown, but in no sum and in no comparison.",
        facts["months"],
        n=speech.numbers.count(facts["months"]),
    )


def _by_page(_facts: Facts, speech: Speech) -> str:
    return speech.say("Counted by page: a result page that shows two pages of the site counts for both.")


def _withheld(_facts: Facts, speech: Speech) -> str:
    return speech.say("Under a filter on queries nobody knows what was withheld: the total is that of the listed rows.")


def _sets(_facts: Facts, speech: Speech) -> str:
    return speech.say("Sets may share rows and leave rows out: the total is of everything read, not their sum.")


def _shared_days(facts: Facts, speech: Speech) -> str:
    return speech.many(
        "{n} day is in both windows.",
        "{n} days are in both windows.",
        facts["days"],
        n=speech.numbers.count(facts["days"]),
    )


def _grain(name: str, speech: Speech) -> str:
    return {
        "site": speech.say("totals"),
        "query": speech.say("queries"),
        "page": speech.say("pages"),
        "pair": speech.say("queries by page"),
        "look": speech.say("looks"),
    }[name]


def _rows_not_held(facts: Facts, speech: Speech) -> str:
    return speech.many(
        "Of {n} day the totals are held but no {rows}: it counts as not held here.",
        "Of {n} days the totals are held but no {rows}: they count as not held here.",
        facts["days"],
        n=speech.numbers.count(facts["days"]),
        rows=_grain(facts["grain"], speech),
    )


def _sources_left_out(facts: Facts, speech: Speech) -> str:
    return speech.many(
        "{n} source tells no {rows} and is left out.",
        "{n} sources tell no {rows} and are left out.",
        facts["sources"],
        n=speech.numbers.count(facts["sources"]),
        rows=_grain(facts["grain"], speech),
    )


def _stood_in(facts: Facts, speech: Speech) -> str:
    return speech.many(
        "Of {n} day no {lacking} are held: its {rows} are summed instead, and what they leave out is not known.",
        "Of {n} days no {lacking} are held: their {rows} are summed instead, and what they leave out is not known.",
        facts["days"],
        n=speech.numbers.count(facts["days"]),
        lacking=_grain(facts["grain"], speech),
        rows=_grain(facts["by"], speech),
    )


def _checks_lacking(facts: Facts, speech: Speech) -> str:
    counts = {name: speech.numbers.count(facts[name]) for name in ("held", "days")}
    return speech.say("Looked up on {held} of {days} days; what lies between is unknown, and never lost.", **counts)


_SAYING: dict[str, Callable[[Facts, Speech], str]] = {
    "window-not-full": _window_not_full,
    "comparison-not-full": _comparison_not_full,
    "comparison-not-held": _comparison_not_held,
    "uneven-windows": _uneven,
    "pairs-left-out": _pairs,
    "never-seen": _never_seen,
    "whole-months": _whole_months,
    "counted-by-page": _by_page,
    "withheld-unknown": _withheld,
    "sets-overlap": _sets,
    "windows-overlap": _shared_days,
    "rows-not-held": _rows_not_held,
    "sources-left-out": _sources_left_out,
    "stood-in": _stood_in,
    "checks-lacking": _checks_lacking,
}
