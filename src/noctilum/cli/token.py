"""`noctilum token`: make a bearer token for programs."""

from __future__ import annotations

import argparse

from noctilum.actions import people
from noctilum.cli.local import add_data, existing_install, password
from noctilum.service import clock


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("--email", required=True, help="whose token")
    parser.add_argument("--label", default="program", help="what it is for")
    parser.add_argument("--days", type=int, metavar="N", help="how long it holds; until it is revoked without")
    add_data(parser)


def run(asked: argparse.Namespace) -> None:
    """Check the password and print a new token; it is shown this once."""
    install = existing_install(asked)
    user = people.check_password(install, asked.email, password())
    print(people.new_token(install, user.id, asked.label, clock.now(), asked.days))
