"""Import a 2 GB CSV: how fast beside merely reading it with the csv module, and the most memory the process took.

The same file again changes nothing. Promises are ratios of one run: a sixth of reading's speed, a fifth of the file.
"""

from __future__ import annotations

import csv
import json
import resource
import subprocess
import sys
import tempfile
import time
from datetime import UTC, datetime
from itertools import islice
from pathlib import Path

HERE = Path(__file__).parent
FILE = HERE / ".data-large" / "two-gigabytes.csv"
NOW = datetime(2026, 3, 20, tzinfo=UTC)


def main() -> int:
    """Make the file if it is not there, import it in a process of its own, print and keep the figures."""
    sys.path.insert(0, str(HERE.parent))
    from bench.big_file import write

    if not FILE.exists():
        FILE.parent.mkdir(exist_ok=True)
        print("writing two gigabytes …", flush=True)
        write(FILE, 2.4)
    done = subprocess.run([sys.executable, __file__, "--run"], capture_output=True, text=True, check=True)
    figures = json.loads(done.stdout.splitlines()[-1])
    print(
        f"{figures['gigabytes']:.2f} GB, {figures['rows']:,} rows: {figures['rows_per_second']:,.0f} rows a second, "
        f"{figures['most_memory_mb']} MB at most; again: {figures['again_rows']} rows changed"
    )
    (HERE / "import.json").write_text(json.dumps(figures, indent=1) + "\n")
    reading = _read_only()
    part = figures["rows_per_second"] / reading
    print(f"the csv module reads {reading:,.0f} rows a second and keeps none: {part:.2f} of that")
    small = figures["most_memory_mb"] * 1e6 < figures["gigabytes"] * 1e9 / 5
    kept = part >= 1 / 6 and small and not figures["again_rows"]
    print(
        "every promise is kept" if kept else "NOT KEPT: a sixth of reading, a fifth of the file, nothing changed again"
    )
    return 0 if kept else 1


def _read_only(rows: int = 2_000_000) -> float:
    """Read rows of the file with the csv module; gives rows a second."""
    with FILE.open(encoding="utf-8", newline="") as stream:
        began = time.perf_counter()
        count = sum(1 for _ in islice(csv.reader(stream), rows))
        return count / (time.perf_counter() - began)


def run() -> None:
    """Import the file twice and print the figures as JSON."""
    from noctilum.actions import setup
    from noctilum.actions.imports import import_files
    from noctilum.actions.install import Install, Settings
    from noctilum.wire import setup as wire

    with tempfile.TemporaryDirectory() as folder:
        install = Install(Settings(Path(folder)))
        install.prepare()
        client = setup.add_client(install, wire.NewClient(name="Bench"), NOW)
        site = setup.add_site(install, client, wire.NewSite(host="bench.example"), NOW)
        source = setup.add_file_source(install, site, wire.NewFileSource(label="large"), NOW)
        began = time.perf_counter()
        first = import_files(install, source, [FILE], lambda: NOW)
        took = time.perf_counter() - began
        most = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024
        again = import_files(install, source, [FILE], lambda: NOW)
        install.close()
    figures = {"gigabytes": FILE.stat().st_size / 1e9, "rows": first.rows, "rows_per_second": first.rows / took}
    print(json.dumps(figures | {"most_memory_mb": most, "again_rows": again.rows}))


if __name__ == "__main__":
    if "--run" in sys.argv:
        run()
    else:
        sys.exit(main())
