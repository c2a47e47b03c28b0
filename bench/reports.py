"""Time editions on a site of 5,000 rows a day over three years.

One report of 14 blocks over all three years, drafted and written as PDF, HTML, XLSX and CSV by one process on one
core, set up as those of a run are: its seconds, with what it loads, and its peak of memory. Then a hundred such
editions that fall due at once and are sent, each over other days, while the service answers: how long the run takes,
and how much slower answers get (medians, the same minute).

    python bench/reports.py [--editions 100]
"""

from __future__ import annotations

import argparse
import json
import os
import resource
import shutil
import statistics
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))

import httpx
from bench.overview import PORT, SITE, fill

from noctilum.actions import dated_notes, editions, reports, templates
from noctilum.actions.hands import ANSWERS_MB, CACHE_MB, SPARING
from noctilum.actions.install import Install, Settings
from noctilum.records.models import Report, Slot
from noctilum.service.serve import start, stop, wait_until_up
from noctilum.wire import noted
from noctilum.wire import reports as wire

HERE = Path(__file__).parent
TODAY = date(2023, 1, 1) + timedelta(1097)
NOW = datetime(TODAY.year, TODAY.month, TODAY.day, 9, tzinfo=UTC)
KINDS = (
    *("headline", "storyline", "dated-notes", "drivers", "top-queries", "top-pages", "bands", "weekdays"),
    *("breakdown", "fading", "within-reach", "device-gap", "unclicked", "odd-days"),
)
OPTIONS = {"breakdown": {"dimension": "country"}, "fading": {"item": "page"}}
MOST_SECONDS, MOST_MB, MOST_RUN, SLOWER = 5.0, 400, 300.0, 2.0


def body_over(window: str) -> wire.ReportBody:
    """Give the report of 14 blocks over a window."""
    blocks = [{"kind": kind, "options": OPTIONS.get(kind, {})} for kind in KINDS]
    return wire.ReportBody.model_validate({"window": window, "against": "before", "blocks": blocks})


def one(folder: Path) -> None:
    """Make one edition in every format on one core; prints seconds and megabytes. Runs in a process of its own."""
    os.sched_setaffinity(0, {0})
    install = Install(Settings(folder, port=PORT, cache_mb=CACHE_MB, answers_mb=ANSWERS_MB))
    made = reports.added(
        install,
        wire.NewReport(site=SITE, name=f"One {time.time()}", template="Content review", body=body_over("P18M")),
        NOW,
    )
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    began = time.perf_counter()
    edition = editions.drafted(install, made.id, NOW, "bench")
    drafted = time.perf_counter() - began
    sizes = {kind: len(editions.file(install, edition.id, kind).body) for kind in ("pdf", "html", "xlsx", "zip")}
    took = time.perf_counter() - began
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    out = [each.kind for each in edition.blocks if not each.comes_in]
    told = {"seconds": took, "drafted": drafted, "peak_mb": peak, "before_mb": before, "left_out": out, "bytes": sizes}
    print(json.dumps(told))


def fall_due(folder: Path, many: int) -> list[int]:
    """Let so many reports fall due, each over eighteen months that end on another day."""
    install = Install(Settings(folder, port=PORT))
    numbers = []
    with install.records.begin() as db:
        for old in db.query(Report).all():
            db.delete(old)
    for n in range(many):
        last = TODAY - timedelta(10 + n)
        body = body_over(f"{last - timedelta(545)}/{last}")
        told = {"recipients": [{"email": f"reader{n}@large.example"}], "approval": False, "attach": ["pdf", "xlsx"]}
        asked = {"site": SITE, "name": f"Report {n}", "template": "Content review", "body": body, **told}
        numbers.append(reports.added(install, wire.NewReport.model_validate(asked), NOW).id)
    with install.records.begin() as db:
        db.add_all(Slot(report_id=number, due_at=NOW, state="due", next_try_at=NOW) for number in numbers)
    install.close()
    return numbers


@contextmanager
def asking(address: str, token: str) -> Iterator[list[float]]:
    """Ask the service for an overview's readings all the while; gives the milliseconds of each answer."""
    took: list[float] = []
    ended = threading.Event()

    def ask() -> None:
        n = 0
        with httpx.Client(base_url=address, headers={"Authorization": f"Bearer {token}"}, timeout=60) as http:
            while not ended.is_set():
                n += 1
                last = TODAY - timedelta(5 + n % 200)
                began = time.perf_counter()
                http.get("/timeline", params={"window": f"{last - timedelta(27)}/{last}"}).raise_for_status()
                took.append((time.perf_counter() - began) * 1e3)
                time.sleep(0.1)

    thread = threading.Thread(target=ask)
    thread.start()
    try:
        yield took
    finally:
        ended.set()
        thread.join()


def many_at_once(folder: Path, token: str, many: int) -> dict[str, float]:
    """Send many editions through the service; gives the run's seconds and the medians of answers before and during."""
    numbers = fall_due(folder, many)
    sink = subprocess.Popen(
        [
            *(sys.executable, "-m", "noctilum.standins.mail_sink"),
            "--port",
            str(PORT + 2),
            "--folder",
            str(folder / "mail"),
        ]
    )
    shutil.rmtree(folder / "mail", ignore_errors=True)
    mail = {"mail_host": "127.0.0.1", "mail_port": PORT + 2, "mail_security": "none", "mail_from": "r@large.example"}
    settings = replace(Settings(folder, port=PORT), **mail)
    with Install(settings).records.begin() as db:
        db.query(Slot).update({"next_try_at": NOW + timedelta(days=1)})
    children = start(settings, folder / "service.log")
    address = f"http://127.0.0.1:{PORT}/api/v1"
    try:
        wait_until_up(settings, children)
        time.sleep(8)
        with asking(f"{address}/sites/{SITE}", token) as quiet:
            time.sleep(15)
        with Install(settings).records.begin() as db:
            db.query(Slot).update({"next_try_at": NOW - timedelta(days=1)})
        began = time.perf_counter()
        with asking(f"{address}/sites/{SITE}", token) as busy:
            while _sent(folder) < len(numbers) and time.perf_counter() - began < 4 * MOST_RUN:
                time.sleep(0.5)
        took = time.perf_counter() - began
    finally:
        stop(children)
        sink.terminate()
        sink.wait(10)
    return {
        "seconds": took,
        "sent": _sent(folder),
        "quiet_ms": statistics.median(quiet),
        "busy_ms": statistics.median(busy),
        "busy_worst_ms": max(busy),
    }


def _sent(folder: Path) -> int:
    return len(list((folder / "mail").glob("*/*.eml")))


def main() -> int:
    """Run; 1 when a promise is not kept."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--editions", type=int, default=100)
    parser.add_argument("--one", type=Path, help=argparse.SUPPRESS)
    asked = parser.parse_args()
    os.environ["NOCTILUM_TODAY"] = TODAY.isoformat()
    if asked.one:
        one(asked.one)
        return 0
    folder = HERE / ".data" / "reports"
    card = folder / "token"
    if not card.exists():
        shutil.rmtree(folder, ignore_errors=True)
        print("filling 3 years at four grains …", flush=True)
        _, token = fill(folder)
        card.write_text(token)
    install = Install(Settings(folder, port=PORT))
    install.prepare()
    templates.keep_shipped(install, NOW)
    if not dated_notes.list_notes(install, SITE):
        note = noted.NewNote(first=TODAY - timedelta(60), kind="content", text="A note", site=SITE)
        dated_notes.add_note(install, note, NOW)
    install.close()
    told = json.loads(
        subprocess.run(
            [sys.executable, __file__, "--one", str(folder)],
            check=True,
            capture_output=True,
            text=True,
            env=SPARING | os.environ,
        ).stdout.splitlines()[-1]
    )
    print(
        f"one edition of {len(KINDS)} blocks in four formats: {told['seconds']:.1f} s "
        f"({told['drafted']:.1f} s drafting), peak {told['peak_mb']:.0f} MB; left out: {told['left_out'] or 'none'}"
    )
    run = many_at_once(folder, card.read_text(), asked.editions)
    ratio = run["busy_ms"] / run["quiet_ms"]
    print(
        f"{run['sent']:.0f} editions made and sent in {run['seconds']:.0f} s; answers {run['quiet_ms']:.0f} ms quiet, "
        f"{run['busy_ms']:.0f} ms meanwhile (× {ratio:.2f}), the slowest {run['busy_worst_ms']:.0f} ms"
    )
    (HERE / "reports.json").write_text(json.dumps({"one": told, "many": run}, indent=1) + "\n")
    broken = [
        what
        for what, is_kept in (
            (f"one edition within {MOST_SECONDS:.0f} s", told["seconds"] <= MOST_SECONDS),
            (f"a peak of {MOST_MB} MB", told["peak_mb"] <= MOST_MB),
            (f"{asked.editions} editions within {MOST_RUN:.0f} s", run["seconds"] <= MOST_RUN * asked.editions / 100),
            (f"answers at most {SLOWER} times as slow", ratio <= SLOWER),
        )
        if not is_kept
    ]
    for each in broken:
        print(f"NOT KEPT: {each}")
    print("every promise is kept" if not broken else "")
    return 1 if broken else 0


if __name__ == "__main__":
    sys.exit(main())
