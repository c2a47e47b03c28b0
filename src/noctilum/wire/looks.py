"""How the agency and its clients look, as it crosses HTTP."""

from __future__ import annotations

from pydantic import Base64Bytes, Field

from noctilum.wire.base import Asked, Line, Wire

MOST_LOGO = 400_000


class Logo(Asked):
    """A logo to keep: PNG or SVG, in Base64."""

    image: Base64Bytes = Field(max_length=MOST_LOGO * 4 // 3 + 8, strict=False)


class AgencyLookOut(Wire):
    """How everything looks that a client has no look of its own for."""

    name: str = Field(description="As the operator's setting says")
    logo: str = Field(description="Its media type; none without")
    sender: str = Field(description="Whom mails come from, by name; the agency's name without")
    footer: str = Field(description="Stands at the foot of each page, in place of who prepared it for whom")
    credit: bool = Field(description="Whether the foot names the program")


class AgencyLookChange(Asked):
    """What to change of the agency's look; what is left out stays."""

    sender: Line | None = Field(default=None, max_length=120)
    footer: Line | None = Field(default=None, max_length=200)
    credit: bool | None = None
