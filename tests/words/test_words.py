"""Sentences: every message is in every catalog with the same places, and figures are written as the language does."""

import re
import string
from datetime import date
from importlib import resources
from itertools import product
from types import SimpleNamespace

import pytest
from babel.messages.extract import extract_from_dir
from tests.words.fault_messages import fault_messages

from noctilum.datasets import DATASETS
from noctilum.reports.numbers import written
from noctilum.wire.catalogue import READINGS
from noctilum.wire.columns import Column, columns_of
from noctilum.wire.readings import Caution
from noctilum.words import LANGUAGES, Speech, cautions
from noctilum.words.describe import counted, described
from noctilum.words.speech import messages
from noctilum.words.teller import Teller, at

KEYWORDS = {"message": None, "say": None, "tell": None, "many": (1, 2), "tell_many": (1, 2), "said": None}
FILES = [("**.py", "python"), ("**.html", "jinja2"), ("**.txt", "jinja2")]
KEY_OF = Column("text", "what", name="key", path=("key",), titled_by="dimension")
OTHERS = [language for language in LANGUAGES if language != "en"]


def used() -> set[str]:
    """Every message in the code, also those that stand in a name before they are said, and those of the readings."""
    found = set()
    for folder in ("noctilum.words", "noctilum.readings", "noctilum.reports", "noctilum.service"):
        for _, _, message, _, _ in extract_from_dir(str(resources.files(folder)), FILES, keywords=KEYWORDS):
            found.add(message[0] if isinstance(message, tuple) else message)
    found |= {text for spec in READINGS for text in of_reading(spec)}
    return found | {text for name in DATASETS.daily for text in of_dataset(DATASETS[name])} | fault_messages()


def of_dataset(kept) -> set[str]:
    """What a dataset says of itself, of what tells its rows apart and of its figures."""
    dims = [kept.dimension(name) for name in kept.dims]
    told = {text for each in (*dims, *kept.told) for text in (each.title, each.meaning)}
    told |= {value for each in dims for value in each.values}
    return {text for text in told | {kept.title or kept.plural or kept.name, kept.meaning} if text}


def of_reading(spec) -> set[str]:
    """What a reading says of itself and of its columns."""
    every = [columns_of(spec.answer), *(spec.columns(table) for table in ("", *spec.tables))]
    told = {text for columns in every for each in columns for text in (each.title, each.how, each.group, each.of_group)}
    words = {word for columns in every for each in columns for word in each.words}
    return {text for text in told | words | {spec.summary, spec.about} if text}


def verdicts(about) -> dict[str, dict[str, str]]:
    return {column.name: column.words for table in about.tables for column in table.columns if column.words}


@pytest.mark.parametrize("language", OTHERS)
def test_each_value_of_a_verdict_is_told_with_its_column(language):
    speech, told = Speech(language), {spec.name: verdicts(described(spec, language)) for spec in READINGS}
    assert sum(map(len, told.values())) > 20
    words = {value: said for columns in told.values() for known in columns.values() for value, said in known.items()}
    assert {value for value, said in words.items() if said != speech.text(value)} == set()
    assert len({value for value, said in words.items() if said != value}) > len(words) * 0.8
    assert verdicts(described(READINGS["result-features"], language))["feature"]["written answer"] != "written answer"


def places(text):
    return sorted(name for _, name, _, _ in string.Formatter().parse(text) if name)


def test_every_message_is_translated_with_the_same_places():
    found = used()
    assert len(found) > 300
    assert found == set(messages())
    for (one, said), language in product(messages().items(), OTHERS):
        sources = {tuple(places(text)) for text in (one, said.get("more", one))}
        texts = said[language] if isinstance(said[language], list) else [said[language]]
        assert all(text.strip() for text in texts), one
        assert {tuple(places(text)) for text in texts} == sources, one
        assert len(texts) == (2 if "more" in said else 1) or language == "fr", one


def test_a_message_that_two_files_translate_differently_is_refused(tmp_path, monkeypatch):
    for name, said in (("a", "Klicks"), ("b", "Besuche")):
        (tmp_path / f"{name}.toml").write_text(f'["clicks"]\nde = "{said}"\n')
    monkeypatch.setattr(resources.files("noctilum.words").__class__, "joinpath", lambda *_: tmp_path)
    with pytest.raises(ValueError, match=r"b\.toml translates 'clicks'"):
        messages.__wrapped__()


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
    "checks-lacking": {"held": 12, "days": 28},
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


@pytest.mark.parametrize(
    ("language", "feature", "said"),
    [
        ("en", "written answer", "Most often there: written answer, on 25.0% of result pages."),
        ("de", "written answer", "geschriebene Antwort"),
        ("fr", "shop", "boutique"),
        ("es", "something newer", "something newer"),
    ],
)
def test_a_word_of_lookups_is_said_in_the_language_of_its_sentence(language, feature, said):
    teller = Teller({"rows": [{"feature": feature, "present": 0.25}]}, Speech(language))
    message = "Most often there: {feature}, on {share} of result pages."
    told = teller.tell(message, feature="word:/rows/0/feature", share="percent:/rows/0/present")
    assert said in told.text
    assert [each.value for each in told.figures] == [feature, 0.25]


@pytest.mark.parametrize(
    ("language", "dimension", "key", "said"),
    [
        ("en", "device", "mobile", "mobile"),
        ("de", "device", "tablet", "Tablet"),
        ("es", "device", "mobile", "móvil"),
        ("de", "device", "map", "Karte"),
        ("de", "query", "mobile", "mobile"),
        ("fr", "country", "NO", "Norvège (NO)"),
        ("fr", "country", "QQ", "QQ"),
        ("es", "channel", "mail", "correo"),
        ("es", "channel", "from a friend", "from a friend"),
        ("de", "day", "2026-03-01", "2026-03-01"),
    ],
)
def test_a_value_of_a_dimension_is_called_as_people_do_in_sentences_and_tables(language, dimension, key, said):
    found = {"dimension": dimension, "rows": [{"key": key}]}
    told = Teller(found, Speech(language)).tell(
        "Most came by {key}: {n}.", key=f"of {dimension}:/rows/0/key", n="said:1"
    )
    assert f" {said}: 1" in told.text and told.figures[0].value == key
    assert written(KEY_OF, key, Speech(language), SimpleNamespace(**found)) == said
    assert written(KEY_OF, key, Speech(language)) == key


def test_datasets_tell_what_their_values_are_called():
    told = {each.name: each for each in counted(DATASETS["visits"], "fr").dimensions}
    assert told["device"].values == {"mobile": "mobile", "desktop": "ordinateur", "tablet": "tablette"}
    assert told["channel"].values["referral"] == "référent" and told["page"].values == {}
