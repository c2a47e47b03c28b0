"""Write one large CSV of query-by-page rows, as an agency might hand it over: big_file.py PATH GIGABYTES."""

from __future__ import annotations

import sys
from datetime import date, timedelta
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.csv as arrow_csv

FIRST = date(2021, 1, 1)
DAYS = 1095
QUERIES, PAGES = 200_000, 4_000


def write(path: Path, gigabytes: float, *, shuffled: bool = False) -> int:
    """Write about so many gigabytes; returns the rows. shuffled: days in no order."""
    rng = np.random.default_rng(5)
    queries = pa.array([f"made up query {n % 977} about thing number {n}" for n in range(QUERIES)])
    pages = pa.array([f"/section-{n % 37}/made-up-page-{n}" for n in range(PAGES)])
    small = {
        "country": pa.array(["NO", "DE", "GB", "SE", "DK", "NL"]),
        "device": pa.array(["mobile", "desktop", "tablet"]),
        "kind": pa.array(["web"]),
    }
    a_day = max(1, int(gigabytes * 1e9 / DAYS / 44))
    days = rng.permutation(DAYS) if shuffled else np.arange(DAYS)
    rows = 0
    names = ["day", "query", "page", *small, "clicks", "impressions", "position"]
    with path.open("wb") as stream:
        stream.write((",".join(names) + "\n").encode())
        for n in days.tolist():
            query = np.minimum(rng.zipf(1.25, a_day) - 1, QUERIES - 1)
            page = (query * 7 + rng.integers(0, 3, a_day)) % PAGES
            codes = [rng.integers(0, len(values), a_day) for values in small.values()]
            keys = np.stack([query, page, *codes])
            _, keep = np.unique(keys, axis=1, return_index=True)
            shown = rng.geometric(0.08, keep.size)
            columns = [
                pa.array([(FIRST + timedelta(n)).isoformat()] * keep.size),
                queries.take(pa.array(query[keep])),
                pages.take(pa.array(page[keep])),
                *(values.take(pa.array(code[keep])) for values, code in zip(small.values(), codes, strict=True)),
                pa.array(rng.binomial(shown, 0.06)),
                pa.array(shown),
                pa.array(rng.integers(shown, shown * 30) / shown),
            ]
            table = pa.table(columns, names=names)
            options = arrow_csv.WriteOptions(include_header=False, quoting_style="needed")
            arrow_csv.write_csv(table, stream, options)
            rows += keep.size
    return rows


if __name__ == "__main__":
    print(write(Path(sys.argv[1]), float(sys.argv[2])))
