"""Drawing each block as shapes, in the report's language; said once for every kind of page."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from noctilum.reports import charts
from noctilum.reports.blocks import MOST_ROWS
from noctilum.reports.document import Made
from noctilum.reports.numbers import places_text, written
from noctilum.reports.shapes import (
    Cell,
    Chart,
    Fact,
    Facts,
    Grid,
    Head,
    Key,
    Ladder,
    Listing,
    Mark,
    Row,
    Rung,
    Shape,
    Side,
    Step,
    Table,
    Way,
    Words,
)
from noctilum.reports.tables import columns_of, rows_of
from noctilum.reports.titles import title_of_block
from noctilum.wire import readings as wire
from noctilum.wire.catalogue import READINGS
from noctilum.wire.columns import Column
from noctilum.wire.specs import ReadingSpec
from noctilum.words.describe import title_of
from noctilum.words.speech import Speech
from noctilum.words.teller import message

UNKNOWN = "–"
DENSE_FROM = 8
"""Columns from which a table is set smaller."""
LEAST_CURVE = 4
"""Rows from which a reading over time is drawn."""
LADDER_STEPS = 31
"""Steps of time that fit the width of a page."""


def drawn(made: Made, speech: Speech) -> Sequence[Shape]:
    """Draw a block; nothing for one that stays though it has nothing to show."""
    return [] if made.why else _DRAWING[made.block.draw](made, speech)


def about_of(made: Made, speech: Speech) -> str:
    """Say what stands beside a block's title."""
    if made.why or not made.block.about:
        return ""
    found = made.answers.get("drivers")
    filled = {"change": speech.numbers.signed(found.change.clicks)} if found is not None else {}
    return speech.say(made.block.about, **filled)


def _nothing(_made: Made, _speech: Speech) -> Sequence[Shape]:
    return []


def _headline(made: Made, speech: Speech) -> Sequence[Shape]:
    line, n, say = made.answers["line"], speech.numbers, speech.say
    now, before, change = line.now, line.before, line.change
    ratio = n.signed_percent(change.clicks_ratio) if change and change.clicks_ratio is not None else ""
    moved = change is not None and change.position is not None

    def fact(name: str, text: Callable[[Any], str], value: str, told: str = "", way: Way = "level") -> Fact:
        was = say("{value} before", value=text(getattr(before, value))) if before else ""
        return Fact(name, text(getattr(now, value)), told, way, was)

    def rate(value: Any) -> str:
        return n.percent(value, 2)

    way: Way = change.ways.position if moved else "level"
    return [
        Facts(
            [
                fact(say("Clicks"), n.count, "clicks", ratio, change.ways.clicks if change else "level"),
                fact(say("Impressions"), n.count, "impressions"),
                fact(say("Click-through"), rate, "ctr"),
                fact(say("Position"), n.place, "position", places_text(speech, change) if change else "", way),
            ]
        )
    ]


def _storyline(made: Made, speech: Speech) -> Sequence[Shape]:
    line, n, say = made.answers["line"], speech.numbers, speech.say
    legend = [Key("now", say("now"))]
    if line.against:
        legend.append(Key("ghost", say("before")))
    if line.expected:
        legend.append(Key("band", say("clicks as every year")))
    if line.tail:
        legend.append(Key("", "· " + say("dashed: provisional, in no total")))
    names = (say("Clicks"), say("Impressions"), say("Click-through"), say("Position"))

    def figures(found: Any) -> Sequence[str]:
        if not found:
            return (UNKNOWN,) * len(names)
        return n.count(found.clicks), n.count(found.impressions), n.percent(found.ctr, 2), n.place(found.position)

    heads = (say("Measure"), say("Now"), say("Before"))
    told = [heads, *zip(names, figures(line.now), figures(line.before), strict=True)]
    svg = charts.storyline(line, speech, made.answers["notes"])
    return [Chart(svg, say("Figures of the window"), told, headed=True, legend=legend)]


def _drivers(made: Made, speech: Speech) -> Sequence[Shape]:
    found = made.answers["drivers"]
    words, signed = charts.DRIVER_WORDS, speech.numbers.signed
    told = [(speech.text(words[name][0]), signed(part)) for name, part in found.ladder.items()]
    return [Chart(charts.drivers(found, speech), speech.say("What moved the clicks"), told)]


def _notes(made: Made, speech: Speech) -> Sequence[Shape]:
    n = speech.numbers

    def line(note: Any) -> str:
        days = n.day(note.first) if note.first == note.last else n.span(note.first, note.last)
        of = note.page or note.set
        return f"{days}: {note.text}" + (f" ({of})" if of else "")

    return [Listing([line(note) for note in made.answers["notes"]])]


FIGURES = (
    message("Clicks now"),
    message("before"),
    message("change"),
    message("Impressions"),
    message("Click-through"),
    message("Position"),
    message("places"),
)


def _breakdown(made: Made, speech: Speech) -> Sequence[Shape]:
    found, n, say = made.answers["table"], speech.numbers, speech.say
    name = say("Query") if found.dimension == "query" else say("Page")
    heads = [Head(name), *(Head(speech.text(each), number=True) for each in FIGURES)]
    rows = [Row(_figures(row.key, row, speech, strong=True)) for row in found.rows]
    if found.rest:
        rows.append(Row(_figures(say("{n} more", n=n.count(found.rest.rows)), found.rest, speech), "rest"))
    if found.unlisted:
        rows.append(Row(_figures(say("Unlisted (withheld by the source)"), found.unlisted, speech), "rest"))
    if found.total:
        rows.append(Row(_figures(say("Total"), found.total, speech), "sum"))
    return [Table(heads, rows)]


def _figures(name: str, row: Any, speech: Speech, *, strong: bool = False) -> Sequence[Cell]:
    """Write a row of a breakdown; places are told of single rows (strong) alone, as the rest is no row of its own."""
    n = speech.numbers
    return [
        Cell(name),
        Cell(n.count(row.now.clicks), strong=strong),
        Cell(n.count(row.before.clicks) if row.before else UNKNOWN, aside=True),
        _change(row, speech),
        Cell(n.count(row.now.impressions)),
        Cell(n.percent(row.now.ctr)),
        Cell(n.place(row.now.position)),
        _places(row.change, speech) if strong else Cell(""),
    ]


def _change(row: Any, speech: Speech) -> Cell:
    if getattr(row, "verdict", None):
        return Cell(speech.say("too few to tell"), "few")
    if row.change is None:
        return Cell(UNKNOWN)
    by = row.change.clicks
    if round(by) == 0:
        return Cell(speech.say("level"), "level")
    return Cell(speech.numbers.signed(by), row.change.ways.clicks, "up" if by > 0 else "down")


def _places(change: wire.Change | None, speech: Speech) -> Cell:
    if change is None or change.position is None:
        return Cell(UNKNOWN)
    way = change.ways.position
    mark: Mark = "" if way == "level" else "up" if way == "better" else "down"
    return Cell(places_text(speech, change), way, mark)


def _ladder(made: Made, speech: Speech) -> Sequence[Shape]:
    found, say = made.answers["ladder"], speech.say
    steps = found.steps[-LADDER_STEPS:]
    ends = (0, len(steps) - 1)
    over = [str(s.last.day) if at in ends or s.last.day in (1, 10, 20) else "" for at, s in enumerate(steps)]
    rungs = [
        Rung(
            row.term,
            f"{row.place or row.track[-2:]} {row.device}",
            [_step(cell) for cell in row.cells[-LADDER_STEPS:]],
            _moved(row, speech),
        )
        for row in found.rows
    ]
    return [Ladder(say("Keyword"), over, say("change"), rungs)]


BANDS = (1, 3, 10, 20, 50)
"""The last rank of each band of the ladder but the last two: beyond 50, and not found."""


def _step(cell: float | None) -> Step:
    if cell is None:
        return Step(0, "")
    rank = round(cell)
    if rank == 0:
        return Step(len(BANDS) + 2, "n/f")
    return Step(next((n for n, last in enumerate(BANDS, 1) if rank <= last), len(BANDS) + 1), str(rank))


def _moved(row: Any, speech: Speech) -> Cell:
    count, say = speech.numbers.count, speech.say
    if row.movement == "up":
        return Cell(count(-row.change), "better", "up")
    if row.movement == "down":
        return Cell(count(row.change), "worse", "down")
    if row.movement == "lost":
        return Cell(say("lost"), "worse")
    if row.movement == "entered":
        return Cell(say("new"), "better")
    return Cell(say("level") if row.movement == "same" else UNKNOWN)


def _table(made: Made, speech: Speech) -> Sequence[Shape]:
    """Write a reading as the table of the columns that people are shown, or those chosen, series left to charts."""
    answer = made.answers["answer"]
    spec = READINGS.of(answer)
    sentences = " ".join(each.text for each in getattr(answer, "sentences", []))
    shapes: list[Shape] = [Words(sentences)] if sentences else []
    rows = rows_of(made, answer)
    if spec.curves and len(rows) >= LEAST_CURVE:
        shapes.append(_curves(spec, made, speech))
        if len(rows) > MOST_ROWS and not made.spec.columns:
            return shapes
    columns = _with_series(spec, made)
    if columns:
        written_rows = [
            Row([_cell(each, each.value(row), speech, answer) for each in columns])
            for row in rows[: made.spec.limit or MOST_ROWS]
        ]
        heads = [Head(title_of(each, speech, answer), each.is_number) for each in columns]
        shapes.append(Table(heads, written_rows, dense=len(columns) >= DENSE_FROM))
    return shapes


def _with_series(spec: ReadingSpec, made: Made) -> Sequence[Column]:
    """Give a table's columns, with the lines that people are shown besides after the first."""
    columns = list(columns_of(made))
    if made.spec.columns or not columns:
        return columns
    rows = spec.found(made.answers["answer"])
    lines = [each for each in spec.shown() if each.kind == "series" and any(each.value(row) for row in rows)]
    return [columns[0], *lines, *columns[1:]]


def _cell(column: Column, value: Any, speech: Speech, answer: Any) -> Cell:
    if column.kind == "series":
        return Cell("", curve=tuple(value or ()))
    return Cell(written(column, value, speech, answer))


def _curves(spec: ReadingSpec, made: Made, speech: Speech) -> Shape:
    """Draw a reading over time; ranks stand best up, and one that was not found breaks its line."""
    answer = made.answers["answer"]
    rows = spec.found(answer)
    columns = {each.name: each for each in spec.columns()}
    along, *told = spec.columns()[0], *(columns[name] for name in spec.curves)
    days = [along.value(row) for row in rows]
    titles = [title_of(each, speech, answer) for each in told]
    values = [[each.value(row) or (None if each.kind == "place" else each.value(row)) for row in rows] for each in told]
    curves = [(title, some) for title, some in zip(titles, values, strict=True) if any(v is not None for v in some)]
    svg = charts.curves(days, curves, speech, best_up=told[0].kind == "place")
    ends = (0, len(rows) - 1)
    heads = (title_of(along, speech, answer), *titles)
    said = [[written(each, each.value(rows[at]), speech, answer) for each in (along, *told)] for at in ends]
    return Chart(svg, title_of_block(made, speech), [heads, *said], headed=True)


def _local_grid(made: Made, speech: Speech) -> Sequence[Shape]:
    """Draw the points of a grid as they lie, north above."""
    found = made.answers["answer"]
    size = range(found.size)

    def laid(point: Callable[[Any], Step]) -> Sequence[Sequence[Step]]:
        steps = {(row.down, row.across): point(row) for row in found.rows}
        return [[steps.get((down, across), _step(None)) for across in size] for down in size]

    sides = [Side(speech.say("now"), laid(lambda row: _step((row.rank or 0) if row.checked else None)))]
    if found.before is not None:
        was = laid(lambda row: _step(row.before if row.moved == "unknown" else row.before or 0))
        sides.append(Side(speech.say("before"), was))
    sentences = " ".join(each.text for each in found.sentences)
    return [Words(sentences), Grid(sides, speech.say("Ranks at each point, north above; n/f is not found."))]


_DRAWING: Mapping[str, Callable[[Made, Speech], Sequence[Shape]]] = {
    "nothing": _nothing,
    "headline": _headline,
    "storyline": _storyline,
    "drivers": _drivers,
    "notes": _notes,
    "breakdown": _breakdown,
    "ladder": _ladder,
    "local-grid": _local_grid,
    "table": _table,
}
