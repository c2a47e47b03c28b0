"""`noctilum templates`: list report templates, write one as TOML, take one, tell versions apart."""

from __future__ import annotations

import argparse
from pathlib import Path

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, print_out
from noctilum.client import Noctilum
from noctilum.core.errors import Nonsense, NotThere
from noctilum.wire.reports import TemplateOut


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    doing = parser.add_mutually_exclusive_group()
    doing.add_argument("--show", metavar="NAME", help="write a template as TOML")
    doing.add_argument("--take", type=Path, metavar="FILE", help="keep one from TOML; of its name, as a new version")
    doing.add_argument("--diff", metavar="NAME", help="tell its newest version from the one before, or from --since")
    doing.add_argument("--drop", metavar="NAME", help="drop one that no report is made from")
    parser.add_argument("--since", type=int, metavar="VERSION", help="with --diff: the older version")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """List templates, after what else was asked for."""
    with service(asked) as noctilum:
        if asked.show:
            print(noctilum.template_text(_named(noctilum, asked.show).id), end="")
            return
        if asked.diff:
            _diff(noctilum, asked)
            return
        if asked.take:
            made = noctilum.take_template(_text(asked.take))
            print(f"{made.name} is kept as version {made.version}.")
            return
        if asked.drop:
            noctilum.drop_template(_named(noctilum, asked.drop).id)
        found = noctilum.templates()
    rows = [each.model_dump(mode="json") for each in found]
    names = ("template", "version", "blocks", "window", "about")
    columns = [Column(name, right=name in ("version", "blocks"), most=60) for name in names]
    cells = [(each.name, str(each.version), str(len(each.body.blocks)), each.body.window, each.about) for each in found]
    print_out(asked, rows, rows, columns, cells)


def _diff(noctilum: Noctilum, asked: argparse.Namespace) -> None:
    found = _named(noctilum, asked.diff)
    since = asked.since or max(1, found.version - 1)
    told = noctilum.template_diff(found.id, since)
    print(f"{found.name}: version {since} to {told.last}")
    print("\n".join(told.lines) or "the same")


def _named(noctilum: Noctilum, name: str) -> TemplateOut:
    every = noctilum.templates()
    found = next((each for each in every if each.name.lower() == name.lower()), None)
    if found is None:
        known = ", ".join(each.name for each in every)
        raise NotThere("no-such-template", f"There is no template {name!r}.", remedy=f"one of {known}")
    return found


def _text(path: Path) -> str:
    try:
        return path.read_text("utf-8")
    except (OSError, UnicodeDecodeError) as why:
        raise Nonsense("file-unreadable", f"{path} cannot be read: {why}.", where="--take") from why
