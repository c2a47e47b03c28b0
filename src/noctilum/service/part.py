"""Start one part of the service: `python -m noctilum.service.part NAME …`.

Loads what the part needs while nobody looks for garbage, as all of it stays: going through it again and again took a
third of the time of a start. Each part begins to look once it has loaded, with `set_apart`.
"""

from __future__ import annotations

import gc
import importlib
import sys

PARTS = {
    "supervisor": ("noctilum.service.serve", "main"),
    "web": ("noctilum.service.web", "main"),
    "worker": ("noctilum.service.serve", "work"),
}


def main(name: str, *handed: str) -> int:
    """Run a part until it is told to stop; returns its exit code."""
    gc.disable()
    module, start = PARTS[name]
    return int(getattr(importlib.import_module(module), start)(*handed) or 0)


def set_apart() -> None:
    """Set what is loaded apart from what is collected, and collect from now on.

    A collection goes through every object there is: without this, 200,000 that never go, for a tenth of a second
    in the middle of some answer.
    """
    gc.collect()
    gc.freeze()
    gc.enable()


if __name__ == "__main__":
    sys.exit(main(*sys.argv[1:]))
