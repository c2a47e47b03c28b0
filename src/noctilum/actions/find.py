"""Finding clients, sites and sources by what they are called."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload

from noctilum.core.errors import NotThere, worded
from noctilum.records.models import LARGEST_NUMBER, Client, Site, Source


def find_client(db: Session, key: str) -> Client:
    """Find a client by key; raises NotThere."""
    found = db.scalar(select(Client).where(Client.key == key))
    if found is None:
        raise NotThere(
            "no-such-client", worded("There is no client {key!r}.", key=key), remedy="list them with `noctilum clients`"
        )
    return found


def find_site(db: Session, key: str, *, with_sources: bool = False) -> Site:
    """Find a site by key or host, with its sources in the same statement if asked; raises NotThere."""
    question = select(Site).where((Site.key == key) | (Site.host == key))
    if with_sources:
        question = question.options(joinedload(Site.sources))
    found = db.scalars(question).unique().one_or_none()
    if found is None:
        raise NotThere(
            "no-such-site", worded("There is no site {key!r}.", key=key), remedy="list them with `noctilum sites`"
        )
    return found


def find_source(db: Session, number: int) -> Source:
    """Find a source by number; raises NotThere."""
    found = db.get(Source, number) if number <= LARGEST_NUMBER else None
    if found is None:
        raise NotThere(
            "no-such-source",
            worded("There is no source {number}.", number=number),
            remedy="list them with `noctilum sources`",
        )
    return found


def file_name(key: str) -> str:
    """Give the part of a file's name that says which site it is of; long ones are cut, as file systems take so much.

    >>> file_name("skerryferries.example~news"), len(file_name("x" * 300))
    ('skerryferries.example~news', 120)
    """
    return key.replace("/", "~")[:120]
