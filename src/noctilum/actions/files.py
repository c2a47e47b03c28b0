"""Files on their way in: uploads, kept mappings, the inbox, and import jobs."""

from __future__ import annotations

import re
import secrets
import shutil
from collections.abc import Callable, Iterator, Mapping
from contextlib import suppress
from datetime import date, datetime
from pathlib import Path
from typing import IO, Any

import structlog
from pydantic import ValidationError
from sqlalchemy import select

from noctilum.actions import imports, queue
from noctilum.actions.find import find_source
from noctilum.actions.imports import Choice, ImportResult, Report
from noctilum.actions.install import Install
from noctilum.actions.notices import note
from noctilum.core.errors import DiskFull, Fault, Nonsense, NotThere, StoreFault, worded
from noctilum.machine_time import age
from noctilum.records.models import LARGEST_NUMBER, FileMapping, Source
from noctilum.sources.files.mapping import Mapping as Reading
from noctilum.sources.files.opening import unreadable
from noctilum.sources.files.reading import look
from noctilum.sqlite_files import common_fault
from noctilum.wire import imports as wire
from noctilum.wire.declared import roles
from noctilum.wire.plain_text import cleaned, keepable, unkeepable

PIECE = 1 << 20
_SAFE = re.compile(r"[^\w.,()+ -]+")
_ID = re.compile(r"[0-9a-f]{16}")
_NUMBER = re.compile(r"[0-9]{1,9}", re.ASCII)
MOST_NAME = 200
"""Bytes of a file's name; file systems take 255, and endings are added."""
_stuck: dict[Path, float] = {}
"""Files in the inbox that can neither be used nor moved, with their times: looked at again when they change."""
log = structlog.get_logger("noctilum.files")
SETTLED_SECONDS = 5.0
"""A file in the inbox is taken when it has not changed for so long."""


def keep_upload(install: Install, name: str, stream: IO[bytes], number: str | None = None) -> wire.Upload:
    """Keep a file that is sent, piece by piece; it waits until it is imported or the folder is cleared."""
    safe = _SAFE.sub("_", Path(name).name).strip(". ") or "file"
    if len(safe.encode()) > MOST_NAME:
        what = worded("The file's name is longer than {most_name} bytes.", most_name=MOST_NAME)
        raise Nonsense("name-unusable", what, where="name", remedy="give it a shorter one")
    folder = install.settings.data / "uploads" / (number or secrets.token_hex(8))
    folder.mkdir(parents=True)
    path = folder / safe
    try:
        with path.open("wb") as sink:
            shutil.copyfileobj(stream, sink, PIECE)
    except OSError as why:
        shutil.rmtree(folder, ignore_errors=True)
        raise common_fault(why, folder) or StoreFault(
            "upload-failed",
            worded("{safe} could not be kept: {strerror}.", safe=safe, strerror=why.strerror),
            remedy="check that the disk has room",
        ) from why
    return wire.Upload(id=folder.name, name=safe, size=path.stat().st_size)


def upload_path(install: Install, number: str) -> Path:
    """Find an uploaded file; raises NotThere."""
    folder = install.settings.data / "uploads" / number
    found = next((p for p in folder.glob("*") if p.is_file()), None) if _ID.fullmatch(number) else None
    if found is None:
        raise NotThere(
            "no-such-upload", worded("There is no uploaded file {number!r}.", number=number), remedy="send it again"
        )
    return found


def reading_of(install: Install, mapping: wire.Mapping, using: str | None) -> Reading:
    """Join what is asked with a kept mapping; what is asked wins."""
    asked = mapping.model_dump(exclude_defaults=True)
    kept = kept_mapping(install, using).model_dump(exclude_defaults=True) if using else {}
    columns = {**kept.pop("columns", {}), **asked.pop("columns", {})}
    try:
        return Reading.model_validate(kept | asked | {"columns": columns})
    except ValidationError as why:
        raise Nonsense("mapping-unusable", "The mapping cannot be used.", where=str(why.errors()[0]["loc"])) from why


def preview(install: Install, asked: wire.AskPreview) -> wire.ImportPreview:
    """Recognise an uploaded file and show its first rows as they would be kept."""
    path = upload_path(install, asked.upload)
    found = imports.preview(path, reading_of(install, asked.mapping, asked.using))
    known = found.recognised
    return wire.ImportPreview(
        upload=asked.upload,
        name=found.name,
        size=found.size,
        form=found.form.said,
        grain=known.grain,
        monthly=known.monthly,
        dates=known.dates,
        decimal=known.decimal,
        columns=[_column(each) for each in known.columns],
        roles=list(roles()),
        questions=[wire.ImportQuestion(code=q.code, text=q.text, choices=list(q.choices)) for q in known.questions],
        rows=[] if found.rows is None else list(_rows(found.rows)),
        rejected=[] if found.rows is None else [_rejected(each) for each in found.rows.rejected[:8]],
    )


def _column(found: Any) -> wire.ImportColumn:
    return wire.ImportColumn(header=found.header, role=found.role, by=found.by, sample=list(found.sample))


def _rejected(found: Any) -> wire.RejectedRow:
    return wire.RejectedRow(file=found.file, line=found.line, reason=found.reason, text=found.text)


def _rows(found: Any) -> Iterator[wire.ImportRow]:
    dims = {name: column.to_pylist() for name, column in found.dims.items()}
    for at in range(found.days.size):
        yield wire.ImportRow(
            line=int(found.lines[at]),
            day=date.fromordinal(int(found.days[at])),
            dims={name: values[at] for name, values in dims.items()},
            figures={name: values[at].item() for name, values in found.figures.items()},
        )


def queue_import(install: Install, source: int, asked: wire.AskImport, now: datetime) -> int:
    """Queue an import of uploaded files; returns the job's number. Files that are not there are told at once."""
    for number in asked.uploads:
        upload_path(install, number)
    reading_of(install, asked.mapping, asked.using)
    with install.records.read() as db:
        find_source(db, source)
    return queue.put(install, "import", {"source": source, **asked.model_dump()}, now).id


def run_import(
    install: Install, job: int, given: Mapping[str, Any], clock: Callable[[], datetime], report: Report
) -> ImportResult:
    """Do an import job; uploaded files are let go of when it has ended well."""
    asked = wire.AskImport.model_validate({k: v for k, v in given.items() if k not in ("source", "inbox")})
    paths = [upload_path(install, number) for number in asked.uploads]
    choice = Choice(reading_of(install, asked.mapping, asked.using), asked.strict, asked.dry, asked.over)
    rejects = rejects_path(install, job)
    rejects.parent.mkdir(exist_ok=True)
    done = imports.import_files(install, int(given["source"]), paths, clock, choice, report=report, rejects_to=rejects)
    if not asked.dry:
        for path in paths:
            shutil.rmtree(path.parent, ignore_errors=True)
    return done


def rejects_path(install: Install, job: int) -> Path:
    """Say where the rejected rows of an import job are written."""
    return install.settings.data / "rejects" / f"{job}.csv"


def done_of(result: ImportResult) -> dict[str, Any]:
    """Write what an import came to for its job's row."""
    fields = {name: getattr(result, name) for name in wire.ImportDone.model_fields if name not in ("left", "rejects")}
    left = [wire.LeftDay(day=d.day, origin=d.origin, same=d.same) for d in result.left]
    found = wire.ImportDone(**fields, left=left, rejects=[_rejected(each) for each in result.rejects])
    return found.model_dump(mode="json")


# kept mappings


def mappings(install: Install) -> list[wire.NamedMapping]:
    """List the mappings kept under a name."""
    with install.records.read() as db:
        found = db.scalars(select(FileMapping).order_by(FileMapping.name))
        return [wire.NamedMapping(name=keepable(m.name), mapping=_mapping(m)) for m in found]


def kept_mapping(install: Install, name: str) -> wire.Mapping:
    """Find a kept mapping; raises NotThere."""
    with install.records.read() as db:
        found = db.scalar(select(FileMapping).where(FileMapping.name == name))
    if found is None:
        raise NotThere(
            "no-such-mapping",
            worded("There is no mapping {name!r}.", name=name),
            remedy="list them with `noctilum mappings`",
        )
    return _mapping(found)


def _mapping(found: FileMapping) -> wire.Mapping:
    """Read a kept mapping; one that an older version kept and this one would not is read without what is wrong."""
    try:
        return wire.Mapping.model_validate(keepable(found.mapping))
    except ValidationError:
        return wire.Mapping()


def keep_mapping(install: Install, name: str, mapping: wire.Mapping, now: datetime) -> wire.NamedMapping:
    """Keep a mapping under a name, in place of one of that name."""
    if not name.strip() or len(name) > 80 or unkeepable(name, line=True):
        raise Nonsense("name-unusable", "A mapping's name has 1 to 80 signs, on one line.", where="name")
    with install.records.begin() as db:
        found = db.scalar(select(FileMapping).where(FileMapping.name == name))
        if found is None:
            found = FileMapping(name=name, created_at=now)
            db.add(found)
        found.mapping = mapping.model_dump(exclude_defaults=True)
    return wire.NamedMapping(name=name, mapping=mapping)


def forget_mapping(install: Install, name: str) -> None:
    """Forget a kept mapping; raises NotThere."""
    kept_mapping(install, name)
    with install.records.begin() as db:
        db.delete(db.scalars(select(FileMapping).where(FileMapping.name == name)).one())


# the inbox


def inbox(install: Install, source: int) -> Path:
    """Say which folder is watched for a source's files."""
    return install.settings.data / "inbox" / str(source)


def watch(install: Install, now: datetime) -> list[int]:
    """Queue an import of every file in the inbox that has stopped growing; returns the jobs' numbers.

    A file is read with the kept mapping named like its source's folder, "inbox 3", where there is one.
    It is copied to the uploads before, so that a half-written one is never read. Each file is seen to by itself:
    one that cannot be used is set aside with a notice, whatever is wrong with it, and holds no other up.
    """
    jobs = []
    for source, path in _waiting(install):
        try:
            settled = _has_settled(path)
        except OSError:
            continue
        if settled:
            jobs += _take(install, source, path, now)
    return jobs


def _waiting(install: Install) -> Iterator[tuple[int, Path]]:
    """Give the files in the folders of sources; those set aside lie in folders of their own."""
    root = install.settings.data / "inbox"
    for folder in (
        sorted(p for p in root.iterdir() if p.is_dir() and _NUMBER.fullmatch(p.name)) if root.is_dir() else ()
    ):
        for path in sorted(p for p in folder.iterdir() if p.is_file() and not p.name.startswith(".")):
            if path not in _stuck or path.stat().st_mtime != _stuck[path]:
                yield int(folder.name), path


def _has_settled(path: Path) -> bool:
    """Say whether a file has stopped growing, by the machine's own clock, as the file's time is of it too."""
    return age(path.stat().st_mtime) >= SETTLED_SECONDS


def _take(install: Install, source: int, path: Path, now: datetime) -> list[int]:
    number = secrets.token_hex(8)
    try:
        with path.open("rb") as stream:
            keep_upload(install, path.name, stream, number)
        using = f"inbox {source}"
        known = {mapping.name for mapping in mappings(install)}
        asked = wire.AskImport(uploads=[number], using=using if using in known else None)
        look(upload_path(install, number), reading_of(install, asked.mapping, asked.using))
        job = queue_import(install, source, asked, now)
    except DiskFull:
        shutil.rmtree(install.settings.data / "uploads" / number, ignore_errors=True)
        raise
    except Exception as why:
        shutil.rmtree(install.settings.data / "uploads" / number, ignore_errors=True)
        said = why if isinstance(why, Fault) else unreadable(path, why)
        log.warning("file refused", file=path.name, fault=str(said))
        _set_aside(install, source, path, "refused", str(said), now)
        return []
    _set_aside(install, source, path, "taken", "", now)
    return [job]


def _set_aside(install: Install, source: int, path: Path, name: str, why: str, now: datetime) -> None:
    """Move a file out of the way, with a notice where it was refused; one that cannot be moved is looked at no more."""
    try:
        _aside(path, name)
    except OSError as fault:
        with suppress(OSError):
            _stuck[path] = path.stat().st_mtime
        why += f" It cannot be moved out of the inbox either: {fault.strerror}."
    if why:
        with install.records.begin() as db:
            found = db.get(Source, min(source, LARGEST_NUMBER))
            text = f"{cleaned(path.name, 100)} in the inbox cannot be used, and was set aside. {why}"
            note(db, f"file-refused {path.name}"[:60], text, now, found)


def _aside(path: Path, name: str) -> None:
    """Move a file into a folder beside it, under another name where one of its name lies there already."""
    folder = path.parent / name
    folder.mkdir(exist_ok=True)
    target, n = folder / path.name, 1
    while target.exists():
        n += 1
        target = folder / f"{path.stem}-{n}{path.suffix}"
    path.rename(target)
