"""`noctilum users`: list who may sign in, add somebody, change or remove them."""

from __future__ import annotations

import argparse

from noctilum.cli.access import add_access, service
from noctilum.cli.local import password
from noctilum.cli.output import Column, add_output, print_out
from noctilum.wire.people import NewUser, UserChange

ROLES = ("owner", "analyst")


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("--add", metavar="EMAIL", help="add somebody; the password is NOCTILUM_PASSWORD, or asked")
    parser.add_argument("--name", help="of who is added or changed")
    parser.add_argument("--role", choices=ROLES, help="owner: everything; analyst: all but people and deleting")
    parser.add_argument("--change", type=int, metavar="NUMBER", help="change a user's --name, --role or --password")
    parser.add_argument("--password", action="store_true", help="with --change: give the user a new password")
    parser.add_argument("--remove", type=int, metavar="NUMBER", help="remove a user, whose tokens end at once")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """List users, after what was asked is done."""
    with service(asked) as noctilum:
        if asked.add:
            given = {"name": asked.name or asked.add.partition("@")[0], "email": asked.add, "password": password()}
            noctilum.add_user(NewUser.model_validate(given | {"role": asked.role or "analyst"}))
        if asked.change:
            given = {"name": asked.name, "role": asked.role, "password": password() if asked.password else None}
            noctilum.change_user(asked.change, UserChange.model_validate(given))
        if asked.remove:
            noctilum.drop_user(asked.remove)
        found = noctilum.users()
    rows = [user.model_dump(mode="json") for user in found]
    columns = [Column("number"), *(Column(name, right=False) for name in ("name", "mail address", "role", "since"))]
    cells = [(str(u.id), u.name, u.email, u.role, f"{u.created_at:%Y-%m-%d}") for u in found]
    print_out(asked, rows, rows, columns, cells)
