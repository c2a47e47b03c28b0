"""Every reading says itself in four languages, with figures that are its own."""

import pytest
from tests.running import Live

from noctilum.words import LANGUAGES
from noctilum.words.teller import at

SITE = "skerryferries.example"
READINGS = {
    "timeline": lambda noctilum, language: noctilum.timeline(SITE, language=language),
    "timeline alone": lambda noctilum, language: noctilum.timeline(SITE, against="none", language=language),
    "queries": lambda noctilum, language: noctilum.breakdown(SITE, "query", language=language),
    "drivers": lambda noctilum, language: noctilum.drivers(SITE, language=language),
    "fading": lambda noctilum, language: noctilum.fading(SITE, "page", language=language),
    "fading, uneven": lambda noctilum, language: noctilum.fading(
        SITE, "page", window="P28D", against="P56D", language=language
    ),
    "within reach": lambda noctilum, language: noctilum.within_reach(SITE, language=language),
    "overlap": lambda noctilum, language: noctilum.overlap(SITE, language=language),
    "clusters": lambda noctilum, language: noctilum.clusters(SITE, language=language),
    "weekdays": lambda noctilum, language: noctilum.weekdays(SITE, language=language),
    "unclicked": lambda noctilum, language: noctilum.unclicked(SITE, language=language),
    "device gap": lambda noctilum, language: noctilum.device_gap(SITE, language=language),
    "odd days": lambda noctilum, language: noctilum.odd_days(SITE, window="P84D", language=language),
    "cross": lambda noctilum, language: noctilum.cross(SITE, language=language),
    "bands": lambda noctilum, language: noctilum.bands(SITE, language=language),
    "bands of pages": lambda noctilum, language: noctilum.bands(SITE, of="page", language=language),
    "life": lambda noctilum, language: noctilum.life(SITE, "query", "skerry ferries", language=language),
    "effect": lambda noctilum, language: noctilum.note_effect(
        SITE, next(note.id for note in noctilum.notes(SITE) if note.page), language=language
    ),
}


@pytest.mark.parametrize("name", READINGS)
def test_sentences_are_backed_by_the_figures_they_name(live: Live, name):
    said = {}
    with live.client() as noctilum:
        for language in LANGUAGES:
            reading = READINGS[name](noctilum, language)
            assert 1 <= len(reading.sentences) <= 4
            plain = reading.model_dump(mode="json")
            for sentence in reading.sentences:
                assert "{" not in sentence.text
                for figure in sentence.figures:
                    held = at(plain, figure.field)
                    assert figure.value == (len(held) if isinstance(held, list) else held)
                    assert figure.text in sentence.text
            said[language] = [sentence.text for sentence in reading.sentences]
    assert len({texts[0] for texts in said.values()}) == len(LANGUAGES)


FRAMES = {
    "provisional": {"window": "2026-03-09/2026-03-18"},
    "before history": {"against": "2020-03"},
    "uneven": {"against": "P56D"},
    "unknown": {"query": "no such query"},
    "narrowed": {"filter": "words >= 2"},
}


@pytest.mark.parametrize("name", FRAMES)
def test_what_to_know_before_believing_a_figure_is_said_in_every_language(live: Live, name):
    texts = {}
    with live.client() as noctilum:
        for language in LANGUAGES:
            found = noctilum.breakdown(SITE, "page", **FRAMES[name], language=language)
            assert found.cautions
            texts[language] = [caution.text for caution in found.cautions]
            assert all(text and "{" not in text for text in texts[language])
    for position in range(len(texts["en"])):
        assert len({found[position] for found in texts.values()}) == len(LANGUAGES)
