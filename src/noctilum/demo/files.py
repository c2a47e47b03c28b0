"""Monthly files of the days before the feed's retention, as the agency once exported them."""

from __future__ import annotations

import csv
from collections.abc import Iterator, Sequence
from datetime import date, timedelta
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.csv as arrow_csv

from noctilum.core.windows import month_start
from noctilum.datasets import DATASETS
from noctilum.standins.index_model import first_day, listed_on
from noctilum.standins.search_feed import RETENTION_DAYS
from noctilum.standins.search_model import Grain, Ints, model_of

EXPORTED = ("site", "query", "page", "pair")
"""What the agency once exported; how results looked is known only since the feed is connected."""
YEARS_BACK = 1095
"""Days of history before the anchor."""


def write_month_files(folder: Path, number: str, anchor: date) -> list[Path]:
    """Write one CSV file a month and grain for every day before the feed's first; returns the files.

    A file that is there already is left as it is.
    """
    folder.mkdir(parents=True, exist_ok=True)
    model = model_of(number, anchor)
    written: list[Path] = []
    for month, days in _months(anchor):
        paths = {grain: folder / f"{number}-{grain}-{month:%Y-%m}.csv" for grain in EXPORTED}
        written += paths.values()
        if all(path.exists() for path in paths.values()):
            continue
        found = {day: model.day(day, grains=EXPORTED) for day in days}
        for grain, path in paths.items():
            _write(path, grain, {day: grains[grain] for day, grains in found.items()})
    return written


def write_sitemap_files(folder: Path, number: str, host: str, anchor: date) -> list[Path]:
    """Write what a site's sitemaps listed on the days before the anchor, as somebody kept it: one CSV file."""
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / f"{number}-sitemap.csv"
    with path.open("w", encoding="utf-8", newline="") as stream:
        writer = csv.writer(stream)
        writer.writerow(("day", "page", "sitemap", "listed"))
        day = first_day(anchor)
        while day < anchor:
            for name, paths in listed_on(number, anchor, day).items():
                writer.writerows((day.isoformat(), f"https://{host}{each}", name, 1) for each in paths)
            day += timedelta(1)
    return [path]


def _months(anchor: date) -> Iterator[tuple[date, list[date]]]:
    day, end = anchor - timedelta(YEARS_BACK), anchor - timedelta(RETENTION_DAYS)
    months: dict[date, list[date]] = {}
    while day <= end:
        months.setdefault(month_start(day), []).append(day)
        day += timedelta(1)
    yield from months.items()


def _write(path: Path, grain: str, days: dict[date, Grain]) -> None:
    """Write the days of a month at a grain; all days number their texts by the same names."""
    parts = list(days.values())
    sizes = [part.sums[0].size for part in parts]
    clicks, impressions, places = (np.concatenate([part.sums[n] for part in parts]) for n in range(3))
    columns = {"day": _named(np.repeat(np.arange(len(parts)), sizes), [day.isoformat() for day in days])}
    for name in DATASETS[grain].dims:
        columns[name] = _named(np.concatenate([part.codes[name] for part in parts]), parts[0].names[name])
    columns |= {"clicks": pa.array(clicks), "impressions": pa.array(impressions)}
    columns["position"] = pa.array(places / impressions)
    partial = path.with_suffix(".part")
    arrow_csv.write_csv(pa.table(columns), partial, arrow_csv.WriteOptions(quoting_style="needed"))
    partial.rename(path)


def _named(codes: Ints, names: Sequence[str]) -> pa.Array:
    return pa.DictionaryArray.from_arrays(codes, list(names)).cast(pa.string())
