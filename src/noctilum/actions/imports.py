"""Importing files: what would come of it, and bringing it in."""

from __future__ import annotations

import csv
import os
import tempfile
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime
from pathlib import Path

from noctilum.actions.find import find_source
from noctilum.actions.install import Install
from noctilum.actions.spool import Spool, SpooledDay
from noctilum.core.cells import cell
from noctilum.core.days import NOT_HELD, DayState
from noctilum.core.errors import Nonsense, Stopped, StoreFault, worded
from noctilum.core.pages import by_path
from noctilum.core.settle import sift
from noctilum.core.windows import Window
from noctilum.datasets import DATASETS
from noctilum.history import DayEntry, History, LedgerRow
from noctilum.sources.files.chunks import Rejected
from noctilum.sources.files.mapping import Mapping
from noctilum.sources.files.reading import Form, Typed, look, sample, typed
from noctilum.sources.files.recognise import Recognised
from noctilum.sqlite_files import common_fault

SHOWN_REJECTS = 20
SHOWN_DAYS = 40


@dataclass(frozen=True)
class Choice:
    """How an import is done. strict: nothing is kept if any row cannot be used. dry: nothing is kept at all.

    over: days that are held already are replaced.
    """

    mapping: Mapping = field(default_factory=Mapping)
    strict: bool = False
    dry: bool = False
    over: bool = False


@dataclass(frozen=True)
class ImportProgress:
    """Say how far an import is: bytes while reading, months while keeping."""

    stage: str
    done: int
    due: int
    rows: int
    rows_per_second: float | None = None
    seconds_left: float | None = None


@dataclass(frozen=True)
class LeftDay:
    """A day that was held already and stays as it is. same: the file says the same of it."""

    day: date
    origin: str
    same: bool


@dataclass(frozen=True)
class ImportResult:
    """Say what an import did. Rows: read = kept + repeats + rejected + those of days left as they were."""

    grain: str
    days: int
    rows: int
    repeats: int
    rejected: int
    already: int
    left: tuple[LeftDay, ...]
    rejects: tuple[Rejected, ...]
    first: date | None
    last: date | None
    dry: bool


@dataclass(frozen=True)
class Preview:
    """What a file is recognised as, with its first rows as they would be kept."""

    name: str
    size: int
    form: Form
    recognised: Recognised
    rows: Typed | None


Report = Callable[[ImportProgress], bool]


def preview(path: Path, mapping: Mapping, name: str | None = None) -> Preview:
    """Recognise a file and read its first rows; nothing is kept."""
    form, found = look(path, mapping)
    return Preview(name or path.name, path.stat().st_size, form, found, sample(path, form, found))


def import_files(
    install: Install,
    source_id: int,
    paths: Sequence[Path],
    clock: Callable[[], datetime],
    choice: Choice | None = None,
    *,
    report: Report = lambda _: True,
    rejects_to: Path | None = None,
    names: Sequence[str] | None = None,
) -> ImportResult:
    """Bring the days of files in; all files of one import are read as one.

    A day held from a pull or an earlier file stays as it is unless over is chosen; a day that is not
    held, or was lost, is filled. Rows that cannot be used are written to rejects_to with file, line and
    reason, and the rest comes in; with strict nothing does. Importing again changes nothing. Raises
    Nonsense when a file cannot be read or leaves open what only a person can tell.
    """
    choice = choice or Choice()
    with install.records.read() as db:
        source = find_source(db, source_id)
        kind, site_id, host = source.kind, source.site_id, source.site.host
    looked = [(path, *look(path, choice.mapping)) for path in paths]
    grain = _one_grain(looked)
    _refuse_kind(grain, kind, paths)
    _refuse_questions(looked)
    shown = list(names or [path.name for path in paths])
    rejects = _Rejects(rejects_to)
    folder = Path(tempfile.mkdtemp(prefix="spool-", dir=_spool_root(install)))
    try:
        with rejects, Spool(folder, DATASETS[grain]) as spool:
            telling = _Telling(report)
            _read_all(spool, looked, shown, rejects, telling)
            task = _Keep(install.history(site_id, create=True), source_id, choice, host, shown, rejects, clock, telling)
            if all(found.listed for _, _, found in looked):
                task = replace(task, through=max(found.newest for _, _, found in looked))
            if choice.strict:
                _try_strictly(replace(task, choice=replace(choice, dry=True)), spool)
            return task.run(spool)
    except OSError as why:
        raise common_fault(why, folder) or StoreFault(
            "disk-failed", worded("The import could not go on: {strerror}.", strerror=why.strerror), where=str(folder)
        ) from why


def _spool_root(install: Install) -> Path:
    root = install.settings.data / "spool"
    root.mkdir(exist_ok=True)
    return root


def _one_grain(looked: Sequence[tuple[Path, Form, Recognised]]) -> str:
    grains = {("month-" if found.monthly else "") + found.grain: path.name for path, _, found in looked}
    if len(grains) > 1:
        named = "; ".join(f"{name} has {grain} rows" for grain, name in grains.items())
        raise Nonsense(
            "grains-differ",
            worded("The files do not fit together: {named}.", named=named),
            remedy="import each kind by itself",
        )
    if not grains:
        raise Nonsense("no-file", "No file is given.")
    return next(iter(grains))


def _refuse_kind(grain: str, kind: str, paths: Sequence[Path]) -> None:
    """Refuse files of what the source does not count."""
    if DATASETS[grain].kind != kind:
        raise Nonsense(
            "kind-differs",
            worded(
                "{name} has {grain} rows, and this source counts {kind}.", name=paths[0].name, grain=grain, kind=kind
            ),
            where=paths[0].name,
            remedy=worded("add a source for them: noctilum add-files SITE --kind {kind}", kind=DATASETS[grain].kind),
        )


def _refuse_questions(looked: Sequence[tuple[Path, Form, Recognised]]) -> None:
    for path, _, found in looked:
        for question in found.questions:
            raise Nonsense(
                question.code,
                question.text,
                where=path.name,
                remedy=worded("say --dates {choices}", choices=" or --dates ".join(question.choices)),
            )


def _read_all(
    spool: Spool,
    looked: Sequence[tuple[Path, Form, Recognised]],
    names: Sequence[str],
    rejects: _Rejects,
    telling: _Telling,
) -> None:
    size = sum(path.stat().st_size for path, _, _ in looked)
    before = 0
    for number, (path, form, found) in enumerate(looked):
        for rows in typed(path, form, found):
            rejects.add(replace(each, file=names[number]) for each in rows.rejected)
            spool.add(rows, number)
            telling.tell("reading", min(before + rows.read, size), size, int(rows.days.size))
        before += path.stat().st_size


def _try_strictly(task: _Keep, spool: Spool) -> None:
    task.run(spool)
    if task.rejects.count:
        raise Nonsense(
            "rows-rejected",
            worded(
                "{count:,} rows cannot be used, so nothing was kept: {first}",
                count=task.rejects.count,
                first=task.rejects.first,
            ),
            remedy="mend them, or import without --strict to keep the others",
        )
    task.telling.begin_again()


@dataclass(frozen=True)
class _Keep:
    """Keeping what was spooled, month by month."""

    history: History
    source: int
    choice: Choice
    host: str
    names: Sequence[str]
    rejects: _Rejects
    clock: Callable[[], datetime]
    telling: _Telling
    through: int | None = None
    """Of a list of what stood: the last day it was looked at, an ordinal; none of files that tell of each day."""

    def run(self, spool: Spool) -> ImportResult:
        """Put every day that is to be put; each run of days in one transaction."""
        held = self._held(spool.kept.name)
        tally = _Tally(spool.kept.name, self.choice.dry)
        for number, month in enumerate(spool.months):
            for run in spool.days(month):
                self._put(run, held, tally)
            self.telling.tell("keeping", number + 1, len(spool.months), 0)
        if self.through is not None and tally.seen:
            self._put_still(spool.kept.name, held, tally)
        return tally.result(self.rejects)

    def _put_still(self, dataset: str, held: dict[date, LedgerRow], tally: _Tally) -> None:
        """Put the days on which nothing of a list began or ended: the list speaks of them too."""
        stamp = self.clock().isoformat(timespec="seconds")
        origin = "file " + ", ".join(self.names)
        last = max(*tally.seen, date.fromordinal(self.through or 1))
        still = [day for day in Window(min(tally.seen), last).days() if day not in tally.seen and day not in held]
        entries = [DayEntry(dataset, day, DayState.EMPTY, "file", None, stamp, origin) for day in still]
        if entries and not self.choice.dry:
            self.history.put_days(self.source, entries)
        tally.keep(entries)

    def _held(self, dataset: str) -> dict[date, LedgerRow]:
        rows = self.history.ledger(sources=[self.source], dataset=dataset)
        return {row.day: row for row in rows if row.state not in NOT_HELD}

    def _put(self, run: Sequence[SpooledDay], held: dict[date, LedgerRow], tally: _Tally) -> None:
        entries = []
        for day in run:
            tally.seen.add(day.batch.day)
            found = sift(day.batch)
            self._reject(day, found.clashes)
            tally.repeats += found.repeats
            batch = by_path(found.batch, self.host)
            known = held.get(day.batch.day)
            same = known is not None and known.rows == len(batch) and known.figures == batch.figures
            if known is not None and (same or not self.choice.over):
                tally.leave(LeftDay(known.day, known.origin, same))
                continue
            origin = "file " + ", ".join(self.names[n] for n in sorted(set(day.file.tolist())))
            stamp = self.clock().isoformat(timespec="seconds")
            state = DayState.FINAL if len(batch) else DayState.EMPTY
            lines, repeats = len(day.batch), found.repeats
            entry = DayEntry(batch.dataset, batch.day, state, "file", batch, stamp, origin)
            entries.append(replace(entry, lines=lines, repeats=repeats))
        if entries and not self.choice.dry:
            self.history.put_days(self.source, entries)
        tally.keep(entries)

    def _reject(self, day: SpooledDay, clashes: Sequence[tuple[int, int]]) -> None:
        for row, stays in clashes:
            where = f"line {day.line[stays]}"
            if day.file[row] != day.file[stays]:
                where += f" of {self.names[day.file[stays]]}"
            shown = ", ".join(column.texts[column.codes[row]] for column in day.batch.dims.values())
            reason = f"it says otherwise of the same thing than {where}, which is kept"
            name = self.names[day.file[row]]
            self.rejects.add([Rejected(name, int(day.line[row]), reason, f"{day.batch.day} {shown}")])


class _Tally:
    """Add up what an import does."""

    def __init__(self, grain: str, dry: bool) -> None:
        self.grain, self.dry = grain, dry
        self.days = self.rows = self.repeats = self.already = 0
        self.seen: set[date] = set()
        self._left: list[LeftDay] = []
        self._first: date | None = None
        self._last: date | None = None

    def keep(self, entries: Sequence[DayEntry]) -> None:
        """Count days kept."""
        for entry in entries:
            self.days += 1
            self.rows += len(entry.batch) if entry.batch else 0
            self._first = min(self._first or entry.day, entry.day)
            self._last = max(self._last or entry.day, entry.day)

    def leave(self, day: LeftDay) -> None:
        """Count a day left as it was; those that differ are named first."""
        self.already += 1
        if len(self._left) < SHOWN_DAYS or not day.same:
            self._left.append(day)

    def result(self, rejects: _Rejects) -> ImportResult:
        """Sum up."""
        left = tuple(sorted(self._left, key=lambda each: (each.same, each.day))[:SHOWN_DAYS])
        return ImportResult(
            self.grain, self.days, self.rows, self.repeats, rejects.count, self.already, left,
            tuple(rejects.shown), self._first, self._last, self.dry,
        )  # fmt: skip


class _Rejects:
    """Write rejected rows to a file as they come, each once, and remember the first of them."""

    def __init__(self, path: Path | None) -> None:
        self._path = path
        self._stream = None if path is None else path.open("w", encoding="utf-8", errors="replace", newline="")
        self._writer = csv.writer(self._stream) if self._stream else None
        self.count = 0
        self.shown: list[Rejected] = []
        if self._writer:
            self._writer.writerow(("file", "line", "reason", "row"))

    def __enter__(self) -> _Rejects:
        return self

    def __exit__(self, *_: object) -> None:
        if self._stream:
            self._stream.close()
            if not self.count and self._path:
                os.unlink(self._path)

    @property
    def first(self) -> str:
        """The first rejected row, in words."""
        found = self.shown[0]
        return f"{found.file} line {found.line}: {found.reason}"

    def add(self, rejected: Iterator[Rejected] | Sequence[Rejected]) -> None:
        """Add rows that cannot be used."""
        for each in rejected:
            self.count += 1
            if len(self.shown) < SHOWN_REJECTS:
                self.shown.append(each)
            if self._writer:
                self._writer.writerow([cell(part) for part in (each.file, each.line, each.reason, each.text)])


class _Telling:
    """Tell progress on a few times a second; stops the import when told to stop."""

    EVERY = 0.4

    def __init__(self, report: Report) -> None:
        self._report = report
        self._rows, self._began, self._told = 0, time.monotonic(), 0.0

    def begin_again(self) -> None:
        """Start counting anew."""
        self._told = 0.0

    def tell(self, stage: str, done: int, due: int, rows: int) -> None:
        """Tell how far it is; raises Stopped when it is to stop, between one transaction and the next."""
        self._rows += rows
        now = time.monotonic()
        if now - self._told < self.EVERY and done < due:
            return
        self._told = now
        took = max(now - self._began, 1e-6)
        left = took / done * (due - done) if done and stage == "reading" else None
        if not self._report(ImportProgress(stage, done, due, self._rows, self._rows / took, left)):
            raise Stopped(
                "The import was stopped.", "import the same files again: what came in stays, the rest follows"
            )
