"""`noctilum token`: make a bearer token for programs."""

from __future__ import annotations

import argparse
import getpass
import os
import sys

from noctilum.actions import people
from noctilum.cli.local import add_data, open_install
from noctilum.service import clock


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("--email", required=True, help="whose token")
    parser.add_argument("--label", default="program", help="what it is for")
    add_data(parser)


def run(asked: argparse.Namespace) -> None:
    """Check the password and print a new token; it is shown this once."""
    password = os.environ.get("NOCTILUM_PASSWORD") or (getpass.getpass("Password: ") if sys.stdin.isatty() else "")
    install = open_install(asked)
    user = people.check_password(install, asked.email, password)
    print(people.new_token(install, user.id, asked.label, clock.now()))
