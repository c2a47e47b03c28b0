"""Trying a filter on a site: its canonical text, and which queries or pages it finds."""

from __future__ import annotations

import numpy as np

from noctilum.core.errors import Nonsense
from noctilum.core.filters import dimensions, divide, parse, to_form, written
from noctilum.history import History
from noctilum.readings.narrow import Terms, Words
from noctilum.wire import explain
from noctilum.wire import noted as wire

SAMPLES = 20


def try_filter(history: History, words: Words, text: str, item: explain.Item) -> wire.FilterTry:
    """Try a filter against every query or page of a history. What it asks of other things is left out of account."""
    node = parse(text)
    rows = divide(node).rows
    looks_at = dimensions(rows, lambda name: words.named(name).item) if rows else set()
    if rows is None or looks_at != {item}:
        raise Nonsense(
            "not-to-be-tried",
            f"Only what looks at nothing but the {item} can be tried on it.",
            where="filter",
            remedy="try its parts one by one, or ask for the breakdown",
        )
    texts = history.all_texts(item)
    mask = Terms(history, words).passing(rows)
    found, left = np.flatnonzero(mask), np.flatnonzero(~mask)
    return wire.FilterTry(
        text=written(node),
        form=to_form(node),
        item=item,
        known=len(texts),
        matching=int(found.size),
        samples=[texts[n] for n in found[:SAMPLES].tolist()],
        others=[texts[n] for n in left[:SAMPLES].tolist()],
    )
