"""Tables in terminals of any width: texts give way, figures and drawn lines never do."""

import pytest
from rich.cells import cell_len

from noctilum.cli import output
from noctilum.cli.fitting import BETWEEN, LEAST, fitted

HEADS = ["page", "verdict", "months down", "30 weeks", "why"]
RIGHT = [False, False, True, False, False]
CELLS = [
    ["/freight/livestock/and/more", "fading", "1,234,567", "▆█▇█▇▇▇▇▇▇▇▇██▇▆", "left: last shown on 27 February 2026"],
    ["/a", "slipping", "−3", "", "nothing stands out"],
]


@pytest.mark.parametrize("room", range(10, 140, 7))
def test_no_figure_and_no_drawn_line_is_cut_and_texts_give_way_only_where_they_must(room):
    widths, heads = fitted(HEADS, CELLS, RIGHT, [None] * 5, room)
    cells = [max(cell_len(row[n]) for row in CELLS) for n in range(5)]
    assert [widths[n] >= cells[n] for n in (2, 3)] == [True, True]
    assert all(width >= min(LEAST, cell) for width, cell in zip(widths, cells, strict=True))
    assert all(cell_len(line) <= w for head, w in zip(heads, widths, strict=True) for line in head.split("\n"))
    whole = [max(cell_len(head), cell) for head, cell in zip(HEADS, cells, strict=True)]
    if sum(whole) + BETWEEN * 5 <= room:
        assert (widths, heads) == (whole, HEADS)
    elif any(widths[n] > LEAST for n in (0, 4)):
        assert sum(widths) + BETWEEN * 5 == room or widths == cells


@pytest.mark.parametrize("room", [30, 80, 120])
def test_a_printed_table_shows_every_figure(room, monkeypatch, capsys):
    monkeypatch.setattr(output, "console", lambda: output.Console(highlight=False, width=room, color_system=None))
    columns = [output.Column(head, right) for head, right in zip(HEADS, RIGHT, strict=True)]
    output.print_table(columns, CELLS, [], [])
    said = capsys.readouterr().out
    assert "1,234,567" in said
    assert "▆█▇█▇▇▇▇▇▇▇▇██▇▆" in said
    assert ("left: last shown on 27 February 2026" in said) == (room == 120)
