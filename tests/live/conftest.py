"""The real thing: stand-in, service and worker as processes on loopback, filled once for all these tests."""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import httpx
import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright
from tests.conftest import INSIDE, NOW, TODAY, Feed, free_port, start_feed

from noctilum.actions import people
from noctilum.actions.install import Install, Settings
from noctilum.client import Noctilum
from noctilum.demo import agency
from noctilum.demo.run import note_down, set_up
from noctilum.service.serve import start, stop, wait_until_up
from noctilum.wire.setup import NewClient, NewSite

ARGS = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run"]
ARGS += ["--disable-background-networking", "--disable-component-update", "--disable-sync"]
# a loaded machine may take seconds over a password's hash: what is waited for either comes, or the test fails
expect.set_options(timeout=60_000)


@dataclass
class Live:
    """One running install."""

    url: str
    token: str
    feed: Feed
    data: Path

    def client(self) -> Noctilum:
        return Noctilum(self.url, self.token)

    def get(self, path: str, **headers: str) -> httpx.Response:
        return httpx.get(f"{self.url}/api/v1{path}", headers={"Authorization": f"Bearer {self.token}"} | headers)

    def cli(self, *words: str, **environment: str) -> subprocess.CompletedProcess[str]:
        given = os.environ | {"NOCTILUM_URL": self.url, "NOCTILUM_TOKEN": self.token, "COLUMNS": "120"} | environment
        command = [sys.executable, "-m", "noctilum.cli.main", *words]
        return subprocess.run(command, capture_output=True, text=True, env=given, timeout=120)


@pytest.fixture(scope="session")
def live(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Live]:
    folder = tmp_path_factory.mktemp("live")
    feed, feed_process = start_feed(130)
    settings = Settings(folder / "install", port=free_port(), web_workers=1, agency=agency.AGENCY, inside_hosts=INSIDE)
    install = Install(settings)
    install.prepare()
    user = people.add_user(install, *agency.USER, NOW)
    token = people.new_token(install, user.id, "tests", NOW)
    set_up(install, feed.url)
    note_down(install, TODAY)
    install.close()
    children = start(settings, folder / "service.log")
    try:
        wait_until_up(settings, children)
        found = Live(f"http://127.0.0.1:{settings.port}", token, feed, settings.data)
        with found.client() as noctilum:
            jobs = [noctilum.start_pull(source.id) for source in noctilum.sources()]
            for job in jobs:
                assert [*noctilum.follow(job)][-1].state == "done"
            noctilum.add_client(NewClient(name="Wickham Tools Co-op"))
            noctilum.add_site("wickham-tools-co-op", NewSite(host="wickhamtools.example"))
        yield found
    finally:
        stop(children)
        feed_process.terminate()
        feed_process.wait(10)


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        found = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=ARGS, timeout=60_000)
        yield found
        found.close()


def opened(browser: Browser, live: Live, **context: object) -> Page:
    given = {"viewport": {"width": 1280, "height": 800}, "reduced_motion": "reduce", "locale": "en-GB"} | context
    page = browser.new_context(**given).new_page()
    page.set_default_timeout(60_000)
    page.goto(live.url)
    _, email, password = agency.USER
    page.get_by_label("Mail address").fill(email)
    page.get_by_label("Password").fill(password)
    page.get_by_role("button", name="Sign in").click()
    page.get_by_role("link", name="All clients").wait_for()
    return page


@pytest.fixture
def page(browser: Browser, live: Live) -> Iterator[Page]:
    found = opened(browser, live)
    troubles: list[str] = []
    found.on("pageerror", lambda error: troubles.append(str(error)))
    yield found
    found.context.close()
    assert troubles == []
