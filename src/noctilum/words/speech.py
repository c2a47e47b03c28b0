"""A language: its messages and plurals, by gettext, from files that hold each message with all its languages."""

from __future__ import annotations

import io
import tomllib
from collections.abc import Mapping
from functools import cache
from gettext import GNUTranslations, NullTranslations
from importlib import resources
from typing import Any

from babel.messages.catalog import Catalog
from babel.messages.mofile import write_mo

from noctilum.words.numbers import Numbers

LANGUAGES = ("en", "de", "fr", "es")
"""English is what the messages are written in; the others have a catalog each."""


class Speech:
    """Speak one language, named by a BCP 47 tag; English where it is not one of LANGUAGES."""

    def __init__(self, language: str) -> None:
        spoken = language.replace("_", "-").split("-")[0].lower()
        self.language = spoken if spoken in LANGUAGES else "en"
        self.numbers = Numbers(self.language)
        self._catalog = catalog(self.language)

    def say(self, message: str, **filled: str) -> str:
        """Translate a message and fill its places."""
        return self._catalog.gettext(message).format(**filled)

    def text(self, message: str) -> str:
        """Translate a message that has no places."""
        return self._catalog.gettext(message) if message else ""

    def many(self, one: str, more: str, count: int, **filled: str) -> str:
        """Translate a message that counts something, in the plural form the language has for it."""
        return self._catalog.ngettext(one, more, count).format(**filled)


@cache
def catalog(language: str) -> NullTranslations:
    """Make a language's catalog from the files of messages; English needs none. Raises ValueError for a broken file."""
    if language == "en":
        return NullTranslations()
    made = Catalog(locale=language)
    for one, said in messages().items():
        text = said[language]
        made.add((one, said["more"]) if "more" in said else one, tuple(text) if isinstance(text, list) else text)
    written = io.BytesIO()
    write_mo(written, made)
    written.seek(0)
    return GNUTranslations(written)


@cache
def messages() -> Mapping[str, Mapping[str, Any]]:
    """Read every message with its languages: English text → {language: text}, and `more` for one that counts.

    Each file in catalogs/ holds the messages of one matter, so that whoever adds some adds them in one place.
    Raises ValueError for a message that stands in two files with different translations.
    """
    found: dict[str, Mapping[str, Any]] = {}
    for path in sorted(resources.files("noctilum.words").joinpath("catalogs").iterdir(), key=lambda each: each.name):
        if not path.name.endswith(".toml"):
            continue
        for one, said in tomllib.loads(path.read_text(encoding="utf-8")).items():
            if found.get(one, said) != said:
                raise ValueError(f"{path.name} translates {one!r} in another way than a file before it")
            found[one] = said
    return found
