"""Charts of a report as SVG text, drawn with matplotlib."""

from __future__ import annotations

import io
import re
from collections.abc import Callable, Sequence
from datetime import date
from typing import Any

import matplotlib as mpl
from matplotlib.axes import Axes
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.backends.backend_svg import FigureCanvasSVG
from matplotlib.figure import Figure
from matplotlib.font_manager import FontProperties
from matplotlib.lines import Line2D
from matplotlib.patches import Polygon
from matplotlib.text import Text
from matplotlib.ticker import FuncFormatter, MaxNLocator

from noctilum.reports.faces import packed, unpacked
from noctilum.reports.numbers import places_text, points_text, ratio_text
from noctilum.wire import readings as wire
from noctilum.wire.noted import NoteOut
from noctilum.words.speech import Speech
from noctilum.words.teller import message

NAMES = {
    "clicks": message("Clicks"),
    "impressions": message("Impressions"),
    "ctr": message("Click-through"),
    "position": message("Position"),
}
HUES = {"clicks": "#2A7558", "impressions": "#4A5765", "ctr": "#8C1B50", "position": "#7D6200"}
BETTER, WORSE, LEVEL = "#1C5C98", "#A63F17", "#544C40"
NOTE = "#875200"
GHOST, RULE, INK, INK2 = "#918875", "#DED5C2", "#241F19", "#544C40"
WIDTH = 7.0
TEXT_FACE = "Archivo"

_STYLE: Any = {
    "svg.fonttype": "none",
    "svg.hashsalt": "noctilum",
    "font.size": 8.5,
    "text.color": INK2,
    "axes.edgecolor": RULE,
}
_TONES: dict[wire.Way, str] = {"better": BETTER, "worse": WORSE, "level": LEVEL}


def storyline(line: wire.Timeline, speech: Speech, notes: Sequence[NoteOut] = ()) -> str:
    """Draw the storyline as an inline SVG element, as of storyline_figure."""
    return _svg(storyline_figure(line, speech, notes))


def storyline_figure(line: wire.Timeline, speech: Speech, notes: Sequence[NoteOut] = ()) -> Figure:
    """Draw four strips on one time axis: clicks, impressions, click-through, position (best up).

    Days not held break the line; provisional days are dashed with open dots. Before is a thin ghost,
    aligned day for day. Notes are lines through all strips, numbered at their top in the order given.
    """
    with mpl.rc_context(_STYLE):
        figure = Figure(figsize=(WIDTH, 4.05))
        strips = figure.subplots(4, 1, sharex=True, gridspec_kw={"hspace": 0.16})
        figure.subplots_adjust(left=0.205, right=0.925, top=0.945 if notes else 0.985, bottom=0.06)
        for axes, name in zip(strips, NAMES, strict=True):
            _strip(axes, line, name, speech)
            _gutter(figure, axes, line, name, speech)
            _note_lines(axes, line, notes, numbered=axes is strips[0])
        _time_axis(strips[-1], line, speech)
        return figure


def _strip(axes: Axes, line: wire.Timeline, name: str, speech: Speech) -> None:
    now = [_value(p, name) for p in line.points]
    days = [_at(p.start) for p in line.points]
    before = [_value(p, name) for p in line.before_points]
    if before:
        shared = min(len(days), len(before))
        axes.plot(days[:shared], before[:shared], color=GHOST, linewidth=0.9)
    if name == "clicks":
        _band(axes, line.expected)
    axes.plot(days, now, color=HUES[name], linewidth=1.5)
    if line.tail:
        tail_days = [_at(p.start) for p in (line.points[-1], *line.tail)]
        tail = [_value(p, name) for p in (line.points[-1], *line.tail)]
        axes.plot(
            tail_days,
            tail,
            color=HUES[name],
            linewidth=1,
            linestyle=(0, (2, 2)),
            marker="o",
            markersize=2.6,
            markerfacecolor="white",
            markeredgewidth=0.8,
            markevery=slice(1, None),
        )
        axes.axvspan(_at(line.points[-1].end) + 0.5, tail_days[-1] + 0.5, color="#F1ECE0", linewidth=0)
    if name == "position":
        axes.invert_yaxis()
    _quiet(axes, lambda value: _tick(name, value, speech))


def _quiet(axes: Axes, tick: Callable[[float], str]) -> None:
    """Leave of the axes what is read: figures at the right, and lines at them."""
    for side in ("top", "right", "left"):
        axes.spines[side].set_visible(False)
    axes.yaxis.tick_right()
    axes.yaxis.set_major_locator(MaxNLocator(nbins=2, min_n_ticks=2))
    axes.yaxis.set_major_formatter(FuncFormatter(lambda value, _: tick(value)))
    axes.tick_params(axis="both", length=0, labelsize=7.5, labelcolor=INK2)
    axes.grid(axis="y", color=RULE, linewidth=0.6)
    axes.set_axisbelow(True)


def _band(axes: Axes, expected: Sequence[wire.Expectation]) -> None:
    """Shade what earlier years let expect; nothing where none is held."""
    told = [(_at(e.start), e.low, e.high) for e in expected if e.low is not None and e.high is not None]
    if told:
        days, low, high = zip(*told, strict=True)
        axes.fill_between(days, low, high, color=HUES["clicks"], alpha=0.16, linewidth=0)


def _note_lines(axes: Axes, line: wire.Timeline, notes: Sequence[NoteOut], *, numbered: bool) -> None:
    """Draw a line where each note begins, or where the window does when it began before."""
    for n, note in enumerate(notes, start=1):
        at = _at(max(note.first, line.window.first))
        axes.axvline(at, color=NOTE, linewidth=0.8, zorder=1)
        if numbered:
            where = axes.get_xaxis_transform()
            axes.text(at, 1.06, str(n), transform=where, ha="center", va="bottom", fontsize=7, color=NOTE)


def _at(day: date) -> int:
    return day.toordinal()


def _value(point: wire.Point, name: str) -> float:
    found = getattr(point, name)
    return float("nan") if found is None else float(found)


def _tick(name: str, value: float, speech: Speech) -> str:
    if name == "ctr":
        return speech.numbers.percent(value)
    return speech.numbers.place(value) if name == "position" else speech.numbers.count(value)


def _gutter(figure: Figure, axes: Axes, line: wire.Timeline, name: str, speech: Speech) -> None:
    """Write a strip's name, total and change at its left."""
    box = axes.get_position()
    top, step = box.y1 - 0.012, 0.048
    figure.text(0.0, top, speech.text(NAMES[name]), color=HUES[name], fontsize=8.5, fontweight="bold", va="top")
    figure.text(0.0, top - step * 0.85, _total(line.now, name, speech), color=INK, fontsize=12, va="top")
    text, tone = _change(line, name, speech)
    if text:
        y = top - step * 2.05
        indent = 0.0
        if tone != "level":
            up = (tone == "better") if name == "position" else text.startswith("+")
            figure.add_artist(
                Line2D([0.008], [y - 0.014], marker="^" if up else "v", color=_TONES[tone], markersize=3.6, linewidth=0)
            )
            indent = 0.02
        figure.text(indent, y, text, color=_TONES[tone], fontsize=8.5, va="top")
    if name == "position":
        figure.text(
            box.x0 - 0.008, top, speech.text(message("best up")), color=INK2, fontsize=7.5, va="top", ha="right"
        )


def _total(now: wire.Figures, name: str, speech: Speech) -> str:
    value = getattr(now, name)
    if name == "ctr":
        return speech.numbers.percent(value, 2)
    return speech.numbers.place(value) if name == "position" else speech.numbers.count(value)


def _change(line: wire.Timeline, name: str, speech: Speech) -> tuple[str, wire.Way]:
    change = line.change
    if change is None:
        return "", "level"
    difference = getattr(change, name)
    tone: wire.Way = getattr(change.ways, name)
    if name == "ctr":
        return points_text(speech, difference), tone
    if name == "position":
        return places_text(speech, change), tone
    return ratio_text(speech, getattr(change, f"{name}_ratio")), tone


def _time_axis(axes: Axes, line: wire.Timeline, speech: Speech) -> None:
    points = [*line.points, *line.tail]
    every = max(1, len(points) // 5)
    shown: Sequence[date] = [p.start for p in points[::every]]
    axes.set_xticks([_at(day) for day in shown], [speech.numbers.short_day(day) for day in shown])
    axes.set_xlim(_at(points[0].start) - 0.5, _at(points[-1].start) + 0.5)


CURVE_HUES = (HUES["clicks"], GHOST, HUES["ctr"], HUES["position"])


def curves(
    days: Sequence[date], drawn: Sequence[tuple[str, Sequence[float | None]]], speech: Speech, *, best_up: bool = False
) -> str:
    """Draw figures over days as curves on one axis, as an inline SVG element; what is not known breaks a curve.

    drawn: what each curve is, and a figure a day. best_up: they are places, the first above.
    """
    with mpl.rc_context(_STYLE):
        figure = Figure(figsize=(WIDTH, 2.2))
        axes = figure.add_axes((0.03, 0.11, 0.895, 0.75))
        along = [_at(day) for day in days]
        for hue, (title, values) in zip(CURVE_HUES, drawn, strict=False):
            known = [float("nan") if value is None else float(value) for value in values]
            axes.plot(along, known, color=hue, linewidth=1.4, label=title)
        if best_up:
            axes.invert_yaxis()
        _quiet(axes, lambda value: speech.numbers.place(value) if best_up else speech.numbers.count(value))
        axes.legend(loc="lower right", bbox_to_anchor=(1.0, 1.0), ncols=len(drawn), frameon=False, fontsize=8)
        shown = list(days)[:: max(1, len(days) // 5)]
        axes.set_xticks([_at(day) for day in shown], [speech.numbers.short_day(day) for day in shown])
        axes.set_xlim(along[0] - 0.5, along[-1] + 0.5)
        return _svg(figure)


DRIVER_WORDS = {
    "season": (message("Season"), message("as every year at this time"), message("as every year at this time")),
    "demand_beyond": (
        message("Demand beyond season"),
        message("more people than the season brings"),
        message("fewer people than the season brings"),
    ),
    "demand": (message("Demand"), message("more people searching"), message("fewer people searching")),
    "rank": (message("Rank"), message("placed higher"), message("placed lower")),
    "appeal": (message("Appeal"), message("chosen more often when seen"), message("chosen less often when seen")),
    "entered": (message("New queries"), message("not seen before"), message("not seen before")),
    "left": (message("Lost queries"), message("seen before, not now"), message("seen before, not now")),
    "unlisted": (message("Unlisted"), message("withheld by the source"), message("withheld by the source")),
}


ROW_HEIGHT = 0.3
"""Inches that one part of a change takes."""


def drivers(found: wire.Drivers, speech: Speech) -> str:
    """Draw the drivers as an inline SVG element, as of drivers_figure."""
    return _svg(drivers_figure(found, speech))


def drivers_figure(found: wire.Drivers, speech: Speech) -> Figure:
    """Draw the parts of a change as floating bars between posts for before and now."""
    with mpl.rc_context(_STYLE):
        parts, numbers = found.ladder, speech.numbers
        rows = len(parts) + 2
        figure = Figure(figsize=(WIDTH, ROW_HEIGHT * rows))
        axes = figure.add_axes((0.25, 0.02, 0.62, 0.96))
        at = before = found.before.clicks * found.times
        ends = [at]
        _post(axes, at, rows - 0.5)
        _row_words(figure, axes, 0, rows, (speech.text(message("Before")), ""), numbers.count(before), INK)
        for place, (name, part) in enumerate(parts.items(), start=1):
            title, more, fewer = map(speech.text, DRIVER_WORDS[name])
            _bar(axes, at, part, rows - place - 0.5, name)
            tone = _tone(name, part)
            said = more if part >= 0 else fewer
            _row_words(figure, axes, place, rows, (title, said), numbers.signed(part), tone)
            at += part
            ends.append(at)
        _post(axes, at, 0.5)
        now = numbers.count(found.now.clicks)
        _row_words(figure, axes, rows - 1, rows, (speech.text(message("Now")), ""), now, INK)
        pad = max(1.0, (max(ends) - min(ends)) * 0.06)
        axes.set_xlim(min(ends) - pad, max(ends) + pad)
        axes.set_ylim(0, rows)
        axes.axis("off")
        return figure


def _post(axes: Axes, at: float, y: float) -> None:
    axes.plot([at, at], [y - 0.3, y + 0.3], color=INK, linewidth=1.8)


def _tone(name: str, part: float) -> str:
    """A season is earned by nobody, for better or worse."""
    return INK2 if name == "season" else BETTER if part >= 0 else WORSE


def _bar(axes: Axes, start: float, part: float, y: float, name: str) -> None:
    tone = GHOST if name == "season" else _tone(name, part)
    low, high = sorted((start, start + part))
    body = Polygon([(low, y - 0.27), (high, y - 0.27), (high, y + 0.27), (low, y + 0.27)], closed=True, linewidth=0.8)
    if name == "unlisted":
        body.set(facecolor="white", edgecolor=tone, hatch="/////")
    else:
        body.set(facecolor=tone, edgecolor=tone)
    axes.add_patch(body)
    axes.plot([start, start], [y + 0.27, y + 0.73], color=GHOST, linewidth=0.7, linestyle=(0, (1, 2)))


def _row_words(figure: Figure, axes: Axes, row: int, rows: int, words: tuple[str, str], number: str, tone: str) -> None:
    """Write what a row is beside its bar, rows counted from the top."""
    place = axes.get_position()
    step = place.height / rows
    height = place.y0 + place.height - step * (row + 0.5)
    name, said = words
    lift = 0.22 * step if said else 0.0
    figure.text(0.0, height + lift, name, color=INK, fontsize=8.5, fontweight="bold", va="center")
    if said:
        figure.text(0.0, height - 0.24 * step, said, color=INK2, fontsize=7.5, va="center")
    figure.text(1.0, height, number, color=tone, fontsize=9, fontweight="bold", va="center", ha="right")
    figure.add_artist(Line2D([0, 1], [height - step / 2] * 2, color=RULE, linewidth=0.5))


FACES = {"normal": "archivo-400", "bold": "archivo-700"}
"""The weights that charts are lettered in → the face of each."""
_FONT = re.compile(r"font-family: 'DejaVu Sans'[^;\"]*")


def _svg(figure: Figure) -> str:
    """Write a figure as an inline SVG element, its text in the report's own face."""
    return _drawn(figure).replace("<svg ", '<svg aria-hidden="true" ', 1)


def _drawn(figure: Figure) -> str:
    with mpl.rc_context(_STYLE):
        FigureCanvasSVG(figure)
        stream = io.StringIO()
        unsaid = {"Date": None, "Creator": None, "Format": None, "Type": None}
        figure.savefig(stream, format="svg", transparent=True, metadata=unsaid)
    text = stream.getvalue()
    return _FONT.sub(f"font-family: '{TEXT_FACE}', sans-serif", text[text.index("<svg") :])


def svg_file(figure: Figure) -> bytes:
    """Write a figure as an SVG file that stands alone, with the report's face in it."""
    faces = "".join(
        f"@font-face{{font-family:'{TEXT_FACE}';font-weight:{weight};src:url({packed(name)})}}"
        for weight, name in FACES.items()
    )
    return _drawn(figure).replace(">", f"><style>{faces}</style>", 1).encode()


def png_file(figure: Figure) -> bytes:
    """Write a figure as PNG on white, 200 dots an inch, in the report's face."""
    for text in figure.findobj(Text):
        text.set_fontproperties(_face(float(text.get_fontsize()), text.get_fontweight()))
    FigureCanvasAgg(figure)
    out = io.BytesIO()
    figure.savefig(out, format="png", dpi=200, facecolor="white", metadata={"Software": None})
    return out.getvalue()


def _face(size: float, weight: str | int) -> FontProperties:
    bold = weight in ("bold", "semibold") or (isinstance(weight, int) and weight >= 600)
    return FontProperties(fname=str(unpacked(FACES["bold" if bold else "normal"])), size=size)
