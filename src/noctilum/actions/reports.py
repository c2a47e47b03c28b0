"""Reports of sites: made from a template, changed by themselves, looked over before they are made."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress
from datetime import datetime
from typing import Any

from sqlalchemy import Select, select
from sqlalchemy.orm import Session

from noctilum.actions import report as making
from noctilum.actions import templates
from noctilum.actions.find import find_site
from noctilum.actions.hand_over_rows import of_site
from noctilum.actions.install import Install
from noctilum.actions.people import checked_email
from noctilum.actions.recurrence import next_due, rule_of
from noctilum.actions.setup import check_zone
from noctilum.core.errors import Clash, Nonsense, NotThere, worded
from noctilum.records.models import LARGEST_NUMBER, Client, Report, Site, Template, Unsubscribed
from noctilum.reports.document import Document
from noctilum.reports.titles import title_of_block
from noctilum.wire import reports as wire
from noctilum.wire.handed import HandedReport
from noctilum.words.speech import Speech


def listed(install: Install, asked: wire.ReportsQuery) -> list[wire.ReportOut]:
    """List reports by site and name."""
    question = _all().order_by(Site.host, Report.name)
    if asked.client is not None:
        question = question.where(Client.key == asked.client)
    with install.records.read() as db:
        if asked.site is not None:
            question = question.where(Report.site_id == find_site(db, asked.site).id)
        return [_out(db, found, site, client) for found, site, client in db.execute(question).all()]


def one(install: Install, number: int) -> wire.ReportOut:
    """Give a report; raises NotThere."""
    with install.records.read() as db:
        return _out(db, *_found(db, number))


def added(install: Install, asked: wire.NewReport, now: datetime) -> wire.ReportOut:
    """Make a report of a site; raises NotThere for a template there is not, Clash for a name that is taken."""
    if asked.body is not None:
        templates.check(asked.body)
    with install.records.begin() as db:
        site = find_site(db, asked.site)
        return _out(db, _add(db, site, asked, now), site.key, site.client.key)


def _add(db: Session, site: Site, asked: wire.NewReport, now: datetime) -> Report:
    _refuse_taken(db, site.id, asked.name, None)
    _, version = templates.body_in(db, asked.template, asked.version)
    found = Report(
        site_id=site.id,
        name=asked.name,
        template=asked.template,
        version=version,
        language=asked.language,
        body=_own(db, asked, version),
        created_at=now,
    )
    _set_sending(found, asked, site, now)
    db.add(found)
    db.flush()
    return found


def changed(install: Install, number: int, asked: wire.NewReport, now: datetime) -> wire.ReportOut:
    """Make a report what is asked; it alone, neither its template nor others."""
    if asked.body is not None:
        templates.check(asked.body)
    with install.records.begin() as db:
        found, _, _ = _found(db, number)
        site = find_site(db, asked.site)
        _refuse_taken(db, site.id, asked.name, number)
        if found.body is None and asked.body == body_of(db, found):
            # it says again what its template says, and goes on following it
            asked = asked.model_copy(update={"body": None})
        _, version = templates.body_in(db, asked.template, asked.version)
        found.site_id, found.name, found.language = site.id, asked.name, asked.language
        found.template, found.version, found.body = asked.template, version, _own(db, asked, version)
        _set_sending(found, asked, site, now)
        db.flush()
        return _out(db, found, site.key, site.client.key)


def dropped(install: Install, number: int) -> None:
    """Drop a report with its editions."""
    with install.records.begin() as db:
        db.delete(_found(db, number)[0])


def look_over(install: Install, site: str, asked: wire.AskLook, now: datetime) -> wire.ReportLook:
    """Say what a report would be made of today: which blocks come in, which stay out, and why. Nothing is kept."""
    body = asked.body or templates.named(install, asked.template)[0]
    return looked(making.document(install, site, body, now, asked.language), site, body)


def document_of(install: Install, site: str, asked: wire.AskLook, now: datetime) -> Document:
    """Give a report as it would be today. Nothing is kept."""
    body = asked.body or templates.named(install, asked.template)[0]
    return making.document(install, site, body, now, asked.language)


def draft_of(install: Install, site: str, asked: wire.AskDraft, now: datetime) -> wire.ReportDraft:
    """Draw a report as it would be today, with the printed page each block begins on where asked. Nothing is kept."""
    from noctilum.reports.layout import laid_out
    from noctilum.reports.render import render_html

    made = making.document(install, site, asked.body, now, asked.language)
    look, html = looked(made, site, asked.body), render_html(made)
    if not asked.paged:
        return wire.ReportDraft(look=look, html=html, pages=None, page_of=[None] * len(look.blocks))
    from noctilum.reports.pdf import pages_of

    count, begins = pages_of(laid_out(made))
    numbers = iter(range(1, len(made.blocks) + 1))
    page_of = [begins.get(next(numbers)) if each.comes_in else None for each in look.blocks]
    return wire.ReportDraft(look=look, html=html, pages=count, page_of=page_of)


def looked(made: Document, site: str, body: wire.ReportBody) -> wire.ReportLook:
    """Say which blocks a document has and which it has not, in the order that was asked for."""
    speech = Speech(made.look.language)
    window = made.head.window
    there, gone = list(made.blocks), list(made.left_out)
    blocks = []
    for spec in body.blocks:
        if there and there[0].spec == spec:
            each = there.pop(0)
            title = title_of_block(each, speech)
            blocks.append(wire.BlockLook(kind=spec.kind, title=title, comes_in=True, why=each.why))
        elif gone:
            left = gone.pop(0)
            blocks.append(wire.BlockLook(kind=spec.kind, title=left.block, comes_in=False, why=left.why))
    return wire.ReportLook(
        site=site,
        title=made.title,
        first=window.first,
        last=window.last,
        complete=made.head.settled,
        summary=list(made.summary),
        blocks=blocks,
    )


SENDING = ("time_zone", "weekend", "when_late", "wait_days", "approval", "recipients", "attach", "message")
"""What is kept of how a report's editions go out."""


def _set_sending(found: Report, asked: wire.NewReport, site: Site, now: datetime) -> None:
    """Set when a report falls due and to whom it goes; what stays as it is keeps the time it was due next."""
    rule = rule_of(asked.schedule)
    recipients = [each.model_copy(update={"email": checked_email(each.email)}) for each in asked.recipients]
    if len({each.email for each in recipients}) < len(recipients):
        raise Nonsense("recipient-twice", "A recipient is named twice.", where="recipients")
    zone = asked.time_zone or site.client.time_zone
    check_zone(zone)
    told = asked.model_copy(update={"recipients": recipients}).model_dump(mode="json", include=set(SENDING))
    as_was = (found.schedule, found.sending and found.sending.get("weekend"), found.sending and zone_of(found, site))
    coming = next_due(rule, now, zone, asked.weekend) if rule else None
    if not rule or found.next_run_at is None or as_was != (rule, asked.weekend, zone):
        found.next_run_at = coming
    found.schedule, found.paused, found.sending = rule, asked.paused, told


def zone_of(found: Report, site: Site) -> str:
    """Give the time zone a report falls due in: its own, or its client's."""
    return str(found.sending.get("time_zone") or site.client.time_zone)


def plan_of(found: Report) -> wire.NewReport:
    """Give how a report's editions go out; what was never said is as usual."""
    told = {name: found.sending[name] for name in SENDING if name in found.sending}
    given = {"site": "-", "name": found.name, "template": found.template, "schedule": found.schedule}
    return wire.NewReport.model_validate({**given, **told, "paused": found.paused})


MOST_COMING = 3


def _coming(found: Report, plan: wire.NewReport, zone: str) -> list[datetime]:
    """Give the next times it falls due."""
    times: list[datetime] = []
    at = found.next_run_at
    with suppress(Nonsense):
        while found.schedule and at is not None and len(times) < MOST_COMING:
            times.append(at)
            at = next_due(found.schedule, at, zone, plan.weekend)
    return times


def _own(db: Session, asked: wire.NewReport, version: int) -> dict[str, object] | None:
    """Give a report's own body; None while it is its template's."""
    if asked.body is None or asked.body == templates.body_in(db, asked.template, version)[0]:
        return None
    return asked.body.model_dump(mode="json")


def _refuse_taken(db: Session, site: int, name: str, number: int | None) -> None:
    taken = db.scalar(select(Report.id).where(Report.site_id == site, Report.name == name))
    if taken is not None and taken != number:
        raise Clash(
            "report-exists", worded("The site has a report {name!r} already.", name=name), remedy="call it otherwise"
        )


def _all() -> Select[Report, str, str]:
    asked = select(Report, Site.key, Client.key).join(Site, Report.site_id == Site.id)
    return asked.join(Client, Site.client_id == Client.id)


def find(db: Session, number: int) -> tuple[Report, str, str]:
    """Find a report with the keys of its site and client; raises NotThere."""
    return _found(db, number)


def _found(db: Session, number: int) -> tuple[Report, str, str]:
    found = db.execute(_all().where(Report.id == number)).first() if number <= LARGEST_NUMBER else None
    if found is None:
        raise NotThere(
            "no-such-report",
            worded("There is no report {number}.", number=number),
            remedy="list them with `noctilum reports`",
        )
    return found[0], found[1], found[2]


def body_of(db: Session, found: Report) -> wire.ReportBody:
    """Give what a report is made of: its own body, or its template's."""
    if found.body is not None:
        return wire.ReportBody.model_validate(found.body)
    return templates.body_in(db, found.template, found.version)[0]


def _out(db: Session, found: Report, site: str, client: str) -> wire.ReportOut:
    plan = plan_of(found)
    of = db.get_one(Site, found.site_id)
    gone = db.scalars(select(Unsubscribed.email).where(Unsubscribed.report_id == found.id).order_by(Unsubscribed.email))
    newest = db.scalar(select(Template.version).where(Template.name == found.template)) or found.version
    return wire.ReportOut(
        id=found.id,
        site=site,
        client=client,
        name=found.name,
        template=found.template,
        version=found.version,
        newer=newest if newest > found.version else None,
        language=found.language,
        changed=found.body is not None,
        body=body_of(db, found),
        schedule=found.schedule,
        paused=found.paused,
        coming=_coming(found, plan, zone_of(found, of)),
        unsubscribed=list(gone),
        **{name: getattr(plan, name) for name in SENDING},
    )


def handed(db: Session, site: Site) -> list[dict[str, Any]]:
    """Give the reports of the site with what each is made of; editions and shared addresses stay here."""
    return [
        plan_of(found).model_dump(mode="json", exclude={"site", "version"})
        | {"language": found.language, "body": body_of(db, found).model_dump(mode="json")}
        for found in of_site(db, Report, site)
    ]


def bring(db: Session, site: Site, told: Sequence[HandedReport], now: datetime) -> None:
    """Keep the reports that came with a hand-over. They are paused: two places must not send them."""
    for asked in told:
        templates.check(asked.body)
        _add(db, site, asked.model_copy(update={"site": site.key, "version": None, "paused": True}), now)
