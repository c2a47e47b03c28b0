"""`noctilum export`: write raw days or a reading to a file."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from pydantic import ValidationError

from noctilum.cli.access import FILTERS, add_access, add_frame, service
from noctilum.cli.follow import follow
from noctilum.cli.output import count
from noctilum.core.errors import Nonsense
from noctilum.wire.operating import EXPORTS, AskExport


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("site")
    parser.add_argument(
        "what", choices=tuple(EXPORTS), metavar="WHAT", help=f"raw days, or a reading: {', '.join(EXPORTS)}"
    )
    parser.add_argument(
        "--by",
        help="grain of days or ledger, dimension of a breakdown, two of a cross (query,device), bucket of a timeline",
    )
    parser.add_argument("--format", choices=("csv", "ndjson", "parquet", "xlsx"), default="csv")
    parser.add_argument("--raw", action="store_true", help="CSV with every text as it is, also like a formula")
    parser.add_argument("--to", type=Path, default=Path(), metavar="PATH", help="file or folder (default here)")
    add_frame(parser)
    add_access(parser)


def unusable(why: ValidationError) -> Nonsense:
    """Say which argument of an export is wrong."""
    (first, *_) = why.errors()
    name = ".".join(map(str, first["loc"]))
    said = str(first["msg"]).removeprefix("Value error, ")
    return Nonsense("export-unusable", f"That cannot be exported: {said}.", where=f"--{name or 'by'}")


def run(asked: argparse.Namespace) -> int:
    """Export, and fetch the file."""
    where = {name: text for name in FILTERS if (text := getattr(asked, name)) is not None}
    try:
        question = AskExport.model_validate(
            {
                "what": asked.what,
                "by": asked.by or "",
                "format": asked.format,
                "window": asked.window,
                "against": asked.against,
                "where": where,
                "filter": asked.filter or "",
                "engine": asked.engine,
                "source": asked.source,
                "language": asked.language,
                "raw": asked.raw,
            }
        )
    except ValidationError as why:
        raise unusable(why) from why
    with service(asked) as noctilum:
        job = follow(noctilum, noctilum.start_export(asked.site, question), "months")
        if job.state != "done":
            print(job.fault, file=sys.stderr)
            return 1
        path = asked.to / str(job.result["file"]) if asked.to.is_dir() else asked.to
        size = noctilum.fetch(job.id, path)
    print(f"{path}: {count(job.result['rows'])} rows, {count(size)} bytes")
    return 0
