"""Retake the pictures in docs/screenshots/ from the demo on a fixed day."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

from noctilum.client import Noctilum
from noctilum.wire.shares import NewShare

ROOT = Path(__file__).parents[1]
SHOTS = ROOT / "docs/screenshots"
PORT = 8437
URL = f"http://127.0.0.1:{PORT}"
TODAY = "2026-03-20"
SITE = "/sites/skerryferries.example"
ARGS = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run"]
ARGS += ["--disable-background-networking", "--disable-component-update", "--disable-sync"]
VIEWS = {
    "portfolio": "/",
    "overview": f"{SITE}/overview",
    "breakdown": f"{SITE}/queries?item=ronsay+ferry+timetable",
    "places": f"{SITE}/places",
    "ledger": f"{SITE}/held?day=2026-03-17",
    "fading": "/sites/northloft.example/fading?window=2025-12-04/2025-12-31",
    "ladder": f"{SITE}/ladder",
    "keyword": f"{SITE}/keywords/1",
    "grid": "/sites/brinepot.example/rank-places",
    "features": "/sites/umbrapoint.example/features",
    "alerts": "/alerts",
    "targets": "/sites/hivewright.example/targets",
    "report": "/sites/umbrapoint.example/reports/{report}/edit",
    "due": "/due",
    "live-page": "{shared}",
    "worklist": "/work?state=all",
    "links": "/sites/northloft.example/read/backlinks?rows_only=lost&rows_sort=lost",
}
CLI = (
    "noctilum portfolio; echo; noctilum drivers skerryferries.example --most 5; echo;"
    " noctilum fading skerryferries.example; sleep 60"
)


LADDER = "noctilum ladder skerryferries.example; sleep 60"


def main() -> None:
    """Start the demo, take every picture, stop it."""
    environment = os.environ | {"PATH": f"{ROOT / '.venv/bin'}:{os.environ['PATH']}"}
    command = [sys.executable, "-m", "noctilum.cli.main", "demo", "--data", str(ROOT / ".demo/shots")]
    command += ["--port", str(PORT), "--today", TODAY]
    demo = subprocess.Popen(command, stdout=subprocess.PIPE, text=True, env=environment)
    said = ""
    for line in demo.stdout or ():
        said += line
        if "Ctrl-C" in line:
            break
    token = said.split("NOCTILUM_TOKEN=", 1)[1].split()[0]
    try:
        console(prepared(token))
        for name, command in (("cli", CLI), ("ladder-terminal", LADDER)):
            terminal(environment | {"NOCTILUM_URL": URL, "NOCTILUM_TOKEN": token}, name, command)
    finally:
        demo.terminate()
        demo.wait(30)


def prepared(token: str) -> dict[str, str]:
    """Wait until every report that was due is made and sent, and share one; gives what addresses are filled with."""
    with Noctilum(URL, token) as noctilum:
        for _ in range(240):
            if not {each.state for each in noctilum.due()} & {"due", "sending"}:
                break
            time.sleep(2)
        report = next(each.id for each in noctilum.reports("umbrapoint.example") if each.name.startswith("Monthly"))
        shared = noctilum.share(NewShare(report=report, may_change=["window", "against", "device", "country"]))
    return {"report": str(report), "shared": shared.address.removeprefix(URL)}


def console(filled: dict[str, str]) -> None:
    """Take the console's views."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=ARGS, timeout=60_000)
        page = browser.new_context(
            viewport={"width": 1280, "height": 800}, reduced_motion="reduce", locale="en-GB", color_scheme="light"
        ).new_page()
        _sign_in(page)
        for name, view in VIEWS.items():
            page.goto(URL + view.format(**filled))
            page.get_by_role("heading", level=1).first.wait_for(state="attached")
            page.wait_for_load_state("networkidle")
            if name == "alerts":
                page.get_by_text("rules are asked every night").click()
            if name == "report":
                page.get_by_text("page 1").wait_for()
            if name in ("report", "due"):
                page.frame_locator("iframe").get_by_role("heading", level=1).wait_for()
            page.wait_for_timeout(400)
            page.screenshot(path=SHOTS / f"{name}.png")
        browser.close()


def _sign_in(page: Page) -> None:
    page.goto(URL)
    page.get_by_label("Mail address").fill("ines@tallowlane.example")
    page.get_by_label("Password").fill("lamp-and-log")
    page.get_by_role("button", name="Sign in").click()
    page.get_by_role("link", name="All clients").wait_for()


def terminal(environment: dict[str, str], name: str, shown_there: str) -> None:
    """Take the command line in a terminal window on a virtual screen."""
    screen = subprocess.Popen(["Xvfb", ":87", "-screen", "0", "1280x800x24"], stderr=subprocess.DEVNULL)
    shown = environment | {"DISPLAY": ":87", "COLORTERM": "truecolor"}
    time.sleep(1)
    look = [
        "-tn",
        "xterm-256color",
        "-fa",
        "DejaVu Sans Mono",
        "-fs",
        "9",
        "-bg",
        "#FBF8F1",
        "-fg",
        "#241F19",
        "-geometry",
        "157x53+0+0",
        "-bw",
        "8",
    ]
    window = subprocess.Popen(["xterm", *look, "-e", "bash", "-c", shown_there], env=shown)
    try:
        time.sleep(9)
        subprocess.run(["import", "-window", "root", str(SHOTS / f"{name}.png")], env=shown, check=True)
    finally:
        window.terminate()
        screen.terminate()
        window.wait(10)
        screen.wait(10)


if __name__ == "__main__":
    main()
