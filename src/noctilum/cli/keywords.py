"""`noctilum keywords`: list tracked keywords, add some, change many, suggest more."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import Any, get_args

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, count, place, print_out
from noctilum.client import Noctilum
from noctilum.core.errors import Nonsense, NotThere
from noctilum.wire.keywords import (
    AskKeywordFile,
    AskKeywords,
    ChangeKeywords,
    Cost,
    Device,
    Interval,
    KeywordOut,
    Suggestion,
)


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("site")
    doing = parser.add_argument_group("what to do; without any they are listed")
    doing.add_argument("--add", nargs="+", metavar="TERM", help="track terms, each from each place on each device")
    doing.add_argument("--take", type=Path, metavar="FILE", help="track those of a file: a term a line, or CSV")
    doing.add_argument("--change", nargs="+", type=int, metavar="NUMBER", help="change keywords alike")
    doing.add_argument("--drop", nargs="+", type=int, metavar="NUMBER", help="track keywords no more")
    doing.add_argument("--suggest", action="store_true", help="queries the site is shown for and does not track")
    doing.add_argument("--ideas", metavar="WORD", help="track terms near a word that are not tracked yet")
    doing.add_argument(
        "--only",
        choices=("all", "new", "shown", "questions", "long"),
        default="all",
        help="with --ideas: which of them",
    )
    doing.add_argument(
        "--column", action="append", default=[], metavar="NAME=ROLE", help="with --take: what a column of the file is"
    )
    doing.add_argument(
        "--dry-run", action="store_true", help="with --add, --ideas and --take: only say what it would cost"
    )
    how = parser.add_argument_group("how they are followed")
    how.add_argument("--engine", help="default Quillon")
    how.add_argument("--lang", dest="looked_in", help="language that is looked in (default en)")
    how.add_argument("--country", help="country that is looked from (default GB)")
    how.add_argument("--place", nargs="+", help="towns, or 'latitude, longitude'; the whole country without")
    how.add_argument("--device", nargs="+", choices=get_args(Device), help="default desktop")
    how.add_argument("--page", help="the page that ought to be found")
    how.add_argument("--weight", type=int, choices=range(1, 6), help="how much they count (default 3)")
    how.add_argument("--tag", nargs="+", default=[], help="tags to give; of a list: only those with it")
    how.add_argument("--untag", nargs="+", default=[], help="with --change: tags to take away")
    how.add_argument("--pin", action=argparse.BooleanOptionalAction, default=None, help="follow closely")
    how.add_argument("--interval", choices=get_args(Interval), help="default daily")
    parser.add_argument("--find", help="of a list: only those whose term holds this text")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """List keywords, after what else was asked for."""
    with service(asked) as noctilum:
        if asked.suggest:
            _show_suggestions(asked, noctilum.keyword_suggestions(asked.site))
            return
        if asked.add:
            _added(asked, noctilum, asked.add)
        if asked.ideas:
            _track_ideas(asked, noctilum)
        if asked.take:
            _take(asked, noctilum)
        if asked.change:
            _change(noctilum, {"site": asked.site, "numbers": asked.change, **_changes(asked)})
        if asked.drop:
            _change(noctilum, {"site": asked.site, "numbers": asked.drop, "drop": True})
        adding = asked.add or asked.take or asked.ideas
        if not (asked.dry_run and adding):
            tag = asked.tag[0] if asked.tag and not (adding or asked.change) else None
            _show(asked, noctilum.keywords(asked.site, tag=tag, find=asked.find), noctilum.lookup_cost(asked.site))


def _followed(asked: argparse.Namespace) -> dict[str, Any]:
    given = {
        "site": asked.site,
        "engine": asked.engine,
        "language": asked.looked_in,
        "country": asked.country,
        "page": asked.page,
        "weight": asked.weight,
        "tags": asked.tag or None,
        "pinned": asked.pin,
        "interval": asked.interval,
        "devices": asked.device,
    }
    return {name: value for name, value in given.items() if value is not None}


def _added(asked: argparse.Namespace, noctilum: Noctilum, terms: list[str]) -> None:
    places = {"places": asked.place} if asked.place else {}
    wanted = AskKeywords.model_validate(_followed(asked) | places | {"terms": terms, "dry_run": asked.dry_run})
    found = noctilum.take_keywords(wanted)
    print(f"{_many(found.adding)} {'would be ' if asked.dry_run else ''}added.", file=sys.stderr)
    _say_repeats(found.repeats, found.repeated)
    print(_cost(found.cost), file=sys.stderr)


def _track_ideas(asked: argparse.Namespace, noctilum: Noctilum) -> None:
    """Track terms near a word; raises NotThere where all of them are tracked, or none is known."""
    found = noctilum.ideas(asked.site, asked.ideas, only=asked.only, limit=1000)
    terms = [row.term for row in found.rows if row.mark != "tracked"]
    if not terms:
        raise NotThere(
            "no-ideas",
            f"No term near {asked.ideas!r} is known that is not tracked.",
            where="--ideas",
            remedy=f"words with related terms: {', '.join(found.known[:8]) or 'none'}",
        )
    _added(asked, noctilum, terms)


def _take(asked: argparse.Namespace, noctilum: Noctilum) -> None:
    try:
        text = asked.take.read_text(encoding="utf-8-sig")
    except (OSError, UnicodeDecodeError) as why:
        raise Nonsense("list-unreadable", f"{asked.take} cannot be read: {why}.", where="--take") from why
    lines = [line.strip() for line in text.splitlines() if line.strip()]
    if lines and not any(mark in lines[0] for mark in ",;\t"):
        _added(asked, noctilum, lines[1:] if lines[0].lower() in ("keyword", "term", "query") else lines)
        return
    columns = dict(_column(each) for each in asked.column)
    given = _followed(asked) | {"text": text, "dry_run": asked.dry_run, "columns": columns}
    found = noctilum.import_keywords(AskKeywordFile.model_validate(given))
    read = ", ".join(f"{name} as {role}" for name, role in found.columns.items())
    print(f"read {read}" + (f"; not {', '.join(found.ignored)}" if found.ignored else ""), file=sys.stderr)
    print(f"{_many(found.adding)} {'would be ' if asked.dry_run else ''}added.", file=sys.stderr)
    _say_repeats(found.repeats, [])
    for line in found.refused:
        print(f"! {line}", file=sys.stderr)
    print(_cost(found.cost), file=sys.stderr)


def _column(text: str) -> tuple[str, str]:
    name, equals, role = text.rpartition("=")
    if not equals:
        raise Nonsense(
            "input-unusable", f"{text!r} says of no column what it is.", where="--column", remedy="NAME=ROLE"
        )
    return name, role


def _changes(asked: argparse.Namespace) -> dict[str, Any]:
    given = {
        "weight": asked.weight,
        "pinned": asked.pin,
        "interval": asked.interval,
        "page": asked.page,
        "add_tags": asked.tag or None,
        "drop_tags": asked.untag or None,
    }
    return {name: value for name, value in given.items() if value is not None}


def _change(noctilum: Noctilum, given: dict[str, Any]) -> None:
    found = noctilum.change_keywords(ChangeKeywords.model_validate(given))
    print(f"{_many(found.changed)} {'tracked no more' if given.get('drop') else 'changed'}.", file=sys.stderr)


def _many(number: int) -> str:
    return "1 keyword" if number == 1 else f"{count(number)} keywords"


def _say_repeats(many: int, named: list[str]) -> None:
    if many:
        said = f": {'; '.join(named[:3])}{' …' if many > 3 else ''}" if named else ""
        verb = "is" if many == 1 else "are"
        print(f"{_many(many)} {verb} tracked already, left as they are{said}", file=sys.stderr)


def _cost(found: Cost) -> str:
    limit = "no limit is set" if found.limit is None else f"{count(found.left)} of {count(found.limit)} are left"
    return f"{_many(found.keywords)} need up to {count(found.a_month)} lookups a month; {limit}."


def _show(asked: argparse.Namespace, found: list[KeywordOut], cost: Cost) -> None:
    rows = [each.model_dump(mode="json") for each in found]
    columns = [Column("number"), Column("keyword", right=False, most=40), Column("from", right=False, most=24)]
    columns += [Column(name, right=False) for name in ("device", "engine")]
    columns += [Column("weight"), Column("tags", right=False, most=24), Column("page", right=False, most=30)]
    columns += [Column("a month"), Column("every", right=False), Column("looked up", right=False)]
    cells = [
        (
            str(each.id),
            f"{'* ' if each.pinned else ''}{each.term}",
            f"{each.place + ', ' if each.place else ''}{each.track}",
            each.device,
            each.engine,
            str(each.weight),
            ", ".join(each.tags) or "–",
            each.page or "–",
            count(each.volume),
            {"hourly": "hour", "daily": "day", "weekly": "week"}[each.interval],
            (each.checked_at or "never")[:16].replace("T", " "),
        )
        for each in found
    ]
    none = ["No keyword is tracked yet. Add some with --add, or see --suggest."]
    print_out(asked, rows, rows, columns, cells, above=[] if found else none, below=["", _cost(cost)] if found else [])


def _show_suggestions(asked: argparse.Namespace, found: list[Suggestion]) -> None:
    rows = [each.model_dump(mode="json") for each in found]
    columns = [Column("query", right=False, most=44), Column("use"), Column("clicks"), Column("impressions")]
    columns += [Column("position"), Column("page", right=False, most=40), Column("mostly from", right=False)]
    cells = [
        (each.query, count(each.use), count(each.clicks), count(each.impressions), place(each.position), each.page,
         each.country)
        for each in found
    ]  # fmt: skip
    print_out(asked, rows, rows, columns, cells, below=["", f"track some with: noctilum keywords {asked.site} --add …"])
