"""Saying readings in sentences, in four languages, each backed by figures of the reading."""

from noctilum.words.numbers import Numbers
from noctilum.words.speech import LANGUAGES, Speech

__all__ = ["LANGUAGES", "Numbers", "Speech"]
