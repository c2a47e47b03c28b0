"""How a command reaches a feed: a secret that nobody sees, or what a person grants."""

from __future__ import annotations

import argparse
import getpass
import os
import sys
import time
from pathlib import Path

from pydantic import SecretStr

from noctilum.client import Noctilum
from noctilum.core.errors import Nonsense
from noctilum.sources.mapping import auth_of
from noctilum.wire.setup import AskGrant

SITEMAP = "sitemap"
"""The connector that signs nothing: a site's own sitemap is there for all."""
PAUSE, PATIENCE = 1.0, 30 * 60.0


def add_credential(parser: argparse.ArgumentParser) -> None:
    """Add the feed's address and account, and an earlier grant."""
    parser.add_argument("--feed", required=True, metavar="URL", help="the feed's address")
    parser.add_argument("--account", default="", help="OAuth 2.0 client id")
    parser.add_argument("--grant", metavar="NAME", help="what a person has granted, from an earlier run")


def credential(noctilum: Noctilum, asked: argparse.Namespace, connector: str | None = None) -> dict[str, str]:
    """Put the credential together, waiting for somebody to agree where the mapping asks for that."""
    mapping = read_text(asked.mapping)
    kind = connector or ("mapped-feed" if mapping else "open-feed")
    given = {"connector": kind, "url": asked.feed, "account": asked.account, "mapping": mapping}
    if kind == SITEMAP:
        return given
    if asked.grant:
        return given | {"grant": asked.grant}
    person = bool(mapping) and auth_of(mapping).kind == "oauth-code"
    secret = ask_secret(needed=not person)
    if not person:
        return given | {"secret": secret}
    wanted = AskGrant(url=asked.feed, account=asked.account, secret=SecretStr(secret), mapping=mapping, back="")
    return given | {"grant": be_granted(noctilum, wanted)}


def be_granted(noctilum: Noctilum, asked: AskGrant) -> str:
    """Say where to agree, wait until somebody has, and give the grant's name."""
    begun = noctilum.begin_grant(asked)
    print("open this address, and agree there:", begun.go, sep="\n  ", file=sys.stderr)
    print(f"waiting … (to go on later, stop and add --grant={begun.grant})", file=sys.stderr, flush=True)
    until = time.monotonic() + PATIENCE
    while not noctilum.grant(begun.grant).granted:
        if time.monotonic() > until:
            raise Nonsense("grant-late", "Nobody agreed within half an hour.", remedy="run the command again")
        time.sleep(PAUSE)
    print("granted", file=sys.stderr)
    return begun.grant


def read_text(path: Path | None) -> str:
    """Read a mapping's text; raises Nonsense when the file cannot be read."""
    if path is None:
        return ""
    try:
        return path.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as why:
        raise Nonsense("no-such-file", f"{path} cannot be read: {why}.") from why


def ask_secret(*, needed: bool) -> str:
    """Take the secret from the environment or the terminal, never from the command line, which others can see."""
    found = os.environ.get("NOCTILUM_FEED_SECRET")
    if found is None and sys.stdin.isatty():
        found = getpass.getpass("Client secret: " if needed else "Client secret (empty for none): ")
    if needed and not found:
        raise Nonsense(
            "secret-missing",
            "No client secret is given.",
            where="NOCTILUM_FEED_SECRET",
            remedy="export it, or run in a terminal",
        )
    return found or ""
