"""A language: its messages and plurals, from catalogs in the gettext PO format."""

from __future__ import annotations

import io
from functools import cache
from gettext import GNUTranslations, NullTranslations
from importlib import resources

from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po

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
    """Read a language's catalog; English needs none."""
    if language == "en":
        return NullTranslations()
    text = resources.files("noctilum.words").joinpath("catalogs", f"{language}.po").read_bytes()
    written = io.BytesIO()
    write_mo(written, read_po(io.BytesIO(text), locale=language, abort_invalid=True))
    written.seek(0)
    return GNUTranslations(written)
