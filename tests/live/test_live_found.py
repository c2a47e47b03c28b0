"""Links, the index and term facts as somebody works with them: on the command line and in the console."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect
from tests.running import BESIDE_SITE, Live
from tests.served import feed

from noctilum.standins.index_feed import create_app as index_app


def test_links_to_a_page_that_is_gone_are_found_from_the_rail(live: Live, page: Page):
    page.goto(f"{live.url}/sites/{BESIDE_SITE}/overview")
    page.get_by_role("link", name="Links", exact=True).click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("who links")
    expect(page.get_by_role("img", name="links since")).to_be_visible()
    page.get_by_label("by", exact=True).select_option("page")
    expect(page.get_by_role("columnheader", name="page").first).to_be_visible()
    page.get_by_label("only", exact=True).select_option("gone")
    row = page.get_by_role("row").filter(has_text="/guides/skep-making")
    expect(row).to_contain_text("gone")
    assert "rows_only=gone" in page.url
    told = live.cli("backlinks", BESIDE_SITE, "--by", "page", "--only", "gone").stdout
    assert "/guides/skep-making" in told and "12 links lead to pages that are gone" in told


def test_a_word_is_asked_for_before_ideas_are_shown(live: Live, page: Page):
    page.goto(f"{live.url}/sites/{BESIDE_SITE}/read/ideas")
    expect(page.get_by_text("Wanted, at the top right: word.")).to_be_visible()
    page.get_by_role("textbox", name="word").fill("hive")
    page.get_by_role("button", name="Look").click()
    expect(page.get_by_role("row").filter(has_text="long hive plans")).to_contain_text("new")
    page.get_by_label("only", exact=True).select_option("tracked")
    expect(page.get_by_role("row").filter(has_text="long hive plans")).to_have_count(0)


def test_pages_of_the_index_lead_to_each_other(live: Live, page: Page):
    page.goto(f"{live.url}/sites/{BESIDE_SITE}/read/presence")
    expect(page.get_by_role("row").filter(has_text="first-inspection-checklist")).to_contain_text("not indexed")
    page.get_by_role("navigation", name="Of the same subject").get_by_role("link", name="index", exact=True).click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Show index")
    page.get_by_label("by", exact=True).select_option("day")
    expect(page.get_by_role("img", name="pages since")).to_be_visible()


def test_a_sitemap_is_connected_by_its_address_alone(live: Live, page: Page):
    with feed(index_app) as url:
        address = f"{url}/sitemaps/index-skerry/sitemap.xml"
        page.goto(f"{live.url}/sources")
        page.get_by_role("button", name="Connect a property").click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_label("The site’s own sitemap").check()
        dialog.get_by_label("Address of the sitemap").fill(address)
        dialog.get_by_role("combobox", name="Site").click()
        page.get_by_role("option", name="skerryferries.example").first.click()
        dialog.get_by_role("button", name="See its properties").click()
        expect(dialog.get_by_text("Sitemap, since")).to_be_visible()
        listed = live.cli("connect", "--feed", address, "--connector", "sitemap")
        assert address in listed.stdout and "free" in listed.stdout
        refused = live.cli("connect", "--feed", f"{url}/properties", "--connector", "sitemap")
        assert refused.returncode and "feed" in refused.stderr


@pytest.mark.parametrize(("accept", "said"), [("de", "Links führen zu Seiten, die weg sind"), ("fr", "liens mènent")])
def test_what_is_found_is_said_in_the_askers_language(live: Live, accept, said):
    found = live.get(f"/sites/{BESIDE_SITE}/backlinks?language={accept}").json()
    assert any(said in each["text"] for each in found["sentences"])
