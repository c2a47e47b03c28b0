"""Any reading read out whole, as the plain rows of a file."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date

from noctilum.actions.install import Install
from noctilum.actions.read import open_for, read
from noctilum.wire.operating import AskExport
from noctilum.wire.questions import Question
from noctilum.wire.specs import Plain, ReadingSpec

ROWS_AT_ONCE = 20_000
"""Asked of a reading at once: it is made anew for each page."""


def rows(install: Install, site: str, asked: AskExport, today: date) -> Iterator[Plain]:
    """Read a reading out, page after page where it has pages. Raises what the reading raises."""
    spec, question = asked.reading, asked.put
    question = question.model_copy(
        update={name: value for name, value in spec.whole.items() if not _given(question, name)}
    )
    access = open_for(install, site, question, today)
    if asked.table or not spec.paged:
        yield from spec.plain(read(access, spec, question), asked.table)
        return
    for page in _pages(question, spec):
        answer = read(access, spec, page)
        yield from spec.plain(answer)
        if getattr(page, "offset") + ROWS_AT_ONCE >= answer.matching:  # noqa: B009
            return


def _pages(question: Question, spec: ReadingSpec) -> Iterator[Question]:
    offset = 0
    while True:
        yield question.model_copy(update={spec.paged: ROWS_AT_ONCE, "offset": offset})
        offset += ROWS_AT_ONCE


def _given(question: Question, name: str) -> bool:
    return name in question.model_fields_set and bool(getattr(question, name))
