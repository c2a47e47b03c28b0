"""The real thing: stand-in, service and worker as processes on loopback, from an install that is filled once."""

from __future__ import annotations

import contextlib
import io
import os
import subprocess
import sys
import threading
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import httpx
import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright
from tests.kept import copied, pointed_at
from tests.mailboxes import Boxes, sinking

from noctilum.actions import people
from noctilum.actions.install import Install, Settings
from noctilum.cli.main import main
from noctilum.client import Noctilum
from noctilum.core.errors import StoreFault
from noctilum.demo import agency
from noctilum.demo.ranks import fill_ranks
from noctilum.demo.run import note_down, set_up
from noctilum.demo.worklist import plan_trials, set_targets
from noctilum.jobs.worker import Worker
from noctilum.service.app import create_app
from noctilum.service.serve import start, stop, wait_until_up
from noctilum.standins.facts_feed import create_app as facts_app
from noctilum.standins.index_feed import create_app as index_app
from noctilum.standins.links_feed import create_app as links_app
from noctilum.standins.serving import serving
from noctilum.standins.visits_feed import create_app as visits_app

CHROMIUM = "/usr/bin/chromium-headless-shell"
"""Debian's Chromium without a window, and without the work that one makes."""
ARGS = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run"]
ARGS += ["--disable-background-networking", "--disable-component-update", "--disable-sync"]
# a loaded machine may take seconds over a password's hash: what is waited for either comes, or the test fails
expect.set_options(timeout=60_000)


RANKED = {"skerryferries.example": -60, "umbrapoint.example": -125, "brinepot.example": -20, "cobblecrane.example": -20}
"""Sites whose keywords were looked up, from so many days before today on."""
BESIDE_SITE = "hivewright.example"
BESIDE = (
    (visits_app, "visits-hivewright", BESIDE_SITE),
    (links_app, "links-hivewright", BESIDE_SITE),
    (index_app, "index-hivewright", BESIDE_SITE),
    (facts_app, "facts-hivewright", BESIDE_SITE),
    (visits_app, "visits-hivewright-blog", "blog.hivewright.example"),
    (visits_app, "visits-umbra", "umbrapoint.example"),
    (visits_app, "visits-wickham", "fretsawfern.example"),
    (links_app, "links-northloft", "northloft.example"),
    (index_app, "index-skerry", "skerryferries.example"),
)
"""What is held beside searches: the stand-in, its property, and whose it is."""
OF_BESIDE = (
    *("visits", "visitors", "goals", "outcomes", "counting", "landing", "links", "backlinks"),
    *("index", "indexed", "sitemap", "presence", "arrivals", "terms", "ideas"),
)
"""Readings of what is held of that site only."""


@dataclass
class Done:
    """What a command did."""

    returncode: int
    stdout: str
    stderr: str


@dataclass
class Live:
    """One running install."""

    url: str
    token: str
    feed: object
    data: Path
    mail: Boxes | None = None
    signed_in: dict[str, object] = field(default_factory=dict)

    def client(self) -> Noctilum:
        return Noctilum(self.url, self.token)

    def get(self, path: str, **headers: str) -> httpx.Response:
        asked = {"Authorization": f"Bearer {self.token}"} | headers
        return httpx.get(f"{self.url}/api/v1{path}", headers=asked, timeout=60)

    def environment(self, **more: str) -> dict[str, str]:
        return {"NOCTILUM_URL": self.url, "NOCTILUM_TOKEN": self.token, "COLUMNS": "120"} | more

    def cli(self, *words: str, **environment: str) -> Done:
        """Run a command here: as its process would, without the seconds that one takes to start."""
        out, err = io.StringIO(), io.StringIO()
        caught = contextlib.redirect_stdout(out), contextlib.redirect_stderr(err)
        with surrounded(self.environment(**environment)), caught[0], caught[1]:
            try:
                code = main(words)
            except SystemExit as ended:
                code = ended.code if isinstance(ended.code, int) else 1
        return Done(code, out.getvalue(), err.getvalue())

    def process(self, *words: str, **environment: str) -> subprocess.CompletedProcess[str]:
        """Run a command as a process of its own."""
        command = [sys.executable, "-m", "noctilum.cli.main", *words]
        given = os.environ | self.environment(**environment)
        return subprocess.run(command, capture_output=True, text=True, env=given, timeout=120)


@contextmanager
def served(install, token: str) -> Iterator[Live]:
    """Serve an install from here, with a worker beside it, so that what is declared here is known to it."""
    from tests.conftest import NOW

    stop = threading.Event()
    worker = Worker(install, lambda: NOW)

    def work() -> None:
        while not stop.wait(0.05):
            worker.run_one()

    working = threading.Thread(target=work)
    working.start()
    try:
        with serving(create_app(install)) as url:
            yield Live(url, token, None, install.settings.data)
    finally:
        stop.set()
        working.join()


@contextmanager
def surrounded(environment: dict[str, str]) -> Iterator[None]:
    before = dict(os.environ)
    os.environ.update(environment)
    try:
        yield
    finally:
        os.environ.clear()
        os.environ.update(before)


def _wait_for(settings: Settings, children: Sequence[subprocess.Popen[bytes]], log: Path) -> None:
    """Wait until the service is up; one that does not come tells what it wrote, as hundreds of tests fail with it."""
    try:
        wait_until_up(settings, children)
    except StoreFault as why:
        raise AssertionError(f"{why}; its log ends with:\n{log.read_text()[-4000:]}") from why


def fill(folder: Path) -> None:
    """Make the install of the live tests: the demo agency with 130 days, and a site that has nothing yet."""
    from tests.conftest import INSIDE, NOW, TODAY, free_port, start_feed

    feed, feed_process = start_feed(130)
    settings = Settings(folder / "install", port=free_port(), web_workers=1, agency=agency.AGENCY, inside_hosts=INSIDE)
    install = Install(settings)
    install.prepare()
    user = people.add_user(install, *agency.USER, NOW)
    token = people.new_token(install, user.id, "tests", NOW)
    set_up(install, feed.url)
    note_down(install, TODAY)
    plan_trials(install, TODAY)
    set_targets(install, TODAY)
    for site, oldest in RANKED.items():
        fill_ranks(install, site, TODAY, oldest)
    install.close()
    children = start(settings, folder / "service.log")
    try:
        _wait_for(settings, children, folder / "service.log")
        with Noctilum(f"http://127.0.0.1:{settings.port}", token) as noctilum:
            for job in [noctilum.start_pull(source.id) for source in noctilum.sources()]:
                assert [*noctilum.follow(job)][-1].state == "done"
        (folder / "token").write_text(token)
    finally:
        stop(children)
        feed_process.terminate()
        feed_process.wait(10)
    hold_beside(settings)


def hold_beside(settings: Settings) -> None:
    """Hold visits, links, index, sitemaps and facts of some sites; nobody pulls more of them by itself."""
    from tests.served import connected, feed

    install = Install(settings)
    for make, number, site in BESIDE:
        with feed(make) as url:
            connected(install, site, url, number, schedule="off")
            if make is index_app:
                address = f"{url}/sitemaps/{number}/sitemap.xml"
                connected(install, site, address, address, connector="sitemap", schedule="off")
    install.close()


@pytest.fixture(scope="session")
def live(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Live]:
    from tests.conftest import INSIDE, free_port, start_feed

    folder = copied("live", fill, tmp_path_factory.mktemp("live") / "kept")
    feed, feed_process = start_feed(130)
    pointed_at(folder / "install" / "records.db", feed.url)
    port = free_port()
    with sinking(folder / "mail") as boxes:
        settings = Settings(
            folder / "install",
            port=port,
            web_workers=1,
            agency=agency.AGENCY,
            inside_hosts=INSIDE,
            public_url=f"http://127.0.0.1:{port}",
            mail_host="127.0.0.1",
            mail_port=boxes.port,
            mail_security="none",
            mail_from=agency.MAIL_FROM,
        )
        children = start(settings, folder / "service.log")
        try:
            _wait_for(settings, children, folder / "service.log")
            yield Live(settings.public_url, (folder / "token").read_text(), feed, settings.data, boxes)
        finally:
            stop(children)
            feed_process.terminate()
            feed_process.wait(10)


AT_REST = """() => {
  const console = document.querySelector("#root");
  return !console || (console.childElementCount && !document.querySelector("[aria-busy=true]"));
}"""


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        found = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGS, timeout=60_000)
        yield found
        found.close()


def opened(browser: Browser, live: Live, *, alone: bool = False, **context: object) -> Page:
    """Open an empty page, signed in to the console; the form is filled once, and its cookie goes along from then on.

    alone: with a sign-in of its own, for tests that end it.
    """
    given = {"viewport": {"width": 1280, "height": 800}, "reduced_motion": "reduce", "locale": "en-GB"} | context
    if not (live.signed_in or alone):
        live.signed_in = sign_in(browser, live)
    state = sign_in(browser, live) if alone else live.signed_in
    page = browser.new_context(**given, storage_state=state).new_page()
    page.set_default_timeout(60_000)
    page.goto = _patient(page)
    return page


def _patient(page: Page) -> Callable[..., object]:
    """Open a view as its reader does, who types and clicks once nothing on it waits for an answer any more.

    What comes late moves what stands below it, also from under a pressed button. With wait_until: as soon as that.
    """
    go = page.goto

    def goto(url: str, **asked: Any) -> object:
        answer = go(url, **asked)
        if not asked:
            page.wait_for_function(AT_REST)
        return answer

    return goto


def sign_in(browser: Browser, live: Live) -> dict[str, object]:
    page = browser.new_context(locale="en-GB").new_page()
    page.set_default_timeout(60_000)
    page.goto(live.url)
    _, email, password = agency.USER
    page.get_by_label("Mail address").fill(email)
    page.get_by_label("Password").fill(password)
    page.get_by_role("button", name="Sign in").click()
    page.get_by_role("button", name="Go to…").wait_for()
    state = page.context.storage_state()
    page.context.close()
    return dict(state)


@pytest.fixture
def page(browser: Browser, live: Live) -> Iterator[Page]:
    found = opened(browser, live)
    troubles: list[str] = []
    found.on("pageerror", lambda error: troubles.append(str(error)))
    yield found
    found.context.close()
    assert troubles == []
