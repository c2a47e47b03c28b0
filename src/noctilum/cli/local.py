"""Commands that work on the data folder itself."""

from __future__ import annotations

import argparse
import os
from pathlib import Path

from noctilum.actions.install import Install, Settings
from noctilum.actions.settings import settings_from
from noctilum.core.errors import NotThere


def add_data(parser: argparse.ArgumentParser) -> None:
    """Add --data."""
    parser.add_argument("--data", type=Path, default=None, help="the data folder; NOCTILUM_DATA, or ./noctilum-data")


def settings(asked: argparse.Namespace, **given: object) -> Settings:
    """Read settings from the environment and the arguments."""
    return settings_from(os.environ, data=asked.data, **given)


def existing_install(asked: argparse.Namespace) -> Install:
    """Open a data folder that is there; raises NotThere for one that is not."""
    found = settings(asked)
    if not (found.data / "records.db").exists():
        raise NotThere(
            "no-install",
            f"There is no install in {found.data}.",
            remedy="name its folder with --data, or noctilum init",
        )
    return open_install(asked)


def open_install(asked: argparse.Namespace) -> Install:
    """Open the data folder, laying it out if need be."""
    install = Install(settings(asked))
    install.prepare()
    return install
