"""Having the service write a file, and fetching it."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from noctilum.cli.access import service
from noctilum.cli.follow import follow
from noctilum.cli.output import count
from noctilum.core.errors import Nonsense
from noctilum.wire.operating import AskExport

FORMATS = ("csv", "ndjson", "parquet", "xlsx")


def write(asked: argparse.Namespace, what: str, question: Mapping[str, Any], *, table: str = "", **more: Any) -> int:
    """Export, and fetch the file to asked.to; returns the exit code."""
    form = asked.format or _told_by(asked.to) or "csv"
    given = {"what": what, "by": table, "format": form, "raw": asked.raw, "question": _sent(question)} | more
    try:
        wanted = AskExport.model_validate(given)
    except ValidationError as why:
        raise unusable(why) from why
    with service(asked) as noctilum:
        job = follow(noctilum, noctilum.start_export(asked.site, wanted), "months")
        if job.state != "done":
            print(job.fault, file=sys.stderr)
            return 1
        path = asked.to / str(job.result["file"]) if asked.to.is_dir() else asked.to
        size = noctilum.fetch(job.id, path)
    print(f"{path}: {count(job.result['rows'])} rows, {count(size)} bytes")
    return 0


def _told_by(path: Path) -> str | None:
    ending = path.suffix.lstrip(".").lower()
    return ending if ending in FORMATS else None


def _sent(question: Mapping[str, Any]) -> dict[str, Any]:
    """Write a question's values so that they can be sent."""
    return {name: value.isoformat() if hasattr(value, "isoformat") else value for name, value in question.items()}


def unusable(why: ValidationError) -> Nonsense:
    """Say which argument of an export is wrong."""
    (first, *_) = why.errors()
    name = ".".join(map(str, first["loc"]))
    said = str(first["msg"]).removeprefix("Value error, ")
    return Nonsense("export-unusable", f"That cannot be exported: {said}.", where=f"--{name or 'by'}")
