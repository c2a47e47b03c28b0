"""`noctilum init`: lay out an install and add its first user, or make a lost key anew."""

from __future__ import annotations

import argparse

from noctilum.actions import people
from noctilum.cli.local import add_data, existing_install, open_install, password
from noctilum.core.errors import Nonsense
from noctilum.service import clock


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("--name", help="the first user's name")
    parser.add_argument("--email", help="the first user's mail address, to sign in with")
    parser.add_argument(
        "--new-key", action="store_true", help="make the key anew that was lost; feeds' secrets are then entered again"
    )
    add_data(parser)


def run(asked: argparse.Namespace) -> None:
    """Lay out the folder, add the user, print a token."""
    if asked.new_key:
        install = existing_install(asked)
        install.make_key()
        print(f"made {install.key_path}; enter the feeds' secrets again: noctilum source NUMBER --secret")
        return
    if not (asked.name and asked.email):
        raise Nonsense("user-missing", "Whose install is it?", where="--name", remedy="give --name and --email")
    secret = password()
    people.check_new_password(secret, asked.name, people.checked_email(asked.email))
    install = open_install(asked)
    user = people.add_user(install, asked.name, asked.email, secret, clock.now())
    token = people.new_token(install, user.id, "first", clock.now())
    print(f"laid out {install.settings.data}\nsign in as {user.email}\nexport NOCTILUM_TOKEN={token}")
    print("now run: noctilum serve")
