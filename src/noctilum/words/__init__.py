"""Saying readings in sentences, in four languages, each backed by figures of the reading.

Law: knows finished readings in wire models and catalogs; computes nothing, and says nothing that is no field of them.
"""

from noctilum.words.numbers import Numbers
from noctilum.words.speech import LANGUAGES, Speech

__all__ = ["LANGUAGES", "Numbers", "Speech"]
