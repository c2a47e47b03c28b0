"""What gunicorn does before it forks its workers: load what they share once, for all of them."""

from __future__ import annotations

import gc
import importlib
from typing import Any

from sqlalchemy.orm import configure_mappers

from noctilum.words import LANGUAGES
from noctilum.words.numbers import Numbers

MODULES = ("noctilum.service.app", "noctilum.reports.charts", "noctilum.reports.pdf")


def on_starting(_server: Any) -> None:
    """Load ahead; nothing is opened, as files and connections must not be shared by a fork."""
    load()


def load() -> None:
    """Load the code, the records' mapping and the languages, and set them apart from what is collected.

    A collection goes through every object there is: without this, 200,000 that never go, for a tenth of a second
    in the middle of some answer; and it would write to pages that the workers share.
    """
    for name in MODULES:
        importlib.import_module(name)
    configure_mappers()
    for language in LANGUAGES:
        Numbers(language)
    gc.collect()
    gc.freeze()
