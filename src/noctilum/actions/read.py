"""Reading a site: from a reading's specification and a question to an answer that says itself."""

from __future__ import annotations

from datetime import date
from typing import Any

from pydantic import BaseModel

from noctilum.actions.install import Install
from noctilum.actions.site_access import open_site
from noctilum.readings.site_access import SiteAccess
from noctilum.readings.term_facts import beside_terms
from noctilum.wire.catalogue import READINGS
from noctilum.wire.questions import LifeQuery, Question, Windowed
from noctilum.wire.specs import ReadingSpec, resolved
from noctilum.words.tell import told


def open_for(install: Install, site: str, question: Question, today: date | None = None) -> SiteAccess:
    """Open a site for a question, which may name an engine or a source. Raises NotThere."""
    source = question.source if _narrows(question) else None  # type: ignore[attr-defined]
    engine = question.engine if _narrows(question) else None  # type: ignore[attr-defined]
    return open_site(install, site, engine, source, today)


def _narrows(question: Question) -> bool:
    """Whether the question's source says what is read, not of which source one thing is shown."""
    return isinstance(question, Windowed | LifeQuery)


def read(site: SiteAccess, reading: str | ReadingSpec, question: Question | None = None, **asked: Any) -> Any:
    """Answer a question of a reading, in the language it asks for; without one, the question of these parameters."""
    spec = READINGS[reading] if isinstance(reading, str) else reading
    put = question or spec.question(**asked)
    answer: BaseModel = resolved(spec.make)(site, put)
    beside_terms(site, spec, answer)
    say = resolved(spec.say) if spec.say else None
    return told(answer, getattr(put, "language", "en"), say)


def stamp(site: SiteAccess, spec: ReadingSpec) -> str:
    """Stand for all that an answer hangs on."""
    return f"{site.stamp} {site.depends(spec.depends)}".rstrip()
