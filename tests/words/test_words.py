"""Sentences: every message is in every catalog with the same places, and figures are written as the language does."""

import re
import string
from datetime import date
from importlib import resources

import pytest
from babel.messages.extract import extract_from_dir
from babel.messages.pofile import read_po

from noctilum.wire.readings import Caution
from noctilum.words import LANGUAGES, Speech, cautions
from noctilum.words.teller import at

KEYWORDS = {"message": None, "say": None, "tell": None, "many": (1, 2), "tell_many": (1, 2)}
OTHERS = [language for language in LANGUAGES if language != "en"]


def used() -> set[str]:
    """Every message in the code: also those that stand in a name before they are said."""
    folder = resources.files("noctilum.words")
    found = set()
    for _, _, message, _, _ in extract_from_dir(str(folder), keywords=KEYWORDS):
        found.add(message[0] if isinstance(message, tuple) else message)
    return found


def catalog(language):
    path = resources.files("noctilum.words").joinpath("catalogs", f"{language}.po")
    with path.open("rb") as stream:
        return {message.id: message for message in read_po(stream, locale=language, abort_invalid=True) if message.id}


def places(text):
    return sorted(name for _, name, _, _ in string.Formatter().parse(text) if name)


@pytest.mark.parametrize("language", OTHERS)
def test_every_message_is_translated_with_the_same_places(language):
    found = catalog(language)
    ids = {each[0] if isinstance(each, tuple) else each for each in found}
    assert len(used()) > 40
    assert used() == ids
    for each, message in found.items():
        sources = each if isinstance(each, tuple) else (each,)
        said = message.string if isinstance(message.string, tuple) else (message.string,)
        assert all(said), each
        assert not message.fuzzy
        assert {tuple(places(text)) for text in said} == {tuple(places(text)) for text in sources}, each


def test_all_catalogs_hold_the_same_messages():
    first, *others = (set(catalog(language)) for language in OTHERS)
    assert all(each == first for each in others)


@pytest.mark.parametrize(
    ("language", "said", "day", "percent"),
    [
        ("en", "1,234 pages are fading, −5,000 clicks.", "5 March 2026", "−12.3%"),
        ("de", "1.234 Seiten verlieren deutlich, −5.000 Klicks.", "5. März 2026", "−12,3\xa0%"),
        ("fr", "1\u202f234 pages déclinent, −5\u202f000 clics.", "5 mars 2026", "−12,3\xa0%"),
        ("es", "1.234 páginas decaen, −5.000 clics.", "5 de marzo de 2026", "−12,3\xa0%"),
        ("nb", "1,234 pages are fading, −5,000 clicks.", "5 March 2026", "−12.3%"),
    ],
)
def test_figures_and_plurals_follow_the_language(language, said, day, percent):
    speech = Speech(language)
    one, more = "{n} page is fading, {change} clicks.", "{n} pages are fading, {change} clicks."
    filled = {"n": speech.numbers.count(1234), "change": speech.numbers.signed(-5000)}
    assert speech.many(one, more, 1234, **filled) == said
    assert speech.many(one, more, 1, **(filled | {"n": "1"})) != speech.many(one, more, 2, **(filled | {"n": "1"}))
    assert speech.numbers.day(date(2026, 3, 5)) == day
    assert speech.numbers.signed_percent(-0.123) == percent


def test_a_pointer_finds_what_it_points_to():
    assert at({"a/b": [{"c": 3}, {"~": 4}]}, "/a~1b/1/~0") == 4


FACTS = {
    "window-not-full": {"held": 1234, "days": 2000, "provisional": 3, "missing": 763, "change": "none"},
    "comparison-not-full": {"held": 1234, "days": 2000, "change": "given"},
    "comparison-not-held": {"first_held": date(2026, 3, 5)},
    "uneven-windows": {"now": 28, "before": 1031, "times": "0.027158"},
    "pairs-left-out": {"kept": 27, "days": 1028},
    "never-seen": {"texts": ["ferry", "/times"]},
    "whole-months": {"months": 1200},
    "counted-by-page": {},
    "withheld-unknown": {},
    "sets-overlap": {},
    "windows-overlap": {"days": 1234},
    "rows-not-held": {"days": 1234, "grain": "look"},
    "sources-left-out": {"sources": 1, "grain": "pair"},
    "stood-in": {"days": 1234, "grain": "site", "by": "query"},
}


def codes() -> set[str]:
    """Every code that a reading gives a caution."""
    folder = resources.files("noctilum.readings")
    texts = [path.read_text() for path in folder.iterdir() if path.name.endswith(".py")]
    return {code for text in texts for code in re.findall(r'Caution\(\s*code="([a-z-]+)"', text)}


def test_every_caution_of_a_reading_is_said_in_every_language():
    assert codes() == set(FACTS)
    for code, facts in FACTS.items():
        said = {
            language: cautions.said(Caution(code=code, facts=facts), Speech(language)).text for language in LANGUAGES
        }
        assert len(set(said.values())) == len(LANGUAGES), said
    english = cautions.said(Caution(code="window-not-full", facts=FACTS["window-not-full"]), Speech("en"))
    assert english.text == "1,234 of 2,000 days held: 3 provisional days in no total, 763 not held. No change is given."


def test_a_caution_keeps_its_facts_when_it_crosses_as_json():
    told = cautions.said(Caution(code="comparison-not-held", facts=FACTS["comparison-not-held"]), Speech("de"))
    assert told.text.endswith("5. März 2026.")
    again = Caution.model_validate_json(told.model_dump_json())
    assert cautions.said(again, Speech("de")).text == told.text
