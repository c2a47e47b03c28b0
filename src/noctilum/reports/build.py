"""Arranging readings into a document."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from noctilum.reports.document import Document, LeftOut, Look
from noctilum.wire import readings as wire
from noctilum.wire.noted import NoteOut
from noctilum.words.numbers import Numbers


def build(
    look: Look,
    host: str,
    made_on: date,
    line: wire.Timeline,
    drivers: wire.Drivers | str,
    queries: wire.Breakdown | str,
    pages: wire.Breakdown | str,
    fallers: wire.Breakdown | str,
    notes: Sequence[NoteOut] = (),
) -> Document:
    """Arrange a search report. Of each reading but line the reason may be given why there is none.

    fallers: pages by what they lost, so that a loss behind a good total is told. notes: those of the window,
    which are numbered on the chart.

    A block with nothing to show leaves itself out and is listed with the reason.
    """
    left_out = []
    if isinstance(drivers, str):
        left_out.append(LeftOut("What moved the clicks", drivers))
    for name, item, found in (("Top queries", "query", queries), ("Top pages", "page", pages)):
        if isinstance(found, str):
            left_out.append(LeftOut(name, found))
        elif not found.rows:
            left_out.append(LeftOut(name, f"no {item} was listed in the window."))
    if not notes:
        left_out.append(LeftOut("Dated notes", "none lies in the window."))
    numbers = Numbers(look.language)
    return Document(
        look=look,
        host=host,
        title=title(line, numbers),
        summary=tuple(summary(line, None if isinstance(drivers, str) else drivers, fallers, numbers)),
        made_on=made_on,
        line=line,
        drivers=None if isinstance(drivers, str) else drivers,
        queries=_with_rows(queries),
        pages=_with_rows(pages),
        notes=tuple(sorted(notes, key=lambda note: (note.first, note.id))),
        left_out=tuple(left_out),
    )


def _with_rows(found: wire.Breakdown | str) -> wire.Breakdown | None:
    return found if not isinstance(found, str) and found.rows else None


def title(line: wire.Timeline, numbers: Numbers) -> str:
    """Say the finding in one line."""
    change = line.change
    if change is None or change.clicks_ratio is None:
        return f"{numbers.count(line.now.clicks)} clicks from search"
    if abs(change.clicks_ratio) < 0.005:
        return "Clicks from search held level"
    verb = "rose" if change.clicks > 0 else "fell"
    return f"Clicks from search {verb} by {numbers.percent(abs(change.clicks_ratio))}"


def summary(
    line: wire.Timeline, drivers: wire.Drivers | None, fallers: wire.Breakdown | str, numbers: Numbers
) -> list[str]:
    """Write up to four sentences, each backed by a figure of the document."""
    now, before, change = line.now, line.before, line.change
    shown = f"It was shown {numbers.count(now.impressions)} times"
    said = []
    if change is None or before is None:
        said.append(f"The site drew {numbers.count(now.clicks)} clicks from search.")
    else:
        more = "more" if change.clicks > 0 else "fewer"
        amount = numbers.count(abs(change.clicks))
        if change.basis == "scaled" and round(change.clicks):
            drew = f"The site drew {numbers.count(now.clicks)} clicks from search"
            said.append(f"{drew}, {amount} {more} than before over as many days.")
        elif round(change.clicks) == 0:
            said.append(f"The site drew {numbers.count(now.clicks)} clicks from search, as many as before.")
        else:
            said.append(f"The site drew {numbers.count(now.clicks)} clicks from search, {amount} {more} than before.")
    if now.position is not None:
        shown += f", at place {numbers.place(now.position)} on average"
    said.append(shown + ".")
    if drivers is not None and drivers.change.clicks:
        said += [sentence.text for sentence in drivers.sentences[1:2]]
    if not isinstance(fallers, str) and (faller := _largest_fall(fallers)):
        fell = numbers.count(abs(faller.change.clicks)) if faller.change else ""
        said.append(f"The page {faller.key} lost most: {fell} clicks.")
    return said


def _largest_fall(fallers: wire.Breakdown) -> wire.Row | None:
    """The page with the largest fall, where its numbers can bear a statement and it is a hundredth of the total."""
    falling = [row for row in fallers.rows if row.change and row.change.clicks < 0 and row.verdict is None]
    worst = min(falling, key=lambda row: row.change.clicks if row.change else 0, default=None)
    if worst is None or worst.change is None or fallers.total.now.clicks == 0:
        return None
    return worst if abs(worst.change.clicks) >= 0.01 * fallers.total.now.clicks else None
