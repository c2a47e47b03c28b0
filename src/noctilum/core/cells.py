"""Cells of text files that a spreadsheet would take for formulas, made harmless and read back.

A text that begins like a formula gets an apostrophe in front, as one that begins with apostrophes and then like a
formula gets one more; reading takes exactly one away, so that every text comes back as it was.
"""

from __future__ import annotations

import re

BEGINS = r"'*(?:[=@\t\r\n]|[+-](?![\d.,]+%?\s*$))"
"""How a text begins that is made harmless: a plus or minus before nothing but a number is a number."""
HARMLESS = rf"^'({BEGINS})"
_BEGINS, _HARMLESS = re.compile(BEGINS), re.compile(HARMLESS)


def harmless(text: str) -> str:
    """Make a text harmless for spreadsheets.

    >>> harmless("=1+1"), harmless("-5.2"), harmless("-ferry"), harmless("ferry")
    ("'=1+1", '-5.2', "'-ferry", 'ferry')
    """
    return f"'{text}" if _BEGINS.match(text) else text


def meant(text: str) -> str:
    """Give the text that was made harmless; any other stays as it is.

    >>> meant(harmless("'=x")), meant("'tis")
    ("'=x", "'tis")
    """
    return text[1:] if _HARMLESS.match(text) else text


def cell(value: object, *, raw: bool = False) -> object:
    """Give a cell for a text file: texts harmless unless raw, all else as it is."""
    return harmless(value) if isinstance(value, str) and not raw else value
