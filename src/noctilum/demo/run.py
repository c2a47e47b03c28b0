"""Running the demo: stand-in, history, service, until Ctrl-C."""

from __future__ import annotations

import json
import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor, as_completed
from dataclasses import dataclass
from datetime import date, timedelta
from pathlib import Path
from types import FrameType

from sqlalchemy import select

from noctilum.actions import alerts, dated_notes, people, reports, schedule, sets, setup, templates
from noctilum.actions.imports import import_files
from noctilum.actions.install import Install, Settings
from noctilum.actions.pull import Progress, pull
from noctilum.actions.recurrence import next_due
from noctilum.core.errors import StoreFault
from noctilum.datasets.facts import KIND as FACTS
from noctilum.datasets.index import KIND as INDEX
from noctilum.datasets.index import SITEMAPS
from noctilum.datasets.links import KIND as LINKS
from noctilum.datasets.visits import KIND as VISITS
from noctilum.demo import agency
from noctilum.demo.files import EXPORTED, write_month_files, write_sitemap_files
from noctilum.demo.keywords import KEYWORDS
from noctilum.demo.ranks import fill_ranks, note_keywords
from noctilum.demo.worklist import plan_trials, put_on_worklist, set_targets
from noctilum.records.models import Report, Site, Source
from noctilum.service import clock
from noctilum.service.part import set_apart
from noctilum.service.serve import check_port
from noctilum.service.serve import run as serve
from noctilum.wire import noted
from noctilum.wire import setup as wire
from noctilum.wire.reports import NewReport

DESK = "lookups"
TRACKED_SITES = frozenset(each.site for each in KEYWORDS)


@dataclass(frozen=True)
class Beside:
    """A kind of source that stands beside the search feed: its port after the service's, and site → property."""

    port: int
    properties: Mapping[str, str]


BESIDE: Mapping[str, Beside] = {
    VISITS: Beside(3, agency.VISITS),
    LINKS: Beside(4, agency.LINKS),
    INDEX: Beside(5, agency.INDEX),
    FACTS: Beside(6, agency.FACTS),
}
MOST_PORTS = 7


@dataclass(frozen=True)
class Place:
    """Where one demo lives, and the day its stories count from."""

    folder: Path
    port: int
    anchor: date
    token: str
    filled: bool

    @property
    def feed(self) -> str:
        """The stand-in's address."""
        return f"http://127.0.0.1:{self.port + 1}"

    def at(self, kind: str) -> str:
        """Give the address of the stand-in of a kind of source."""
        return f"http://127.0.0.1:{self.port + BESIDE[kind].port}"

    @property
    def settings(self) -> Settings:
        """The install's settings."""
        return Settings(
            self.folder / "install",
            port=self.port,
            agency=agency.AGENCY,
            inside_hosts="127.0.0.1",
            public_url=f"http://127.0.0.1:{self.port}",
            mail_host="127.0.0.1",
            mail_port=self.port + 2,
            mail_security="none",
            mail_user=agency.FEED_ACCOUNT,
            mail_password=agency.FEED_SECRET,
            mail_from=agency.MAIL_FROM,
        )

    @property
    def mail(self) -> Path:
        """Where the mail sink keeps what it is given."""
        return self.folder / "mail"


def run_demo(folder: Path, port: int, today: date | None, *, prepare_only: bool = False) -> int:
    """Fill the demo on its first run, then serve it. Stops cleanly on Ctrl-C; the data stays."""
    for n in range(MOST_PORTS):
        check_port("127.0.0.1", port + n)
    if today:
        os.environ["NOCTILUM_TODAY"] = today.isoformat()
    signal.signal(signal.SIGTERM, _interrupt)
    place = _open(folder, port, clock.today())
    processes = start_stand_in(place), start_mail_sink(place), *(start_beside(place, kind) for kind in BESIDE)
    try:
        for n, process in enumerate(processes, 1):
            _wait_for(place.port + n, process)
        place = _filled(place)
        if prepare_only:
            return 0
        _catch_up(place)
        return serve(place.settings, log_to=folder / "service.log", when_up=lambda: _greet(place))
    finally:
        for process in processes:
            process.terminate()
            process.wait(10)


def _open(folder: Path, port: int, today: date) -> Place:
    folder.mkdir(parents=True, exist_ok=True)
    card = folder / "demo.json"
    if card.exists():
        found = json.loads(card.read_text())
        return Place(folder, port, date.fromisoformat(found["anchor"]), found["token"], found["filled"])
    return Place(folder, port, today, "", False)


def _note(place: Place) -> Place:
    card = {"anchor": place.anchor.isoformat(), "token": place.token, "filled": place.filled}
    path = place.folder / "demo.json"
    path.touch(mode=0o600)
    path.write_text(json.dumps(card))
    return place


def start_stand_in(place: Place) -> subprocess.Popen[bytes]:
    """Start the search feed as a process of its own."""
    command = [
        *(sys.executable, "-m", "noctilum.standins.search_feed", "--port", str(place.port + 1)),
        *("--anchor", place.anchor.isoformat(), "--today", clock.today().isoformat()),
        *("--account", f"{agency.FEED_ACCOUNT}:{agency.FEED_SECRET}"),
    ]
    with (place.folder / "stand-in.log").open("ab") as log:
        return subprocess.Popen(command, stdout=log, stderr=log, start_new_session=True)


def start_mail_sink(place: Place) -> subprocess.Popen[bytes]:
    """Start the mail server that keeps what it is given as files."""
    command = [
        *(sys.executable, "-m", "noctilum.standins.mail_sink", "--port", str(place.port + 2)),
        *("--folder", str(place.mail), "--account", f"{agency.FEED_ACCOUNT}:{agency.FEED_SECRET}"),
    ]
    with (place.folder / "mail.log").open("ab") as log:
        return subprocess.Popen(command, stdout=log, stderr=log, start_new_session=True)


def start_beside(place: Place, kind: str) -> subprocess.Popen[bytes]:
    """Start the stand-in of another kind of source as a process of its own."""
    beside = BESIDE[kind]
    command = [
        *(sys.executable, "-m", f"noctilum.standins.{kind}_feed", "--port", str(place.port + beside.port)),
        *("--anchor", place.anchor.isoformat(), "--today", clock.today().isoformat()),
        *("--account", f"{agency.FEED_ACCOUNT}:{agency.FEED_SECRET}"),
    ]
    with (place.folder / f"{kind}.log").open("ab") as log:
        return subprocess.Popen(command, stdout=log, stderr=log, start_new_session=True)


def _wait_for(port: int, process: subprocess.Popen[bytes]) -> None:
    until = time.monotonic() + 30
    while time.monotonic() < until and process.poll() is None:
        try:
            socket.create_connection(("127.0.0.1", port), timeout=1).close()
            return
        except OSError:
            time.sleep(0.1)
    raise StoreFault("stand-in-not-up", "A stand-in did not start.", remedy="look into stand-in.log and mail.log")


def _filled(place: Place) -> Place:
    """Set the agency up and fill its history, on the first run or where one was cut short."""
    if place.filled:
        return place
    print("filling three years of history, once: older days from monthly files, the rest from the feed", flush=True)
    install = Install(place.settings)
    install.prepare()
    token = place.token or _first_user(install)
    place = _note(Place(place.folder, place.port, place.anchor, token, False))
    numbers = set_up(install, place.feed)
    others = connect_beside(install, place)
    note_down(install, place.anchor)
    install.close()
    set_apart()  # forked processes share what is loaded, and need not go through it for garbage
    with ProcessPoolExecutor(max_workers=2, initializer=_end_with_parent) as pool:
        work = {pool.submit(fill_site, place, number, name): name for name, number in numbers.items()}
        work |= {pool.submit(fill_beside, place, number): name for name, number in others.items()}
        for done in as_completed(work):
            print(f"  {work[done]}: {done.result()}", flush=True)
    install = Install(place.settings)
    put_on_worklist(install, place.anchor)
    plan_trials(install, place.anchor)
    set_targets(install, place.anchor)
    alerts.look(install, clock.now())
    let_fall_due(install)
    install.close()
    return _note(Place(place.folder, place.port, place.anchor, token, True))


def _end_with_parent() -> None:
    """Let Ctrl-C end a filling process at once and without a word; the day in hand is rolled back."""
    signal.signal(signal.SIGINT, signal.SIG_DFL)
    signal.signal(signal.SIGTERM, signal.SIG_DFL)


def _interrupt(_number: int, _frame: FrameType | None) -> None:
    raise KeyboardInterrupt


def _first_user(install: Install) -> str:
    user = people.add_user(install, *agency.USER, clock.now())
    return people.new_token(install, user.id, "demo", clock.now())


def set_up(install: Install, feed: str) -> dict[str, int]:
    """Add the clients, sites and sources that are not there yet; returns property → source number."""
    now = clock.now()
    with install.records.read() as db:
        numbers = {source.property: source.id for source in db.scalars(select(Source).where(Source.kind == "search"))}
    if numbers:
        return numbers
    for client in agency.CLIENTS:
        asked = wire.NewClient(
            name=client.name,
            language=client.language,
            time_zone=client.time_zone,
            currency=client.currency,
            colour=client.colour,
            accent=client.accent,
        )
        key = setup.add_client(install, asked, now)
        for site in client.sites:
            host = setup.add_site(install, key, wire.NewSite(host=site.host, brand_terms=site.brand), now)
            credential = {"url": feed, "account": agency.FEED_ACCOUNT, "secret": agency.FEED_SECRET}
            for number in filter(None, (site.property, *site.also)):
                source = wire.NewSource.model_validate(credential | {"property": number})
                numbers[number] = setup.add_source(install, host, source, now)
            if site.host in TRACKED_SITES:
                desk = {"connector": "open-lookups", "property": DESK, "schedule": "daily at 05:00"}
                setup.add_source(install, host, wire.NewSource.model_validate(credential | desk), now)
    note_keywords(install, now)
    return numbers


def connect_beside(install: Install, place: Place) -> dict[str, int]:
    """Connect what is not there yet of visits, links, index, sitemaps and facts; returns property → source number."""
    with install.records.read() as db:
        known = list(db.scalars(select(Source).where(Source.kind.in_((*BESIDE, SITEMAPS)))))
    numbers = {source.property: source.id for source in known}
    read = {source.site_id for source in known if source.kind == SITEMAPS}
    for kind, beside in BESIDE.items():
        credential = {"url": place.at(kind), "account": agency.FEED_ACCOUNT, "secret": agency.FEED_SECRET}
        for host, number in beside.properties.items():
            if number not in numbers:
                numbers[number] = _connect(install, host, {**credential, "property": number})
    with install.records.read() as db:
        hosts = {site.host: site.id for site in db.scalars(select(Site))}
    for host, number in agency.INDEX.items():
        if hosts[host] not in read:
            address = sitemap_of(place, number)
            told = {"url": address, "property": address, "connector": SITEMAPS}
            numbers[f"sitemap of {host}"] = _connect(install, host, told)
    return numbers


def sitemap_of(place: Place, number: str) -> str:
    """Give the address of a site's sitemap at the stand-in."""
    return f"{place.at(INDEX)}/sitemaps/{number}/sitemap.xml"


def _connect(install: Install, host: str, told: dict[str, str]) -> int:
    return setup.add_source(install, host, wire.NewSource.model_validate(told), clock.now())


def fill_beside(place: Place, number: int) -> str:
    """Pull one source that is no search feed, sitemaps after the days read before; runs in a process of its own."""
    install = Install(place.settings)
    try:
        earlier = 0
        with install.records.read() as db:
            source = db.get_one(Source, number)
            kind, host = source.kind, source.site.host
        if kind == SITEMAPS:
            paths = write_sitemap_files(place.folder / "exports", agency.INDEX[host], host, place.anchor)
            earlier = import_files(install, number, paths, clock.now).rows
        pulled = pull(install, number, origin="first pull", clock=clock.now, report=_silent)
    finally:
        install.close()
    return f"{earlier + pulled.rows:,} rows of {kind}, {pulled.days} days pulled"


def note_down(install: Install, anchor: date) -> None:
    """Save the agency's sets and dated notes, unless there are some."""
    now = clock.now()
    if sets.list_sets(install):
        return
    for each in agency.SETS:
        asked = {"name": each.name, "item": each.item, "rule": each.rule, "client": each.client}
        sets.added(install, noted.NewSet.model_validate(asked | {"members": list(each.members)}), now)
    for note in agency.NOTES:
        day = anchor + timedelta(note.day)
        given = {"first": day, "kind": note.kind, "text": note.text}
        on = {"site": note.site, "page": note.page, "set": note.set}
        dated_notes.add_note(install, noted.NewNote.model_validate(given | on), now, "demo")
    templates.keep_shipped(install, now)
    for report in agency.REPORTS:
        reports.added(install, report_of(report), now)


def report_of(each: agency.DemoReport) -> NewReport:
    """Give a demo report as it is asked for."""
    people = [{"name": name, "email": email} for name, email in each.recipients]
    told = {name: getattr(each, name) for name in ("site", "template", "schedule", "approval", "message")}
    return NewReport.model_validate(
        told | {"name": each.template, "recipients": people, "attach": list(each.attach), "weekend": "next"}
    )


def let_fall_due(install: Install) -> None:
    """Let every report have fallen due once: at the newest time that its schedule names."""
    now = clock.now()
    with install.records.begin() as db:
        for found in db.scalars(select(Report).where(Report.next_run_at.is_not(None))):
            zone = reports.zone_of(found, db.get_one(Site, found.site_id))
            at = next_due(found.schedule, now - timedelta(45), zone, "next")
            while (coming := next_due(found.schedule, at, zone, "next")) <= now:
                at = coming
            found.next_run_at = at


def fill_site(place: Place, number: int, name: str) -> str:
    """Import one property's older days and pull the rest; runs in a process of its own."""
    began = time.monotonic()
    install = Install(place.settings)
    try:
        paths = write_month_files(place.folder / "exports", name, place.anchor)
        imported = sum(_import_grain(install, number, paths, grain) for grain in EXPORTED)
        pulled = pull(install, number, origin="first pull", clock=clock.now, report=_silent)
        site = next((each.host for client in agency.CLIENTS for each in client.sites if each.property == name), "")
        looked_up = fill_ranks(install, site, place.anchor) if site in TRACKED_SITES else 0
    finally:
        install.close()
    took = time.monotonic() - began
    ranks = f", {looked_up:,} lookups" if looked_up else ""
    return f"{imported + pulled.rows:,} rows, {pulled.days} days pulled{ranks}, in {took:.0f} s"


def _import_grain(install: Install, number: int, paths: Sequence[Path], grain: str) -> int:
    return import_files(install, number, [path for path in paths if f"-{grain}-" in path.name], clock.now).rows


def _silent(_progress: Progress) -> bool:
    return True


def _catch_up(place: Place) -> None:
    """Queue a pull of each source, for the days since the last run."""
    install = Install(place.settings)
    install.prepare()
    connect_beside(install, place)
    note_down(install, place.anchor)
    put_on_worklist(install, place.anchor)
    plan_trials(install, place.anchor)
    set_targets(install, place.anchor)
    with install.records.begin() as db:
        sources = list(db.scalars(select(Source)))
        for source in sources:
            source.url = _address(place, source)
    for source in sources:
        schedule.queue_pull(install, source.id, clock.now())
    install.close()


def _address(place: Place, source: Source) -> str:
    """Say where a source is found in this run: ports may be others than in the last."""
    if source.kind == SITEMAPS:
        return sitemap_of(place, agency.INDEX[source.site.host])
    return place.at(source.kind) if source.kind in BESIDE else place.feed


def _greet(place: Place) -> None:
    name, email, password = agency.USER
    print(
        f"""
Noctilum is up, with the demo agency {agency.AGENCY}.

  console   http://127.0.0.1:{place.port}
  sign in   {email}   password  {password}   ({name})
  API       http://127.0.0.1:{place.port}/api/v1/docs
  mail      {place.mail}   (what was sent, one file each)

  for the command line and Python:
  export NOCTILUM_URL=http://127.0.0.1:{place.port}
  export NOCTILUM_TOKEN={place.token}

Ctrl-C stops it; the data stays in {place.folder}.""",
        flush=True,
    )
