"""The console in headless Chromium: the journeys of a first look, states, access, links that reproduce a view."""

from __future__ import annotations

import gzip
import io
import re
from collections.abc import Iterator, Sequence
from contextlib import suppress
from pathlib import Path
from urllib.parse import quote, unquote, urlsplit

import httpx
import openpyxl
import pytest
from playwright.sync_api import Page, Route, expect
from playwright.sync_api import TimeoutError as Late
from tests.running import BESIDE_SITE, Live, opened

from noctilum.wire.imports import AskImport
from noctilum.wire.setup import NewClient, NewFileSource, NewSite

ROOT = Path(__file__).parents[2]
AXE = ROOT / "console/node_modules/axe-core/axe.min.js"
SITE = "/sites/skerryferries.example"
DRAWN = (
    b"<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 40 20' width='40' height='20'><path d='M0 0h40v20z'/></svg>"
)
VIEWS = [
    "/",
    f"{SITE}/overview",
    f"{SITE}/queries?item=skerry+ferries",
    f"{SITE}/pages",
    f"{SITE}/places",
    f"{SITE}/held",
    f"{SITE}/held?day=2026-03-10",
    f"{SITE}/fading",
    f"{SITE}/reach",
    f"{SITE}/overlap",
    f"{SITE}/unclicked",
    f"{SITE}/device-gap",
    f"{SITE}/clusters",
    f"{SITE}/queries?cross=scatter",
    f"{SITE}/queries?cross=device",
    f"{SITE}/queries?cross=counts&window=P12M",
    f"{SITE}/ladder",
    f"{SITE}/keywords",
    f"{SITE}/keywords/1",
    f"{SITE}/competitors",
    f"{SITE}/competitors/islehopper.example",
    f"{SITE}/features",
    "/sites/brinepot.example/rank-places",
    f"{SITE}/notes?note=6",
    f"{SITE}/sets",
    "/sites/hivewright.example/read/backlinks?rows_by=page",
    "/sites/hivewright.example/read/presence",
    "/sites/hivewright.example/read/visits?rows_by=day",
    "/sites/hivewright.example/read/ideas?rows_word=hive",
    "/sources",
    "/imports",
    "/keeping",
    "/people",
    "/due",
    "/looks",
    "/alerts",
    f"{SITE}/monthly?step=fading",
    "/sites/hivewright.example/targets",
]

IN_EVERY_LOOK = ("/", f"{SITE}/overview", f"{SITE}/pages", f"{SITE}/held", "/sources")
"""Views that axe looks at in dark and on a phone as well: between them they hold every kind of part."""

SCREEN, PHONE = {"width": 1280, "height": 800}, {"width": 390, "height": 800}

pytestmark = pytest.mark.browser


def violations(page: Page) -> list[str]:
    page.evaluate(AXE.read_text())
    found = page.evaluate("axe.run(document, {resultTypes: ['violations']})")["violations"]
    return [f"{v['id']}: {v['nodes'][0]['html']}" for v in found]


def fits(page: Page) -> bool:
    """Say whether nothing stands out to the right, once what is drawn has been laid out anew."""
    with suppress(Late):
        page.wait_for_function("document.documentElement.scrollWidth <= innerWidth", timeout=3000)
    return bool(page.evaluate("document.documentElement.scrollWidth <= innerWidth"))


def accessible(page: Page, view: str, *, looks: Sequence[str]) -> None:
    """Have axe look at a view, light or dark."""
    for look in looks:
        page.emulate_media(color_scheme=look)
        expect(page.locator("html")).to_have_attribute("data-theme", look)
        assert violations(page) == [], f"{view}, {look}"


@pytest.mark.parametrize("part", range(4))
def test_every_view_is_accessible_and_fits_a_screen_and_a_phone(browser, live, part):
    """Everything is looked at by axe once; in the dark what that alone can break."""
    page = opened(browser, live, viewport=SCREEN)
    for view in VIEWS[part::4]:
        page.emulate_media(color_scheme="light")
        page.goto(live.url + view)
        expect(page.get_by_role("heading", level=1).first).to_be_attached()
        assert fits(page), view
        accessible(page, view, looks=("light", "dark") if view in IN_EVERY_LOOK else ("light",))
        page.set_viewport_size(PHONE)
        assert fits(page), f"{view} on a phone"
        page.set_viewport_size(SCREEN)
    page.context.close()


def test_views_opened_on_a_phone_are_accessible_and_fit(browser, live):
    page = opened(browser, live, viewport=PHONE)
    for view in IN_EVERY_LOOK:
        page.goto(live.url + view)
        expect(page.get_by_role("heading", level=1).first).to_be_attached()
        assert fits(page), view
        accessible(page, view, looks=("light", "dark"))
    page.context.close()


def test_from_the_portfolio_to_what_a_page_lost_in_three_clicks(page, live):
    page.goto(live.url)
    expect(page.get_by_role("heading", level=1)).to_contain_text("sites")
    page.get_by_role("link", name="Skerry Ferries").click()
    expect(page.get_by_text(re.compile("The (six|seven) parts add up to"))).to_be_visible()
    page.get_by_role("link", name="/freight/livestock").first.click()
    expect(page.get_by_role("heading", level=1)).to_have_text("/freight/livestock")
    page.get_by_role("button", name="livestock ferry transport", exact=True).click()
    expect(page.get_by_role("img", name=re.compile("Average position of livestock ferry transport"))).to_be_visible()
    expect(page.get_by_role("img", name="Clicks of livestock ferry transport by day, 28 days")).to_be_visible()
    assert "page=/freight/livestock&item=livestock ferry transport" in unquote(page.url).replace("+", " ")


def test_a_link_reproduces_the_view(page, live):
    page.goto(f"{live.url}{SITE}/queries?window=2026-02-01/2026-02-28&device=mobile&find=timetable&sort=position")
    expect(page.get_by_label("Keep rows that hold")).to_have_value("timetable")
    expect(page.get_by_text("device is mobile")).to_be_visible()
    expect(page.get_by_role("columnheader", name="now").nth(3)).to_have_attribute("aria-sort", "ascending")
    rows = page.locator("tbody tr:not(.rest):not(.unlisted):not(.total) th")
    assert all("timetable" in text for text in rows.all_inner_texts())
    before = rows.all_inner_texts()
    page.reload()
    expect(rows.first).to_have_text(before[0])


def test_keys_move_the_window_and_the_reading_line(page, live):
    page.goto(f"{live.url}{SITE}/overview")
    chart = page.get_by_role("img", name=re.compile("^Clicks, impressions"))
    chart.focus()
    page.keyboard.press("Home")
    expect(page.locator("[aria-live=polite]").first).to_contain_text("16 Feb 2026: clicks")
    page.keyboard.press("Escape")
    page.get_by_role("heading", name="Storyline").click()
    page.keyboard.press("[")
    expect(page.get_by_text("19 Jan – 15 Feb").first).to_be_visible()
    assert "window=2026-01-19%2F2026-02-15" in page.url


def test_the_chart_has_a_twin_in_a_table(page, live):
    page.goto(f"{live.url}{SITE}/overview")
    page.get_by_role("button", name="Show as table").click()
    expect(page.get_by_role("region", name="Storyline as a table").locator("tbody tr")).to_have_count(31)


def test_a_site_without_a_source_says_why_and_what_would_fill_it(page, live):
    page.goto(f"{live.url}/sites/wickhamtools.example/overview")
    expect(page.get_by_text("has no source connected").first).to_be_visible()
    expect(page.get_by_text("Connect one under Sources").first).to_be_visible()


def test_a_window_that_is_not_full_gives_no_change(page, live):
    page.goto(f"{live.url}{SITE}/overview?window=2026-03-09/2026-03-18")
    expect(page.get_by_text("No change is given").first).to_be_visible()
    expect(page.get_by_text("over a tenth of the window is missing", exact=False).first).to_be_visible()


def test_a_service_gone_away_is_an_error_in_place_with_a_way_on(page, live):
    page.goto(f"{live.url}{SITE}/queries")
    expect(page.get_by_role("table")).to_be_visible()
    page.route("**/breakdown/**", lambda route: route.abort())
    page.get_by_role("button", name="before", exact=True).click()
    expect(page.get_by_role("alert")).to_contain_text("cannot be reached")
    page.unroute("**/breakdown/**")
    page.get_by_role("button", name="Try again").click()
    expect(page.get_by_role("table")).to_be_visible()


def test_a_days_making_is_shown(page, live):
    page.goto(f"{live.url}{SITE}/held")
    page.get_by_role("button", name="Tue, 10 Mar 2026: final").click()
    expect(page.get_by_text(re.compile(r"pull \d+"))).to_be_visible()
    assert "day=2026-03-10" in page.url


@pytest.fixture
def two_days_on(live: Live) -> Iterator[None]:
    live.feed.control(today="2026-03-22", slow_ms=120)
    yield
    live.feed.calm()


def test_a_pull_shows_its_progress_and_ends(page, live, two_days_on):
    page.goto(f"{live.url}/sources")
    page.get_by_role("button", name="Pull now: Quillon · blog.hivewright.example").click()
    expect(page.get_by_role("progressbar")).to_be_visible()
    expect(page.get_by_role("progressbar")).to_have_count(0)
    expect(page.get_by_role("row", name=re.compile("blog.hivewright.example searches"))).to_contain_text("17 Mar")


def test_a_wrong_secret_is_told_in_the_dialog_and_the_right_one_lists(page, live):
    page.goto(f"{live.url}/sources")
    page.get_by_role("button", name="Connect a property").click()
    page.get_by_label("Feed address").fill(live.feed.url)
    page.get_by_label("Client id").fill("tallow-lane")
    page.get_by_label("Client secret").fill("wrong")
    page.get_by_role("combobox", name="Site").click()
    page.get_by_role("option", name=re.compile("wickhamtools")).click()
    page.get_by_role("button", name="See its properties").click()
    expect(page.get_by_role("alert")).to_contain_text("refuses the credential")
    page.get_by_label("Client secret").fill("lamp-oil")
    page.get_by_role("button", name="See its properties").click()
    expect(page.get_by_text("connected to skerryferries.example").first).to_be_visible()


def test_the_report_is_one_press(page, live):
    page.goto(f"{live.url}{SITE}/overview")
    with page.expect_download() as download:
        page.get_by_role("link", name="Report as PDF").click()
    assert download.value.suggested_filename == "skerryferries.example-2026-03-15.pdf"
    assert Path(download.value.path()).read_bytes().startswith(b"%PDF")


def test_a_repeated_view_answers_304(page, live):
    page.goto(f"{live.url}{SITE}/overview")
    page.wait_for_load_state("networkidle")
    statuses: list[int] = []
    page.on("response", lambda r: statuses.append(r.status) if "/timeline" in r.url or "/drivers" in r.url else None)
    sent = page.evaluate(
        "async () => { const a = await fetch('/api/v1/sites/skerryferries.example/drivers');"
        "return (await fetch('/api/v1/sites/skerryferries.example/drivers',"
        "{headers: {'If-None-Match': a.headers.get('ETag')}, cache: 'no-store'})).status }"
    )
    assert sent == 304


def test_the_first_load_is_small_and_charts_come_later():
    folder = ROOT / "src/noctilum/service/console"
    page = (folder / "index.html").read_text()
    first = re.findall(r'(?:src|href)="/(assets/[^"]+\.js)"', page)
    size = sum(len(gzip.compress((folder / name).read_bytes())) for name in first)
    assert size < 350_000
    assert not any("echarts" in name for name in first)


def test_the_console_is_reached_only_signed_in(browser, live):
    page = browser.new_context().new_page()
    page.goto(f"{live.url}{SITE}/overview")
    expect(page.get_by_role("button", name="Sign in")).to_be_visible()
    page.get_by_label("Mail address").fill("ines@tallowlane.example")
    page.get_by_label("Password").fill("wrong")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("alert")).to_contain_text("do not belong together")
    page.context.close()


def test_a_file_is_looked_at_corrected_imported_and_its_bad_row_named(page, live, tmp_path):
    with live.client() as noctilum:
        noctilum.add_site("wickham-tools-co-op", NewSite(host="oldsheets.example"))
        source = noctilum.add_file_source("oldsheets.example", NewFileSource(label="old sheets", engine="Quillon"))
    file = tmp_path / "old.csv"
    lines = "".join(
        f"{day:02}/0{month}/2022;{day};{10 * day};{day / 2 + 1:.1f}\n" for month in (1, 2) for day in range(1, 12)
    )
    file.write_text("Tag;Klicks;Gesehen;Position\n" + lines.replace(".", ",") + "12/01/2022;9;3;1,0\n")
    page.goto(f"{live.url}/imports?source={source.id}")
    page.set_input_files("input[type=file]", str(file))
    expect(page.get_by_role("alert")).to_contain_text("impressions")
    file.write_text(file.read_text().replace("Gesehen", "Impressionen"))
    page.set_input_files("input[type=file]", str(file))
    expect(page.get_by_role("alert")).to_contain_text("day first or month first")
    expect(page.get_by_role("button", name="Import", exact=True)).to_be_disabled()
    page.get_by_role("button", name="Day first").click()
    page.get_by_role("button", name="Try without keeping").click()
    expect(page.get_by_role("heading", name="What would come of it")).to_be_visible()
    page.set_input_files("input[type=file]", str(file))
    page.get_by_role("button", name="Import", exact=True).click()
    expect(page.get_by_role("heading", name="What came of it")).to_be_visible()
    expect(page.get_by_text("22 days came in, 22 rows")).to_be_visible()
    expect(page.get_by_text("9 clicks are more than 3 impressions")).to_be_visible()


def test_a_day_shows_its_making_and_can_be_read_again(page, live):
    page.goto(f"{live.url}{SITE}/held?day=2026-03-01")
    making = page.get_by_role("complementary", name="One day")
    expect(making).to_contain_text("All as the provider states them")
    expect(making.get_by_role("row")).to_have_count(6)  # a head, and a row each grain
    making.get_by_role("button", name="Read this day again").click()
    expect(making).to_contain_text("1 of 1 days read again")
    expect(page.get_by_role("region", name="Why two numbers differ")).to_contain_text("Rare queries are withheld")


def test_a_source_is_given_another_schedule_and_paused(page, live):
    page.goto(f"{live.url}/sources")
    name = "Change: Quillon · hivewright.example"
    page.get_by_role("button", name=name).click()
    page.get_by_label("Pulled").fill("now and then")
    page.get_by_role("button", name="Keep", exact=True).click()
    expect(page.get_by_role("alert")).to_contain_text("is no schedule")
    page.get_by_label("Pulled").fill("daily at 4:15")
    page.get_by_label("Paused; what falls due").check()
    page.get_by_role("button", name="Keep", exact=True).click()
    row = page.get_by_role("row").filter(has_text="Quillon · hivewright.example")
    expect(row).to_contain_text("paused")
    page.get_by_role("button", name=name).click()
    expect(page.get_by_label("Pulled")).to_have_value("daily at 04:15")
    page.get_by_label("Paused; what falls due").uncheck()
    page.get_by_role("button", name="Keep", exact=True).click()
    expect(row).not_to_contain_text("paused")


def test_what_is_read_can_be_written_to_a_file_and_fetched(page, live):
    page.goto(f"{live.url}{SITE}/held")
    page.get_by_role("button", name="Export…").click()
    page.get_by_role("button", name="Write the file").click()
    link = page.get_by_role("link", name="skerryferries.example-days-site.csv")
    with page.expect_download() as download:
        link.click()
    head = Path(download.value.path()).read_text().splitlines()[0]
    assert head == "day,source,country,device,kind,clicks,impressions,position"


def held_back(page: Page, part: str) -> list[Route]:
    """Hold every question back whose address holds a part, until they are let through."""
    waiting: list[Route] = []

    def hold(route: Route) -> None:
        waiting.append(route)

    page.route(re.compile(part), hold)
    return waiting


def let_through(page: Page, waiting: list[Route]) -> None:
    assert waiting
    for route in waiting:
        route.continue_()
    page.unroute_all()


def test_an_export_opened_before_its_days_came_counts_as_they_do(page, live):
    waiting = held_back(page, "/ledger")
    page.goto(f"{live.url}{SITE}/held", wait_until="load")
    page.get_by_role("button", name="Export…").click()
    counted = page.get_by_role("dialog", name="Export").get_by_label("Counted")
    expect(counted).to_have_text("queries by page")
    let_through(page, waiting)
    expect(counted).to_have_text("totals of the site")


def test_days_of_visits_are_shown_and_written_in_figures_of_their_own(page, live):
    page.goto(f"{live.url}/sites/{BESIDE_SITE}/held")
    label = page.get_by_label("Source").locator("option").filter(has_text="shop").inner_text()
    page.get_by_label("Source").select_option(label=label)
    counted = page.get_by_label("Counted for")
    expect(counted).to_have_value("visits")
    assert counted.locator("option").all_inner_texts() == ["visits", "visitors", "goals"]
    expect(page.get_by_text("deeper with more sessions")).to_be_visible()
    page.locator(".month button.final").first.click()
    making = page.get_by_role("complementary", name="One day")
    expect(making.get_by_role("columnheader").nth(3)).to_have_text("goals")
    assert making.get_by_role("columnheader").all_inner_texts()[:3] == ["Counted for", "visits", "visitors"]
    for figure in ("Sessions", "New users", "Revenue"):
        expect(making.get_by_role("rowheader", name=figure)).to_be_visible()
    expect(making).not_to_contain_text("Clicks")
    differ = page.get_by_role("region", name="Why two numbers differ").get_by_role("table", name=label)
    expect(differ.get_by_role("columnheader", name="Conversions")).to_be_visible()
    page.get_by_role("button", name="Export…").click()
    dialog = page.get_by_role("dialog", name="Export")
    dialog.get_by_label("Counted").click()
    page.get_by_role("option", name="goals").click()
    dialog.get_by_role("button", name="Write the file").click()
    with page.expect_download() as download:
        dialog.get_by_role("link", name="days-goals.csv").click()
    lines = Path(download.value.path()).read_text().splitlines()
    assert lines[0] == "day,source,goal,page,channel,conversions,revenue" and len(lines) > 20


def test_a_window_that_cannot_be_is_told_at_its_field(page, live):
    waiting = held_back(page, "/timeline")
    page.goto(f"{live.url}{SITE}/overview", wait_until="load")
    page.get_by_role("button", name="Last 28 complete days").click()
    form = page.get_by_role("form", name="Window")
    form.get_by_label("to", exact=True).fill("2026-01-01")
    let_through(page, waiting)
    expect(form.get_by_label("From")).to_have_value("2026-02-16")
    form.get_by_role("button", name="Read").click()
    expect(form.get_by_text("The window ends before it begins.")).to_be_visible()
    form.get_by_label("From").fill("")
    form.get_by_role("button", name="Read").click()
    expect(form.get_by_text("Which day does it begin on?")).to_be_visible()
    form.get_by_label("From").fill("2026-01-01")
    form.get_by_label("to", exact=True).fill("2026-01-31")
    form.get_by_role("button", name="Read").click()
    page.wait_for_url("**window=2026-01-01**")
    expect(page.get_by_role("button", name=re.compile("Jan 1 – Jan 31|1 Jan – 31 Jan"))).to_be_visible()


def test_a_site_is_checked_handed_over_deleted_and_taken_in_again(page, live, tmp_path):
    with live.client() as noctilum:
        key = noctilum.add_client(NewClient(name="Keptwell")).key
        noctilum.add_site(key, NewSite(host="keptwell.example"))
        made = noctilum.add_file_source("keptwell.example", NewFileSource(label="From files"))
        path = tmp_path / "days.csv"
        path.write_text("day,clicks,impressions,position\n2026-03-01,4,40,2.0\n")
        job = noctilum.start_import(made.id, AskImport(uploads=[noctilum.upload(path).id]))
        assert [*noctilum.follow(job)][-1].state == "done"
    page.goto(f"{live.url}/keeping")
    row = page.get_by_role("region", name="Clients and sites").get_by_role("row").filter(has_text="keptwell.example")
    row.get_by_label("Months of history kept for Keptwell; empty for ever").fill("24")
    row.get_by_role("button", name="Keep only these").click()
    expect(row.get_by_role("button", name="Keep only these")).to_have_count(0)
    page.get_by_role("button", name="Check everything").click()
    expect(page.get_by_role("region", name="Check what is held")).to_contain_text("nothing is wrong", timeout=240_000)
    row.get_by_role("button", name="Write the file of keptwell.example").click()
    with page.expect_download() as download:
        row.get_by_role("link").click()
    file = tmp_path / "keptwell.hand-over"
    download.value.save_as(file)
    row.get_by_role("button", name="Delete… keptwell.example").click()
    sure = page.get_by_role("button", name="Delete for good")
    page.get_by_label("Type keptwell.example to go on").fill("keptwell")
    expect(sure).to_be_disabled()
    page.get_by_label("Type keptwell.example to go on").fill("keptwell.example")
    sure.click()
    expect(page.get_by_role("region", name="Deleted for good")).to_contain_text("keptwell.example")
    expect(row).to_have_count(0)
    page.get_by_label("Hand-over file").set_input_files(file)
    expect(page.get_by_text("keptwell.example came in for")).to_contain_text("1 days")
    with live.client() as noctilum:
        assert noctilum.timeline("keptwell.example", window="2026-03-01/2026-03-01", against="none").now.clicks == 4
        noctilum.erase("client", key, key)


def test_a_client_and_a_site_are_added_in_the_console(page, live):
    page.goto(f"{live.url}/sources")
    for kind, label, value in (
        ("A client", "Name", "Brinepot Jars"),
        ("A site of a client", "Host", "jars.brinepot.example"),
    ):
        page.get_by_role("button", name="Add a client or site").click()
        page.get_by_label("What", exact=True).click()
        page.get_by_role("option", name=kind, exact=True).click()
        if kind != "A client":
            page.get_by_label("Client").click()
            page.get_by_role("option", name="Brinepot Jars").click()
        page.get_by_label(label, exact=False).first.fill(value)
        page.get_by_role("button", name="Add", exact=True).click()
        expect(page.get_by_role("dialog")).to_have_count(0)
    with live.client() as noctilum:
        assert any(site.host == "jars.brinepot.example" for site in noctilum.sites())


def test_why_clicks_changed_and_which_pages_to_look_at_are_three_clicks_away(page, live):
    page.goto(live.url)
    page.get_by_role("link", name="Skerry Ferries").click()
    look = page.get_by_role("region", name="Pages to look at")
    expect(look.get_by_role("row").first).to_contain_text("/freight/livestock")
    expect(look).to_contain_text("left: last shown on")
    expect(page.get_by_text(re.compile(r"Clicks (rose|fell) by"))).to_be_visible()
    look.get_by_role("link", name="all verdicts").click()
    expect(page.get_by_role("row").nth(1)).to_contain_text("fading")


def test_a_filter_is_written_with_help_and_its_fault_pointed_at(page, live):
    page.goto(f"{live.url}{SITE}/queries")
    page.get_by_role("button", name="Filter…").click()
    field = page.get_by_label("Only rows that pass")
    field.fill("not brnd")
    expect(page.get_by_role("alert")).to_contain_text("^^^^")
    expect(page.get_by_role("alert")).to_contain_text("did you mean brand?")
    expect(page.get_by_role("button", name="Read with it")).to_be_disabled()
    field.fill("not br")
    page.get_by_role("button", name="brand", exact=True).click()
    expect(field).to_have_value("not brand ")
    page.get_by_label("Value").fill("timetable")
    page.get_by_role("group", name="Or put one together").get_by_role("button", name="and", exact=True).click()
    expect(field).to_have_value("not brand and query has timetable")
    expect(page.get_by_text(re.compile(r"Finds \d+ of"))).to_be_visible()
    page.get_by_role("button", name="Read with it").click()
    assert "filter=not+brand+and+query+has+timetable" in page.url
    expect(page.get_by_role("row").nth(2)).to_contain_text("timetable")
    page.get_by_role("link", name="Pages").click()
    assert "filter=" in page.url
    page.get_by_role("button", name="Remove the filter").click()
    assert "filter=" not in page.url


def test_a_note_is_kept_shown_on_the_chart_and_read(page, live):
    page.goto(f"{live.url}{SITE}/notes")
    page.get_by_role("textbox", name="What", exact=True).fill("Prices in two columns")
    page.get_by_label(re.compile(r"^On")).fill("2026-02-20")
    page.get_by_role("button", name="Keep the note").click()
    row = page.get_by_role("button", name="Prices in two columns")
    row.click()
    told = page.get_by_role("region", name="What came of it")
    expect(told).to_contain_text("to be expected")
    page.goto(f"{live.url}{SITE}/overview")
    expect(page.get_by_role("list", name="Marked on the chart")).to_contain_text("Prices in two columns")
    page.get_by_role("link", name="Prices in two columns").click()
    told.get_by_role("button", name="Delete this note").click()
    expect(row).to_have_count(0)
    page.get_by_role("button", name="Bring it back").click()
    expect(row).to_have_count(1)
    row.click()
    told.get_by_role("button", name="Delete this note").click()
    expect(row).to_have_count(0)


def test_a_set_is_tried_saved_read_and_deleted(page, live):
    page.goto(f"{live.url}{SITE}/sets")
    page.get_by_role("textbox", name="Name", exact=True).fill("Island pages")
    page.get_by_role("combobox", name=re.compile("^Of")).select_option("page")
    page.get_by_label("Rule").fill('path starts "/islands')
    expect(page.get_by_role("alert")).to_contain_text("no closing quote")
    page.get_by_label("Rule").fill('path starts "/islands/"')
    expect(page.get_by_text(re.compile(r"Finds 5 of"))).to_be_visible()
    page.get_by_role("button", name="Save", exact=True).click()
    across = page.get_by_role("region", name="Sets across")
    expect(across.get_by_role("row", name=re.compile("^Island pages"))).to_be_visible()
    page.get_by_role("region", name="Side by side").get_by_role("link", name="Pages of the set Island pages").click()
    expect(page.get_by_text("5 pages")).to_be_visible()
    page.goto(f"{live.url}{SITE}/sets")
    page.get_by_role("button", name="Delete the set Island pages").click()
    expect(page.get_by_role("link", name="Island pages")).to_have_count(0)


@pytest.mark.parametrize("view", ["overview", "queries", "pages", "fading", "reach", "overlap", "clusters", "sets"])
def test_every_column_of_figures_says_how_it_is_computed(page, live, view):
    page.goto(f"{live.url}{SITE}/{view}")
    expect(page.locator("table thead th.num").first).to_be_visible()
    heads = page.locator("table.t:not(.heat) thead th.num")
    silent = heads.filter(has_not=page.locator("button")).all_inner_texts()
    assert silent == []
    page.locator("thead button.asks").first.click()
    dialog = page.get_by_role("dialog", name="How this is computed")
    expect(dialog).to_contain_text(re.compile(r"\w{3,}.*\."))
    page.keyboard.press("Escape")
    expect(dialog).to_have_count(0)


def test_sets_are_read_across_months_and_devices(page, live):
    page.goto(f"{live.url}{SITE}/sets?window=P84D")
    across = page.get_by_role("region", name="Sets across")
    expect(across.get_by_role("columnheader", name="Feb 2026")).to_be_visible()
    across.get_by_label("by").select_option("device")
    expect(across.get_by_role("columnheader", name="mobile")).to_be_visible()
    assert "cross=device" in page.url
    across.get_by_label("showing").select_option("position")
    cell = across.get_by_role("row", name=re.compile("^Timetables")).get_by_role("cell").first
    expect(cell).to_have_text(re.compile(r"^\d+\.\d$"))
    with live.client() as noctilum:
        found = noctilum.cross("skerryferries.example", "set", "device", window="P84D")
    row = next(row for row in found.rows if row.key == "Timetables")
    expect(cell).to_have_text(f"{row.cells[0].position:.1f}")


def test_a_month_is_read_against_the_month_before_with_its_drivers(page, live):
    page.goto(f"{live.url}{SITE}/overview?window=2026-02")
    expect(page.get_by_role("button", name=re.compile("Feb 2026 against the month before"))).to_be_visible()
    expect(page.get_by_text("what was before is taken for as many days as now, times 0.903")).to_be_visible()
    expect(page.get_by_text("Over as many days clicks").first).to_be_visible()
    page.keyboard.press("[")
    expect(page.get_by_role("button", name=re.compile("Jan 2026 against the month before"))).to_be_visible()
    assert "window=2026-01" in page.url and "2026-01-" not in page.url


def test_a_reading_is_written_to_a_file_narrowed_as_the_view_is(page, live):
    page.goto(f"{live.url}{SITE}/fading?filter=words+%3E%3D+3")
    expect(page.get_by_text("Behind a change of")).to_be_visible()
    page.keyboard.press("e")
    page.get_by_role("button", name="Every row of a reading").click()
    dialog = page.get_by_role("dialog", name="Export")
    expect(dialog.get_by_label("What")).to_have_text("Pages that fade")
    expect(dialog).to_contain_text("Narrowed as the view is: words >= 3.")
    dialog.get_by_role("button", name="Write the file").click()
    with page.expect_download() as download:
        dialog.get_by_role("link", name=re.compile("fading-page")).click()
    text = Path(download.value.path()).read_text()
    with live.client() as noctilum:
        found = noctilum.fading("skerryferries.example", filter="words >= 3", limit=1)
    assert text.splitlines()[0].startswith("key,")
    assert len(text.splitlines()) == 1 + sum(each.rows for each in found.verdicts)


def test_a_figure_in_a_sentence_says_how_it_is_computed_in_the_language_chosen(page, live):
    page.goto(f"{live.url}{SITE}/fading")
    lead = page.locator("p.lead")
    expect(lead).to_contain_text("Behind a change of")
    page.get_by_label("Language").select_option("fr")
    expect(lead).to_contain_text("Derrière une variation de")
    lead.locator("button").nth(3).click()
    expect(page.get_by_role("dialog", name="Comment ce chiffre est calculé")).to_contain_text("/lost")
    page.keyboard.press("Escape")
    page.get_by_label("Langue").select_option("en")
    expect(lead).to_contain_text("Behind a change of")


def test_tables_and_charts_are_copied_and_saved(page, live):
    page.goto(f"{live.url}{SITE}/places")
    expect(page.get_by_role("region", name="Devices").get_by_role("row")).to_have_count(6)
    expect(page.locator(".map svg path").nth(100)).to_be_attached()
    page.keyboard.press("e")
    saved = {}
    for way in ("CSV", "XLSX"):
        with page.expect_download() as download:
            page.get_by_role("button", name=f"{way}: Devices").click()
        saved[way] = Path(download.value.path()).read_bytes()
        assert download.value.suggested_filename == f"devices.{way.lower()}"
    with live.client() as noctilum:
        mobile = next(row for row in noctilum.breakdown(live_site(), "device").rows if row.key == "mobile")
    line = next(row for row in saved["CSV"].decode().split("\r\n") if row.startswith("mobile,"))
    assert f",{mobile.now.clicks},{mobile.before.clicks}," in line
    sheet = openpyxl.load_workbook(io.BytesIO(saved["XLSX"])).active
    assert mobile.now.impressions in [cell.value for row in sheet.iter_rows() for cell in row]
    for way, magic in (("SVG", b"<svg"), ("PNG", b"\x89PNG")):
        with page.expect_download() as download:
            page.get_by_role("button", name=f"{way}: Countries").click()
        assert Path(download.value.path()).read_bytes().startswith(magic)


def live_site() -> str:
    return SITE.removeprefix("/sites/")


def test_a_frame_drawn_over_points_becomes_the_filter(page, live):
    page.goto(f"{live.url}{SITE}/queries?cross=scatter")
    plot = page.locator(".plot")
    expect(plot.locator("path").nth(40)).to_be_attached()
    box = plot.bounding_box()
    page.mouse.move(box["x"] + 300, box["y"] + 40)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] - 60, box["y"] + 300, steps=6)
    page.mouse.up()
    page.wait_for_url(re.compile("filter="))
    text = unquote(page.url.split("filter=")[1].split("&")[0]).replace("+", " ")
    assert re.fullmatch(r"position >= [\d.]+ and position <= [\d.]+ and clicks >= \d+ and clicks <= \d+", text)
    low, high = (float(value) for value in re.findall(r"position .= ([\d.]+)", text))
    expect(page.get_by_role("row").nth(3)).to_be_visible()
    with live.client() as noctilum:
        rows = noctilum.breakdown(live_site(), "query", filter=text, limit=500).rows
    assert rows
    assert all(low <= row.now.position <= high for row in rows)


def test_two_dimensions_are_read_as_a_table_of_cells_that_add_up(page, live):
    page.goto(f"{live.url}{SITE}/queries?cross=device")
    row = page.locator("table.heat tbody tr").first
    expect(row).to_be_visible()
    cells = [int(text.replace(",", "").replace("–", "0")) for text in row.locator("td").all_inner_texts()]
    assert sum(cells[:-1]) == cells[-1]
    page.get_by_label("Across").select_option("counts")
    expect(page.get_by_role("columnheader", name="new")).to_be_visible()


def test_a_month_is_compared_with_a_month_chosen(page, live):
    page.goto(f"{live.url}{SITE}/overview?window=2026-02")
    page.get_by_role("button", name=re.compile("^Feb 2026")).click()
    page.get_by_label("or against a month").select_option("2025-12")
    page.wait_for_url(re.compile("against=2025-12"))
    expect(page.get_by_text(re.compile("vs 1 Dec – 31 Dec")).first).to_be_visible()


def test_one_key_puts_a_page_on_the_list_and_takes_it_off(page, live):
    page.goto(f"{live.url}{SITE}/fading")
    box = page.get_by_label("Pages to look at: /freight/livestock")
    expect(box).to_be_enabled()
    page.keyboard.press("j")
    page.keyboard.press("l")
    expect(box).to_be_checked()
    expect(page.get_by_text("/freight/livestock is on the list Pages to look at, which has 1.")).to_be_visible()
    with live.client() as noctilum:
        (kept,) = [each for each in noctilum.sets() if each.name == "Pages to look at"]
    assert (kept.item, kept.client, kept.members) == ("page", "skerry-ferries", ["/freight/livestock"])
    page.keyboard.press("l")
    expect(box).not_to_be_checked()
    with live.client() as noctilum:
        assert "Pages to look at" not in {each.name for each in noctilum.sets()}


def test_rows_of_the_fading_list_are_moved_through_by_keys(page, live):
    page.goto(f"{live.url}{SITE}/fading?verdict=rising")
    expect(page.get_by_role("row").nth(2)).to_be_visible()
    page.keyboard.press("j")
    page.keyboard.press("j")
    second = page.get_by_role("row").nth(2).get_by_role("link")
    expect(second).to_be_focused()
    page.keyboard.press("k")
    expect(page.get_by_role("row").nth(1).get_by_role("link")).to_be_focused()
    page.keyboard.press("Enter")
    page.wait_for_url(re.compile("queries.*page="))


def kept_by(address: str):
    """The service's answer to a change, which an unchanged page says nothing of."""
    return lambda answer: answer.request.method == "PATCH" and answer.ok and urlsplit(answer.url).path.endswith(address)


def test_brand_words_are_tried_before_they_are_kept(page, live):
    with live.client() as client:
        saved = client.site("skerryferries.example").brand_terms
    page.goto(f"{live.url}{SITE}/sets")
    box = page.get_by_role("region", name="Brand words")
    words = box.get_by_label("Words that name the client")
    expect(words).to_have_value(saved)
    keep = box.get_by_role("button", name="Keep these words")
    expect(keep).to_be_disabled()
    words.fill("skerry ferries")
    expect(box.get_by_text("Against the words in use: 0 more")).to_be_visible()
    box.get_by_label("Try a query").fill("skery ferries\nferry to ronsay")
    expect(box.get_by_role("list", name="Tried queries").get_by_role("listitem")).to_have_text(
        [re.compile("^brand skery ferries"), re.compile("^generic ferry to ronsay")]
    )
    box.get_by_role("button", name="Take in: skerryferries").click()
    expect(words).to_have_value("skerry ferries, skerryferries")
    expect(box.get_by_role("list", name="Close, and no brand").get_by_text("skerryferries", exact=True)).to_have_count(
        0
    )
    with page.expect_response(kept_by(SITE)):
        keep.click()
    expect(keep).to_be_disabled()
    page.reload()
    expect(words).to_have_value("skerry ferries, skerryferries")
    words.fill(saved)
    with page.expect_response(kept_by(SITE)):
        keep.click()
    expect(box.get_by_text("Against the words in use")).to_have_count(0)
    with live.client() as client:
        assert client.site("skerryferries.example").brand_terms == saved


def test_one_goes_to_a_client_and_a_view_by_name(page, live):
    page.goto(f"{live.url}{SITE}/fading?window=P84D&filter=not+brand")
    page.get_by_role("heading", level=1).wait_for()
    page.keyboard.press("g")
    page.keyboard.press("g")
    field = page.get_by_role("combobox", name="Client or view")
    expect(field).to_be_focused()
    page.keyboard.type("north")
    page.keyboard.press("Enter")
    expect(page).to_have_url(f"{live.url}/sites/northloft.example/fading?window=P84D")
    page.get_by_role("button", name="Go to…").click()
    field.fill("hive reach")
    expect(page.get_by_role("option")).to_have_count(2)
    assert violations(page) == []
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", level=1)).to_have_text("Within reach")
    assert "hivewright.example/reach" in page.url
    page.get_by_role("button", name="Go to…").click()
    field.fill("nothing of the kind")
    expect(page.get_by_text("No client and no view is called so.")).to_be_visible()
    page.keyboard.press("Escape")
    expect(field).to_have_count(0)


def test_looks_add_up_beside_any_other_result_and_one_narrows_the_view(page, live):
    page.goto(f"{live.url}/sites/umbrapoint.example/places")
    looks = page.get_by_role("region", name="Looks")
    table = looks.get_by_role("table").first
    expect(table.get_by_text("Like any other result")).to_be_visible()
    told = table.locator("tbody tr").evaluate_all("rows => rows.map((row) => row.querySelector('td.now').innerText)")
    *parts, total = (int(text.replace(",", "")) for text in told)
    assert len(parts) == 3 and sum(parts) == total
    looks.get_by_role("button", name="written answer").click()
    expect(page).to_have_url(re.compile("filter=look\\+is\\+%22written\\+answer%22"))
    page.keyboard.press("g")
    page.keyboard.press("q")
    expect(page.get_by_text("Looks are counted without queries and pages").first).to_be_visible()
    assert page.evaluate("window.scrollY") == 0


def test_a_set_is_changed_deleted_and_brought_back(page, live, tmp_path):
    page.goto(f"{live.url}{SITE}/sets")
    form = page.get_by_role("region", name="Save a set")
    beside = page.get_by_role("region", name="Side by side")
    (tmp_path / "list.csv").write_text('"/fares",12\n/timetables/ronsay;3\n\n')
    form.get_by_label("Name").fill("From a file")
    form.get_by_role("combobox", name=re.compile("^Of")).select_option("page")
    form.get_by_label("or from a file").set_input_files(tmp_path / "list.csv")
    expect(form.get_by_label("And these, one a line")).to_have_value("/fares\n/timetables/ronsay")
    form.get_by_role("button", name="Save").click()
    beside.get_by_role("button", name="Change the set From a file").click()
    expect(form.get_by_label("Name")).to_have_value("From a file")
    form.get_by_label("Rule").fill('path starts "/offers/"')
    form.get_by_role("button", name="Save").click()
    expect(form.get_by_role("heading", name="Save a set")).to_be_visible()
    with live.client() as client:
        (kept,) = [each for each in client.sets("skerry-ferries") if each.name == "From a file"]
    assert (kept.rule, kept.members) == ('path starts "/offers/"', ["/fares", "/timetables/ronsay"])
    beside.get_by_role("button", name="Delete the set From a file").click()
    expect(beside.get_by_role("link", name="From a file", exact=True)).to_have_count(0)
    beside.get_by_role("button", name="Bring it back").click()
    beside.get_by_role("link", name="From a file", exact=True).click()
    expect(page.get_by_role("heading", name="Storyline")).to_be_visible()
    assert 'filter=set "From a file"' in unquote(page.url).replace("+", " ")
    with live.client() as client:
        (kept,) = [each for each in client.sets("skerry-ferries") if each.name == "From a file"]
        assert kept.members == ["/fares", "/timetables/ronsay"]
        client.drop_set(kept.id)


def test_tokens_are_made_listed_and_revoked_under_people(page, live):
    page.goto(f"{live.url}/people")
    part = page.get_by_role("region", name="Tokens")
    part.get_by_label("What the token is for").fill("a weekly script")
    part.get_by_role("button", name="Make a token").click()
    token = part.get_by_role("status").get_by_role("code").inner_text()
    assert httpx.get(f"{live.url}/api/v1/me", headers={"Authorization": f"Bearer {token}"}).status_code == 200
    page.on("dialog", lambda dialog: dialog.accept())
    part.get_by_role("button", name="Revoke a weekly script").click()
    expect(part.get_by_role("row", name="a weekly script")).to_have_count(0)
    assert httpx.get(f"{live.url}/api/v1/me", headers={"Authorization": f"Bearer {token}"}).status_code == 401


def test_a_sign_in_that_is_ended_elsewhere_shows_the_door(browser, live):
    page = opened(browser, live, alone=True)
    page.goto(f"{live.url}/people")
    expect(page.get_by_text("this one")).to_be_visible()
    mine = page.evaluate("fetch('/api/v1/sign-ins').then(a => a.json()).then(all => all.find(s => s.this).id)")
    ended = httpx.delete(f"{live.url}/api/v1/sign-ins/{mine}", headers={"Authorization": f"Bearer {live.token}"})
    assert ended.status_code == 204
    page.get_by_role("link", name="Sources").click()
    expect(page.get_by_role("button", name="Sign in", exact=True)).to_be_visible()
    page.context.close()


def test_the_door_bears_the_agencys_name_and_logo_and_not_ours(browser, live):
    with live.client() as noctilum:
        noctilum.keep_logo(DRAWN)
    page = browser.new_context().new_page()
    try:
        page.goto(live.url)
        expect(page.get_by_role("heading", name="Tallow Lane")).to_be_visible()
        expect(page).to_have_title("Tallow Lane")
        assert page.locator("img.logo").evaluate("image => image.naturalWidth") > 0
        assert "noctilum" not in page.locator("body").inner_text().lower()
    finally:
        page.context.close()
        with live.client() as noctilum:
            noctilum.drop_logo()
    assert httpx.get(f"{live.url}/agency-logo").status_code == 404
    assert "noctilum" not in httpx.get(live.url).text.lower()


def test_a_question_too_long_for_an_address_is_asked_all_the_same(page, live):
    words = " or ".join(f'query has "ferry" and not query has "isle {n} by night"' for n in range(50))
    page.goto(f"{live.url}{SITE}/queries?filter={quote(words)}")
    expect(page.get_by_role("heading", level=1)).to_be_visible()
    expect(page.locator("tr.total")).to_contain_text(re.compile(r"[1-9]"))
