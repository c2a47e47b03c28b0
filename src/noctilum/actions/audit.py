"""The log of changes: who made one, or sent something, when and from where. Never what it held."""

from __future__ import annotations

from datetime import datetime, timedelta

from sqlalchemy import delete, or_, select

from noctilum.actions.install import Install
from noctilum.records.models import Audit
from noctilum.records.scope import within
from noctilum.wire.people import AuditOut, AuditQuery

KEPT_FOR = timedelta(days=800)


def note(install: Install, who: str, what: str, where: str, address: str, status: int, now: datetime) -> None:
    """Note a change. what: the route's summary; where: its address without what was asked."""
    with within(None), install.records.begin() as db:
        db.execute(delete(Audit).where(Audit.at < now - KEPT_FOR))
        db.add(Audit(at=now, who=who[:300], what=what[:200], where=where[:300], address=address[:60], status=status))


def listed(install: Install, asked: AuditQuery) -> list[AuditOut]:
    """List changes, the newest first."""
    question = select(Audit).order_by(Audit.id.desc()).offset(asked.offset).limit(asked.limit)
    if asked.find.strip():
        part = asked.find.strip()
        texts = (Audit.who, Audit.what, Audit.where)
        question = question.where(or_(*(text.icontains(part, autoescape=True) for text in texts)))
    with install.records.read() as db:
        names = AuditOut.model_fields
        return [AuditOut(**{name: getattr(found, name) for name in names}) for found in db.scalars(question)]
