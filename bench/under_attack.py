"""What answers take while 200 connections hang, a pull runs and a feed never answers, beside what they take without.

Fifty readers ask as fast as they are answered, for so many seconds each way, in one run, in turns. Promised: no error,
and a 99th percentile at most twice of what it is without.
"""

from __future__ import annotations

import argparse
import json
import socket
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

import httpx

from noctilum.actions import people, schedule, setup
from noctilum.actions.imports import import_files
from noctilum.actions.install import Install, Settings
from noctilum.service.serve import start, stop, wait_until_up
from noctilum.wire.setup import NewClient, NewFileSource, NewSite, NewSource

READERS, HANGING, PROMISED = 50, 200, 2.0
HERE = Path(__file__).parent
TODAY = date(2026, 3, 20)
NOW = datetime(2026, 3, 20, 9, tzinfo=UTC)
ASKED = ("timeline", "breakdown/query?limit=20", "breakdown/page", "drivers", "timeline?by=week&window=P182D")


def free_port() -> int:
    """Find a port nobody listens at."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def laid_out(folder: Path, feed: str) -> tuple[Settings, str, list[int]]:
    """Lay out an install: a site of a year that is read, and feeds to pull from; gives settings, a token, sources."""
    settings = Settings(folder / "install", port=free_port(), inside_hosts="127.0.0.1")
    install = Install(settings)
    install.prepare()
    user = people.add_user(install, "Ines", "ines@tallowlane.example", "lanterns over the quay", NOW)
    token = people.new_token(install, user.id, "bench", NOW)
    client = setup.add_client(install, NewClient(name="Tallow Lane"), NOW)
    for host in ("skerryferries.example", "hivewright.example"):
        setup.add_site(install, client, NewSite(host=host), NOW)
    number = setup.add_file_source(install, "skerryferries.example", NewFileSource(label="Files"), NOW)
    path = folder / "year.csv"
    with path.open("w") as out:
        out.write("Date,Query,Page,Country,Device,Clicks,Impressions,Position\n")
        for back in range(3, 368):
            day = TODAY - timedelta(back)
            out.writelines(
                f"{day},ferry {n},/{n % 60},NO,mobile,{n % 9},{90 + n},{1 + n / 70:.2f}\n" for n in range(600)
            )
    import_files(install, number, [path], lambda: NOW)
    asked = {"url": feed, "account": "tallow-lane", "secret": "lamp-oil", "property": "quillon-skerry"}
    pulled = setup.add_source(install, "hivewright.example", NewSource.model_validate(asked | {"schedule": "off"}), NOW)
    install.close()
    return settings, token, [pulled]


@contextmanager
def stand_in() -> Iterator[str]:
    """Run the search feed."""
    port = free_port()
    command = [sys.executable, "-m", "noctilum.standins.search_feed", "--port", str(port), "--anchor", str(TODAY)]
    command += ["--account", "tallow-lane:lamp-oil"]
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    try:
        while True:
            try:
                socket.create_connection(("127.0.0.1", port), timeout=1).close()
                break
            except OSError:
                time.sleep(0.05)
        yield f"http://127.0.0.1:{port}"
    finally:
        process.terminate()
        process.wait(10)


def read_for(seconds: float, url: str, token: str) -> tuple[list[float], list[str]]:
    """Let the readers read; gives what each answer took, and what went wrong."""
    took: list[float] = []
    wrong: list[str] = []
    until = time.monotonic() + seconds

    def reader(number: int) -> None:
        with httpx.Client(timeout=60, headers={"Authorization": f"Bearer {token}"}) as http:
            n = number
            while time.monotonic() < until:
                n += 1
                began = time.monotonic()
                try:
                    answer = http.get(f"{url}/api/v1/sites/skerryferries.example/{ASKED[n % len(ASKED)]}")
                    if not answer.is_success:
                        wrong.append(f"{answer.status_code} {answer.text[:100]}")
                except httpx.TransportError as why:
                    wrong.append(f"{type(why).__name__} {why}")
                took.append(time.monotonic() - began)

    threads = [threading.Thread(target=reader, args=(n,)) for n in range(READERS)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return took, wrong


@contextmanager
def attacked(settings: Settings, token: str, sources: list[int]) -> Iterator[None]:
    """Hold connections open, ask a feed that never answers, and pull from one that does, meanwhile."""
    going = threading.Event()
    going.set()
    silent = socket.socket()
    silent.bind(("127.0.0.1", 0))
    silent.listen(200)
    url = f"http://127.0.0.1:{settings.port}"
    body = {"url": f"http://127.0.0.1:{silent.getsockname()[1]}", "account": "a", "secret": "lamp-oil"}

    def ask_the_silent() -> None:
        with httpx.Client(timeout=60, headers={"Authorization": f"Bearer {token}"}) as http:
            while going.is_set():
                http.post(f"{url}/api/v1/properties", json=body)
                time.sleep(0.2)

    threads = [threading.Thread(target=ask_the_silent) for _ in range(4)]
    with ExitStack() as held:
        for n in range(HANGING):
            found = held.enter_context(socket.create_connection(("127.0.0.1", settings.port), timeout=10))
            found.sendall((b"", b"GET /api", b"POST /api/v1/session HTTP/1.1\r\nContent-Length: 90\r\n\r\n{")[n % 3])
        install = Install(settings)
        for number in sources:
            schedule.queue_pull(install, number, NOW)
        install.close()
        for thread in threads:
            thread.start()
        yield
        going.clear()
        for thread in threads:
            thread.join()
    silent.close()


def percentile(took: list[float], share: float) -> float:
    """Give a percentile, in milliseconds."""
    return 1000 * statistics.quantiles(took, n=1000)[round(share * 1000) - 1]


def main() -> int:
    """Measure both ways in turns; 1 when the promise is not kept."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--seconds", type=float, default=20.0)
    parser.add_argument("--turns", type=int, default=2)
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder, stand_in() as feed:
        settings, token, sources = laid_out(Path(folder), feed)
        processes = start(settings, Path(folder) / "log")
        url = f"http://127.0.0.1:{settings.port}"
        quiet: list[float] = []
        loud: list[float] = []
        wrong: list[str] = []
        try:
            wait_until_up(settings, processes)
            read_for(3.0, url, token)
            for _ in range(asked.turns):
                took, failed = read_for(asked.seconds / asked.turns, url, token)
                quiet, wrong = quiet + took, wrong + failed
                with attacked(settings, token, sources):
                    took, failed = read_for(asked.seconds / asked.turns, url, token)
                loud, wrong = loud + took, wrong + failed
        finally:
            stop(processes)
    return _told(quiet, loud, wrong)


def _told(quiet: list[float], loud: list[float], wrong: list[str]) -> int:
    figures = {
        name: {
            "answers": len(took),
            "p50_ms": round(percentile(took, 0.5), 1),
            "p99_ms": round(percentile(took, 0.99), 1),
        }
        for name, took in (("without", quiet), ("under attack", loud))
    }
    ratio = figures["under attack"]["p99_ms"] / figures["without"]["p99_ms"]
    kept = not wrong and ratio <= PROMISED
    print(json.dumps(figures | {"p99_ratio": round(ratio, 2), "errors": len(wrong), "kept": kept}, indent=2))
    for line in wrong[:5]:
        print("WRONG", line)
    (HERE / "under_attack.json").write_text(json.dumps(figures | {"p99_ratio": round(ratio, 2)}, indent=2) + "\n")
    return 0 if kept else 1


if __name__ == "__main__":
    sys.exit(main())
