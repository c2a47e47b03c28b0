"""Editions: a report frozen as it was made, signed off, and given again years later as it was.

What is frozen is every reading that the report shows, as plain JSON with its digest. Files are made from it whenever
they are asked for, so that the history may be revised and an edition stays as it was.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Literal

import zstandard
from sqlalchemy import Select, func, or_, select
from sqlalchemy.orm import Session, undefer

from noctilum.actions import report as making
from noctilum.actions import reports, webhooks
from noctilum.actions.find import find_site
from noctilum.actions.install import Install
from noctilum.core.errors import Clash, NotThere, worded
from noctilum.records.models import LARGEST_NUMBER, Client, Delivery, Edition, Report, Site, Slot
from noctilum.records.scope import within
from noctilum.reports.document import Document
from noctilum.reports.frozen import block_differences, days_of, differences, digest_of, frozen, thawed
from noctilum.reports.titles import title_of_block
from noctilum.wire import reports as wire
from noctilum.wire import webhooks as webhook_wire
from noctilum.words.speech import Speech

MOST_TOLD = 200
MOST_BYTES = 256 << 20
"""An edition unpacked is never larger than this; packed ones that say so are damaged."""


def drafted(
    install: Install, report: int, now: datetime, who: str, *, window: str = "", slot: int | None = None
) -> wire.EditionOut:
    """Make a draft of a report from the history as it is. Raises what reading the site raises.

    window: in place of the report's, as for the month before the day it fell due. slot: the number of the time it
    fell due, which is made with the draft, in one transaction; raises Clash where it was made already.
    """
    with install.records.read() as db:
        found, site, _ = reports.find(db, report)
        body, language, name, version = reports.body_of(db, found), found.language, found.template, found.version
        number = found.site_id
        if window:
            body = body.model_copy(update={"window": window})
    made = making.document(install, site, body, now, language)
    packed = frozen(made)
    look = reports.looked(made, site, body)
    with install.records.begin() as db:
        reports.find(db, report)
        kept = _open_slot(db, slot) if slot is not None else None
        edition = Edition(
            report_id=report,
            state="draft",
            title=made.title,
            first=look.first,
            last=look.last,
            summary=look.summary,
            drafted=look.summary,
            looks={"blocks": [each.model_dump(mode="json") for each in look.blocks]},
            template=name,
            version=version,
            generation=_generation(install, number),
            digest=digest_of(packed),
            frozen=zstandard.compress(packed, 9),
            made_at=now,
            made_by=who,
            approved_by="",
            complete=look.complete,
        )
        db.add(edition)
        db.flush()
        if kept is not None:
            kept.state, kept.edition_id, kept.why = "made", edition.id, ""
        return _told(db, [_found(db, edition.id)])[0]


def _generation(install: Install, site: int) -> int:
    """Give the generation of a site's history; 0 while nothing is held."""
    try:
        return install.history(site).generation
    except NotThere:
        return 0


def _open_slot(db: Session, number: int) -> Slot:
    found = db.get(Slot, number)
    if found is None or found.state in ("made", "skipped"):
        raise Clash("slot-closed", "It was made or skipped meanwhile.", remedy="look at the list of what is due")
    return found


def listed(install: Install, asked: wire.EditionsQuery) -> list[wire.EditionOut]:
    """List editions, the newest first."""
    question = _all().order_by(Edition.last.desc(), Edition.id.desc()).offset(asked.offset).limit(asked.limit)
    if asked.client is not None:
        question = question.where(Client.key == asked.client)
    if asked.state is not None:
        question = question.where(Edition.state == asked.state)
    if asked.find.strip():
        part = asked.find.strip().lower()
        texts = (Edition.title, Report.name, Site.host, Client.name)
        question = question.where(or_(*(func.lower(text).contains(part, autoescape=True) for text in texts)))
    with install.records.read() as db:
        if asked.site is not None:
            question = question.where(Report.site_id == find_site(db, asked.site).id)
        return _told(db, [(row[0], row[1], row[2], row[3]) for row in db.execute(question)])


def one(install: Install, number: int) -> wire.EditionOut:
    """Give an edition; raises NotThere."""
    with install.records.read() as db:
        return _told(db, [_found(db, number)])[0]


def rewritten(install: Install, number: int, asked: wire.EditionChange) -> wire.EditionOut:
    """Write the summary of a draft; the figures are not touched. Raises Clash for one that is signed off."""
    with install.records.begin() as db:
        row = _found(db, number)
        found = row[0]
        _refuse_approved(found)
        if asked.summary is not None:
            found.summary = [" ".join(each.split()) for each in asked.summary if each.strip()]
        db.flush()
        return _told(db, [row])[0]


def approved(install: Install, number: int, now: datetime, who: str) -> wire.EditionOut:
    """Sign an edition off as it was looked at; nothing of it changes any more."""
    with install.records.begin() as db:
        row = _found(db, number)
        found = row[0]
        _refuse_approved(found)
        found.state, found.approved_at, found.approved_by = "approved", now, who
        told(db, "edition.approved", row[0], row[1], now)
        db.flush()
        return _told(db, [row])[0]


def told(db: Session, event: webhook_wire.Event, found: Edition, site: str, now: datetime) -> None:
    """Write down that something happened to an edition, for who is told of it."""
    about = {"edition": found.id, "report": found.report_id, "site": site, "title": found.title}
    days = {"first": str(found.first), "last": str(found.last), "digest": found.digest}
    with within(None):
        webhooks.happened(db, event, f"{event} {found.id}", about | days, now)


def looked_at(install: Install, number: int, now: datetime, who: str) -> wire.EditionOut:
    """Note that somebody has opened an edition; the first one stays noted."""
    with install.records.begin() as db:
        row = _found(db, number)
        found = row[0]
        if found.looked_at is None:
            found.looked_at, found.looked_by = now, who
        db.flush()
        return _told(db, [row])[0]


def dropped(install: Install, number: int) -> None:
    """Throw a draft away; raises Clash for one that is signed off."""
    with install.records.begin() as db:
        found, *_ = _found(db, number)
        _refuse_approved(found)
        db.delete(found)


def file(install: Install, number: int, kind: wire.ReportFile) -> making.File:
    """Give an edition as a file; raises StoreFault where it is not what was frozen."""
    made, digest = document(install, number)
    return making.rendered(made, kind, digest)


def chart(install: Install, number: int, block: int, kind: Literal["svg", "png"]) -> making.File:
    """Give the chart of one block of an edition as a file; raises NotThere for a block that has none."""
    from noctilum.reports.render import chart_of, has_chart

    made, _ = document(install, number)
    drawn = chart_of(made, block, kind)
    if drawn is None:
        with_one = [str(at) for at, each in enumerate(made.blocks, 1) if has_chart(each)]
        raise NotThere(
            "no-chart",
            worded("Block {block} of edition {number} has no chart.", block=block, number=number),
            where="block",
            remedy=worded("one of {known}", known=", ".join(with_one)) if with_one else "none of its blocks has one",
        )
    name = f"{made.host.replace('/', '-')}-{made.head.window.last}-{block}.{kind}"
    return making.File(name, "image/svg+xml" if kind == "svg" else "image/png", drawn)


def compared(install: Install, first: int, second: int) -> wire.EditionsCompared:
    """Say how two editions differ: what came in and went out, and each figure that is another."""
    one_, other = _both(install, first), _both(install, second)
    names, names_of_other = _blocks_of(one_[0]), _blocks_of(other[0])
    found = []
    for at, name in enumerate(names):
        if name in names_of_other:
            there = names_of_other.index(name)
            found += [(name, *each) for each in block_differences(one_[1], at, other[1], there)]
    return wire.EditionsCompared(
        first=one(install, first),
        second=one(install, second),
        came=[each for each in names_of_other if each not in names],
        went=[each for each in names if each not in names_of_other],
        changed=[
            wire.Revised(block=block, what=what, then=then, now=now) for block, what, then, now in found[:MOST_TOLD]
        ],
        more=max(0, len(found) - MOST_TOLD),
    )


def _both(install: Install, number: int) -> tuple[Document, bytes]:
    with install.records.read() as db:
        found, *_ = _found(db, number, whole=True)
        packed = _unpacked(found)
        return thawed(packed, found.digest, ()), packed


def _blocks_of(made: Document) -> list[str]:
    speech = Speech(made.look.language)
    return [title_of_block(each, speech) or each.spec.kind for each in made.blocks]


def document(install: Install, number: int) -> tuple[Document, str]:
    """Give an edition's document as it was frozen, with its digest."""
    with install.records.read() as db:
        found, *_ = _found(db, number, whole=True)
        return thawed(_unpacked(found), found.digest, tuple(found.summary)), found.digest


def revised(install: Install, number: int, now: datetime) -> wire.EditionRevised:
    """Say which figures of an edition are others today: the same blocks over the same days, read again."""
    with install.records.read() as db:
        found, site, *_ = _found(db, number, whole=True)
        then = _unpacked(found)
        report = db.get_one(Report, found.report_id)
        body, language = reports.body_of(db, report), report.language
    was = thawed(then, found.digest, ())
    window, against = was.head.window, was.head.against
    fixed = {"window": f"{window.first}/{window.last}"}
    if against is not None:
        fixed["against"] = f"{against.first}/{against.last}"
    blocks = [each.spec.model_copy(update=days_of(each)) for each in was.blocks]
    again = body.model_copy(update=fixed | {"blocks": blocks})
    is_ = making.document(install, site, again, now, language)
    apart = differences(then, frozen(is_))
    titles = ["", *_blocks_of(was)]
    return wire.EditionRevised(
        edition=number,
        same=not apart,
        changed=[
            wire.Revised(block=titles[at + 1], what=what, then=before, now=after)
            for at, what, before, after in apart[:MOST_TOLD]
        ],
    )


def of_state(db: Session, number: int, *states: str) -> Edition:
    """Find an edition for a change of its state; raises Clash for one in another state, NotThere for none."""
    found = _found(db, number)[0]
    if found.state not in states:
        remedy = "sign it off first" if found.state == "draft" else "make a new draft"
        raise Clash(
            "edition-state", worded("Edition {number} is {state}.", number=number, state=found.state), remedy=remedy
        )
    return found


def _unpacked(found: Edition) -> bytes:
    return zstandard.ZstdDecompressor().decompress(found.frozen, max_output_size=MOST_BYTES)


def _refuse_approved(found: Edition) -> None:
    if found.state != "draft":
        raise Clash(
            "edition-approved",
            worded(
                "Edition {id} was signed off by {approved_by}.",
                id=found.id,
                approved_by=found.approved_by or "somebody",
            ),
            remedy="make a new draft",
        )


_Row = tuple[Edition, str, str, str]


def _all() -> Select[Edition, str, str, str]:
    asked = select(Edition, Site.key, Client.key, Report.name).join(Report, Edition.report_id == Report.id)
    return asked.join(Site, Report.site_id == Site.id).join(Client, Site.client_id == Client.id)


def _found(db: Session, number: int, *, whole: bool = False) -> _Row:
    asked = _all().where(Edition.id == number)
    if whole:
        asked = asked.options(undefer(Edition.frozen))
    found = db.execute(asked).first() if number <= LARGEST_NUMBER else None
    if found is None:
        raise NotThere(
            "no-such-edition",
            worded("There is no edition {number}.", number=number),
            remedy="list them with `noctilum editions`",
        )
    return found[0], found[1], found[2], found[3]


TROUBLES = ("refused", "failed", "held", "returned")
"""States of a delivery that somebody has to see to."""


def _told(db: Session, rows: Sequence[_Row]) -> list[wire.EditionOut]:
    """Tell editions, with how many recipients each has reached."""
    counted: dict[int, dict[str, int]] = defaultdict(dict)
    asked = select(Delivery.edition_id, Delivery.state, func.count()).group_by(Delivery.edition_id, Delivery.state)
    for number, state, many in db.execute(asked.where(Delivery.edition_id.in_([found.id for found, *_ in rows]))):
        counted[number][state] = many
    return [_out(*row, counted[row[0].id]) for row in rows]


def _out(found: Edition, site: str, client: str, name: str, counts: Mapping[str, int]) -> wire.EditionOut:
    given = {
        each: getattr(found, each)
        for each in (
            *("id", "state", "title", "first", "last", "summary", "drafted", "template", "version", "digest"),
            *("generation", "made_at", "made_by", "approved_at", "approved_by", "looked_at", "looked_by"),
            *("sent_at", "complete"),
        )
    }
    blocks = [wire.BlockLook.model_validate(each) for each in found.looks["blocks"]]
    more = {"report": found.report_id, "name": name, "site": site, "client": client, "blocks": blocks}
    more |= {
        "to": sum(counts.values()),
        "reached": counts.get("sent", 0),
        "troubles": sum(counts.get(state, 0) for state in TROUBLES),
    }
    return wire.EditionOut.model_validate(given | more)
