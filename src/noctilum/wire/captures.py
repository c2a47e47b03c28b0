"""Kept result pages as they cross HTTP."""

from __future__ import annotations

from datetime import date, datetime

from pydantic import Field

from noctilum.wire.base import Wire


class CaptureLine(Wire):
    """Points to a kept result page."""

    id: int
    day: date
    taken_at: datetime


class CapturedResult(Wire):
    """One plain result."""

    rank: int
    url: str
    title: str
    kind: str
    domain: str
    own: bool = Field(description="Whether it is the site's")


class CapturedOwner(Wire):
    """An address that a feature leads to."""

    url: str
    domain: str
    own: bool


class CapturedFeature(Wire):
    """Something besides plain results."""

    kind: str
    above: int = Field(description="The rank that it stands right above")
    text: str
    owners: list[CapturedOwner]


class Capture(Wire):
    """A kept result page, whole."""

    id: int
    keyword: str
    track: str
    place: str
    device: str
    engine: str
    day: date
    taken_at: datetime
    rank: int | None = Field(description="The site's best rank among plain results; none where it was not found")
    spot: int | None = Field(description="The same with every feature above it counted")
    page: str
    results: list[CapturedResult]
    features: list[CapturedFeature]
    doubts: list[str] = Field(description="What of the answer was left out, and why")
