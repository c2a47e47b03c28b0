"""Arranging readings into a document."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import date
from typing import Any

from noctilum.core.windows import Window
from noctilum.reports.document import Answers, Ask, Block, Document, Head, LeftOut, Look, Made, Wanted, is_answer
from noctilum.wire import readings as wire
from noctilum.wire.explain import Judgement, Judgements
from noctilum.wire.ranks import RankSummary
from noctilum.wire.reports import BlockSpec
from noctilum.words.speech import Speech
from noctilum.words.teller import message

Take = Callable[[Ask, BlockSpec], Any]
"""Takes a reading as a block wants it; gives the reason why there is none, as a text."""

WHOLE = BlockSpec(kind="report")
"""Stands for the report as a whole, which narrows nothing."""


def build(
    look: Look,
    host: str,
    made_on: date,
    blocks: Sequence[Wanted],
    take: Take,
    asked: Window,
    fallers: Callable[[], Judgements | str] = str,
) -> Document:
    """Arrange a report of blocks; the timeline is the head's, else the first reading that has a window.

    asked: the window where nothing is held. fallers: takes the pages that fade, so that a loss behind a good total
    is told, unless a block has them. A block with nothing to show leaves itself out and is listed with the reason.
    """
    speech = Speech(look.language)
    made: list[Made] = []
    left_out: list[LeftOut] = []
    for wanted in blocks:
        block, spec = wanted.block, wanted.spec
        answers = {name: take(ask, spec) for name, ask in block.readings.items()}
        why = _why_not(block, answers, speech)
        if why is None or spec.stay:
            made.append(Made(block, answers, spec, why or ""))
        else:
            left_out.append(LeftOut(spec.title or speech.text(block.title), why, spec.kind))
    found = take(Ask("timeline"), WHOLE)
    line = None if isinstance(found, str) else found
    split = next((each.answers["drivers"] for each in made if "drivers" in each.answers and not each.why), None)
    return Document(
        look=look,
        host=host,
        title=title(line, speech) if line else title_without(made, speech),
        summary=tuple(
            summary(line, split, _fallers(made) or fallers(), speech)
            if line
            else summary_without(made, str(found), speech)
        ),
        made_on=made_on,
        head=head_of(line or _first_reading(made), asked),
        line=line,
        blocks=tuple(made),
        left_out=tuple(left_out),
    )


def _why_not(block: Block, answers: Answers, speech: Speech) -> str | None:
    """Say why a block has nothing to show; None where it has."""
    for found in answers.values():
        if not is_answer(found):
            return str(found)
    why = block.empty(answers)
    return speech.text(why) if why else None


def _fallers(made: Sequence[Made]) -> Judgements | None:
    """Give the pages that fade, where a block has them for the whole report."""
    for each in made:
        ask, spec = each.block.readings.get("answer"), each.spec
        whole = not (spec.window or spec.against or spec.filter) and spec.options == {"item": "page"}
        if ask is not None and ask.reading == "fading" and whole and not each.why:
            found: Judgements = each.answers["answer"]
            return found
    return None


def _first_reading(made: Sequence[Made]) -> Any:
    """Give the first reading of a report that has a window; None where it has none."""
    answers = (found for each in made for found in each.answers.values())
    return next((found for found in answers if isinstance(found, wire.Reading)), None)


def head_of(reading: wire.Reading | None, asked: Window) -> Head:
    """Say which days a report is of, as a reading says."""
    if reading is None:
        return Head(asked, None, 0, settled=False, complete_through=None)
    window, against = reading.window, reading.against
    return Head(
        Window(window.first, window.last),
        Window(against.first, against.last) if against is not None else None,
        window.held,
        settled=window.held == window.days and not window.provisional,
        complete_through=reading.complete_through,
        filter_text=reading.filter_text,
        cautions=tuple(each.text for each in reading.cautions),
    )


def title_without(made: Sequence[Made], speech: Speech) -> str:
    """Say the finding of a report without search in one line: how tracked keywords stand, where there are some."""
    ranks = _ranks(made)
    if ranks is None:
        return speech.say("Nothing is held yet")
    best = message("{top} of {tracked} tracked keywords are in the top ten")
    return speech.say(best, top=speech.numbers.count(ranks.now.top10), tracked=speech.numbers.count(ranks.tracked))


def summary_without(made: Sequence[Made], why: str, speech: Speech) -> list[str]:
    """Write the summary of a report without search: what ranks say, and why there is no more."""
    ranks = _ranks(made)
    said = [each.text for each in ranks.sentences[:2]] if ranks is not None else []
    return [*said, speech.say("No figure from search is in this report: {why}", why=why)]


def _ranks(made: Sequence[Made]) -> RankSummary | None:
    answers = (found for each in made for found in each.answers.values())
    return next((found for found in answers if isinstance(found, RankSummary)), None)


WORTH_SAYING = 0.05
"""A season that changes a site by less is not spoken of in a title."""


def title(line: wire.Timeline, speech: Speech) -> str:
    """Say the finding in one line."""
    change, numbers = line.change, speech.numbers
    if change is None or change.clicks_ratio is None:
        return speech.say("{clicks} clicks from search", clicks=numbers.count(line.now.clicks))
    if abs(change.clicks_ratio) < 0.005:
        return speech.say("Clicks from search held level")
    season = line.season
    if season.verdict == "as every year" and season.expected is not None and abs(season.expected) >= WORTH_SAYING:
        moved = message("Clicks from search: {change}, as every year at this time ({expected})")
        change_said, expected = numbers.signed_percent(season.change), numbers.signed_percent(season.expected)
        return speech.say(moved, change=change_said, expected=expected)
    rose, fell = message("Clicks from search rose by {ratio}"), message("Clicks from search fell by {ratio}")
    return speech.say(rose if change.clicks > 0 else fell, ratio=numbers.percent(abs(change.clicks_ratio)))


def summary(line: wire.Timeline, drivers: wire.Drivers | None, fallers: Judgements | str, speech: Speech) -> list[str]:
    """Write up to four sentences, each backed by a figure of the document."""
    numbers = speech.numbers
    said = [_drew(line, speech)]
    shown = numbers.count(line.now.impressions)
    if line.now.position is None:
        said.append(speech.say("It was shown {shown} times.", shown=shown))
    else:
        at = message("It was shown {shown} times, at place {place} on average.")
        said.append(speech.say(at, shown=shown, place=numbers.place(line.now.position)))
    if drivers is not None and drivers.change.clicks:
        said += [sentence.text for sentence in drivers.sentences[1:2]]
    if not isinstance(fallers, str):
        by_years = fallers.season.basis == "years"
        said += [_lost_most(row, by_years, speech) for row in fallers.rows[:1] if row.verdict == "fading"]
    return said


def _lost_most(row: Judgement, by_years: bool, speech: Speech) -> str:
    """Say which page lost most: beyond its season where an earlier year is held."""
    if by_years and row.beyond_season is not None:
        beyond = message("The page {page} lost most beyond its season: {lost} clicks.")
        return speech.say(beyond, page=row.key, lost=speech.numbers.count(abs(row.beyond_season)))
    lost = speech.numbers.count(abs(row.change.clicks)) if row.change else ""
    return speech.say("The page {page} lost most: {lost} clicks.", page=row.key, lost=lost)


def _drew(line: wire.Timeline, speech: Speech) -> str:
    """Say how many clicks the site drew, and how many more or fewer than before."""
    change, numbers = line.change, speech.numbers
    clicks = numbers.count(line.now.clicks)
    if change is None or line.before is None:
        return speech.say("The site drew {clicks} clicks from search.", clicks=clicks)
    if round(change.clicks) == 0:
        return speech.say("The site drew {clicks} clicks from search, as many as before.", clicks=clicks)
    more = change.clicks > 0
    if change.basis == "scaled":
        rose = message("The site drew {clicks} clicks from search, {by} more than before over as many days.")
        fell = message("The site drew {clicks} clicks from search, {by} fewer than before over as many days.")
    else:
        rose = message("The site drew {clicks} clicks from search, {by} more than before.")
        fell = message("The site drew {clicks} clicks from search, {by} fewer than before.")
    return speech.say(rose if more else fell, clicks=clicks, by=numbers.count(abs(change.clicks)))
