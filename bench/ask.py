"""Put one question to one side in a new process: cold first (opening included), then warm. Prints JSON."""

from __future__ import annotations

import json
import statistics
import sys
import time
from dataclasses import replace
from hashlib import blake2b
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))

from bench.engines import ENGINES
from bench.questions import QUESTIONS

WARM_RUNS = 7
WARM_SECONDS = 1.5
SLOW_SECONDS = 1.0
"""A side this slow is not asked again: its warm figure is its cold one."""


def main() -> None:
    """Run from the command line: ENGINE QUESTION FOLDER QUERY."""
    engine, question, folder, query, page = sys.argv[1:6]
    asked = QUESTIONS[question]
    asked = replace(asked, where=tuple((name, page if text == "?" else text) for name, text in asked.where))
    if asked.query:
        asked = replace(asked, query=query)
    _load(engine)
    began = time.perf_counter()
    side = ENGINES[engine](Path(folder))
    answer = side.ask(asked)
    cold = time.perf_counter() - began
    warm = [cold] if cold > SLOW_SECONDS else []
    while len(warm) < WARM_RUNS and sum(warm) < WARM_SECONDS and cold <= SLOW_SECONDS:
        began = time.perf_counter()
        side.ask(asked)
        warm.append(time.perf_counter() - began)
    side.close()
    digest = blake2b(json.dumps(answer).encode(), digest_size=8).hexdigest()
    print(
        json.dumps(
            {"cold_ms": cold * 1e3, "warm_ms": statistics.median(warm) * 1e3, "rows": len(answer), "digest": digest}
        )
    )


def _load(engine: str) -> None:
    """Import a side's libraries before the clock starts: loading Python code is no part of a question."""
    if engine == "duckdb":
        import duckdb  # noqa: F401
    elif engine == "polars":
        import polars  # noqa: F401
    elif engine == "noctilum":
        import noctilum.core.table
        import noctilum.history  # noqa: F401


if __name__ == "__main__":
    main()
