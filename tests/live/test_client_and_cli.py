"""The client library and the command line against the running service."""

import csv
import io
import json
import os
import re
import shlex
import signal
import subprocess
import sys
import time
from pathlib import Path

import httpx
import pytest
from tests.conftest import ACCOUNT, SECRET, free_port
from tests.running import BESIDE_SITE, OF_BESIDE, Live

from noctilum.cli.commands import COMMANDS
from noctilum.client import ConnectionFault, Noctilum, ProblemFault, to_rows
from noctilum.client.transport import Transport
from noctilum.wire.catalogue import READINGS
from noctilum.wire.setup import Credential, NewSite

SITE = "skerryferries.example"


def test_the_client_reads_what_a_newcomer_would(live: Live):
    with live.client() as noctilum:
        assert noctilum.me().role == "owner"
        site = noctilum.site(SITE)
        assert site.sources[0].days_held == 125
        page = noctilum.breakdown(SITE, "page", sort="change", limit=1).rows[0]
        query = noctilum.breakdown(SITE, "query", page=page.key, limit=1).rows[0]
        life = noctilum.life(SITE, "query", query.key)
        assert life.first_held <= life.first_seen <= life.last_seen
        assert noctilum.report(SITE, format="html").startswith(b"<!doctype html>")


def test_all_rows_come_page_by_page(live: Live):
    with live.client() as noctilum:
        rows = list(noctilum.all_rows(SITE, "query", at_once=200))
        found = noctilum.breakdown(SITE, "query", limit=1)
    assert len(rows) == len({row.key for row in rows}) == found.matching > 200


def test_readings_become_plain_rows(live: Live):
    with live.client() as noctilum:
        rows = to_rows(noctilum.breakdown(SITE, "country", limit=3))
        assert list(rows[0])[:5] == ["country", "clicks", "impressions", "ctr", "position"]
        assert len(to_rows(noctilum.timeline(SITE))) == 28
        assert to_rows(noctilum.ledger(SITE))[0]["state"] == "final"
        assert to_rows(noctilum.drivers(SITE))[0]["query"]


def test_a_problem_reaches_the_caller_whole(live: Live):
    with live.client() as noctilum, pytest.raises(ProblemFault) as caught:
        noctilum.timeline("nope.example")
    assert (caught.value.code, caught.value.status) == ("no-such-site", 404)
    assert "noctilum sites" in str(caught.value)


def test_a_wrong_secret_is_told_by_the_feeds_fault(live: Live):
    with live.client() as noctilum:
        asked = {"url": live.feed.url, "account": ACCOUNT, "secret": SECRET}
        assert len(noctilum.properties(Credential.model_validate(asked))) == 10
        with pytest.raises(ProblemFault, match="refuses the credential"):
            noctilum.properties(Credential.model_validate(asked | {"secret": "wrong"}))


def test_reads_are_tried_again_and_changes_never(monkeypatch):
    calls = []

    def answer(request: httpx.Request) -> httpx.Response:
        calls.append(request.method)
        return httpx.Response(503, headers={"Retry-After": "0"})

    transport = Transport("http://service", "t", 5)
    monkeypatch.setattr(
        transport, "_http", httpx.Client(transport=httpx.MockTransport(answer), base_url="http://service")
    )
    for method, tries in (("GET", 4), ("POST", 1)):
        calls.clear()
        with pytest.raises(ProblemFault):
            transport.send(method, "/x")
        assert len(calls) == tries


def test_a_service_that_is_not_there_is_told():
    with (
        Noctilum(f"http://127.0.0.1:{free_port()}", "t") as noctilum,
        pytest.raises(ConnectionFault, match="cannot be reached"),
    ):
        noctilum.me()


# the command line


def needed(spec) -> list[str]:
    """The words that a reading's command cannot do without."""
    return [name for name in spec.positional if spec.question.model_fields[name].is_required()]


NEEDED = {"dimension": "query", "item": "query", "key": "skerry ferries", "day": "2026-03-10", "number": "1"}
NEEDED |= {"domain": "islehopper.example", "word": "hive", "treated": "/fares"}
AT = {"local-grid": "brinepot.example", "trial": "northloft.example", "target": "hivewright.example"}
AT |= dict.fromkeys(OF_BESIDE, BESIDE_SITE)
READS = [
    *([name] for name in ("portfolio", "clients", "sites", "sources", "users", "tokens", "sign-ins", "jobs", "sets")),
    *([spec.name, AT.get(spec.name, SITE), *(NEEDED[word] for word in needed(spec))] for spec in READINGS),
    ["notes", SITE],
    ["places", "alder"],
    *([name] for name in ("templates", "reports", "editions", "datasets")),
]
MAY_BE_EMPTY = {
    "changes",
    "unclicked",
    "odd-days",
    "counting",
    "arrivals",
    "landing",
    "worked",
    "trial-plan",
    "feature-turns",
    "sets",
    "sign-ins",
    "reports",
    "editions",
}


def test_every_command_that_shows_something_is_tried_here_or_has_tests_of_its_own():
    elsewhere = {
        "due",
        "shares",
        "webhooks",
        "init",
        "serve",
        "demo",
        "token",
        "password",
        "import",
        "add-files",
        "mappings",
        "connect",
        "try",
        "pull",
        "source",
        "refill",
        "notices",
        "brand",
        "report",
        "export",
        "hand-over",
        "backup",
        "restore",
        "verify",
        "erase",
        "doctor",
        "settings",
        "health",
        "keywords",
        "competitors",
        "grids",
        "work",
        "trials",
        "targets",
        "alerts",
        "monthly",
        "alert-rules",
        "fleet",
        "check",
        "capture",
    }
    assert {words[0] for words in READS} | elsewhere == set(COMMANDS)


@pytest.mark.parametrize("words", READS, ids=lambda words: words[0])
def test_every_reading_comes_as_table_json_and_csv(live: Live, words):
    table, as_json, as_csv = (live.cli(*words, "--output", kind) for kind in ("table", "json", "csv"))
    assert (table.returncode, as_json.returncode, as_csv.returncode) == (0, 0, 0), table.stderr
    assert table.stdout.strip()
    assert "\x1b" not in table.stdout
    json.loads(as_json.stdout)
    rows = list(csv.DictReader(io.StringIO(as_csv.stdout)))
    assert rows or words[0] in MAY_BE_EMPTY
    assert all(None not in row and None not in row.values() for row in rows)


@pytest.mark.parametrize(
    ("words", "code", "said"),
    [
        (["pul"], 2, "Did you mean 'pull'?"),
        (
            ["bands", "skerryferries.example", "page"],
            2,
            "noctilum bands: It takes no 'page'. See 'noctilum bands --help'.",
        ),
        (["breakdown", "nope.example", "query"], 4, "no-such-site"),
        (["timeline", SITE, "--window", "2026-99"], 2, "try: write P28D"),
        (["breakdown", SITE, "query", "--sort", "luck"], 2, "no-such-sort"),
        (["report", SITE, "--to", "x.docx"], 2, "end the name in .pdf or .html"),
        (["report", SITE, "--to", "/nowhere/x.pdf"], 2, "cannot be written"),
        (["timeline", "wickhamtools.example"], 4, "no source connected"),
        (["life", SITE, "page", "/nowhere"], 4, "never-seen"),
        (["connect", SITE, "--feed", "http://127.0.0.1:9", "--account", "a"], 2, "secret-missing"),
        (["sites", "--change", SITE, "--session-value", "-1"], 2, "session_value"),
        (["sites", "--change", SITE, "--session-value", "nan"], 2, "input-unusable"),
    ],
)
def test_mistakes_end_with_their_exit_code_and_a_remedy(live: Live, words, code, said):
    done = live.cli(*words)
    assert done.returncode == code
    assert said in done.stderr
    assert "Traceback" not in done.stderr


def test_no_token_and_no_service_are_told(live: Live):
    assert live.cli("sites", NOCTILUM_TOKEN="").returncode == 6
    assert live.cli("sites", NOCTILUM_URL=f"http://127.0.0.1:{free_port()}").returncode == 3
    assert live.cli("health", NOCTILUM_URL=f"http://127.0.0.1:{free_port()}").returncode == 3
    assert live.cli("health").stdout.startswith("ok")


def test_a_pull_when_nothing_is_due_says_so(live: Live):
    done = live.cli("pull", "1")
    assert done.returncode == 0
    assert "nothing was due; complete through 2026-03-15" in done.stdout


def test_a_report_is_written_and_holds_no_name_of_ours(live: Live, tmp_path):
    done = live.cli("report", SITE, "--to", str(tmp_path / "r.pdf"))
    assert done.returncode == 0, done.stderr
    text = subprocess.run(
        ["pdftotext", "-layout", tmp_path / "r.pdf", "-"], capture_output=True, text=True, check=True
    ).stdout
    assert "Skerry Ferries" in text and "What moved the clicks" in text
    assert "noctilum" not in text.lower()
    assert "Freight section moved to the new booking system" in text


def test_help_imports_neither_flask_nor_numpy():
    script = (
        "import sys, noctilum.cli.main as m\n"
        "try: m.main(['--help'])\nexcept SystemExit: pass\n"
        "print({'flask', 'numpy'} & set(sys.modules))"
    )
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True)
    assert done.stdout.strip().endswith("set()")
    assert all(f"  {name} " in done.stdout for name in COMMANDS)


def test_completion_knows_the_commands():
    given = os.environ | {
        "_ARGCOMPLETE": "1",
        "COMP_LINE": "noctilum brea",
        "COMP_POINT": "13",
        "_ARGCOMPLETE_SUPPRESS_SPACE": "1",
    }
    done = subprocess.run(
        ["bash", "-c", f"{sys.executable} -m noctilum.cli.main 8>&1 9>/dev/null"],
        capture_output=True,
        text=True,
        env=given,
    )
    assert "breakdown" in done.stdout


def test_serve_stops_on_interrupt_without_leftovers_and_a_taken_port_is_told(tmp_path):
    port = free_port()
    given = os.environ | {"NOCTILUM_PASSWORD": "long enough to be kept", "NOCTILUM_DATA": str(tmp_path / "data")}
    command = [sys.executable, "-m", "noctilum.cli.main"]
    init = [*command, "init", "--name", "A", "--email", "a@agency.example"]
    assert "NOCTILUM_TOKEN=" in subprocess.run(init, capture_output=True, text=True, env=given, check=True).stdout
    process = subprocess.Popen([*command, "serve", "--port", str(port)], stdout=subprocess.PIPE, text=True, env=given)
    assert str(port) in process.stdout.readline()
    second = subprocess.run([*command, "serve", "--port", str(port)], capture_output=True, text=True, env=given)
    assert second.returncode == 5
    assert f"try: stop what listens there, or choose another with --port {port + 1}" in second.stderr
    listed = subprocess.run(["pgrep", "-P", str(process.pid)], capture_output=True, text=True).stdout.split()
    assert len(listed) == 3
    process.send_signal(signal.SIGINT)
    assert process.wait(30) == 0
    process.stdout.close()
    time.sleep(0.2)
    assert not [pid for pid in listed if Path(f"/proc/{pid}").exists()]


README = (Path(__file__).parents[2] / "README.md").read_text()
SHOWING = "|".join(["portfolio", "report", "notes", *READINGS.names])
READING_COMMANDS = re.findall(rf"^noctilum ((?:{SHOWING})\b.*)$", README, flags=re.M)


@pytest.mark.parametrize("line", READING_COMMANDS)
def test_the_readmes_commands_run_as_they_stand(live: Live, line, tmp_path):
    done = live.cli(*shlex.split(line.replace("report.pdf", str(tmp_path / "report.pdf"))))
    assert done.returncode == 0, done.stderr
    assert done.stdout.strip()


def test_the_readmes_python_runs_as_it_stands(live: Live):
    (example,) = re.findall(r"```python\n(.*?)```", README, flags=re.S)
    given = os.environ | {"NOCTILUM_URL": live.url, "NOCTILUM_TOKEN": live.token}
    done = subprocess.run([sys.executable, "-c", example], capture_output=True, text=True, env=given)
    assert done.returncode == 0, done.stderr
    assert "Clicks" in done.stdout and "/freight/livestock" in done.stdout


def said(live, *words: str, code: int = 0) -> str:
    done = live.cli(*words)
    assert done.returncode == code, done.stderr
    return done.stdout + done.stderr


SKERRY, CRANE = "skerryferries.example", "depot.cobblecrane.example"


def test_the_ledgers_commands_prove_a_day(live):
    assert "the same" in said(live, "day", SKERRY, "2026-03-01")
    assert "no final day has changed" in said(live, "changes", SKERRY)
    assert "all listed queries" in said(live, "reconcile", SKERRY)
    assert "3 of 3 days" in said(live, "refill", "1", "--first", "2026-03-01", "--last", "2026-03-03", "--again")
    assert "FREQ=HOURLY" in said(live, "source", "1", "--schedule", "hourly")
    assert "BYHOUR=6" in said(live, "source", "1", "--schedule", "daily at 06:00")
    assert "is no schedule" in said(live, "source", "1", "--schedule", "soon", code=2)
    assert "nothing to see to" in said(live, "notices")


def test_a_file_goes_in_through_the_service_and_comes_out_again(live, tmp_path):
    with live.client() as noctilum:
        noctilum.add_site("wickham-tools-co-op", NewSite(host=CRANE))
    made = said(live, "add-files", CRANE, "old sheets", "--engine", "Quillon")
    number = re.search(r"source (\d+)", made)[1]
    file = tmp_path / "f.csv"
    file.write_text("day,clicks,impressions,position\n2024-05-01,1,2,3\n2024-05-02,x,2,3\n")
    assert "taken for" in said(live, "import", number, str(file), "--look")
    assert "would be imported" in said(live, "import", number, str(file), "--dry")
    assert "nothing was kept" in said(live, "import", number, str(file), "--strict", code=2)
    told = said(live, "import", number, str(file), "--rejects", str(tmp_path / "r.csv"), "--keep-as", "plain sheets")
    assert "1 days at grain site imported" in told
    assert "line 3: clicks is 'x'" in told
    assert "f.csv,3," in (tmp_path / "r.csv").read_text()
    assert "plain sheets" in said(live, "mappings")
    out = said(live, "export", CRANE, "days", "--by", "site", "--window", "all", "--to", str(tmp_path))
    assert "1 rows" in out
    assert "no secrets" in said(live, "hand-over", CRANE, "--to", str(tmp_path / "w.zip"))
    assert "has to be confirmed" in said(live, "erase", "site", CRANE, "--confirm", "no", code=2)
    assert f"erased site {CRANE}" in said(live, "erase", "site", CRANE, "--confirm", CRANE)
    assert f"site {CRANE}" in said(live, "erase", "--list")
    assert "came in for wickham-tools-co-op: 1 days" in said(live, "hand-over", str(tmp_path / "w.zip"), "--in")
    said(live, "erase", "site", CRANE, "--confirm", CRANE)


def test_operating_commands_work_on_the_folder_while_the_service_runs(live, tmp_path):
    data = ("--data", str(live.data))
    assert "bytes, checked" in said(live, "backup", str(tmp_path), *data)
    assert "restored" in said(live, "restore", str(tmp_path), "--data", str(tmp_path / "again"))
    assert "every row is as it was written" in said(live, "verify", SKERRY, *data)
    assert "things are well" in said(live, "doctor", *data)
    assert "web_threads" in said(live, "settings", *data)
    assert "no install" in said(live, "verify", "--data", str(tmp_path / "nowhere"), code=4)
    with live.client() as noctilum:
        assert "noctilum_source_days_held" in noctilum.metrics()
