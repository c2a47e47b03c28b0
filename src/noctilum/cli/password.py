"""`noctilum password`: change a password on the machine of the install, as for somebody who has forgotten theirs."""

from __future__ import annotations

import argparse

from noctilum.actions import people
from noctilum.cli.local import add_data, existing_install, password


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("--email", required=True, help="whose password")
    add_data(parser)


def run(asked: argparse.Namespace) -> None:
    """Set a new password; who may read the data folder may do so. Everything they are signed in with ends."""
    install = existing_install(asked)
    people.set_password(install, asked.email, password("New password: "))
    print(f"{asked.email} signs in with the new password from now on; all their sign-ins ended")
