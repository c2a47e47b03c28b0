"""One site's history file, opened."""

from __future__ import annotations

import threading
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from datetime import date, datetime
from hashlib import blake2b
from pathlib import Path
from types import MappingProxyType

import numpy as np
import numpy.typing as npt
from sqlalchemy import Connection, bindparam, func, insert, inspect, select, update
from sqlalchemy.exc import DatabaseError

from noctilum.core.days import DayState
from noctilum.core.digest import text_hashes
from noctilum.core.errors import Fault, NotThere, StoreFault, worded
from noctilum.core.table import Grouped
from noctilum.core.windows import month_start
from noctilum.datasets import DATASETS
from noctilum.history import captures, first_seen, ledger, schema, terms, upgrades
from noctilum.history import segments as seg
from noctilum.history import sqlite as store
from noctilum.history.answers import AnswerCache
from noctilum.history.changes import DayChange, read_changes
from noctilum.history.columns import ColumnCache
from noctilum.history.integrity import Damage, drop_before, drop_source, examine, renumber, take_out
from noctilum.history.ledger import LedgerRow
from noctilum.history.rows import Rows, digest_of, joined
from noctilum.history.scan import Question, answer, matching_rows
from noctilum.history.terms import TermBook
from noctilum.history.writing import DayEntry, Writer, compact_month, loose_months
from noctilum.sqlite_files import common_fault

__all__ = ["DayEntry", "History", "Question"]
Ints = npt.NDArray[np.int64]


_SCHEMA = update(schema.meta).where(schema.meta.c.key == "schema")
_GENERATION = select(schema.meta.c.value).where(schema.meta.c.key == "generation")
_ADVANCED = update(schema.meta).where(schema.meta.c.key == "generation").values(value=bindparam("to"))
NEVER = -1
"""A generation that no history has."""
FEW_TERMS = 5000
"""A kind with so few terms is read whole when first asked for and kept."""
MANY_IDS = 1000
"""From so many ids on all texts of a kind are read, and kept: asking for each takes longer."""
MOST_KEPT_IDS = 20_000
"""So many ids found by their text are kept; then all are let go."""


class History:
    """Read and write one site's history. Safe to share between threads; many processes may open it.

    Opening with create=False raises NotThere when there is no file. cache, answers: where columns and answers
    are kept, shared by the histories of a process that opens many.
    """

    def __init__(
        self,
        path: Path,
        *,
        create: bool = False,
        cache: ColumnCache | None = None,
        answers: AnswerCache | None = None,
    ) -> None:
        if not create and not path.exists():
            raise NotThere(
                "no-history",
                "Nothing is held of this site yet.",
                remedy="pull its source, or import files",
            )
        self.path = path
        if create:
            path.parent.mkdir(parents=True, exist_ok=True)
        self._engine = store.open_engine(path)
        self._lock = threading.Lock()
        self._still = threading.local()
        self._books = {name: TermBook(name) for kept in DATASETS.values() for name in kept.dims}
        self._books_at = NEVER
        self._texts: dict[str, tuple[str, ...]] = {}
        self._ids: dict[tuple[str, str], int] = {}
        self._states: tuple[int, dict[tuple[tuple[int, ...], str], Mapping[date, DayState]]] = (-1, {})
        self._firsts: dict[object, tuple[int, Ints]] = {}
        self._cache = cache or ColumnCache()
        self._answers = answers or AnswerCache()
        self._lay_out()
        self._file = _file_at(path)

    def is_at(self, path: Path) -> bool:
        """Say whether this is still the file that lies at a path, and not one since deleted or replaced."""
        return self._file is not None and self._file == _file_at(path)

    def _lay_out(self) -> None:
        """Make the tables of a new file, or bring an older file to this version."""
        with self._reading() as db:
            version = _version_of(db)
        if version == schema.SCHEMA_VERSION:
            return
        if version is not None and version > schema.SCHEMA_VERSION:
            raise StoreFault(
                "history-newer",
                worded("The history file was written by a newer version (its shape is {version}).", version=version),
                where=str(self.path),
                remedy="use that version, or a backup made by this one",
            )
        with self._engine.connect().execution_options(writing=True) as db, db.begin():
            version = _version_of(db)
            if version is not None:
                upgrades.bring_up(db, version)
                db.execute(_SCHEMA.values(value=str(schema.SCHEMA_VERSION)))
                return
            schema.tables.create_all(db)
            if db.execute(select(schema.meta.c.value)).first() is None:
                values = {"schema": str(schema.SCHEMA_VERSION), "generation": "0"}
                db.execute(
                    insert(schema.meta),
                    [{"key": k, "value": v} for k, v in values.items()],
                )

    def close(self) -> None:
        """Let go of the file."""
        self._engine.dispose()

    @contextmanager
    def _reading(self) -> Iterator[Connection]:
        try:
            with self._engine.connect() as db:
                yield db
        except DatabaseError as why:
            raise _unreadable(self.path, why) from why

    @contextmanager
    def _writing(self, *, answers: bool = True) -> Iterator[Connection]:
        """Give one transaction; term books are forgotten when it fails. answers: what is read changes by it."""
        with self._lock:
            try:
                with (
                    self._engine.connect().execution_options(writing=True) as db,
                    db.begin(),
                ):
                    before = self._refreshed(db)
                    yield db
                    if answers:
                        self._advance(db, before + 1)
                self._books_at = before + 1 if answers else before
            except BaseException as why:
                self._books = {name: TermBook(name) for name in self._books}
                self._books_at = NEVER
                if isinstance(why, DatabaseError):
                    raise _unreadable(self.path, why) from why
                raise

    def _refreshed(self, db: Connection) -> int:
        """Read the terms that another process has added, if one has written since; returns the generation."""
        generation = int(db.execute(_GENERATION).scalar_one())
        if generation != self._books_at:
            for book in self._books.values():
                book.refresh(db)
        return generation

    @staticmethod
    def _advance(db: Connection, generation: int) -> None:
        db.execute(_ADVANCED, {"to": str(generation)})

    @property
    def generation(self) -> int:
        """A number that grows with every change; the same number means the same answers."""
        kept: int | None = getattr(self._still, "generation", None)
        if kept is not None:
            return kept
        with self._reading() as db:
            return int(db.execute(_GENERATION).scalar_one())

    @contextmanager
    def still(self) -> Iterator[None]:
        """Ask for the generation once for all that this thread reads inside.

        What another process writes meanwhile may be read in part, and is read whole by the next to ask.
        """
        outer = getattr(self._still, "generation", None)
        self._still.generation = self.generation
        try:
            yield
        finally:
            self._still.generation = outer

    def put_days(self, source: int, entries: Sequence[DayEntry]) -> list[LedgerRow]:
        """Replace days whole, in one transaction with their ledger rows.

        A month all of whose days are final or empty is compacted on the way. Returns the ledger rows.
        """
        with self._writing() as db:
            return Writer(db, self._books, source).put(entries)

    def settle_as_seen(self, source: int, days: Sequence[date]) -> None:
        """Take provisional days that the provider will never settle as they were last seen, and doubt them."""
        if not days:
            return
        t = schema.ledger
        here = (t.c.source == source, t.c.day.in_([day.toordinal() for day in days]), t.c.state == "provisional")
        remark = "last seen while it was provisional; the provider keeps it no more"
        with self._writing() as db:
            db.execute(update(t).where(*here).values(state="final", flag="unsettled", remark=remark))

    def compact(self, before: date) -> int:
        """Compact months that ended before a day, gaps or not; returns how many segments were joined."""
        with self._reading() as db:
            found = list(loose_months(db, before))
        for source, name, month in found:
            with self._writing() as db:
                compact_month(db, source, DATASETS[name], month)
        return len(found)

    def read(self, question: Question) -> Grouped:
        """Answer a question with exact sums. The answer is shared: treat its arrays as read-only."""
        return self._answers.get(self._engine, self.generation, question, lambda: self._read(question))

    def _read(self, question: Question) -> Grouped:
        with self._reading() as db:
            return answer(db, self._cache, question)

    def rows(self, question: Question, columns: Sequence[str]) -> list[Rows]:
        """Read the rows behind a question, unsummed, with only the wanted columns and the measures."""
        with self._reading() as db:
            return matching_rows(db, self._cache, question, columns)

    def ledger(
        self,
        *,
        sources: Sequence[int] | None = None,
        dataset: str | None = None,
        first: date | None = None,
        last: date | None = None,
    ) -> list[LedgerRow]:
        """Read the day ledger, ordered by dataset, source, day."""
        with self._reading() as db:
            return ledger.read_rows(db, sources=sources, dataset=dataset, first=first, last=last)

    def changes(
        self,
        *,
        sources: Sequence[int] | None = None,
        dataset: str | None = None,
        first: date | None = None,
        last: date | None = None,
    ) -> list[DayChange]:
        """Read the change log of final days, newest change first."""
        with self._reading() as db:
            return read_changes(db, sources=sources, dataset=dataset, first=first, last=last)

    def states(self, sources: Sequence[int], dataset: str) -> Mapping[date, DayState]:
        """Read every known day's state; over several sources the least settled stands.

        What was read is kept until the next change.
        """
        generation, asked = self.generation, (tuple(sources), dataset)
        kept = self._states
        if kept[0] != generation:
            kept = self._states = (generation, {})
        if asked not in kept[1]:
            with self._reading() as db:
                kept[1][asked] = MappingProxyType(ledger.read_states(db, sources, dataset))
        return kept[1][asked]

    def first_days(self, kind: str, sources: Sequence[int] | None = None) -> Ints:
        """Read the first day each term was seen, as ordinals by id; first_seen.NEVER where no day has it. Read-only.

        What was read is kept until the next change.
        """
        generation, asked = self.generation, (kind, None if sources is None else tuple(sources))
        kept = self._firsts.get(asked)
        if kept is None or kept[0] != generation:
            with self._reading() as db:
                kept = (generation, first_seen.first_days(db, kind, sources))
            kept[1].setflags(write=False)
            self._firsts[asked] = kept
        return kept[1]

    def flagged(self, source: int) -> int:
        """Count the days of a source that are doubted at any grain."""
        t = schema.ledger
        doubted = t.c.flag.is_not(None) & (t.c.flag != "lost") & (t.c.source == source)
        with self._reading() as db:
            return int(db.execute(select(func.count(t.c.day.distinct())).where(doubted)).scalar_one())

    def term_id(self, kind: str, text: str) -> int | None:
        """Find a text's id; None when the site never saw it. Terms are only ever added: ids found once are kept."""
        known = self._ids.get((kind, text))
        if known is not None:
            return known
        with self._reading() as db:
            found = terms.find_id(db, kind, text)
        if found is not None:
            if len(self._ids) >= MOST_KEPT_IDS:
                self._ids.clear()
            self._ids[kind, text] = found
        return found

    def find_terms(self, kind: str, part: str) -> tuple[int, ...]:
        """Find the ids of the texts that hold a part, exactly as written."""
        return tuple(number for number, text in enumerate(self.all_texts(kind)) if part in text)

    def texts(self, kind: str, ids: Sequence[int]) -> list[str]:
        """Read the texts of ids, in their order."""
        known = self.all_texts(kind) if len(ids) >= MANY_IDS else self._texts.get(kind, ())
        if ids and max(ids) < len(known):
            return [known[number] for number in ids]
        with self._reading() as db:
            if terms.count(db, kind) > FEW_TERMS:
                return terms.read_texts(db, kind, ids)
        every = self.all_texts(kind)
        return [every[number] for number in ids]

    def all_texts(self, kind: str) -> Sequence[str]:
        """Give every text of a kind by id. Terms are only ever added, so those read once are kept."""
        with self._reading() as db:
            known = self._texts.get(kind, ())
            if terms.count(db, kind) > len(known):
                known = (*known, *terms.read_all(db, kind, since=len(known)))
                self._texts[kind] = known
            return known

    def digest(self) -> str:
        """Digest the logical content, read anew from the stored rows: every day's state and rows, however stored."""
        whole = blake2b(digest_size=16)
        with self._reading() as db:
            for row in ledger.read_rows(db):
                whole.update(f"{row.source} {row.dataset} {row.day} {row.state} {row.revision}\n".encode())
            for name, kept in DATASETS.items():
                hashes = {dim: text_hashes(terms.read_all(db, dim)) for dim in kept.dims}
                for source, found in _by_source(seg.find(db, name, None, 0, date.max.toordinal())):
                    rows = joined(list(seg.read_blocks(db, kept, found, seg.column_order(kept))))
                    whole.update(f"{source} {name} {digest_of(rows, hashes)}\n".encode())
        return whole.hexdigest()

    def verify(self) -> list[Damage]:
        """Read everything and list what is wrong; nothing is changed."""
        with self._reading() as db:
            return list(examine(db))

    def repair(self, damages: Sequence[Damage], now: datetime) -> list[tuple[int, str, date]]:
        """Take what is damaged out, in one transaction; returns (source, dataset, day) of what is to be had again."""
        with self._writing() as db:
            return take_out(db, damages, now.isoformat(timespec="seconds"))

    def copy_to(self, path: Path) -> None:
        """Write a copy of the file as it is at one moment, while others may go on writing."""
        try:
            store.copy_to(self._engine, path)
        except store.FAILURES as why:
            path.unlink(missing_ok=True)
            raise common_fault(why, path) or StoreFault(
                "copy-failed",
                worded("The history could not be copied: {why}.", why=why),
                where=str(path),
                remedy="check the disk",
            ) from why

    def renumber(self, numbers: Mapping[int, int]) -> None:
        """Give sources other numbers, as when a file comes from another install."""
        with self._writing() as db:
            renumber(db, numbers)

    def drop_source(self, source: int) -> int:
        """Delete everything of one source; returns how many ledger rows went."""
        with self._writing() as db:
            return drop_source(db, source)

    def drop_before(self, first: date) -> int:
        """Delete whole months that ended before a day and keep days before it out; returns how many days went."""
        with self._writing() as db:
            went = drop_before(db, first)
            kept = {"key": "kept_from", "value": month_start(first).isoformat()}
            db.execute(store.replacing(schema.meta), kept)
            return went

    @property
    def kept_from(self) -> date | None:
        """The day before which nothing is kept, by the agency's own rule; None without one."""
        with self._reading() as db:
            found = db.execute(select(schema.meta.c.value).where(schema.meta.c.key == "kept_from")).scalar()
            return date.fromisoformat(found) if found else None

    def put_captures(self, source: int, kept: Sequence[captures.Capture]) -> None:
        """Keep answers of lookups, in one transaction."""
        with self._writing(answers=False) as db:
            captures.put(db, source, kept)

    def captures_of_day(self, source: int, day: date) -> list[tuple[str, bytes]]:
        """Give the answers of a day's lookups, (when taken, bytes), in the order they came."""
        with self._reading() as db:
            return list(captures.of_day(db, source, day))

    def captures_of(self, look: str) -> list[captures.CaptureLine]:
        """List the kept answers of one lookup, oldest first."""
        with self._reading() as db:
            return captures.lines_of(db, look)

    def latest_captures(self, looks: Sequence[str], first: date, last: date) -> dict[str, bytes]:
        """Give the newest kept answer of each lookup within some days."""
        with self._reading() as db:
            return captures.latest(db, looks, first, last)

    def capture(self, number: int) -> bytes | None:
        """Give the bytes of a kept answer; None where there is none."""
        with self._reading() as db:
            return captures.one(db, number)

    def capture_line(self, number: int) -> captures.CaptureLine | None:
        """Say when a kept answer was taken; None where there is none."""
        with self._reading() as db:
            return captures.line(db, number)

    def thin_captures(self, source: int, today: date) -> int:
        """Let go of captures that are not kept for ever; returns how many went."""
        with self._writing(answers=False) as db:
            return captures.thin(db, source, today)

    def size(self) -> int:
        """Say how many bytes the file takes, its log included."""
        files = (self.path, self.path.with_name(self.path.name + "-wal"))
        return sum(f.stat().st_size for f in files if f.exists())


def _version_of(db: Connection) -> int | None:
    """Read which shape a file has; None for a file without any."""
    if not inspect(db).has_table(schema.meta.name):
        return None
    found = db.execute(select(schema.meta.c.value).where(schema.meta.c.key == "schema")).scalar()
    return None if found is None else int(found)


def _by_source(found: Sequence[seg.Segment]) -> list[tuple[int, list[seg.Segment]]]:
    sources = sorted({s.source for s in found})
    return [(source, [s for s in found if s.source == source]) for source in sources]


def _unreadable(path: Path, why: DatabaseError) -> Fault:
    return common_fault(why, path) or StoreFault(
        "history-unreadable",
        worded("The history file cannot be used: {orig}.", orig=why.orig),
        where=str(path),
        remedy="check that the disk has room and the file may be written, then run `noctilum verify`",
    )


def _file_at(path: Path) -> tuple[int, int] | None:
    try:
        found = path.stat()
    except OSError:
        return None
    return found.st_dev, found.st_ino
