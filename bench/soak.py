"""Live through three years of nightly pulls in fast time, and compare the history with the truth: `make soak`."""

from __future__ import annotations

import argparse
import sys
import tempfile
import time
from datetime import date
from pathlib import Path

from noctilum.testing.soak import Nights, live_through


def main() -> int:
    """Run the soak; 1 when the history differs from what the feed had."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--nights", type=int, default=1095)
    parser.add_argument("--seed", type=int, default=1)
    asked = parser.parse_args()
    outages = ((200, 4), (500, 75), (800, 6))
    nights = Nights(date(2023, 4, 1), asked.nights, kill_every=4, outages=outages)
    began = time.monotonic()
    with tempfile.TemporaryDirectory() as folder:
        found = live_through(Path(folder), nights, asked.seed, _told)
    took = time.monotonic() - began
    print(f"{found.pulls} pulls, {found.killed} killed, in {took / 60:.1f} minutes")
    print(f"grains of days compared with the truth and alike: {found.compared}")
    print(f"days that differ from the feed's final truth: {len(found.wrong)}; doubled: {found.doubled}")
    print(f"days lost: {len(found.lost)}; truly unobtainable: {len(found.unobtainable)}")
    well = not found.wrong and not found.doubled and found.lost == found.unobtainable
    print("all as it should be" if well else f"WRONG: {found.wrong[:5]} {sorted(found.lost ^ found.unobtainable)[:5]}")
    return 0 if well else 1


def _told(progress: tuple[int, object]) -> None:
    if progress[0] % 25 == 0:
        print(f"night {progress[0]}", flush=True)


if __name__ == "__main__":
    sys.exit(main())
