"""`noctilum verify`: read everything that is held, and say what is wrong."""

from __future__ import annotations

import argparse
import sys

from noctilum.actions.integrity import repair, result, sentence, verify
from noctilum.cli.local import add_data, existing_install
from noctilum.cli.output import add_output, count
from noctilum.service import clock


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("site", nargs="?", help="one site; all of them without")
    parser.add_argument("--repair", action="store_true", help="take damaged days out and pull them again")
    add_data(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> int:
    """Verify; 8 when something is damaged and was not mended."""
    install = existing_install(asked)
    tell = (lambda line: print(f"reading {line} …", file=sys.stderr)) if sys.stderr.isatty() else (lambda _: None)
    found = verify(install, asked.site, tell)
    mended = repair(install, found, clock.now()) if asked.repair and found.findings else None
    if asked.output == "json":
        import json

        print(json.dumps(result(found, mended), indent=2))
        return 8 if found.findings and not mended else 0
    sites = "1 site" if found.sites == 1 else f"{found.sites} sites"
    if not found.findings:
        print(f"{sites}, {count(found.days)} days and grains: every row is as it was written")
        return 0
    for each in found.findings:
        print(f"✗ {sentence(each)}")
    print(f"{len(found.findings)} damages in {sites}")
    if mended is None:
        return 8
    print(f"{mended.taken_out} days and grains taken out; {len(mended.pulls)} pulls queued to have them again")
    for each in mended.lasting:
        print(f"✗ not mended: {sentence(each)}")
    return 8 if mended.lasting else 0
