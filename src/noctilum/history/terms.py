"""Terms: every text is kept once a site, with an integer id per kind."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np
import numpy.typing as npt
from sqlalchemy import Connection, bindparam, func, select

from noctilum.core.digest import Hashes, text_hash, text_hashes
from noctilum.history import schema
from noctilum.history.sqlite import add_terms

Ints = npt.NDArray[np.int64]


_T = schema.term
_SINCE = (
    select(_T.c.id, _T.c.text, _T.c.hash)
    .where(_T.c.kind == bindparam("kind"), _T.c.id >= bindparam("since"))
    .order_by(_T.c.id)
)
_TEXTS = select(_T.c.text).where(_T.c.kind == bindparam("kind"), _T.c.id >= bindparam("since")).order_by(_T.c.id)
_HASHED = select(_T.c.id, _T.c.text).where(_T.c.kind == bindparam("kind"), _T.c.hash == bindparam("hash"))
_NAMED = select(_T.c.id, _T.c.text).where(_T.c.kind == bindparam("kind"), _T.c.id.in_(bindparam("ids", expanding=True)))
_HIGHEST = select(func.max(_T.c.id)).where(_T.c.kind == bindparam("kind"))


def _signed(value: int) -> int:
    return value - (1 << 64) if value >= 1 << 63 else value


class TermBook:
    """Number the texts of one kind; ids are dense from 0 in order of first sight.

    Lives inside one writer. Call refresh at the start of a transaction (another process may have
    added terms) and forget when the transaction is rolled back.
    """

    def __init__(self, kind: str) -> None:
        self.kind = kind
        self._ids: dict[str, int] = {}
        self._hashes = np.zeros(1024, dtype=np.uint64)

    def refresh(self, connection: Connection) -> None:
        """Read the terms that others have added since."""
        for number, text, hashed in connection.execute(_SINCE, {"kind": self.kind, "since": len(self._ids)}):
            self._ids[text] = number
            self._make_room(number + 1)
            self._hashes[number] = hashed & 0xFFFFFFFFFFFFFFFF

    def _make_room(self, size: int) -> None:
        while size > self._hashes.size:
            self._hashes = np.concatenate([self._hashes, np.zeros_like(self._hashes)])

    def intern(self, connection: Connection, texts: Sequence[str]) -> Ints:
        """Give the ids of texts, adding those not yet known; shape (len(texts),)."""
        found = list(map(self._ids.get, texts))
        if None in found:
            missing = [at for at, number in enumerate(found) if number is None]
            self._add(connection, dict.fromkeys(texts[at] for at in missing))
            for at in missing:
                found[at] = self._ids[texts[at]]
        return np.array(found, dtype=np.int64)

    def _add(self, connection: Connection, texts: Iterable[str]) -> None:
        new = list(texts)
        first, hashed = len(self._ids), text_hashes(new)
        self._ids.update(zip(new, range(first, first + len(new)), strict=True))
        self._make_room(first + len(new))
        self._hashes[first : first + len(new)] = hashed
        signed = hashed.view(np.int64).tolist()
        numbers = range(first, first + len(new))
        values = list(zip([self.kind] * len(new), numbers, new, signed, strict=True))
        add_terms(connection, values)

    def hashes(self) -> Hashes:
        """Give the 64-bit hash of every term, by id."""
        return self._hashes[: len(self._ids)]


def find_id(connection: Connection, kind: str, text: str) -> int | None:
    """Find the id of one text; None when the site never saw it."""
    alike = connection.execute(_HASHED, {"kind": kind, "hash": _signed(text_hash(text))})
    return next((number for number, found in alike if found == text), None)


def read_texts(connection: Connection, kind: str, ids: Sequence[int]) -> list[str]:
    """Read the texts of ids, in their order."""
    found: dict[int, str] = {}
    wanted = sorted(set(ids))
    for start in range(0, len(wanted), 500):
        part = wanted[start : start + 500]
        found.update((number, text) for number, text in connection.execute(_NAMED, {"kind": kind, "ids": part}))
    return [found[number] for number in ids]


def read_all(connection: Connection, kind: str, since: int = 0) -> list[str]:
    """Read every text of a kind from id since on, by id."""
    return [text for (text,) in connection.execute(_TEXTS, {"kind": kind, "since": since})]


def count(connection: Connection, kind: str) -> int:
    """Count the terms of a kind; ids are dense from 0."""
    highest = connection.execute(_HIGHEST, {"kind": kind}).scalar_one()
    return 0 if highest is None else int(highest) + 1
