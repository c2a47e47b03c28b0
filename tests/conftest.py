"""Fixtures that several rooms share."""

from __future__ import annotations

import os
import re
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from datetime import UTC, date, datetime
from functools import cache
from itertools import islice
from pathlib import Path
from tempfile import TemporaryDirectory

import httpx
import hypothesis
import pytest
import structlog
from argon2 import PasswordHasher
from httpx._transports import default as of_httpx
from tests.kept import copied, pointed_at
from tests.opened import close_all
from tests.running import browser, live, page  # noqa: F401  (fixtures of all)

from noctilum.actions import people, setup
from noctilum.actions.install import Install, Settings
from noctilum.actions.pull import pull
from noctilum.history import History
from noctilum.records.database import Records
from noctilum.sources import pace
from noctilum.standins.report_desk import Desk, create_app
from noctilum.standins.serving import serving
from noctilum.wire import setup as wire

TODAY = date(2026, 3, 20)
NOW = datetime(2026, 3, 20, 9, 0, tzinfo=UTC)
ACCOUNT, SECRET = "tallow-lane", "lamp-oil"
SMALL, HIVE = "quillon-hivewright-blog", "blog.hivewright.example"

os.environ["NOCTILUM_TODAY"] = TODAY.isoformat()
people._hasher = PasswordHasher(time_cost=1, memory_cost=64, parallelism=1)
"""A cheap hash for what runs here; the services that tests start hash as everywhere."""
of_httpx.create_ssl_context = cache(of_httpx.create_ssl_context)
"""Every `httpx.get` would read all certificates anew, and needs none."""
hypothesis.settings.register_profile("busy", deadline=None)
hypothesis.settings.load_profile("busy")
"""A machine that does much else may take long over one example; that is no fault."""
structlog.configure(processors=[structlog.processors.format_exc_info, structlog.processors.KeyValueRenderer()])
"""Tracebacks in plain text: drawn in colour, with every variable, each takes seconds."""
_migrate = Records.migrate
MIGRATED_TRULY = ("tests/records/", "tests/hostile/test_private.py")
"""Tests that look at how new records are made; all others begin from a copy of them."""


@cache
def _new_records() -> bytes:
    with TemporaryDirectory() as folder:
        made = Records(Path(folder) / "records.db")
        _migrate(made)
        made.close()
        return made.path.read_bytes()


def _migrate_a_copy(records: Records, shape: str = "head") -> None:
    """Begin new records from a copy of migrated ones; what is there already is migrated as always."""
    truly = os.environ.get("PYTEST_CURRENT_TEST", "").startswith(MIGRATED_TRULY)
    if shape == "head" and not truly and not records.path.exists() and records.path.parent.is_dir():
        with suppress(OSError):
            copied = records.path.with_suffix(f".{os.getpid()}")
            copied.write_bytes(_new_records())
            copied.chmod(0o600)
            copied.replace(records.path)
    _migrate(records, shape)


Records.migrate = _migrate_a_copy
INSIDE = "127.0.0.1"
"""Feeds of tests are on this machine, as the demo's is."""


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Have what drives the service run at two workers, one of them with a browser: each starts a service of its own.

    What waits long is begun at once by the next.
    Workers are given equal runs of the list, one after the other, and take from the ends of those of others.
    """
    workers = int(os.environ.get("PYTEST_XDIST_WORKER_COUNT", "1"))
    if workers > 1:
        items[:] = _laid_out(items, workers)


def _laid_out(items: list[pytest.Item], workers: int) -> list[pytest.Item]:
    drawn = [item for item in items if item.get_closest_marker("browser")]
    apart = set(drawn)
    asked = [item for item in items if "live" in getattr(item, "fixturenames", ()) and item not in apart]
    apart.update(asked)
    slow = [item for item in items if item.get_closest_marker("slow") and item not in apart]
    apart.update(slow)
    others = iter([item for item in items if item not in apart])
    first = len(items) // workers
    second = (len(items) - first) // (workers - 1)
    beside = [*islice(others, max(0, first - len(drawn)))], [*islice(others, max(0, second - len(asked)))]
    return [*drawn, *beside[0], *asked, *beside[1], *slow, *others]


@dataclass
class Feed:
    """A stand-in feed in a process of its own."""

    url: str

    def control(self, **changes: object) -> None:
        httpx.put(f"{self.url}/control", json=changes).raise_for_status()

    def asked(self) -> int:
        """Say how often days were asked for."""
        answer = httpx.put(f"{self.url}/control", json={})
        return int(answer.raise_for_status().json()["asked"])

    def calm(self) -> None:
        self.control(
            today=TODAY.isoformat(),
            error_every=0,
            cut_every=0,
            limit_every=0,
            slow_ms=0,
            down=False,
            token_seconds=3600,
            retry_after=0.05,
            revised={},
            none=[],
            wrong_totals=[],
            per_minute=0,
            minute_seconds=60.0,
            looks=True,
            together=True,
            page_rows=5000,
        )


def start_feed(retention_days: int) -> tuple[Feed, subprocess.Popen[bytes]]:
    port = free_port()
    command = [sys.executable, "-m", "noctilum.standins.search_feed", "--port", str(port)]
    command += ["--anchor", TODAY.isoformat(), "--retention-days", str(retention_days)]
    command += [
        "--account",
        f"{ACCOUNT}:{SECRET}",
        "--account",
        f"narrow:{SECRET}:{SMALL}",
        "--account",
        f"blind:{SECRET}:",
    ]
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    until = time.monotonic() + 30
    while time.monotonic() < until:
        try:
            socket.create_connection(("127.0.0.1", port), timeout=1).close()
            return Feed(f"http://127.0.0.1:{port}"), process
        except OSError:
            time.sleep(0.05)
    raise RuntimeError("the stand-in did not start")


@contextmanager
def served_desk() -> Iterator[tuple[str, Desk]]:
    """Serve the report desk from a thread; gives its address and what can be told to it."""
    desk = Desk(TODAY, TODAY)
    with serving(create_app(desk)) as url:
        yield url, desk


def agreed(go: str) -> str:
    """Do what a person does at the provider: look at the page, and agree; gives where they are sent back to."""
    shown = httpx.get(go)
    fields = dict(re.findall(r"name='([^']+)' value='([^']*)'", shown.text))
    fields = {name: value.replace("&amp;", "&") for name, value in fields.items()}
    answer = httpx.post(f"{go.split('/oauth', maxsplit=1)[0]}/oauth/agree", data=fields)
    return answer.headers["Location"]


@pytest.fixture(autouse=True)
def connectors_closed() -> Iterator[None]:
    yield
    close_all()


@pytest.fixture(scope="session")
def feed_process() -> Iterator[Feed]:
    feed, process = start_feed(70)
    yield feed
    process.terminate()
    process.wait(10)


@pytest.fixture
def feed(feed_process: Feed) -> Iterator[Feed]:
    feed_process.calm()
    pace._paces.clear()
    yield feed_process
    feed_process.calm()


@pytest.fixture
def install(tmp_path: Path, request: pytest.FixtureRequest) -> Iterator[Install]:
    """An empty install; one whose source was pulled whole for tests that ask for `pulled`."""
    folder = tmp_path / "install"
    if "held" in request.fixturenames:
        folder = begun_with(request, tmp_path)
    elif "pulled" in request.fixturenames:
        feed = request.getfixturevalue("feed")
        pointed_at(copied("pulled", lambda to: pull_once(to, feed), folder) / "records.db", feed.url)
    found = Install(Settings(folder, agency="Tallow Lane", inside_hosts=INSIDE))
    found.prepare()
    yield found
    found.close()


def begun_with(request: pytest.FixtureRequest, tmp_path: Path) -> Path:
    """Copy an install that holds what the test's module says in HELD."""
    held = request.module.HELD
    feed = request.getfixturevalue("feed") if held.searches else None

    def fill(to: Path) -> None:
        if feed:
            copied("pulled", lambda first: pull_once(first, feed), to / "install")
        held.fill(to / "install")

    folder = copied(held.name, fill, tmp_path / "begun") / "install"
    if feed:
        pointed_at(folder / "records.db", feed.url, "search")
    return folder


def pull_once(folder: Path, feed: Feed) -> None:
    made = Install(Settings(folder, agency="Tallow Lane", inside_hosts=INSIDE))
    made.prepare()
    client = setup.add_client(made, wire.NewClient(name="Hivewright"), NOW)
    key = setup.add_site(made, client, wire.NewSite(host=HIVE, brand_terms="hivewright"), NOW)
    asked = wire.NewSource.model_validate(credential(feed, property=SMALL))
    number = setup.add_source(made, key, asked, NOW)
    pull(made, number, origin="pull 1", clock=lambda: NOW, report=lambda _: True)
    made.close()


@pytest.fixture
def pulled(install: Install) -> int:
    """The source of an install that was pulled whole."""
    return 1


@pytest.fixture
def held(install: Install) -> None:
    """Ask for an install that begins with what the test's module says in HELD."""


@pytest.fixture
def history(tmp_path: Path) -> Iterator[History]:
    found = History(tmp_path / "site.db", create=True)
    yield found
    found.close()


def credential(feed: Feed, **changes: str) -> dict[str, str]:
    return {"url": feed.url, "account": ACCOUNT, "secret": SECRET} | changes


@pytest.fixture
def site(install: Install, request: pytest.FixtureRequest) -> str:
    if "pulled" in request.fixturenames:
        return HIVE
    client = setup.add_client(install, wire.NewClient(name="Hivewright"), NOW)
    return setup.add_site(install, client, wire.NewSite(host=HIVE, brand_terms="hivewright"), NOW)


@pytest.fixture
def source(install: Install, site: str, feed: Feed, request: pytest.FixtureRequest) -> int:
    if "pulled" in request.fixturenames:
        return 1
    asked = wire.NewSource.model_validate(credential(feed, property=SMALL))
    return setup.add_source(install, site, asked, NOW)
