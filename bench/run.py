"""Generate a large site, write it to every side, put the same questions to all, print ms and ratios.

`make bench` runs it; every figure also goes to bench/latest.json.
"""

from __future__ import annotations

import argparse
import json
import platform
import shutil
import statistics
import subprocess
import sys
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))

from bench.engines import ENGINES
from bench.large_site import Shape, by_page, days
from bench.questions import QUESTIONS

HERE = Path(__file__).parent
SLOW_MS = 1000
"""A side slower than this is asked in the first round only."""
MUCH_FASTER = {q.name for q in QUESTIONS.values() if q.top and q.days > 28 and not (q.where or q.against or q.contains)}
"""Top rows of long unfiltered windows: at least three times as fast as DuckDB cold."""
PAIRED = {"noctilum", "duckdb"}
"""The sides whose ratios are promised."""
Figures = dict[str, dict[str, dict[str, float]]]


def main() -> int:
    """Run the bench; 1 when the sides disagree or a promise is not kept."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--rows-a-day", type=int, default=Shape.rows_a_day)
    parser.add_argument("--rounds", type=int, default=5, help="processes a question and side (default 5)")
    parser.add_argument("--queries", type=int, default=Shape.queries)
    parser.add_argument("--sides", nargs="+", default=list(ENGINES), choices=list(ENGINES))
    parser.add_argument("--name", default="latest", help="figures go to bench/NAME.json (default latest)")
    parser.add_argument("--keep", action="store_true", help="use what was written last time")
    asked = parser.parse_args()
    for name in set(ENGINES) - set(asked.sides):
        del ENGINES[name]
    folder = HERE / f".data-{asked.name}"
    written = _written(folder, Shape(rows_a_day=asked.rows_a_day, queries=asked.queries), asked.keep)
    figures, agree = _ask_all(folder, written, asked.rounds)
    _print(written, figures)
    report = {
        "machine": platform.platform(),
        "python": platform.python_version(),
        "written": written,
        "questions": figures,
    }
    latest = HERE / f"{asked.name}.json"
    kept = json.loads(latest.read_text()) if latest.exists() else {}
    latest.write_text(json.dumps(kept | report, indent=1) + "\n")
    broken = ([] if agree else ["the sides disagree"]) + _broken(written, figures)
    for line in broken:
        print(f"NOT KEPT: {line}")
    print("every promise is kept" if not broken and set(ENGINES) >= PAIRED else "")
    return 1 if broken else 0


def _written(folder: Path, shape: Shape, keep: bool) -> dict:
    card = folder / "written.json"
    if keep and card.exists():
        return json.loads(card.read_text())
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir()
    print(f"generating {shape.days} days …", flush=True)
    batches = list(days(shape))
    pages = [by_page(batch) for batch in batches]
    rows = sum(map(len, batches))
    last = batches[-1].dims
    found = {
        "rows": rows,
        "query": last["query"].texts[40],
        "page": last["page"].texts[40],
        "page_rows": sum(map(len, pages)),
        "sides": {},
    }
    for name, engine in ENGINES.items():
        print(f"writing {rows:,} rows to {name} …", flush=True)
        side = engine(folder)
        began = time.perf_counter()
        side.write(batches)
        side.close()
        took = time.perf_counter() - began
        place = {"noctilum": "noctilum", "sqlite rows": "sqlite", "duckdb": "duckdb", "polars": "parquet"}[name]
        size = sum(path.stat().st_size for path in (folder / place).rglob("*") if path.is_file())
        found["sides"][name] = {"rows_per_second": rows / took, "bytes_a_row": size / rows}
        side = engine(folder)
        side.write(pages)
        side.close()
    card.write_text(json.dumps(found))
    return found


def _ask_all(folder: Path, written: dict, rounds: int) -> tuple[Figures, bool]:
    """Ask in rounds, every side in turn, so that a drifting machine treats all alike; medians over rounds."""
    figures: Figures = {}
    agree = True
    for question in QUESTIONS:
        found: dict[str, list[dict]] = {name: [] for name in ENGINES}
        for _ in range(rounds):
            for name in ENGINES:
                if found[name] and found[name][0]["cold_ms"] > SLOW_MS:
                    continue
                command = [
                    sys.executable,
                    str(HERE / "ask.py"),
                    name,
                    question,
                    str(folder),
                    written["query"],
                    written["page"],
                ]
                done = subprocess.run(command, capture_output=True, text=True, check=True)
                found[name].append(json.loads(done.stdout))
        digests = {answers[0]["digest"] for answers in found.values()}
        agree &= len(digests) == 1
        figures[question] = {
            name: {key: statistics.median(a[key] for a in answers) for key in ("cold_ms", "warm_ms")}
            for name, answers in found.items()
        }
        print(f"  {question}: {'agree' if len(digests) == 1 else 'DISAGREE'}", flush=True)
    return figures, agree


def _print(written: dict, figures: Figures) -> None:
    names = list(ENGINES)
    print(
        f"\n{written['rows']:,} rows (and {written['page_rows']:,} by page); medians in ms, cold / warm;"
        " × is DuckDB cold over ours\n"
    )
    print(f"{'':38}" + "".join(f"{name:>18}" for name in names) + f"{'×':>8}")
    for question, sides in figures.items():
        cells = "".join(f"{s['cold_ms']:>9.1f} /{s['warm_ms']:>7.1f}" for s in (sides[n] for n in names))
        ratio = f"{sides['duckdb']['cold_ms'] / sides['noctilum']['cold_ms']:>8.1f}" if set(sides) >= PAIRED else ""
        print(f"{question:38}{cells}{ratio}")
    for label, key, form in (
        ("written, million rows a second", "rows_per_second", 1e6),
        ("bytes a row on disk", "bytes_a_row", 1),
    ):
        print(f"{label:38}" + "".join(f"{written['sides'][n][key] / form:>18.2f}" for n in names))
    print()


def _broken(written: dict, figures: Figures) -> list[str]:
    """List the promises that these figures do not keep; none can be told when one of the pair was not asked."""
    if not set(written["sides"]) >= PAIRED:
        return []
    ours, duck = written["sides"]["noctilum"], written["sides"]["duckdb"]
    found = []
    if ours["bytes_a_row"] > duck["bytes_a_row"] / 2:
        part = ours["bytes_a_row"] / duck["bytes_a_row"]
        found.append(f"{part:.2f} times the bytes of DuckDB, at most half promised")
    if ours["rows_per_second"] < duck["rows_per_second"]:
        part = ours["rows_per_second"] / duck["rows_per_second"]
        found.append(f"written {part:.2f} times as fast as by DuckDB, 1 promised")
    for question, sides in figures.items():
        ratio = sides["duckdb"]["cold_ms"] / sides["noctilum"]["cold_ms"]
        least = 3 if question in MUCH_FASTER else 1
        if ratio < least:
            found.append(f"{question}: {ratio:.2f} times as fast as DuckDB cold, {least} promised")
        warm = sides["duckdb"]["warm_ms"] / sides["noctilum"]["warm_ms"]
        if warm < 1:
            found.append(f"{question}: {warm:.2f} times as fast as DuckDB warm, 1 promised")
    return found


if __name__ == "__main__":
    sys.exit(main())
