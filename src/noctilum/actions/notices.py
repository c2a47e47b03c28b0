"""Notices: what somebody should know of, until somebody has seen it."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from noctilum.actions.install import Install
from noctilum.records.models import LARGEST_NUMBER, Notice, Source


def note(db: Session, code: str, text: str, now: datetime, source: Source | None = None) -> None:
    """Leave a notice inside the caller's transaction; the same unseen one is not left twice."""
    number = source.id if source else None
    same = select(Notice).where(Notice.code == code, Notice.source_id == number, Notice.seen_at.is_(None))
    found = db.scalar(same)
    if found is not None:
        found.text, found.at = text, now
        return
    db.add(Notice(at=now, code=code, text=text, source_id=number, site_key=source.site.key if source else None))


def unseen(install: Install) -> list[Notice]:
    """List the notices nobody has seen yet, newest first."""
    with install.records.read() as db:
        return list(db.scalars(select(Notice).where(Notice.seen_at.is_(None)).order_by(Notice.id.desc())))


def mark_seen(install: Install, number: int | None, now: datetime) -> int:
    """Mark a notice, or all of them, as seen; returns how many."""
    change = update(Notice).where(Notice.seen_at.is_(None)).values(seen_at=now)
    if number is not None:
        change = change.where(Notice.id == min(number, LARGEST_NUMBER))
    with install.records.begin() as db:
        return int(db.execute(change).rowcount)  # type: ignore[attr-defined]
