"""`noctilum init`: lay out an install and add its first user."""

from __future__ import annotations

import argparse
import getpass
import os
import sys

from noctilum.actions import people
from noctilum.cli.local import add_data, open_install
from noctilum.core.errors import Nonsense
from noctilum.service import clock


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("--name", required=True, help="the first user's name")
    parser.add_argument("--email", required=True, help="the first user's mail address, to sign in with")
    add_data(parser)


def run(asked: argparse.Namespace) -> None:
    """Lay out the folder, add the user, print a token."""
    password = os.environ.get("NOCTILUM_PASSWORD") or (getpass.getpass("Password: ") if sys.stdin.isatty() else "")
    if not password:
        raise Nonsense(
            "password-missing",
            "No password is given.",
            where="NOCTILUM_PASSWORD",
            remedy="export it, or run in a terminal",
        )
    install = open_install(asked)
    user = people.add_user(install, asked.name, asked.email, password, clock.now())
    token = people.new_token(install, user.id, "first", clock.now())
    print(f"laid out {install.settings.data}\nsign in as {user.email}\nexport NOCTILUM_TOKEN={token}")
    print("now run: noctilum serve")
