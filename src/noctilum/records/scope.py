"""Whose records a request may see: within a scope every question of the records passes over what is others'.

The narrowing is put on each statement of a session, whatever asks it, so that no route can forget it: what belongs to
other clients is not there. What is written within a scope belongs to its clients, or is refused.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from sqlalchemy import ColumnElement, Select, false, or_, select
from sqlalchemy.orm import ORMExecuteState, Session, UOWTransaction, with_loader_criteria

from noctilum.core.errors import Refused
from noctilum.records import models as m
from noctilum.records.sqlite import within_json


@dataclass(frozen=True)
class Scope:
    """The clients that may be seen. drafts: also editions that nobody has signed off."""

    clients: frozenset[int]
    drafts: bool = True


_current: ContextVar[Scope | None] = ContextVar("scope", default=None)


def current() -> Scope | None:
    """Give the scope of what is being done; None where everything may be seen."""
    return _current.get()


def enter(scope: Scope | None) -> None:
    """Narrow everything that this thread asks from now on."""
    _current.set(scope)


@contextmanager
def within(scope: Scope | None) -> Iterator[None]:
    """Narrow what is asked for a while."""
    before = _current.set(scope)
    try:
        yield
    finally:
        _current.reset(before)


def narrow(state: ORMExecuteState) -> None:
    """Put the scope on a statement of a session."""
    scope = _current.get()
    if scope is None or state.is_column_load or not state.is_orm_statement:
        return
    state.statement = state.statement.options(*_criteria(scope))


@lru_cache(maxsize=256)
def _criteria(scope: Scope) -> tuple[Any, ...]:
    return tuple(with_loader_criteria(entity, told(scope), include_aliases=True) for entity, told in _NARROWED.items())


def _sites(scope: Scope) -> Select[int]:
    table = m.Site.__table__
    return select(table.c.id).where(table.c.client_id.in_(sorted(scope.clients)))


def _keys(scope: Scope) -> Select[str]:
    table = m.Site.__table__
    return select(table.c.key).where(table.c.client_id.in_(sorted(scope.clients)))


def _client_keys(scope: Scope) -> Select[str]:
    table = m.Client.__table__
    return select(table.c.key).where(table.c.id.in_(sorted(scope.clients)))


def _sources(scope: Scope) -> Select[int]:
    table = m.Source.__table__
    return select(table.c.id).where(table.c.site_id.in_(_sites(scope)))


def _reports(scope: Scope) -> Select[int]:
    table = m.Report.__table__
    return select(table.c.id).where(table.c.site_id.in_(_sites(scope)))


def _editions(scope: Scope) -> Select[int]:
    table = m.Edition.__table__
    found = select(table.c.id).where(table.c.report_id.in_(_reports(scope)))
    return found if scope.drafts else found.where(table.c.state != "draft")


def _shares(scope: Scope) -> Select[int]:
    table = m.Share.__table__
    return select(table.c.id).where(table.c.report_id.in_(_reports(scope)))


def _notes(scope: Scope) -> ColumnElement[bool]:
    ours = or_(m.DatedNote.client_id.in_(sorted(scope.clients)), m.DatedNote.site_id.in_(_sites(scope)))
    return or_(ours, m.DatedNote.client_id.is_(None) & m.DatedNote.site_id.is_(None))


def _jobs(scope: Scope) -> ColumnElement[bool]:
    return or_(
        within_json(m.Job.arguments, "source").in_(_sources(scope)),
        within_json(m.Job.arguments, "site").in_(_keys(scope)),
        within_json(m.Job.arguments, "client").in_(_client_keys(scope)),
    )


_NARROWED: dict[type[m.Base], Callable[[Scope], ColumnElement[bool]]] = {
    m.Client: lambda scope: m.Client.id.in_(sorted(scope.clients)),
    m.Site: lambda scope: m.Site.client_id.in_(sorted(scope.clients)),
    m.Source: lambda scope: m.Source.site_id.in_(_sites(scope)),
    m.Keyword: lambda scope: m.Keyword.site_id.in_(_sites(scope)),
    m.Competitor: lambda scope: m.Competitor.site_id.in_(_sites(scope)),
    m.Grid: lambda scope: m.Grid.site_id.in_(_sites(scope)),
    m.Report: lambda scope: m.Report.site_id.in_(_sites(scope)),
    m.Slot: lambda scope: m.Slot.report_id.in_(_reports(scope)),
    m.Edition: lambda scope: m.Edition.id.in_(_editions(scope)),
    m.Delivery: lambda scope: m.Delivery.edition_id.in_(_editions(scope)),
    m.Unsubscribed: lambda scope: m.Unsubscribed.report_id.in_(_reports(scope)),
    m.Share: lambda scope: m.Share.report_id.in_(_reports(scope)),
    m.ShareView: lambda scope: m.ShareView.share_id.in_(_shares(scope)),
    m.SavedSet: lambda scope: or_(m.SavedSet.client_id.is_(None), m.SavedSet.client_id.in_(sorted(scope.clients))),
    m.DatedNote: _notes,
    m.Work: lambda scope: m.Work.site_id.in_(_sites(scope)),
    m.Trial: lambda scope: m.Trial.site_id.in_(_sites(scope)),
    m.Target: lambda scope: m.Target.site_id.in_(_sites(scope)),
    m.MonthlyDone: lambda scope: m.MonthlyDone.client_id.in_(sorted(scope.clients)),
    m.Alert: lambda scope: m.Alert.site_id.in_(_sites(scope)),
    m.Notice: lambda scope: or_(m.Notice.source_id.in_(_sources(scope)), m.Notice.site_key.in_(_keys(scope))),
    m.Job: _jobs,
    m.Erasure: lambda _: false(),
    m.DigestMail: lambda _: false(),
    m.AlertRule: lambda _: false(),
    m.Webhook: lambda _: false(),
    m.WebhookPost: lambda _: false(),
    m.Audit: lambda _: false(),
}
"""Records that belong to clients, and which of them a scope shows."""

OF_EVERYBODY = (m.Template, m.TemplateVersion, m.FileMapping, m.AgencyLook, m.AlertRule, m.Client, m.UserClient)
"""What is the agency's: within a scope it is not written."""


def guard(db: Session, _context: UOWTransaction, _instances: Sequence[Any] | None) -> None:
    """Refuse to write, within a scope, what is the agency's as a whole."""
    scope = _current.get()
    if scope is None:
        return
    for each in (*db.new, *db.dirty, *db.deleted):
        agency_wide = isinstance(each, OF_EVERYBODY) and (each in db.new or each in db.deleted or db.is_modified(each))
        shared = isinstance(each, m.SavedSet) and each.client_id is None
        shared = shared or (isinstance(each, m.DatedNote) and each.client_id is None and each.site_id is None)
        if agency_wide or shared:
            raise Refused(
                "agency-wide",
                "This belongs to the agency as a whole; you work for some of its clients.",
                status=403,
                remedy="ask somebody who works for all of them",
            )
