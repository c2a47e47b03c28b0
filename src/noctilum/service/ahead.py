"""What a process does before its first answer: load what answers need."""

from __future__ import annotations

import importlib

from sqlalchemy.orm import configure_mappers

from noctilum.words import LANGUAGES
from noctilum.words.numbers import Numbers

MODULES = ("noctilum.service.app", "noctilum.core.filters.texts")


def load() -> None:
    """Load the code, the records' mapping and the languages that answers need."""
    for name in MODULES:
        importlib.import_module(name)
    configure_mappers()
    for language in LANGUAGES:
        Numbers(language)
