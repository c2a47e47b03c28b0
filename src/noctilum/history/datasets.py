"""The datasets, declared once: their dimensions, how rows are sorted, which rollups a month keeps."""

from __future__ import annotations

from dataclasses import dataclass

from noctilum.core.errors import NotThere


@dataclass(frozen=True)
class Dataset:
    """Declare one grain. dims[0] is the sort key of its segments.

    rollups: name → the keys that a compacted month is summed by; "day" may be one of them.
    """

    name: str
    dims: tuple[str, ...]
    rollups: dict[str, tuple[str, ...]]
    meaning: str


_SMALL = ("country", "device", "kind")

DATASETS: dict[str, Dataset] = {
    d.name: d
    for d in (
        Dataset("site", _SMALL, {}, "The provider's own totals of the site."),
        Dataset(
            "query",
            ("query", *_SMALL),
            {"query": ("query",), "query-device": ("query", "device"), "cube": ("day", *_SMALL)},
            "Totals per query; rare queries are withheld by the provider.",
        ),
        Dataset(
            "page",
            ("page", *_SMALL),
            {"page": ("page",), "page-device": ("page", "device"), "cube": ("day", *_SMALL)},
            "Totals per page; a result page that shows two pages counts for both.",
        ),
        Dataset(
            "pair",
            ("query", "page", *_SMALL),
            {"query": ("query",), "page": ("page",), "cube": ("day", *_SMALL)},
            "Query by page; rare queries are withheld by the provider.",
        ),
        Dataset(
            "look",
            ("look", *_SMALL),
            {"look": ("look",)},
            "By what a result looked like; what looked like any other has no row.",
        ),
    )
}

_MONTHLY = {
    f"month-{d.name}": Dataset(
        f"month-{d.name}",
        d.dims,
        {name: keys for name, keys in d.rollups.items() if "day" not in keys},
        f"{d.meaning} Of whole months, from files without days; a day here is the first of its month.",
    )
    for d in tuple(DATASETS.values())
}
DAILY = tuple(DATASETS)
"""The datasets whose rows are of days; the others are of whole months."""
DATASETS.update(_MONTHLY)


def dataset(name: str) -> Dataset:
    """Find a dataset by name; raises NotThere naming those there are."""
    try:
        return DATASETS[name]
    except KeyError:
        known = ", ".join(DATASETS)
        raise NotThere("no-such-grain", f"There is no grain {name!r}.", remedy=f"one of {known}") from None
