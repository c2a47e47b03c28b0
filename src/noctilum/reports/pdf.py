"""A report's page as PDF, set with Typst; imported late.

What sets it is templates/report.typ, and what it sets is given as JSON: no text of people is ever part of a program.
"""

from __future__ import annotations

import json
import re
from base64 import b64decode
from collections.abc import Mapping
from dataclasses import replace
from functools import lru_cache
from pathlib import Path
from typing import Any

import typst

from noctilum.reports.commentary import as_tree
from noctilum.reports.faces import every_unpacked
from noctilum.reports.layout import Layout, Section

REMEMBERS = 11
PROGRAM = Path(__file__).parent / "templates" / "report.typ"


def write_pdf(layout: Layout) -> bytes:
    """Set a page as PDF: tagged, with bookmarks, every font in it. Nothing is fetched from anywhere.

    A logo that cannot be drawn is left away.
    """
    try:
        return _set(layout)
    except typst.TypstError:
        if not layout.logo:
            raise
        return _set(replace(layout, logo=""))


def _set(layout: Layout) -> bytes:
    written: bytes = typst.compile(PROGRAM, font_paths=_fonts(), sys_inputs=_given(layout))
    _forget()
    return written


def _forget() -> None:
    """Let go of what Typst keeps of a page for the next ten it sets, 25 MB each, as hardly one is like another."""
    for _ in range(REMEMBERS):
        typst.compile(b"", font_paths=_fonts())


def pages_of(layout: Layout) -> tuple[int, dict[int, int]]:
    """Lay a page out in sheets; gives how many there are, and on which, from 1, each section begins, by its number."""
    given = _given(replace(layout, logo=""))
    begins, pages = (
        json.loads(typst.query(PROGRAM, f"<{label}>", field="value", font_paths=_fonts(), sys_inputs=given))
        for label in ("begins", "pages")
    )
    _forget()
    return pages[0], {each["number"]: each["page"] for each in begins}


@lru_cache(maxsize=1)
def _fonts() -> typst.Fonts:
    return typst.Fonts(include_embedded_fonts=False, font_paths=[every_unpacked()])


def _given(layout: Layout) -> dict[str, str]:
    language, _, region = layout.language.replace("_", "-").partition("-")
    known, there = re.fullmatch(r"[A-Za-z]{2,3}", language), re.fullmatch(r"[A-Za-z]{2}", region)
    told = {
        **vars(layout),
        "lang": language if known else "en",
        "region": region.upper() if there else None,
        "sections": [_section(each) for each in layout.sections],
    }
    told["logo"] = _logo(layout.logo)
    return {"report": json.dumps(told, default=vars)}


def _section(section: Section) -> dict[str, Any]:
    return {**vars(section), "commentary": as_tree(section.commentary)}


def _logo(address: str) -> Mapping[str, Any] | None:
    """Give a logo out of its data: address: a drawing as its text, a picture as its bytes."""
    kind, _, body = address.removeprefix("data:image/").partition(";base64,")
    if not body:
        return None
    image = b64decode(body)
    return {"kind": "svg", "body": image.decode()} if kind.startswith("svg") else {"kind": "png", "body": list(image)}


def warm() -> None:
    """Read the machine's fonts ahead of the first report."""
    _fonts()
