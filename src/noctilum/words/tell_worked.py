"""What the reading of the worklist says of itself."""

from __future__ import annotations

from noctilum.wire import trials, work
from noctilum.wire.readings import Sentence
from noctilum.words.teller import Teller, message


def worked(teller: Teller) -> list[Sentence]:
    """Say how much was done, what came of it, and what is still to be done."""
    found: work.Worked = teller.reading
    if not found.done:
        said = [teller.tell("Nothing on the worklist was done in this window.")]
    else:
        said = [teller.tell_many("{n} item was done.", "{n} items were done.", "count:/done")]
        if found.done > found.waits:
            said.append(_came(teller))
        if found.waits:
            said.append(
                teller.tell_many(
                    "{n} was done too lately to be read.", "{n} were done too lately to be read.", "count:/waits"
                )
            )
    refreshed = next((n for n, each in enumerate(found.kinds) if each.kind == "refresh"), None)
    if refreshed is not None and found.kinds[refreshed].done > found.kinds[refreshed].waits:
        said.append(
            teller.tell(
                "Of {done} refreshed, {better} came back.",
                done=f"count:/kinds/{refreshed}/done",
                better=f"count:/kinds/{refreshed}/better",
            )
        )
    if found.open:
        said.append(teller.tell_many("{n} more is planned.", "{n} more are planned.", "count:/open"))
    return said


def _came(teller: Teller) -> Sentence:
    text = message("Better {better}, worse {worse}, no effect can be shown {unclear}, too few to tell {few}.")
    named = {name: f"count:/{name}" for name in ("better", "worse", "unclear", "few")}
    return teller.tell(text, **named)


def trial(teller: Teller) -> list[Sentence]:
    """Say how far a trial is, and what it came to once it may be read."""
    found: trials.TrialRead = teller.reading
    shows = _shows(teller) if found.smallest is not None else []
    if found.state == "planned":
        return [teller.tell("It begins on {day}.", day="day:/trial/starts"), *shows]
    if found.state == "running":
        going = teller.tell_many(
            "It runs: {n} day to go, and nothing is told before.",
            "It runs: {n} days to go, and nothing is told before.",
            "count:/days_to_go",
        )
        return [going, *shows]
    said = [_came_of_trial(teller)]
    if found.state == "ended early":
        said.append(
            teller.tell_many(
                "It was ended early, after {n} week.", "It was ended early, after {n} weeks.", "count:/weeks_after"
            )
        )
        said += shows
    return said


def _came_of_trial(teller: Teller) -> Sentence:
    found: trials.TrialRead = teller.reading
    if found.effect is None:
        return teller.tell("Too few weeks are held to tell.")
    begins = {
        "better": message("Better: {effect} against the control ({low} to {high})."),
        "worse": message("Worse: {effect} against the control ({low} to {high})."),
    }
    plain = message("No effect can be shown: {effect} against the control ({low} to {high}).")
    figures = {name: f"signed_percent:/{name}" for name in ("effect", "low", "high")}
    return teller.tell(begins.get(found.verdict, plain), **figures)


def _shows(teller: Teller) -> list[Sentence]:
    return [teller.tell("It shows a rise of {rise} or more in four of five cases.", rise="signed_percent:/smallest")]


def plan(teller: Teller) -> list[Sentence]:
    """Say what a trial could show, and how long a rise of a tenth would take."""
    found: trials.TrialPlan = teller.reading
    if found.smallest is None:
        return [teller.tell("Too few weeks are held to tell what a trial could show.")]
    said = [
        teller.tell(
            "In {weeks} weeks it would show a rise of {rise} or more in four of five cases.",
            weeks="count:/weeks",
            rise="signed_percent:/smallest",
        )
    ]
    if found.weeks_for_tenth is None:
        said.append(teller.tell("A rise of a tenth could not be shown in a year."))
    else:
        said.append(
            teller.tell_many(
                "A rise of a tenth takes {n} week to show.",
                "A rise of a tenth takes {n} weeks to show.",
                "count:/weeks_for_tenth",
            )
        )
    if not found.rows:
        said.append(teller.tell("Nothing moves alike; it would be set beside the rest of the site."))
    return said
