"""Stand-ins served from a thread, connected and pulled; what a reading answers."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import date, datetime
from pathlib import Path
from typing import Any

import httpx
from flask import Flask
from sqlalchemy import select
from tests.conftest import ACCOUNT, HIVE, INSIDE, NOW, SECRET, TODAY

from noctilum.actions import setup
from noctilum.actions.install import Install, Settings
from noctilum.actions.pull import pull
from noctilum.actions.read import open_for, read
from noctilum.records.models import Source
from noctilum.standins.serving import serving
from noctilum.wire import setup as wire
from noctilum.wire.catalogue import READINGS


@contextmanager
def feed(make: Callable[[date, date, Mapping[str, str]], Flask], today: date = TODAY) -> Iterator[str]:
    """Serve a stand-in; gives its address."""
    with serving(make(TODAY, today, {ACCOUNT: SECRET})) as url:
        yield url


def connected(install: Install, host: str, url: str, number: str, now: datetime = NOW, **more: str) -> int:
    """Connect a property and pull all of it; gives the source's number."""
    asked = {"url": url, "account": ACCOUNT, "secret": SECRET, "property": number, **more}
    source = setup.add_source(install, host, wire.NewSource.model_validate(asked), NOW)
    pulled(install, source, now)
    return source


def with_site(install: Install, host: str = HIVE) -> None:
    """Add a client with one site that has no source."""
    setup.add_client(install, wire.NewClient(name="Hivewright", time_zone="Europe/London", currency="GBP"), NOW)
    setup.add_site(install, "hivewright", wire.NewSite(host=host), NOW)


@dataclass(frozen=True)
class Held:
    """What an install begins with: properties of stand-ins, each pulled whole, with searches beside them or alone."""

    properties: tuple[tuple[Callable[[date, date, Mapping[str, str]], Flask], str], ...]
    searches: bool = True
    sitemaps: bool = False

    @property
    def name(self) -> str:
        """What it is kept as."""
        numbers = "-".join(number for _, number in self.properties)
        return f"{numbers}{'-listed' * self.sitemaps}{'-alone' * (not self.searches)}"

    def fill(self, folder: Path) -> None:
        """Connect and pull the properties into an install that has the searches already, or is there not yet."""
        install = Install(Settings(folder, agency="Tallow Lane", inside_hosts=INSIDE))
        install.prepare()
        if not self.searches:
            with_site(install)
        for make, number in self.properties:
            with feed(make) as url:
                connected(install, HIVE, url, number)
                if self.sitemaps:
                    address = f"{url}/sitemaps/{number}/sitemap.xml"
                    connected(install, HIVE, address, address, connector="sitemap")
        install.close()

    def now_at(self, install: Install, url: str) -> str:
        """Let what was pulled be served from where it is served now; gives the site."""
        with install.records.begin() as db:
            for source in db.scalars(select(Source).where(Source.kind != "search")):
                source.url = re.sub(r"http://127\.0\.0\.1:\d+", url, source.url)
                source.property = re.sub(r"http://127\.0\.0\.1:\d+", url, source.property)
        return HIVE


def pulled(install: Install, source: int, now: datetime = NOW) -> Any:
    """Pull a source."""
    return pull(install, source, origin="pull 1", clock=lambda: now, report=lambda _: True)


def asked_of(url: str, *paths: str) -> list[dict[str, Any]]:
    """Ask a feed itself, as its protocol has it, by another program than ours; gives the rows of all paths."""
    form = {"grant_type": "client_credentials", "client_id": ACCOUNT, "client_secret": SECRET}
    with httpx.Client(base_url=url) as client:
        token = client.post("/token", data=form).json()["access_token"]
        answers = [client.get(path, headers={"Authorization": f"Bearer {token}"}) for path in paths]
    return [json.loads(line) for answer in answers for line in answer.raise_for_status().text.splitlines()]


def answered(install: Install, site: str, name: str, today: date = TODAY, **asked: Any) -> Any:
    """Ask a reading."""
    question = READINGS[name].question(**asked)
    return read(open_for(install, site, question, today), name, question)
