"""Reports through every door: from a shipped template to an edition signed off, in terminal, client and console."""

import io
import re
import zipfile

import httpx
import pypdf
import pytest
from playwright.sync_api import expect
from tests.live.test_live_ranks import said  # the same command line

from noctilum.client import ProblemFault
from noctilum.wire.catalogue import READINGS
from noctilum.wire.reports import AskLook, NewReport, ReportBody

SITE = "skerryferries.example"
MONTHLY = "Monthly search report"


def test_the_terminal_goes_from_template_to_signed_edition(live, tmp_path):
    assert len(re.findall(r"^\S.+ +1 +\d+ ", said(live, "templates"), re.MULTILINE)) >= 5
    look = said(live, "reports", SITE, "--look", MONTHLY)
    assert re.search(r"^in +storyline", look, re.MULTILINE) and look.count("\n") >= 10
    made = said(live, "reports", SITE, "--add", MONTHLY, "--name", "Terminal")
    number = re.search(r"^ *(\d+) .* Terminal ", made, re.MULTILINE)[1]
    edition = re.search(r"edition (\d+):", said(live, "reports", "--draft", number))[1]
    shown = said(live, "editions", edition, "--summary", "Written by hand.", "In two parts.")
    assert "Written by hand." in shown and "draft" in shown
    for kind in ("pdf", "html", "xlsx", "zip"):
        said(live, "editions", edition, "--to", str(tmp_path / f"e.{kind}"))
    pages = pypdf.PdfReader(tmp_path / "e.pdf")
    text = " ".join(page.extract_text() for page in pages.pages)
    assert "Written by hand. In two parts." in " ".join(text.split())
    assert pages.trailer["/Root"]["/MarkInfo"]["/Marked"] and pages.outline
    assert all("/FontFile" in str(font) for font in embedded(pages))
    assert "manifest.json" in zipfile.ZipFile(tmp_path / "e.zip").namelist()
    assert "approved by" in said(live, "editions", edition, "--approve")
    assert "edition-approved" in said(live, "editions", edition, "--summary", "x", code=5)
    assert "Nothing it shows was revised" in said(live, "editions", edition, "--revised")
    assert "format-unknown" in said(live, "editions", edition, "--to", "x.doc", code=2)
    said(live, "reports", "--drop", number)


def embedded(pages: pypdf.PdfReader):
    """The descriptors of every font of a PDF."""
    for page in pages.pages:
        for font in page["/Resources"]["/Font"].values():
            found = font.get_object()
            yield found.get("/FontDescriptor") or found["/DescendantFonts"][0].get_object()["/FontDescriptor"]


def test_a_template_goes_out_and_in_as_a_file(live, tmp_path):
    path = tmp_path / "letter.toml"
    text = said(live, "templates", "--show", "Weekly rank letter")
    path.write_text(text.replace('name = "Weekly rank letter"', 'name = "Letter of ours"'))
    assert "version 1" in said(live, "templates", "--take", str(path))
    path.write_text(path.read_text() + '\n[[blocks]]\nkind = "storyline"\n')
    assert "version 2" in said(live, "templates", "--take", str(path))
    assert '+kind = "storyline"' in said(live, "templates", "--diff", "Letter of ours")
    path.write_text(path.read_text().replace('kind = "storyline"', 'kind = "fireworks"'))
    assert "no-such-block" in said(live, "templates", "--take", str(path), code=2)
    with live.client() as noctilum:
        made = noctilum.add_report(NewReport(site=SITE, name="By version", template="Letter of ours", version=1))
    assert '+kind = "storyline"' in said(live, "reports", "--newer", str(made.id))
    with live.client() as noctilum:
        (now,) = [each for each in noctilum.reports(SITE) if each.id == made.id]
        assert (now.version, now.newer, now.changed) == (2, None, False)
        noctilum.drop_report(made.id)
    said(live, "templates", "--drop", "Letter of ours")


def test_a_site_of_which_little_is_held_says_why_its_report_is_short(live):
    with live.client() as noctilum:
        look = noctilum.look_over("blog.hivewright.example", AskLook(template="Content review"))
        out = {each.kind: each.why for each in look.blocks if not each.comes_in}
        assert "keyword" in out["feature-owners"]
        german = noctilum.look_over(SITE, AskLook(template=MONTHLY, language="de"))
        assert "Klicks" in german.title and "Was die Klicks" in " ".join(each.title for each in german.blocks)
        page = noctilum.report_preview(SITE, AskLook(template=MONTHLY, language="fr"))
        assert '<html lang="fr"' in page
        with pytest.raises(ProblemFault, match="no-such-template"):
            noctilum.look_over(SITE, AskLook(template="None"))
        bad = ReportBody.model_validate({"blocks": [{"kind": "fading", "options": {"item": "mood"}}]})
        (block,) = noctilum.look_over(SITE, AskLook(body=bad)).blocks
        assert not block.comes_in and block.why


def test_a_local_grid_is_drawn_as_its_points_for_any_client_that_has_one(live):
    site = "brinepot.example"
    with live.client() as noctilum:
        look = noctilum.look_over(site, AskLook(template="Local business"))
        assert [each.comes_in for each in look.blocks if each.kind == "local-grid"] == [True]
        page = noctilum.report_preview(site, AskLook(template="Local business"))
        found = noctilum.local_grid(site, window="last-month")
        out = noctilum.look_over(SITE, AskLook(template="Local business"))
    now, *before = re.findall(r'<table class="grid bands">(.*?)</table>', page, re.DOTALL)
    drawn = [re.findall(r"<td[^>]*>(.*?)</td>", line) for line in re.findall(r"<tr>.*?</tr>", now)]
    assert [len(row) for row in drawn] == [found.size] * found.size
    assert len(before) == (found.before is not None)
    for point in found.rows:
        rank = "" if not point.checked else "n/f" if point.rank is None else str(round(point.rank))
        assert drawn[point.down][point.across] == rank
    assert "has no local grid yet" in next(each.why for each in out.blocks if each.kind == "local-grid")


def test_an_option_that_is_needed_and_not_given_is_named(live):
    body = ReportBody.model_validate({"blocks": [{"kind": "keyword"}]})
    with live.client() as noctilum:
        (block,) = noctilum.look_over(SITE, AskLook(body=body, language="de")).blocks
    assert block.why == "die Option number ist nicht angegeben."


def test_the_page_of_an_edition_runs_and_reaches_nothing(live):
    with live.client() as noctilum:
        made = noctilum.add_report(NewReport(site=SITE, name="Page", template="One page for the board"))
        edition = noctilum.draft(made.id)
        answer = live.get(f"/editions/{edition.id}/file/page")
        policy = answer.headers["Content-Security-Policy"]
        assert "default-src 'none'" in policy and "sandbox" in policy and "frame-ancestors 'self'" in policy
        assert not re.search(r"<script|https?://(?!www\.w3\.org)", answer.text)
        assert answer.headers["Content-Disposition"].startswith("inline")
        assert httpx.get(f"{live.url}/api/v1/editions/{edition.id}/file.pdf").status_code == 401
        assert live.get(f"/editions/{edition.id}/file.doc").status_code == 404
        with zipfile.ZipFile(io.BytesIO(noctilum.edition_file(edition.id, "zip"))) as packed:
            assert packed.testzip() is None
        noctilum.drop_report(made.id)


def test_every_reading_of_ranks_comes_into_an_edition_and_is_the_same_again(live):
    given = {"dimension": "query", "item": "query", "day": "2026-03-10", "number": 1, "key": "skerry ferries"}
    given |= {"domain": "islehopper.example"}
    names = [spec.name for spec in READINGS if spec.group == "Ranks" and spec.name != "local-grid"]
    blocks = [
        {"kind": name, "options": {n: v for n, v in given.items() if n in READINGS[name].question.model_fields}}
        for name in names
    ]
    body = ReportBody.model_validate({"window": "P7D", "blocks": blocks})
    with live.client() as noctilum:
        made = noctilum.add_report(NewReport(site=SITE, name="Every reading", template=MONTHLY, body=body))
        edition = noctilum.draft(made.id)
        out = {each.kind: each.why for each in edition.blocks if not each.comes_in}
        assert len(edition.blocks) == len(names) and len(out) <= 3, out
        with zipfile.ZipFile(io.BytesIO(noctilum.edition_file(edition.id, "zip"))) as packed:
            assert len(packed.namelist()) >= len(names) - len(out) - 3
        assert noctilum.revised(edition.id).same
        noctilum.drop_report(made.id)


@pytest.mark.parametrize(
    "path", ["/editions?offset=", "/editions/", "/reports/", "/templates/", "/templates/1/diff?first="]
)
def test_numbers_that_no_record_has_are_refused_and_break_nothing(live, path):
    assert live.get(f"{path}{10**30}").status_code in (400, 404)
    assert live.get("/editions?find=%25_%27").json() == []


# the console


def test_an_edition_is_made_written_and_signed_in_the_console(page, live):
    page.goto(f"{live.url}/sites/{SITE}/reports")
    page.get_by_label("template").select_option(MONTHLY)
    blocks = page.get_by_role("list", name="Its blocks")
    expect(blocks).to_contain_text("Day by day")
    page.get_by_label("Its name").fill("In the console")
    page.get_by_role("button", name="Make it").click()
    mine = page.get_by_role("listitem").filter(has_text="In the console").first
    mine.get_by_role("button", name="Draft an edition").click()
    edition = page.get_by_role("region", name="The edition")
    expect(edition.get_by_role("heading", level=2)).to_have_text("In the console")
    summary = edition.get_by_label("Summary, drafted from the figures")
    expect(summary).to_have_value(re.compile("clicks from search"))
    summary.fill("Signed in the console.")
    expect(edition.get_by_role("button", name="Sign it off")).to_be_disabled()
    edition.get_by_role("button", name="Save the summary").click()
    expect(page.frame_locator("iframe").get_by_text("Signed in the console.")).to_be_visible()
    edition.get_by_role("button", name="Sign it off").click()
    expect(edition).to_contain_text("signed off by")
    expect(edition.get_by_role("button", name="Sign it off")).to_have_count(0)
    edition.get_by_role("button", name="What has been revised since?").click()
    expect(edition).to_contain_text("Nothing it shows was revised since.")
    with page.expect_download() as saved:
        edition.get_by_role("link", name="XLSX").click()
    assert saved.value.suggested_filename.endswith(".xlsx")
    page.on("dialog", lambda dialog: dialog.accept())
    mine.get_by_role("button", name="Drop In the console with its editions").click()
    expect(page.get_by_text("In the console")).to_have_count(0)
