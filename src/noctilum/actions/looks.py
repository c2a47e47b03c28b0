"""Logos, colours and names: how the agency and its clients look in reports, mails and shared pages."""

from __future__ import annotations

import io
import re
import warnings
from base64 import b64encode
from dataclasses import dataclass

from PIL import Image, UnidentifiedImageError
from py_svg_hush import filter_svg
from sqlalchemy.orm import Session

from noctilum.actions.find import find_client
from noctilum.actions.install import Install
from noctilum.core.errors import Nonsense, NotThere, worded
from noctilum.records.models import AgencyLook, Client
from noctilum.reports.document import Look
from noctilum.wire.looks import MOST_LOGO, AgencyLookChange, AgencyLookOut

PNG, SVG = "image/png", "image/svg+xml"
MOST_PIXELS = 4_000_000
TALLEST = 400
"""A PNG is kept no taller than this: three times as tall as any place it is shown at."""


_NAMESPACE = b'xmlns="http://www.w3.org/2000/svg"', b""
_OUTSIDE = re.compile(rb"""(?i)https?:|@import|url\(\s*["']?(?!#)|href\s*=\s*["'](?!#|data:image/)""")
"""What is left in a filtered SVG where it named files or addresses."""


@dataclass(frozen=True)
class Kept:
    """A logo as it is kept: rebuilt, so that nothing of the file that came is left but the picture."""

    media_type: str
    body: bytes


def rebuilt(image: bytes) -> Kept:
    """Rebuild a logo: a PNG from its pixels, an SVG from the elements that only draw. Raises Nonsense for others.

    Scripts and handlers of an SVG are left away; one that refers to anything outside itself is refused.
    """
    if len(image) > MOST_LOGO:
        raise _unusable(f"has more than {MOST_LOGO // 1000} kB")
    if image[:8] == b"\x89PNG\r\n\x1a\n":
        return Kept(PNG, _png(image))
    if b"<svg" in image[:4096].lower():
        return Kept(SVG, _svg(image))
    raise _unusable("is neither PNG nor SVG")


_PNG_END = b"IEND\xaeB`\x82"


def _png(image: bytes) -> bytes:
    if _PNG_END not in image:
        raise _unusable("is cut off")
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            with Image.open(io.BytesIO(image), formats=["PNG"]) as found:
                if found.width * found.height > MOST_PIXELS:
                    raise _unusable(f"has more than {MOST_PIXELS // 1_000_000} million pixels")
                made = found.convert("RGBA")
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Warning, Image.DecompressionBombError) as why:
        raise _unusable("cannot be read as PNG") from why
    if made.height > TALLEST:
        made = made.resize((max(1, round(made.width * TALLEST / made.height)), TALLEST))
    out = io.BytesIO()
    made.save(out, "PNG", optimize=True)
    return out.getvalue()


def _svg(image: bytes) -> bytes:
    try:
        found: bytes = filter_svg(image)
    except (ValueError, TypeError, RuntimeError) as why:
        raise _unusable("cannot be read as SVG") from why
    if b"<svg" not in found:
        raise _unusable("draws nothing")
    if _OUTSIDE.search(found.replace(*_NAMESPACE)):
        raise _unusable("refers to something outside itself")
    return found


def _unusable(why: str) -> Nonsense:
    return Nonsense(
        "logo-unusable", worded("The logo {why}.", why=why), where="image", remedy="a PNG or an SVG of 400 kB at most"
    )


def set_logo(install: Install, client: str | None, image: bytes | None) -> None:
    """Keep a logo, a client's or, with None, the agency's; without an image there is none any more."""
    kept = rebuilt(image) if image is not None else None
    with install.records.begin() as db:
        found = find_client(db, client) if client is not None else _agency(db)
        found.logo, found.logo_type = (kept.body, kept.media_type) if kept else (None, None)


def logo_of(install: Install, client: str | None) -> Kept:
    """Give a logo; raises NotThere where there is none."""
    with install.records.read() as db:
        found = find_client(db, client) if client is not None else db.get(AgencyLook, 1)
        if found is None or found.logo is None:
            raise NotThere("no-logo", "There is no logo.", remedy="send one")
        return Kept(str(found.logo_type), found.logo)


def _agency(db: Session) -> AgencyLook:
    found = db.get(AgencyLook, 1)
    if found is None:
        found = AgencyLook(id=1, sender="", footer="", credit=False)
        db.add(found)
    return found


def agency(install: Install) -> AgencyLookOut:
    """Show the agency's look."""
    with install.records.read() as db:
        found = db.get(AgencyLook, 1) or AgencyLook(sender="", footer="", credit=False)
        return AgencyLookOut(
            name=install.settings.agency,
            logo=found.logo_type or "",
            sender=found.sender,
            footer=found.footer,
            credit=found.credit,
        )


def change_agency(install: Install, asked: AgencyLookChange) -> AgencyLookOut:
    """Change the agency's look."""
    with install.records.begin() as db:
        found = _agency(db)
        for name, value in asked.model_dump(exclude_none=True).items():
            setattr(found, name, value)
    return agency(install)


def look_of(install: Install, db: Session, client: Client, language: str = "") -> Look:
    """Say how a client's reports look: by its own look, else by the agency's."""
    ours = db.get(AgencyLook, 1) or AgencyLook(sender="", footer="", credit=False)
    logo, kind = (client.logo, client.logo_type) if client.logo is not None else (ours.logo, ours.logo_type)
    return Look(
        client.name,
        client.colour,
        client.accent,
        language or client.language,
        install.settings.agency,
        f"data:{kind};base64,{b64encode(logo).decode()}" if logo is not None else "",
        client.footer or ours.footer,
        client.sender or ours.sender or install.settings.agency,
        ours.credit,
    )
