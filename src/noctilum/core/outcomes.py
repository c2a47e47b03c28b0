"""Sharing out what visits brought to the queries that they came from, page for page and day for day."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

Ints = npt.NDArray[np.int64]
Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class SharedOut:
    """What each query got, and what is left for queries that are not listed.

    query: ids, each once. figures: name → an amount for each of them. unlisted: name → what no listed query got.
    listed_clicks: clicks of each query on pages that had visits. Amounts and unlisted add up to all that was there.
    """

    query: Ints
    figures: Mapping[str, Floats]
    unlisted: Mapping[str, float]
    listed_clicks: Ints


def shared_out(
    came: tuple[Ints, Ints],
    amounts: Mapping[str, Ints | Floats],
    clicked: tuple[Ints, Ints, Ints],
    pairs: tuple[Ints, ...],
) -> SharedOut:
    """Share amounts of a page and day out by clicks: query q of c clicks gets amount · c / C, unlisted ones the rest.

    came: page and day of each amount. clicked: page, day and clicks C. pairs: page, day, query and clicks c of those
    listed. Where more clicks are listed than counted, those are all; where none are known, all is unlisted.
    Nothing gets lost (the site's own splitting rule; see docs/explaining.md).

    >>> one = lambda *values: np.array(values, dtype=np.int64)
    >>> found = shared_out(
    ...     (one(1), one(9)),
    ...     {"sessions": one(200), "conversions": one(8)},
    ...     (one(1), one(9), one(160)),
    ...     (one(1, 1), one(9, 9), one(4, 5), one(90, 40)),
    ... )
    >>> found.figures["conversions"].tolist(), found.unlisted["conversions"]
    ([4.5, 2.0], 1.5)
    """
    page, day, query, clicks = pairs
    keys, known = _keyed(came, (clicked[0], clicked[1]), (page, day))
    own, counted, listed = known
    size = len(keys)
    whole = np.bincount(counted, weights=clicked[2], minlength=size)
    told = np.bincount(listed, weights=clicks, minlength=size)
    most = np.maximum(whole, told)
    queries, place = np.unique(query, return_inverse=True)
    part = np.divide(clicks, most[listed], out=np.zeros(len(clicks)), where=most[listed] > 0)
    left = np.divide(most - told, most, out=np.ones(size), where=most > 0)
    figures: dict[str, Floats] = {}
    unlisted: dict[str, float] = {}
    visited = np.zeros(size, dtype=bool)
    visited[own] = True
    for name, amount in amounts.items():
        there = np.bincount(own, weights=amount, minlength=size)
        figures[name] = np.bincount(place, weights=there[listed] * part, minlength=queries.size).astype(np.float64)
        unlisted[name] = float((there * left).sum())
    heard = np.bincount(place, weights=np.where(visited[listed], clicks, 0), minlength=queries.size)
    return SharedOut(queries, figures, unlisted, heard.astype(np.int64))


def _keyed(*pairs: tuple[Ints, Ints]) -> tuple[Ints, list[Ints]]:
    """Number the pages and days that any of them has; gives those there are, and where each row's stands."""
    pages = np.concatenate([page for page, _ in pairs])
    days = np.concatenate([day for _, day in pairs])
    first = int(days.min()) if days.size else 0
    width = (int(days.max()) - first + 1) if days.size else 1
    keys, places = np.unique(pages * width + (days - first), return_inverse=True)
    ends = np.cumsum([len(page) for page, _ in pairs])[:-1]
    return keys, list(np.split(places, ends))
