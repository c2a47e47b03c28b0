"""What visits, links and sitemaps tell of the demo's clients: found on the command line and in the console."""

from __future__ import annotations

from playwright.sync_api import Page, expect
from tests.running import BESIDE_SITE, Live

BLOG, NORTHLOFT, SKERRY, UMBRA = (
    *("blog.hivewright.example", "northloft.example", "skerryferries.example", "umbrapoint.example"),
)
NO_GOALS = "fretsawfern.example"
"""Its visits are counted, and no goal is."""


def test_the_calendar_that_took_its_links_away_is_named(live: Live, page: Page):
    told = live.cli("backlinks", NORTHLOFT, "--only", "lost", "--sort", "lost").stdout
    assert "46 of the lost ones were on coast-calendar.example" in told
    page.goto(f"{live.url}/sites/{NORTHLOFT}/read/backlinks?rows_only=lost&rows_sort=lost")
    expect(page.get_by_role("row").nth(1)).to_contain_text("coast-calendar.example")
    expect(page.get_by_text("coast-calendar.example").first).to_be_visible()
    page.get_by_label("by", exact=True).select_option("page")
    expect(page.get_by_role("row").filter(has_text="/exhibitions").first).to_contain_text("46")


def test_pages_in_the_sitemap_that_no_one_is_shown_are_listed(live: Live, page: Page):
    told = live.cli("presence", SKERRY, "--limit", "200").stdout
    assert "pages are listed and were shown to nobody in the window" in told and "/notices/2011/winter-refit" in told
    page.goto(f"{live.url}/sites/{SKERRY}/read/presence")
    row = page.get_by_role("row").filter(has_text="/notices/2011/winter-refit")
    expect(row).to_contain_text("listed, not indexed")
    expect(page.get_by_role("row").filter(has_text="/freight/livestock")).to_contain_text("gone")


def test_a_tag_that_fell_out_is_told_with_its_day(live: Live, page: Page):
    told = live.cli("counting", BLOG).stdout
    assert "Counting stopped on 3 March 2026" in told and "Look at whether the counting code is there" in told
    page.goto(f"{live.url}/sites/{BLOG}/read/counting")
    expect(page.get_by_text("Counting stopped on").first).to_contain_text("3 March 2026")
    broke = live.cli("landing", BLOG, "--only", "counting", "--window", "2026-03-03/2026-03-14").stdout
    assert "only the counting broke" in broke


def test_bookings_stand_by_city_with_a_map_and_a_table(live: Live, page: Page):
    told = live.cli("visits", UMBRA, "--by", "city", "--against", "none").stdout
    assert "Ember Bay" in told and "not told" in told
    page.goto(f"{live.url}/sites/{UMBRA}/read/visits?rows_by=city")
    expect(page.get_by_role("row").filter(has_text="Ember Bay")).to_be_visible()
    expect(page.get_by_role("img", name="sessions by city")).to_be_visible()
    page.get_by_label("by", exact=True).select_option("country")
    expect(page.get_by_role("img", name="sessions by country")).to_be_visible()
    expect(page.get_by_role("row").filter(has_text="United Kingdom (GB)")).to_be_visible()


def test_towns_are_found_by_their_whole_names_and_unknown_ones_left_out(live: Live):
    with live.client() as noctilum:
        found = {town.name: town for town in noctilum.towns(["Ember Bay", "Hallowick", "Nowhere at all"])}
        assert set(found) == {"Ember Bay", "Hallowick"}
        assert (found["Hallowick"].country, found["Hallowick"].latitude) == ("NO", 58.9)
        assert not noctilum.towns(["Hallowick"], country="GB")


def test_a_goal_that_was_added_late_is_not_drawn_as_none_before(live: Live):
    with live.client() as noctilum:
        early = noctilum.read("outcomes", BESIDE_SITE, window="2026-02-01/2026-02-28")
        assert early.total.conversions and early.total.revenue
    late = live.cli("goals", BESIDE_SITE, "--by", "goal", "--window", "2025-11-24/2026-02-21").stdout
    assert "newsletter" in late and "order" in late


def test_what_pages_earn_is_said_by_sets_until_goals_are_counted(live: Live, page: Page):
    told = live.cli("outcomes", NO_GOALS, "--by", "page", "--window", "2026-03-01/2026-03-14").stdout
    assert "No goal was ever counted here" in told
    rule = 'path starts "/hire"'
    kept = live.cli("sets", "--client", "fretsaw-fern", "--save", "Hire", "--item", "page", "--rule", rule)
    assert kept.returncode == 0, kept.stderr
    page.goto(f"{live.url}/sites/{NO_GOALS}/read/outcomes?rows_by=page&window=2026-03-01/2026-03-14")
    page.get_by_text("What a session earns, until goals are counted").click()
    page.get_by_role("combobox", name="Pages of").click()
    page.get_by_role("option", name="Hire").click()
    page.get_by_role("combobox", name="Earn by").click()
    page.get_by_role("option", name="thousand page views").click()
    page.get_by_role("button", name="Keep this value").click()
    expect(page.get_by_role("spinbutton", name="Amount")).to_be_focused()
    page.get_by_role("spinbutton", name="Amount").fill("14.5")
    page.get_by_role("spinbutton", name="Page views of a session").fill("2")
    page.get_by_role("button", name="Keep this value").click()
    expect(page.get_by_role("list", name="What pages earn")).to_contain_text("14.50 per thousand page views")
    expect(page.get_by_text("Hire: 14.50 per thousand page views, of which a session has 2.")).to_be_visible()
    said = live.cli("outcomes", NO_GOALS, "--by", "page", "--window", "2026-03-01/2026-03-14").stdout
    assert "Hire: 14.50 per thousand page views" in said
    changed = live.cli("sites", "--change", NO_GOALS, "--value", "Hire=0.05", "--value", "=0.01")
    assert changed.returncode == 0 and "Hire 0.05; 0.01" in changed.stdout
    refused = live.cli("sites", "--change", NO_GOALS, "--value", "Hire:3")
    assert refused.returncode and "cannot be read" in refused.stderr
    page.reload()
    page.get_by_role("button", name="Take away: Hire").click()
    expect(page.get_by_role("list", name="What pages earn")).not_to_contain_text("Hire")
    assert live.cli("sites", "--change", NO_GOALS, "--value", "none").returncode == 0
