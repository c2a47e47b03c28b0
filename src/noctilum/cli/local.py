"""Commands that work on the data folder itself."""

from __future__ import annotations

import argparse
import getpass
import os
import sys
from pathlib import Path

from noctilum.actions.install import Install, Settings
from noctilum.actions.settings import settings_from
from noctilum.core.errors import Nonsense, NotThere


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


def unprepared_install(asked: argparse.Namespace) -> Install:
    """Open a data folder that is there as it is: nothing is made, brought up or written."""
    found = settings(asked)
    if not found.data.is_dir():
        raise NotThere(
            "no-install", f"There is no folder {found.data}.", remedy="name it with --data, or noctilum init"
        )
    return Install(found)


def open_install(asked: argparse.Namespace) -> Install:
    """Open the data folder, laying it out if need be."""
    install = Install(settings(asked))
    install.prepare()
    return install


def password(prompt: str = "Password: ", variable: str = "NOCTILUM_PASSWORD") -> str:
    """Read a secret from the environment, or ask for it on a terminal; raises Nonsense where neither gives one."""
    found = os.environ.get(variable) or (getpass.getpass(prompt) if sys.stdin.isatty() else "")
    if not found:
        raise Nonsense(
            "password-missing", "No password is given.", where=variable, remedy="export it, or run in a terminal"
        )
    return found


def passphrase(*, new: bool = False) -> str:
    """Read the passphrase of a backup's keys; a new one is asked for twice on a terminal."""
    found = password("Passphrase: ", "NOCTILUM_PASSPHRASE")
    if new and "NOCTILUM_PASSPHRASE" not in os.environ and getpass.getpass("Again: ") != found:
        raise Nonsense("passphrase-unlike", "The two passphrases differ.", remedy="type the same twice")
    return found
