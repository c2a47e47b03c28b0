"""Setting up clients, sites and sources."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Sequence
from datetime import datetime
from typing import Any
from zoneinfo import available_timezones

from sqlalchemy import select
from sqlalchemy.orm import Session

from noctilum.actions import grants, sets
from noctilum.actions.find import find_client, find_site, find_source
from noctilum.actions.install import Install
from noctilum.actions.recurrence import next_run, rule_of
from noctilum.actions.schedule import set_paused, set_schedule
from noctilum.core import scopes
from noctilum.core.errors import Clash, Nonsense, NotThere, worded
from noctilum.core.scopes import Relation
from noctilum.datasets import DATASETS
from noctilum.datasets.lookups import KIND
from noctilum.records.models import Client, Site, Source
from noctilum.sources.contract import Connector, FeedSettings, Property, connector_class
from noctilum.sources.mapping import looks_up
from noctilum.sources.outgoing import SOMEBODY_WAITS, Limits
from noctilum.wire import setup as wire
from noctilum.wire.operating import ClientChange
from noctilum.wire.worth import PageValue

_HOST = re.compile(r"[a-z0-9]([a-z0-9-]*[a-z0-9])?(\.[a-z0-9]([a-z0-9-]*[a-z0-9])?)+(/[\w./~-]*)?")


def slug(text: str) -> str:
    """Make a key of a name.

    >>> slug("Fretsaw & Fern")
    'fretsaw-fern'
    """
    plain = unicodedata.normalize("NFKD", text).encode("ascii", "ignore").decode().lower()
    return re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:80].strip("-") or "client"


def add_client(install: Install, asked: wire.NewClient, now: datetime) -> str:
    """Add a client; returns its key. Raises Clash for a name that is taken."""
    check_zone(asked.time_zone)
    key = slug(asked.name)
    with install.records.begin() as db:
        if db.scalar(select(Client).where(Client.key == key)):
            raise Clash(
                "client-exists",
                worded("There is a client {name!r} already.", name=asked.name),
                remedy="choose another name",
            )
        db.add(Client(key=key, created_at=now, **asked.model_dump()))
    return key


def change_client(install: Install, key: str, asked: ClientChange) -> None:
    """Change a client: how it looks, whom its mails come from, how many months of history are kept (0 for ever)."""
    if asked.time_zone is not None:
        check_zone(asked.time_zone)
    with install.records.begin() as db:
        client = find_client(db, key)
        for name, value in asked.model_dump(exclude_none=True, exclude={"keep_months"}).items():
            setattr(client, name, value)
        if asked.keep_months is not None:
            client.keep_months = asked.keep_months or None


def change_site(install: Install, key: str, asked: wire.SiteChange) -> None:
    """Change what names the client in a query, or what a session is worth."""
    with install.records.begin() as db:
        found = find_site(db, key)
        if asked.brand_terms is not None:
            found.brand_terms = asked.brand_terms
        if asked.session_value is not None:
            found.session_value = round(asked.session_value * 100) or None
        if asked.values is not None:
            found.page_values = _checked_values(db, found, asked.values)


def _checked_values(db: Session, site: Site, values: Sequence[PageValue]) -> list[dict[str, Any]]:
    """Write down what is earned by set; raises Nonsense for one that is none of pages, or that stands there twice."""
    pages = {each.name for each in sets.usable_sets(db, site.client_id).values() if each.item == "page"}
    names = [each.set for each in values]
    for name in names:
        if name and name not in pages:
            raise Nonsense(
                "no-set-of-pages",
                worded("{name!r} is no saved set of pages of this site.", name=name),
                where="values",
                remedy="`noctilum sets` lists them; sets of queries have no pages to be paid for",
            )
        if names.count(name) > 1:
            raise Nonsense(
                "value-twice", worded("{name!r} is given two values.", name=name or "all other pages"), where="values"
            )
    return [each.model_dump() for each in values]


def check_zone(name: str) -> None:
    """Raise Nonsense for a time zone that there is not."""
    if name not in available_timezones():
        raise Nonsense(
            "no-such-time-zone",
            worded("There is no time zone {name!r}.", name=name[:60]),
            where="time_zone",
            remedy="like Europe/Oslo",
        )


def add_site(install: Install, client: str, asked: wire.NewSite, now: datetime) -> str:
    """Add a site to a client; returns its key. Hosts are kept in IDNA form."""
    host = canonical_host(asked.host)
    with install.records.begin() as db:
        owner = find_client(db, client)
        taken = db.scalar(select(Site).where(Site.host == host))
        if taken:
            raise Clash("site-exists", worded("{host} belongs to {name} already.", host=host, name=taken.client.name))
        site = Site(key=site_key(host), host=host, client=owner, brand_terms=asked.brand_terms, created_at=now)
        db.add(site)
    return site.key


def site_key(host: str) -> str:
    """Make a site's key of its host; raises Nonsense for one too long to be kept."""
    key = host.replace("/", "~")
    if len(key) > 200:
        raise Nonsense(
            "not-a-host",
            worded("{host}… is longer than 200 signs.", host=host[:60]),
            where="host",
            remedy="leave out the path",
        )
    return key


def canonical_host(text: str, where: str = "host") -> str:
    """Bring a host, or host/path, to one form.

    >>> canonical_host("HTTPS://Skerryferries.example/")
    'skerryferries.example'
    """
    bare = re.sub(r"^https?://", "", text.strip().lower()).rstrip("/")
    host, slash, path = bare.partition("/")
    try:
        host = host.encode("idna").decode()
    except UnicodeError:
        host = ""
    if not _HOST.fullmatch(host + slash + path):
        raise Nonsense(
            "not-a-host",
            worded("{text!r} is not a host.", text=text[:100]),
            where=where,
            remedy="like skerryferries.example",
        )
    return host + slash + path


def connect(install: Install, source: Source, now: datetime | None = None) -> Connector:
    """Open the connector of a source with its unsealed secret. now: for one that tells of today only."""
    if source.connector == "files":
        raise Nonsense(
            "files-only",
            worded("{label} gets files only.", label=source.label),
            remedy=worded("noctilum import {id} FILES", id=source.id),
        )
    settings = FeedSettings.model_validate(
        {
            "url": source.url,
            "client_id": source.account,
            "client_secret": install.unseal(source.sealed_secret),
            "property": property_id(source),
            "mapping": source.settings.get("mapping", ""),
            "inside": install.settings.inside,
            "limits": Limits(answer_seconds=install.settings.feed_seconds),
            "today": now.date() if now else None,
        }
    )
    connector = connector_class(source.connector)(settings)
    number = source.id

    def keep(secret: str) -> None:
        with install.records.begin() as db:
            find_source(db, number).sealed_secret = install.seal(secret)

    connector.keep_secret = keep
    return connector


def list_properties(install: Install, asked: wire.Credential) -> list[wire.Property]:
    """Ask a feed what a credential can see, and say what is connected already. Nothing is kept."""
    found = _seen(install, asked)[0]
    with install.records.read() as db:
        taken = {
            source.property: source.site.host
            for source in db.scalars(
                select(Source).where(Source.connector == connector_name(asked), Source.url == _url(asked))
            )
        }
        counted = list(db.scalars(select(Source).where(Source.kind == "search", Source.counted.is_(True))))
    return [_property(p, taken.get(p.id), _overlap_text(p, counted)) for p in found]


def _seen(install: Install, asked: wire.Credential) -> tuple[list[Property], str]:
    """List what a credential sees; returns it with the secret to keep, which the feed may have renewed."""
    connector = open_connector(install, asked)
    try:
        return connector.properties(), connector.settings.client_secret.get_secret_value()
    finally:
        if asked.grant:
            grants.renew(install, asked.grant, connector.settings.client_secret.get_secret_value())
        connector.close()


def open_connector(install: Install, asked: wire.Credential, number: str = "") -> Connector:
    """Open the connector of a credential that is not kept yet."""
    secret = grants.secret_of(install, asked.grant) if asked.grant else asked.secret.get_secret_value()
    settings = {"url": _url(asked), "client_id": asked.account, "client_secret": secret}
    bounds = {"inside": install.settings.inside, "limits": SOMEBODY_WAITS}
    found = FeedSettings.model_validate(settings | bounds | {"property": number, "mapping": asked.mapping})
    return connector_class(connector_name(asked))(found)


def connector_name(asked: wire.Credential) -> str:
    """Say which connector reaches a feed: a mapping tells by itself whether it is of lookups."""
    mapped = asked.connector == "mapped-feed" and looks_up(asked.mapping)
    return "mapped-lookups" if mapped else asked.connector


def _url(asked: wire.Credential) -> str:
    return asked.url.strip().rstrip("/")


def _overlap_text(found: Property, counted: Sequence[Source]) -> str | None:
    """Say what a property would count twice, over all sites; None when nothing."""
    for source in counted:
        if source.engine != found.engine or source.property == found.id:
            continue
        relation = scopes.relation(_scope(found.site), source.scope)
        if relation is Relation.SAME:
            return f"counts the same as {source.label}; only one of them can be connected to a site"
        if relation is Relation.WITHIN:
            return f"is part of {source.label}: it would be kept, and read only when asked for"
        if relation is Relation.CONTAINS:
            return f"holds {source.label}, which would then be read only when asked for"
    return None


def _property(found: Property, taken: str | None, overlaps: str | None) -> wire.Property:
    return wire.Property(
        id=found.id,
        label=found.label,
        site=found.site,
        engine=found.engine,
        time_zone=found.time_zone,
        first_day=found.first_day,
        last_day=found.last_day,
        connected_to=taken,
        overlaps=None if taken else overlaps,
    )


def add_source(install: Install, site: str, asked: wire.NewSource, now: datetime) -> int:
    """Connect a property to a site; returns the source's number.

    The credential is tried first. Raises FeedFault when it is refused or the feed is down, NotThere
    when it cannot see the property, Clash when the property is connected already or counts the same
    as another of this site. Of two properties of one engine that lie in each other, only the wider is
    counted.
    """
    seen_now, secret = _seen(install, asked)
    properties = {found.id: found for found in seen_now}
    if not properties:
        raise NotThere(
            "no-property",
            worded("{account!r} can see no property at this feed.", account=asked.account),
            remedy="ask its owner for access",
        )
    if asked.property not in properties:
        seen = ", ".join(properties)
        raise NotThere(
            "no-such-property",
            worded("{account!r} cannot see {property!r}.", account=asked.account, property=asked.property),
            remedy=worded("one of {seen}", seen=seen),
        )
    found = properties[asked.property]
    check_zone(found.time_zone)
    _check_currency(install, site, found)
    part = _part_of(found, asked.part)
    rule = rule_of(asked.schedule)
    coming = next_run(rule, now, found.time_zone) if rule else None
    with install.records.begin() as db:
        owner = find_site(db, site)
        kept_as = _kept_property(found, owner, part)
        same = (Source.connector == connector_name(asked), Source.url == _url(asked), Source.property == kept_as)
        taken = db.scalar(select(Source).where(*same))
        if taken:
            raise Clash(
                "property-connected",
                worded("{label} is connected to {host} already.", label=found.label, host=taken.site.host),
                remedy="where it counts several sites, say which part of it is this one's: its host, or host and path",
            )
        siblings = list(owner.sources)
        source = Source(
            site=owner,
            kind=found.kind,
            connector=connector_name(asked),
            label=f"{found.engine} · {found.label}",
            url=_url(asked),
            account=asked.account,
            sealed_secret=install.seal(secret),
            property=kept_as,
            engine=found.engine,
            time_zone=found.time_zone,
            scope=part or _scope(found.site),
            schedule=rule,
            next_run_at=coming,
            settings=({"mapping": asked.mapping} if asked.mapping else {})
            | ({"part": part, "home": _scope(found.site).partition("/")[0]} if part else {}),
            created_at=now,
        )
        _rank(siblings, source)
        db.add(source)
        db.flush()
        _name_wider(owner)
        return source.id


def _check_currency(install: Install, site: str, found: Property) -> None:
    """Refuse money in another currency than the client's: it would be drawn as if it were in that."""
    with install.records.read() as db:
        own = find_site(db, site).client.currency
    if found.currency and found.currency != own:
        raise Nonsense(
            "other-currency",
            worded(
                "{label} counts money in {currency}, the client in {own}.",
                label=found.label,
                currency=found.currency,
                own=own,
            ),
            where="property",
            remedy="connect a property in the client's currency, or change that of the client",
        )


FOR = " for "
"""Stands between a property and what of it a source has, where several sources draw from one property."""


def _kept_property(found: Property, site: Site, part: str) -> str:
    """Name a property as it is kept: a desk of lookups serves many sites, as does one whose parts are sites."""
    of = site.key if found.kind == KIND else part
    return f"{found.id}{FOR}{of}"[:200] if of else found.id


def property_id(source: Source) -> str:
    """Name a source's property as its provider does."""
    shared = source.kind == KIND or source.settings.get("part")
    return source.property.rpartition(FOR)[0] if shared and FOR in source.property else source.property


def _part_of(found: Property, asked: str) -> str:
    """Bring the part that is asked for to one form. Raises Nonsense where days of a property cannot be parted."""
    if not asked:
        return ""
    paged = [kept.name for kept in DATASETS.of_kind(found.kind) if "page" in kept.dims]
    if found.kind == "search" or not paged:
        raise Nonsense(
            "part-unknown",
            worded("Days of {label} cannot be parted by pages.", label=found.label),
            where="part",
            remedy="connect it without a part, and filter by page when reading",
        )
    return canonical_host(asked, "part")


def _scope(site: str) -> str:
    """Bring what a provider says a property counts to one form."""
    return re.sub(r"^https?://", "", site.strip().lower()).rstrip("/")


def _rank(siblings: Sequence[Source], new: Source) -> None:
    """Let of overlapping sources of one engine only the widest count; refuse one that counts the same."""
    for other in siblings:
        if (other.kind, other.engine) != (new.kind, new.engine) or not other.scope or not new.scope:
            continue
        relation = scopes.relation(new.scope, other.scope)
        if relation is Relation.SAME:
            raise Clash(
                "property-overlaps",
                worded(
                    "{label} counts the same as {label2}, which this site has already.",
                    label=new.label,
                    label2=other.label,
                ),
                remedy="connect only one of them",
            )
        if relation is Relation.WITHIN:
            new.counted = False
        elif relation is Relation.CONTAINS:
            other.counted = False


def _name_wider(site: Site) -> None:
    """Note for each source that is not counted which one holds it."""
    for narrow in site.sources:
        wider = [
            s for s in site.sources
            if s.counted and (s.kind, s.engine) == (narrow.kind, narrow.engine) and s is not narrow
            and scopes.relation(s.scope, narrow.scope) is Relation.CONTAINS
        ]  # fmt: skip
        narrow.part_of = wider[0].id if wider and not narrow.counted else None


def add_file_source(install: Install, site: str, asked: wire.NewFileSource, now: datetime) -> int:
    """Give a site a source that only ever gets files; returns its number."""
    check_zone(asked.time_zone)
    with install.records.begin() as db:
        owner = find_site(db, site)
        if any(each.connector == "files" and each.label == asked.label for each in owner.sources):
            raise Clash(
                "source-exists",
                worded("{host} has files called {label!r} already.", host=owner.host, label=asked.label),
            )
        siblings = list(owner.sources)
        source = Source(
            site=owner,
            kind=asked.kind,
            connector="files",
            label=asked.label,
            url="",
            account="",
            sealed_secret=b"",
            property=f"{owner.key}/{slug(asked.label)}"[:200],
            engine=asked.engine or asked.label,
            time_zone=asked.time_zone,
            scope=owner.host,
            settings={},
            created_at=now,
        )
        _rank(siblings, source)
        db.add(source)
        db.flush()
        _name_wider(owner)
        return source.id


def change_source(install: Install, number: int, asked: wire.SourceChange, now: datetime) -> None:
    """Change a source's schedule, pause it, enter its secret again, or choose whether it counts."""
    if asked.secret is not None:
        _try_secret(install, number, asked.secret.get_secret_value())
    if asked.schedule is not None:
        set_schedule(install, number, asked.schedule, now)
    if asked.paused is not None:
        set_paused(install, number, asked.paused, now)
    if asked.a_month is not None:
        _set_limit(install, number, asked.a_month)
    if asked.counted is not None:
        _set_counted(install, number, asked.counted)


def _set_limit(install: Install, number: int, a_month: int) -> None:
    with install.records.begin() as db:
        source = find_source(db, number)
        if source.kind != KIND:
            raise Nonsense("no-lookups", worded("{label} looks nothing up.", label=source.label), where="a_month")
        source.settings = {**source.settings, "a_month": a_month or None}


def _try_secret(install: Install, number: int, secret: str) -> None:
    with install.records.read() as db:
        source = find_source(db, number)
    asked = {"connector": source.connector, "url": source.url, "account": source.account, "secret": secret}
    credential = wire.Credential.model_validate(asked | {"mapping": source.settings.get("mapping", "")})
    if property_id(source) not in {found.id for found in _seen(install, credential)[0]}:
        raise NotThere(
            "no-such-property",
            worded("{account!r} no longer sees {property!r}.", account=source.account, property=source.property),
        )
    with install.records.begin() as db:
        source = find_source(db, number)
        source.sealed_secret = install.seal(secret)
        source.state, source.fault, source.failures = "ready", None, 0


def _set_counted(install: Install, number: int, counted: bool) -> None:
    with install.records.begin() as db:
        source = find_source(db, number)
        for other in source.site.sources:
            same = other is not source and other.engine == source.engine and other.counted
            if counted and same and scopes.relation(other.scope, source.scope) is not Relation.APART:
                raise Clash(
                    "counted-twice",
                    worded("{label} and {label2} count the same visits.", label=source.label, label2=other.label),
                    remedy=worded("first take source {id} out: noctilum source {id} --apart", id=other.id),
                )
        source.counted = counted
        _name_wider(source.site)
