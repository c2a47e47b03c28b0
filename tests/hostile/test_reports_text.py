"""Names in reports are text: never markup, never style."""

import re
import subprocess
from dataclasses import replace

import pytest
from tests.reports.test_report import LOOK, document  # noqa: F401

from noctilum.reports.render import render_html, render_pdf

NAMES = ["Fretsaw & Fern", '"; } body { display: none } @page { @left-top { content: "', "<b>Fern</b>", "a 27 b */ x"]


def looked(document, **changes):  # noqa: F811
    return document(look=replace(LOOK, **changes))


@pytest.mark.parametrize("name", NAMES)
def test_a_name_stands_in_the_footer_as_it_is_written(document, tmp_path, name):  # noqa: F811
    path = tmp_path / "report.pdf"
    path.write_bytes(render_pdf(looked(document, client_name=name, agency=name)))
    text = subprocess.run(["pdftotext", "-layout", path, "-"], capture_output=True, text=True, check=True).stdout
    flat = re.sub(r"\s+", " ", text)
    assert f"Prepared by {name} for" in flat
    assert "&amp;" not in flat


@pytest.mark.parametrize("name", NAMES)
def test_no_text_of_others_goes_into_the_style_sheet(document, name):  # noqa: F811
    html = render_html(looked(document, client_name=name, agency=name, colour=name, accent=name))
    style = html[html.index("<style>") : html.index("</style>")]
    assert name not in style
    assert "display: none }" not in style
