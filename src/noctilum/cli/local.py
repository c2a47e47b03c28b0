"""Commands that work on the data folder itself."""

from __future__ import annotations

import argparse
import os
from pathlib import Path

from noctilum.actions.install import Install, Settings, settings_from


def add_data(parser: argparse.ArgumentParser) -> None:
    """Add --data."""
    parser.add_argument("--data", type=Path, default=None, help="the data folder; NOCTILUM_DATA, or ./noctilum-data")


def settings(asked: argparse.Namespace, **given: object) -> Settings:
    """Read settings from the environment and the arguments."""
    return settings_from(os.environ, data=asked.data, **given)


def open_install(asked: argparse.Namespace) -> Install:
    """Open the data folder, laying it out if need be."""
    install = Install(settings(asked))
    install.prepare()
    return install
