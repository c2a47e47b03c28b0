"""The words by which columns, devices, countries and months are called, in several languages."""

from __future__ import annotations

import re
import unicodedata
from functools import lru_cache

from babel import Locale

from noctilum.datasets import DATASETS
from noctilum.wire.declared import Role

LANGUAGES = ("en", "de", "fr", "es", "it", "nl", "nb", "sv", "da", "pt", "pl")

MADE_FROM = {"clicks": ("ctr", "impressions")}
"""Counts that may be made from a rate and what it is a rate of, where a file has that instead."""
_HEADERS: dict[Role, tuple[str, ...]] = {
    "day": (
        "day", "date", "datum", "tag", "jour", "fecha", "dia", "data", "giorno", "dag", "dato", "dzien", "month",
        "monat", "mois", "mes", "mese", "maand", "maned", "manad", "miesiac",
    ),
    "ctr": (
        "ctr", "clickthrough", "klickrate", "klikfrequentie", "klikkfrekvens", "click through rate",
        "clickthrough rate", "taux de clics", "tasa de clics", "click rate",
    ),
    "began": (
        "began", "first seen", "first found", "found on", "zuerst gesehen", "gefunden am", "premiere fois vu",
        "vu la premiere fois", "visto por primera vez", "primera vez",
    ),
    "last_seen": (
        "last seen", "last checked", "last found", "zuletzt gesehen", "vu la derniere fois", "derniere fois vu",
        "visto por ultima vez", "ultima vez",
    ),
    "ended": ("ended", "lost on", "gone since", "lost since", "verloren am", "perdu le", "perdido el"),
}  # fmt: skip
"""Words for what no dataset declares, in several languages; phrases win over single words."""
_SPECIAL = str.maketrans({"ø": "o", "Ø": "o", "ł": "l", "Ł": "l", "ß": "s", "æ": "a"})


def plain(text: str) -> str:
    """Bring a word to lower case without accents and punctuation.

    >>> plain(" Durchschn. Position (Ø) ")
    'durchschn position o'
    """
    folded = unicodedata.normalize("NFKD", text.translate(_SPECIAL)).encode("ascii", "ignore").decode().lower()
    return " ".join(re.findall(r"[a-z0-9]+", folded))


@lru_cache(maxsize=4)
def _headers(names: tuple[str, ...]) -> tuple[dict[str, Role], dict[str, Role]]:
    """Gather by which words files head columns, and which of these are several words.

    Where two columns are called alike, the one declared first has the word.
    """
    known: dict[str, Role] = {}
    named = [(each.name, each.words) for name in names for each in DATASETS[name].dimensions]
    named += [(each.name, each.words) for name in names for each in DATASETS[name].measures]
    for role, words in [*named, *_HEADERS.items()]:
        for word in (*words, plain(role)):
            known.setdefault(word, role)
    return known, {phrase: role for phrase, role in known.items() if " " in phrase}


def role_of_header(header: str) -> Role | None:
    """Recognise a column by what it is called; None when the word is not known.

    >>> role_of_header("Impressionen"), role_of_header("Avg. position"), role_of_header("Colour")
    ('impressions', 'position', None)
    """
    return _role(header, DATASETS.named_in_files)


@lru_cache(maxsize=4096)
def _role(header: str, names: tuple[str, ...]) -> Role | None:
    text = plain(header)
    known, phrases = _headers(names)
    if text in known:
        return known[text]
    for phrase, role in phrases.items() if " " in text else ():
        if phrase in text:
            return role
    single = {known[word] for word in text.split() if word in known}
    return single.pop() if len(single) == 1 else None


DEVICES = {
    "mobile": "mobile", "mobil": "mobile", "movil": "mobile", "mobiel": "mobile", "cellulare": "mobile",
    "smartphone": "mobile", "handy": "mobile", "phone": "mobile", "mobiltelefon": "mobile", "komorka": "mobile",
    "desktop": "desktop", "computer": "desktop", "ordinateur": "desktop", "ordenador": "desktop", "pc": "desktop",
    "tablet": "tablet", "tablette": "tablet", "tableta": "tablet", "nettbrett": "tablet", "surfplatta": "tablet",
}  # fmt: skip


@lru_cache(maxsize=1)
def countries() -> dict[str, str]:
    """Map what countries are called, in several languages and as ISO 3166 codes of two letters, to the code."""
    names: dict[str, str] = {}
    for language in LANGUAGES:
        for code, name in Locale(language).territories.items():
            if len(code) == 2 and code.isalpha():
                names.setdefault(plain(name), code)
                names[code.lower()] = code
    return names


@lru_cache(maxsize=1)
def months() -> dict[str, int]:
    """Map what months are called, long and short, in several languages, to their numbers."""
    names: dict[str, int] = {}
    for language in LANGUAGES:
        for width in ("wide", "abbreviated"):
            for context in ("format", "stand-alone"):
                for number, name in Locale(language).months[context][width].items():
                    names.setdefault(plain(name), number)
    return names
