"""`noctilum reports`: list reports of sites, make one from a template, look one over, draft an edition."""

from __future__ import annotations

import argparse
from email.utils import parseaddr
from typing import get_args

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, print_out
from noctilum.client import Noctilum
from noctilum.core.errors import Nonsense, NotThere
from noctilum.wire.reports import AskLook, NewReport, ReportFile, ReportLook, ReportOut, Weekend


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("site", nargs="?", help="only of this site")
    doing = parser.add_mutually_exclusive_group()
    doing.add_argument("--look", metavar="TEMPLATE", help="say which blocks would come in, and why others would not")
    doing.add_argument("--add", metavar="TEMPLATE", help="make a report of the site from a template")
    doing.add_argument("--draft", type=int, metavar="NUMBER", help="make a draft of a report from the history as it is")
    doing.add_argument("--newer", type=int, metavar="NUMBER", help="take the newer version of a report's template")
    doing.add_argument("--change", type=int, metavar="NUMBER", help="change when a report is due and whom it goes to")
    doing.add_argument("--drop", type=int, metavar="NUMBER", help="drop a report with its editions")
    parser.add_argument("--name", help="with --add: what it is called; the template's name without")
    going = parser.add_argument_group("with --add and --change")
    going.add_argument("--schedule", metavar="RULE", help='"monthly on 1 at 07:00", "weekly on monday at 07:00", off')
    going.add_argument("--time-zone", metavar="ZONE", help="of the schedule; the client's without")
    going.add_argument("--weekend", choices=get_args(Weekend), help="where it falls on a Saturday or Sunday")
    going.add_argument("--when-late", choices=("wait", "mark"), help="while days are missing")
    going.add_argument("--wait-days", type=int, metavar="DAYS", help="wait so long at most, then go out marked")
    going.add_argument("--approval", choices=("yes", "no"), help="whether somebody signs it off before it is sent")
    going.add_argument("--recipient", action="append", metavar="ADDRESS", help="again for more; all of them anew")
    going.add_argument("--attach", nargs="*", choices=get_args(ReportFile), help="files that go with the mail")
    going.add_argument("--message", metavar="TEXT", help="stands above the summary in the mail; Markdown")
    going.add_argument("--paused", choices=("yes", "no"), help="nothing falls due while it is")
    parser.add_argument("--language", default="", help="with --add and --look: in place of the client's")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """List reports, after what else was asked for."""
    if (asked.look or asked.add) and not asked.site:
        raise Nonsense("no-site", "A report is of a site.", where="site", remedy="name the site first")
    with service(asked) as noctilum:
        if asked.look:
            _say(noctilum.look_over(asked.site, AskLook(template=asked.look, language=asked.language)))
            return
        if asked.add:
            name = asked.name or asked.add
            given = {"site": asked.site, "name": name, "template": asked.add, "language": asked.language}
            noctilum.add_report(NewReport.model_validate(given | _going(asked)))
        if asked.change is not None:
            noctilum.change_report(asked.change, seen=None, **_going(asked))
        if asked.draft is not None:
            made = noctilum.draft(asked.draft)
            print(f"edition {made.id}: {made.title}, {made.first} to {made.last}; look at it, then approve it")
            return
        if asked.newer is not None:
            _take_newer(noctilum, asked.newer)
        if asked.drop is not None:
            noctilum.drop_report(asked.drop)
        found = noctilum.reports(asked.site)
    rows = [each.model_dump(mode="json") for each in found]
    names = ("number", "site", "report", "template", "version", "window", "blocks", "next due", "to", "")
    columns = [Column(name, right=name in ("number", "version", "blocks", "to"), most=44) for name in names]
    cells = [
        (
            str(each.id),
            each.site,
            each.name,
            each.template,
            str(each.version),
            each.body.window,
            str(len(each.body.blocks)),
            _next(each),
            str(len(each.recipients)),
            _state(each),
        )
        for each in found
    ]
    none = ["There is no report yet. Make one with: noctilum reports SITE --add TEMPLATE"]
    print_out(asked, rows, rows, columns, cells, above=[] if found else none)


def _going(asked: argparse.Namespace) -> dict[str, object]:
    """Give what was said of when a report is due and whom it goes to; what was not said is left out."""
    names = ("schedule", "time_zone", "weekend", "when_late", "wait_days", "attach", "message")
    told: dict[str, object] = {name: value for name in names if (value := getattr(asked, name)) is not None}
    for name in ("approval", "paused"):
        if (value := getattr(asked, name)) is not None:
            told[name] = value == "yes"
    if asked.recipient is not None:
        told["recipients"] = [{"email": email, "name": name} for name, email in map(parseaddr, asked.recipient)]
    return told


def _next(report: ReportOut) -> str:
    if report.paused:
        return "paused"
    return f"{report.coming[0]:%Y-%m-%d %H:%M}" if report.coming else ""


def _take_newer(noctilum: Noctilum, number: int) -> None:
    """Take a newer version, and say what that changes."""
    found = next((each for each in noctilum.reports() if each.id == number), None)
    if found is None or found.newer is None:
        raise NotThere("nothing-newer", f"No newer version is out for report {number}.")
    template = next(each for each in noctilum.templates() if each.name == found.template)
    print("\n".join(noctilum.template_diff(template.id, found.version).lines))
    noctilum.change_report(number, seen=found, version=found.newer)


def _state(report: ReportOut) -> str:
    said = ["changed"] if report.changed else []
    said += [] if report.approval or not report.schedule else ["sent by itself"]
    return ", ".join([*said, f"version {report.newer} is out"] if report.newer else said)


def _say(look: ReportLook) -> None:
    print(f"{look.title} · {look.first} to {look.last}{'' if look.complete else ' · not complete yet'}")
    for sentence in look.summary:
        print(f"  {sentence}")
    for block in look.blocks:
        why = f": {block.why}" if block.why else ""
        print(f"{'in ' if block.comes_in else 'out'}  {block.kind:18} {block.title}{why}")
