"""Setting up clients, sites and sources."""

from __future__ import annotations

import re
import unicodedata
from datetime import datetime
from zoneinfo import available_timezones

from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload

from noctilum.actions.install import Install
from noctilum.core.errors import Clash, Nonsense, NotThere
from noctilum.records.models import LARGEST_NUMBER, Client, Site, Source
from noctilum.sources.contract import Connector, FeedSettings, Property, connector_class
from noctilum.wire import setup as wire

_HOST = re.compile(r"[a-z0-9]([a-z0-9-]*[a-z0-9])?(\.[a-z0-9]([a-z0-9-]*[a-z0-9])?)+(/[\w./~-]*)?")


def slug(text: str) -> str:
    """Make a key of a name.

    >>> slug("Fretsaw & Fern")
    'fretsaw-fern'
    """
    plain = unicodedata.normalize("NFKD", text).encode("ascii", "ignore").decode().lower()
    return re.sub(r"[^a-z0-9]+", "-", plain).strip("-") or "client"


def add_client(install: Install, asked: wire.NewClient, now: datetime) -> str:
    """Add a client; returns its key. Raises Clash for a name that is taken."""
    if asked.time_zone not in available_timezones():
        raise Nonsense(
            "no-such-time-zone",
            f"There is no time zone {asked.time_zone!r}.",
            where="time_zone",
            remedy="like Europe/Oslo",
        )
    key = slug(asked.name)
    with install.records.begin() as db:
        if db.scalar(select(Client).where(Client.key == key)):
            raise Clash("client-exists", f"There is a client {asked.name!r} already.", remedy="choose another name")
        db.add(Client(key=key, created_at=now, **asked.model_dump()))
    return key


def add_site(install: Install, client: str, asked: wire.NewSite, now: datetime) -> str:
    """Add a site to a client; returns its key. Hosts are kept in IDNA form."""
    host = canonical_host(asked.host)
    with install.records.begin() as db:
        owner = find_client(db, client)
        taken = db.scalar(select(Site).where(Site.host == host))
        if taken:
            raise Clash("site-exists", f"{host} belongs to {taken.client.name} already.")
        site = Site(key=host.replace("/", "~"), host=host, client=owner, brand_terms=asked.brand_terms, created_at=now)
        db.add(site)
    return site.key


def canonical_host(text: str) -> str:
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
        raise Nonsense("not-a-host", f"{text!r} is not a host.", where="host", remedy="like skerryferries.example")
    return host + slash + path


def find_client(db: Session, key: str) -> Client:
    """Find a client by key; raises NotThere."""
    found = db.scalar(select(Client).where(Client.key == key))
    if found is None:
        raise NotThere("no-such-client", f"There is no client {key!r}.", remedy="list them with `noctilum clients`")
    return found


def find_site(db: Session, key: str, *, with_sources: bool = False) -> Site:
    """Find a site by key or host, with its sources in the same statement if asked; raises NotThere."""
    question = select(Site).where((Site.key == key) | (Site.host == key))
    if with_sources:
        question = question.options(joinedload(Site.sources))
    found = db.scalars(question).unique().one_or_none()
    if found is None:
        raise NotThere("no-such-site", f"There is no site {key!r}.", remedy="list them with `noctilum sites`")
    return found


def find_source(db: Session, number: int) -> Source:
    """Find a source by number; raises NotThere."""
    found = db.get(Source, number) if number <= LARGEST_NUMBER else None
    if found is None:
        raise NotThere("no-such-source", f"There is no source {number}.", remedy="list them with `noctilum sources`")
    return found


def connect(install: Install, source: Source) -> Connector:
    """Open the connector of a source with its unsealed secret."""
    secret = install.unseal(source.sealed_secret)
    settings = FeedSettings.model_validate(
        {"url": source.url, "client_id": source.account, "client_secret": secret, "property": source.property}
    )
    return connector_class(source.connector)(settings)


def list_properties(install: Install, asked: wire.Credential) -> list[wire.Property]:
    """Ask a feed what a credential can see, and say what is connected already. Nothing is kept."""
    found = _seen(asked)
    with install.records.read() as db:
        taken = {
            source.property: source.site.host
            for source in db.scalars(
                select(Source).where(Source.connector == asked.connector, Source.url == _url(asked))
            )
        }
    return [_property(p, taken.get(p.id)) for p in found]


def _seen(asked: wire.Credential) -> list[Property]:
    settings = FeedSettings.model_validate(
        {"url": _url(asked), "client_id": asked.account, "client_secret": asked.secret.get_secret_value()}
    )
    connector = connector_class(asked.connector)(settings)
    try:
        return connector.properties()
    finally:
        connector.close()


def _url(asked: wire.Credential) -> str:
    return asked.url.strip().rstrip("/")


def _property(found: Property, taken: str | None) -> wire.Property:
    return wire.Property(
        id=found.id,
        label=found.label,
        site=found.site,
        engine=found.engine,
        time_zone=found.time_zone,
        first_day=found.first_day,
        last_day=found.last_day,
        connected_to=taken,
    )


def add_source(install: Install, site: str, asked: wire.NewSource, now: datetime) -> int:
    """Connect a property to a site; returns the source's number.

    The credential is tried first. Raises FeedFault when it is refused or the feed is down, NotThere
    when it cannot see the property, Clash when the property is connected already.
    """
    properties = {found.id: found for found in _seen(asked)}
    if not properties:
        raise NotThere(
            "no-property", f"{asked.account!r} can see no property at this feed.", remedy="ask its owner for access"
        )
    if asked.property not in properties:
        seen = ", ".join(properties)
        raise NotThere("no-such-property", f"{asked.account!r} cannot see {asked.property!r}.", remedy=f"one of {seen}")
    found = properties[asked.property]
    with install.records.begin() as db:
        owner = find_site(db, site)
        same = (Source.connector == asked.connector, Source.url == _url(asked), Source.property == asked.property)
        taken = db.scalar(select(Source).where(*same))
        if taken:
            raise Clash("property-connected", f"{found.label} is connected to {taken.site.host} already.")
        source = Source(
            site=owner,
            kind="search",
            connector=asked.connector,
            label=f"{found.engine} · {found.label}",
            url=_url(asked),
            account=asked.account,
            sealed_secret=install.seal(asked.secret.get_secret_value()),
            property=found.id,
            engine=found.engine,
            time_zone=found.time_zone,
            created_at=now,
        )
        db.add(source)
        db.flush()
        return source.id
