"""Why a page or query lost or gained, in a few words."""

from __future__ import annotations

from noctilum.wire.explain import Judgement
from noctilum.words.speech import Speech

PARTS = ("demand", "rank", "appeal", "entered", "left", "unlisted")


def driver_said(name: str, part: float, speech: Speech) -> str:
    """Say what a part of the change in clicks of a whole stands for."""
    rose = {
        "season": speech.say("more people search at this time every year"),
        "demand_beyond": speech.say("more people searched than the season brings"),
        "demand": speech.say("more people searched"),
        "rank": speech.say("it was placed higher"),
        "appeal": speech.say("it was chosen more often when seen"),
        "entered": speech.say("new queries came in"),
        "left": speech.say("queries were lost"),
        "unlisted": speech.say("withheld queries rose"),
    }
    fell = {
        "season": speech.say("fewer people search at this time every year"),
        "demand_beyond": speech.say("fewer people searched than the season brings"),
        "demand": speech.say("fewer people searched"),
        "rank": speech.say("it was placed lower"),
        "appeal": speech.say("it was chosen less often when seen"),
        "unlisted": speech.say("withheld queries fell"),
    }
    return (rose if part > 0 else rose | fell)[name]


def reason(row: Judgement, speech: Speech) -> str:
    """Name the parts that went the way of a row's change: the largest, and the next when it is half as large.

    Of one that rose, but less than its season would have made it (or the other way round), no part tells why; both do.
    """
    if row.gone and row.last_shown:
        day = speech.numbers.day(row.last_shown)
        if row.heir:
            return speech.say("left: last shown on {day}; its queries now show {page}", day=day, page=row.heir)
        return speech.say("left: last shown on {day}", day=day)
    if against := _against_season(row, speech):
        return against
    if not row.split:
        return speech.say("not split: too few days are held")
    parts = {name: getattr(row, name) for name in PARTS}
    sign = 1 if sum(parts.values()) >= 0 else -1
    along = sorted((name for name in PARTS if parts[name] * sign > 0.5), key=lambda name: -abs(parts[name]))
    if not along:
        return speech.say("nothing stands out")
    said = [name for name in along[:2] if abs(parts[name]) >= 0.5 * abs(parts[along[0]])]
    return ", ".join(f"{_part_said(name, sign, speech)} ({speech.numbers.signed(parts[name])})" for name in said)


def _against_season(row: Judgement, speech: Speech) -> str | None:
    """Set a change beside what was to be expected, where what is left of it goes the other way."""
    moved = row.change.clicks_ratio if row.change else None
    if moved is None or row.expected is None or row.beyond_season is None or moved * row.beyond_season >= 0:
        return None
    change, expected = map(speech.numbers.signed_percent, (moved, row.expected))
    return speech.say("{change} where {expected} was to be expected", change=change, expected=expected)


def _part_said(name: str, sign: int, speech: Speech) -> str:
    rose = {
        "demand": speech.say("more searched"),
        "rank": speech.say("placed higher"),
        "appeal": speech.say("chosen more often when seen"),
        "entered": speech.say("new queries"),
        "left": speech.say("queries lost"),
        "unlisted": speech.say("withheld queries up"),
    }
    fell = {
        "demand": speech.say("less searched"),
        "rank": speech.say("placed lower"),
        "appeal": speech.say("chosen less often when seen"),
        "unlisted": speech.say("withheld queries down"),
    }
    return (rose if sign > 0 else rose | fell)[name]
