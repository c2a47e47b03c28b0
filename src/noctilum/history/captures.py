"""Kept answers of lookups: each told against an earlier one of its lookup, so that what stays the same is small."""

from __future__ import annotations

import zlib
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from sqlalchemy import Connection, delete, func, insert, select

from noctilum.core.digest import text_hash
from noctilum.core.windows import month_start
from noctilum.history import schema

WHOLE_FOR = 90
"""Every capture is kept for so many days; then one a week, and each day on which the site's own part changed."""
_LOOKED_BACK = 21
"""How far beyond that it is looked for captures to let go; those before were looked at earlier."""
_PART = 500
LARGEST = 4 << 20
"""No answer is larger; what says so was not written by us."""
_LEVEL = 9


@dataclass(frozen=True)
class Capture:
    """One kept answer. look: names what was looked up; own: stands for what of it is the site's; body: its bytes."""

    look: str
    day: date
    taken_at: str
    own: str
    body: bytes


@dataclass(frozen=True)
class CaptureLine:
    """Point to a kept answer."""

    number: int
    day: date
    taken_at: str


def hash_of(text: str) -> int:
    """Hash a text to a number that the database can hold."""
    found = text_hash(text)
    return found - 2**64 if found >= 2**63 else found


def put(connection: Connection, source: int, captures: Sequence[Capture]) -> None:
    """Keep answers; the first of a month of each lookup stands for itself, the others are told against it."""
    bases = _bases(connection, source, captures)
    for each in captures:
        look, month = hash_of(each.look), month_start(each.day)
        base = bases.get((look, month))
        told = {
            "source": source,
            "look": look,
            "day": each.day.toordinal(),
            "taken_at": each.taken_at,
            "own": hash_of(each.own),
            "base": base[0] if base else None,
            "data": _packed(each.body, base[1] if base else b""),
        }
        key = connection.execute(insert(schema.capture), told).inserted_primary_key
        if base is None and key:
            bases[look, month] = int(key[0]), each.body


def _bases(
    connection: Connection, source: int, captures: Sequence[Capture]
) -> dict[tuple[int, date], tuple[int, bytes]]:
    """Find the captures that stand for themselves in the months that are written to."""
    t = schema.capture
    found: dict[tuple[int, date], tuple[int, bytes]] = {}
    for month in {month_start(each.day) for each in captures}:
        looks = list({hash_of(each.look) for each in captures if month_start(each.day) == month})
        next_month = month_start(month + timedelta(31))
        for at in range(0, len(looks), _PART):
            asked = select(t.c.id, t.c.look, t.c.data).where(
                t.c.source == source,
                t.c.look.in_(looks[at : at + _PART]),
                t.c.day >= month.toordinal(),
                t.c.day < next_month.toordinal(),
                t.c.base.is_(None),
            )
            for number, look, data in connection.execute(asked):
                found[look, month] = number, _unpacked(data, b"")
    return found


def of_day(connection: Connection, source: int, day: date) -> Iterator[tuple[str, bytes]]:
    """Give the answers of a day, (when taken, bytes), in the order they came."""
    t = schema.capture
    asked = select(t.c.taken_at, t.c.base, t.c.data).where(t.c.source == source, t.c.day == day.toordinal())
    rows = connection.execute(asked.order_by(t.c.id)).all()
    bodies = _bodies(connection, {row.base for row in rows if row.base is not None})
    for row in rows:
        yield row.taken_at, _unpacked(row.data, bodies[row.base] if row.base is not None else b"")


def lines_of(connection: Connection, look: str) -> list[CaptureLine]:
    """List the kept answers of a lookup, oldest first."""
    t = schema.capture
    asked = select(t.c.id, t.c.day, t.c.taken_at).where(t.c.look == hash_of(look)).order_by(t.c.day, t.c.id)
    return [CaptureLine(number, date.fromordinal(day), at) for number, day, at in connection.execute(asked)]


def latest(connection: Connection, looks: Sequence[str], first: date, last: date) -> dict[str, bytes]:
    """Give the newest kept answer of each of some lookups within some days; those without one are left out."""
    t = schema.capture
    names = {hash_of(look): look for look in looks}
    newest: dict[int, tuple[int | None, bytes]] = {}
    wanted = sorted(names)
    for at in range(0, len(wanted), _PART):
        asked = select(t.c.look, t.c.base, t.c.data).where(
            t.c.look.in_(wanted[at : at + _PART]), t.c.day >= first.toordinal(), t.c.day <= last.toordinal()
        )
        newest |= {row.look: (row.base, row.data) for row in connection.execute(asked.order_by(t.c.day, t.c.id))}
    bodies = _bodies(connection, {base for base, _ in newest.values() if base is not None})
    return {
        names[look]: _unpacked(data, bodies[base] if base is not None else b"") for look, (base, data) in newest.items()
    }


def line(connection: Connection, number: int) -> CaptureLine | None:
    """Point to a kept answer by its number."""
    t = schema.capture
    row = connection.execute(select(t.c.id, t.c.day, t.c.taken_at).where(t.c.id == number)).first()
    return CaptureLine(row.id, date.fromordinal(row.day), row.taken_at) if row else None


def one(connection: Connection, number: int) -> bytes | None:
    """Give the bytes of a kept answer."""
    t = schema.capture
    row = connection.execute(select(t.c.base, t.c.data).where(t.c.id == number)).first()
    if row is None:
        return None
    base = _bodies(connection, {row.base})[row.base] if row.base is not None else b""
    return _unpacked(row.data, base)


def thin(connection: Connection, source: int, today: date) -> int:
    """Let go of what is not kept for ever; returns how many captures went. What others are told against stays."""
    t = schema.capture
    limit = today - timedelta(WHOLE_FOR)
    first = (limit - timedelta(_LOOKED_BACK)).toordinal()
    asked = select(t.c.id, t.c.look, t.c.day, t.c.own).where(
        t.c.source == source, t.c.day >= first, t.c.day < limit.toordinal()
    )
    rows = connection.execute(asked.order_by(t.c.look, t.c.day, t.c.id)).all()
    going = _going([(row.id, row.look, row.day, row.own) for row in rows], first)
    went = 0
    for at in range(0, len(going), _PART):
        part = going[at : at + _PART]
        needed = select(t.c.base).where(t.c.base.in_(part))
        went += int(connection.execute(delete(t).where(t.c.id.in_(part), t.c.id.not_in(needed))).rowcount)
    return went


def _going(rows: Sequence[tuple[int, int, int, int]], first: int) -> list[int]:
    """Say which captures are neither the first of their week nor of a day on which the own part changed."""
    going: list[int] = []
    last: dict[int, tuple[int, int]] = {}
    for number, look, day, own in rows:
        week = (day - 1) // 7
        before = last.get(look)
        if before is not None and before == (week, own) and day >= first + 7:
            going.append(number)
        last[look] = week, own
    return going


def count(connection: Connection) -> tuple[int, int]:
    """Say how many captures there are, and their bytes."""
    t = schema.capture
    found = connection.execute(select(func.count(), func.coalesce(func.sum(func.length(t.c.data)), 0))).one()
    return int(found[0]), int(found[1])


def _bodies(connection: Connection, numbers: set[int]) -> dict[int, bytes]:
    t = schema.capture
    found: dict[int, bytes] = {}
    wanted = sorted(numbers)
    for at in range(0, len(wanted), _PART):
        asked = select(t.c.id, t.c.data).where(t.c.id.in_(wanted[at : at + _PART]))
        found |= {number: _unpacked(data, b"") for number, data in connection.execute(asked)}
    return found


def _packed(body: bytes, against: bytes) -> bytes:
    made = zlib.compressobj(_LEVEL, zlib.DEFLATED, -15, 9, zlib.Z_DEFAULT_STRATEGY, against[-32768:])
    return made.compress(body) + made.flush()


def _unpacked(data: bytes, against: bytes) -> bytes:
    return zlib.decompressobj(-15, against[-32768:]).decompress(data, LARGEST)
