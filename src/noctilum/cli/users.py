"""`noctilum users`: list who may sign in, add somebody, change or remove them."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from typing import get_args

from noctilum.cli.access import add_access, service
from noctilum.cli.local import password
from noctilum.cli.output import Column, add_output, print_out
from noctilum.wire.people import NewUser, PasskeyOut, Role, UserChange


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("--add", metavar="EMAIL", help="add somebody; the password is NOCTILUM_PASSWORD, or asked")
    parser.add_argument("--name", help="of who is added or changed")
    parser.add_argument(
        "--role", choices=get_args(Role), help="owner: everything; analyst: all but people and deleting; reader: looks"
    )
    parser.add_argument("--clients", nargs="*", metavar="KEY", help="those an analyst or reader sees; with none, all")
    parser.add_argument("--change", type=int, metavar="NUMBER", help="change a user's --name, --role or --password")
    parser.add_argument("--password", action="store_true", help="with --change: give the user a new password")
    parser.add_argument("--speak", choices=["en", "de", "fr", "es"], help="the language you read the console in")
    parser.add_argument("--passkeys", action="store_true", help="list your own passkeys instead")
    parser.add_argument("--drop-passkey", type=int, metavar="NUMBER", help="let one of your passkeys sign in no longer")
    parser.add_argument("--remove", type=int, metavar="NUMBER", help="remove a user, whose tokens end at once")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """List users, after what was asked is done."""
    with service(asked) as noctilum:
        if asked.add:
            given = {"name": asked.name or asked.add.partition("@")[0], "email": asked.add, "password": password()}
            noctilum.add_user(NewUser.model_validate(given | {"role": asked.role or "analyst"} | _clients(asked)))
        if asked.change:
            told = {"name": asked.name, "role": asked.role, "password": password() if asked.password else None}
            told = {name: value for name, value in told.items() if value is not None}
            noctilum.change_user(asked.change, UserChange.model_validate(told | _clients(asked)))
        if asked.speak:
            noctilum.speak(asked.speak)
        if asked.drop_passkey:
            noctilum.drop_passkey(asked.drop_passkey)
        if asked.passkeys or asked.drop_passkey:
            _print_passkeys(asked, noctilum.passkeys())
            return
        if asked.remove:
            noctilum.drop_user(asked.remove)
        found = noctilum.users()
    rows = [user.model_dump(mode="json") for user in found]
    names = ("name", "mail address", "role", "clients", "since")
    columns = [Column("number"), *(Column(name, right=False) for name in names)]
    cells = [
        (str(u.id), u.name, u.email, u.role, "all" if u.clients is None else ", ".join(u.clients) or "none",
         f"{u.created_at:%Y-%m-%d}")
        for u in found
    ]  # fmt: skip
    print_out(asked, rows, rows, columns, cells)


def _print_passkeys(asked: argparse.Namespace, found: Sequence[PasskeyOut]) -> None:
    rows = [each.model_dump(mode="json") for each in found]
    columns = [Column("number"), *(Column(name, right=False) for name in ("device", "since", "last used"))]
    cells = [
        (
            str(each.id),
            each.label,
            f"{each.created_at:%Y-%m-%d}",
            f"{each.used_at:%Y-%m-%d}" if each.used_at else "never",
        )
        for each in found
    ]
    print_out(asked, rows, rows, columns, cells)


def _clients(asked: argparse.Namespace) -> dict[str, object]:
    """Give the clients that were named; nothing where none were spoken of."""
    return {} if asked.clients is None else {"clients": asked.clients}
