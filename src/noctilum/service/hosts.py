"""Under which names this service may be asked for: those the operator says, and numbers."""

from __future__ import annotations

from ipaddress import ip_address
from urllib.parse import urlsplit

from flask import request

from noctilum.actions.settings import Settings
from noctilum.core.errors import Nonsense, worded
from noctilum.wire.plain_text import cleaned

LOCAL = ("localhost",)


def check_host(settings: Settings) -> None:
    """Refuse a request that names a host this service does not have, as a page elsewhere could make a browser do.

    Plain addresses are allowed: no page can make its own name of one. Names are those of public_url and of host.
    """
    name = _name_of(request.host)
    ours = (settings.host.lower(), *(urlsplit(each).hostname for each in (settings.public_url, settings.portal_url)))
    if name in LOCAL or name in ours or is_number(name):
        return
    raise Nonsense(
        "host-unknown",
        worded("This service is not called {name!r}.", name=cleaned(name, 100)),
        where="Host",
        remedy="ask for the address it was given; operators set public_url",
    )


def _name_of(host: str) -> str:
    try:
        return urlsplit(f"//{host}").hostname or ""
    except ValueError:
        return host.lower()


def is_number(name: str) -> bool:
    """Say whether a host is an address by number, not a name."""
    try:
        ip_address(name)
    except ValueError:
        return False
    return True
