"""How a ladder of 1,000 keywords × 156 weeks is drawn and scrolled in the browser, and how many pages it prints on.

Against a running `make demo`: its ladder's answer is widened to that size on the way to the console, so that the
drawing is measured and not the service.

    python bench/ladder_draw.py [--url http://127.0.0.1:8437] [--keywords 1000] [--weeks 156]
"""

from __future__ import annotations

import argparse
import json
import statistics
from datetime import date, timedelta

from playwright.sync_api import Page, Route, sync_playwright

FRAMES = """async () => {
  const box = document.querySelector('.ladder') ?? document.scrollingElement;
  const scroller = box.scrollHeight > box.clientHeight ? box : document.scrollingElement;
  const times = [];
  let last = performance.now();
  for (let n = 0; n < 120; n++) {
    scroller.scrollTop += 120;
    await new Promise((done) => requestAnimationFrame(done));
    const now = performance.now();
    times.push(now - last);
    last = now;
  }
  return { times, rows: document.querySelectorAll('.lt tbody tr').length, moved: scroller.scrollTop };
}"""


def main() -> None:
    """Open, measure, print."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--url", default="http://127.0.0.1:8437")
    parser.add_argument("--keywords", type=int, default=1000)
    parser.add_argument("--weeks", type=int, default=156)
    asked = parser.parse_args()
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=["--no-sandbox"])
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        sign_in(page, asked.url)
        page.route("**/ladder?*", lambda route: widened(route, asked.keywords, asked.weeks))
        page.goto(f"{asked.url}/sites/skerryferries.example/ladder")
        began = page.evaluate("performance.now()")
        page.get_by_text(f"{asked.keywords:,} of").wait_for()
        drawn = page.evaluate("performance.now()") - began
        page.wait_for_timeout(500)
        found = page.evaluate(FRAMES)
        times = sorted(found["times"])
        print(f"drawn {drawn:.0f} ms after the page began; {found['rows']} rows stand in the page")
        print(
            f"scrolled {found['moved']:,.0f} px in 120 steps: a frame {statistics.median(times):.1f} ms in the median, "
            f"{times[int(0.95 * len(times))]:.1f} ms at 95%"
        )
        pdf = page.pdf(format="A4", landscape=True, print_background=True)
        pages = pdf.count(b"/Type /Page\n") or pdf.count(b"/Type /Page")
        print(f"prints on about {pages} pages, {len(pdf) / 2**20:.1f} MiB")
        browser.close()


def sign_in(page: Page, url: str) -> None:
    """Sign the demo's analyst in."""
    page.goto(url)
    page.fill("input[type=email]", "ines@tallowlane.example")
    page.fill("input[type=password]", "lamp-and-log")
    page.keyboard.press("Enter")
    page.wait_for_selector(".rail")


def widened(route: Route, keywords: int, weeks: int) -> None:
    """Answer with the ladder that is there, repeated to the size that is asked for."""
    answer = route.fetch()
    told = json.loads(answer.body())
    last = date.fromisoformat(told["steps"][-1]["last"])
    ends = [last - timedelta(7 * n) for n in range(weeks - 1, -1, -1)]
    model = told["steps"][-1]
    told["steps"] = [model | {"first": str(end - timedelta(6)), "last": str(end)} for end in ends]
    rows = told["rows"]
    told["rows"] = [
        row | {"number": n + 1, "term": f"{row['term']} {n}", "cells": (row["cells"] * weeks)[:weeks]}
        for n, row in ((n, rows[n % len(rows)]) for n in range(keywords))
    ]
    told["matching"] = told["tracked"] = keywords
    route.fulfill(response=answer, body=json.dumps(told))


if __name__ == "__main__":
    main()
