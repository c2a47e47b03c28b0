"""Live through a fortnight with a fault every hour, in fast time: part of `make soak`."""

from __future__ import annotations

import argparse
import sys
import tempfile
import time
from pathlib import Path

from noctilum.testing.fortnight import live_through


def main() -> int:
    """Live through it; 1 when the history differs from the feed's truth, or a trouble was told twice or not at all."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--hours", type=int, default=14 * 24)
    parser.add_argument("--seed", type=int, default=1)
    asked = parser.parse_args()
    began = time.monotonic()
    with tempfile.TemporaryDirectory() as folder:
        found = live_through(Path(folder), asked.hours, asked.seed, _told)
    print(f"{asked.hours} hours in {(time.monotonic() - began) / 60:.1f} minutes; faults: {dict(found.drawn)}")
    print(f"killed on the way: {found.killed}; grains of days compared with the truth and alike: {found.compared}")
    print(f"days that differ: {len(found.wrong)}; doubled: {found.doubled}; damages: {found.damages}")
    refused = sum(code.startswith("file-refused") for code in found.told)
    print(f"told: {len(found.told)} troubles, {refused} of {found.refused} refused files; twice: {_twice(found.told)}")
    well = not (found.wrong or found.doubled or found.damages or found.fault or _twice(found.told))
    well = well and refused == found.refused
    print("all as it should be" if well else f"WRONG: {found.wrong[:5]} {found.fault}")
    return 0 if well else 1


def _twice(told: dict[str, int]) -> int:
    return sum(times > 1 for times in told.values())


def _told(hour: int, kind: str) -> None:
    if hour % 24 == 23:
        print(f"day {hour // 24 + 1}, last fault: {kind}", flush=True)


if __name__ == "__main__":
    sys.exit(main())
