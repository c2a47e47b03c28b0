"""A document as the page says it: every text written out in the report's language, for HTML and PDF alike."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import groupby

from noctilum.reports.blocks import PAGE_BREAK
from noctilum.reports.document import Document, Made
from noctilum.reports.drawing import about_of, drawn
from noctilum.reports.numbers import readable
from noctilum.reports.shapes import Shape
from noctilum.reports.titles import title_of_block
from noctilum.wire.readings import Reading
from noctilum.words.speech import Speech


@dataclass(frozen=True)
class Section:
    """A block on the page, numbered from 1. commentary: Markdown. why: it is there though it has nothing to show.

    computed: what each figure is from. breaks: a new page begins here, and nothing else.
    """

    number: int
    title: str
    about: str
    commentary: str
    shapes: Sequence[Shape]
    computed: Sequence[str]
    why: str = ""
    long: bool = False
    breaks: bool = False


@dataclass(frozen=True)
class Layout:
    """A report's page from head to foot. colour: one that can be read on white."""

    language: str
    paper: str
    colour: str
    client: str
    logo: str
    head: str
    foot: str
    title: str
    window: str
    summary: Sequence[str]
    sections: Sequence[Section]
    left_out_title: str
    left_out: Sequence[str]
    end: Sequence[str]
    cover: Sequence[str]
    """What stands on a page before the first, from above; empty for none."""
    words: Mapping[str, str]


def laid_out(document: Document) -> Layout:
    """Write a document out."""
    look, speech = document.look, Speech(document.look.language)
    prepared = speech.say("Prepared by {agency} for {client}", agency=look.agency, client=look.client_name)
    return Layout(
        language=look.language,
        paper=document.paper,
        colour=readable(look.colour),
        client=look.client_name,
        logo=look.logo,
        head=speech.say("Search report, {host}", host=document.host),
        foot=(look.footer or prepared) + (" · Noctilum" if look.credit else ""),
        title=document.title,
        window=_window(document, speech),
        summary=document.summary,
        sections=[_section(number, made, speech) for number, made in enumerate(document.blocks, 1)],
        left_out_title=speech.say("Left out of this report, for want of data") if document.left_out else "",
        left_out=_left_out(document),
        end=[*document.head.cautions, _made_on(document, speech)],
        cover=_cover(document, speech),
        words={"of": speech.say("of"), "from": speech.say("What these figures are from"), "save": speech.say("Save")},
    )


def _window(document: Document, speech: Speech) -> str:
    head, n = document.head, speech.numbers
    span = n.span(head.window.first, head.window.last)
    said = [f"{span}."]
    if head.against:
        against = n.span(head.against.first, head.against.last)
        said = [speech.say("{window} against {against}.", window=span, against=against)]
    if head.complete_through:
        held, days = n.count(head.held), n.count(len(head.window))
        through = n.day(head.complete_through)
        said.append(
            speech.say("{held} of {days} days held; complete through {day}.", held=held, days=days, day=through)
        )
    if head.filter_text:
        said.append(speech.say("Only what passes: {filter}.", filter=head.filter_text))
    return " ".join(said)


def _cover(document: Document, speech: Speech) -> Sequence[str]:
    if not document.cover:
        return ()
    n, window, look = speech.numbers, document.head.window, document.look
    host = speech.say("Search report, {host}", host=document.host)
    made = speech.say("{agency}, {day}", agency=look.agency, day=n.day(document.made_on))
    return look.client_name, document.title, host, n.span(window.first, window.last), made


def _left_out(document: Document) -> Sequence[str]:
    by_why = groupby(sorted(document.left_out, key=lambda each: each.why), key=lambda each: each.why)
    return [f"{', '.join(each.block for each in some)}: {why}" for why, some in by_why]


def _made_on(document: Document, speech: Speech) -> str:
    return speech.say(
        "Made on {day}. Click-through is clicks divided by impressions; "
        "position is the average place, weighted by impressions.",
        day=speech.numbers.day(document.made_on),
    )


def _section(number: int, made: Made, speech: Speech) -> Section:
    return Section(
        number=number,
        title=title_of_block(made, speech),
        about=about_of(made, speech),
        commentary=made.spec.commentary,
        shapes=drawn(made, speech),
        computed=computed(made, speech),
        why=made.why,
        long=made.block.long,
        breaks=made.spec.kind == PAGE_BREAK.name,
    )


def computed(made: Made, speech: Speech) -> list[str]:
    """Say what each figure of a block was computed from: reading, grain, window, filter, days held, generation."""
    said = []
    for name, found in made.answers.items():
        if not isinstance(found, Reading):
            continue
        window, against, n = found.window, found.against, speech.numbers
        parts = [made.block.readings[name].reading, speech.say("grain {grain}", grain=found.grain)]
        parts.append(n.span(window.first, window.last))
        if against is not None:
            parts.append(speech.say("against {window}", window=n.span(against.first, against.last)))
        if found.filter_text:
            parts.append(speech.say("only what passes {filter}", filter=found.filter_text))
        parts.append(speech.say("{held} of {days} days held", held=n.count(window.held), days=n.count(window.days)))
        parts.append(speech.say("history {generation}", generation=str(found.generation)))
        said.append(" · ".join(parts))
    return said
