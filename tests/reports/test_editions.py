"""Reports from template to a signed edition: what comes in and why not, what is frozen, what was revised since."""

import csv
import io
import json
import zipfile
from datetime import timedelta

import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError
from tests.conftest import NOW, TODAY

from noctilum.actions import editions, erase, report, reports, templates, webhooks
from noctilum.actions.edition_files import file_of
from noctilum.actions.pull import pull
from noctilum.actions.read import open_for, read
from noctilum.core.errors import Clash, Nonsense, NotThere, StoreFault
from noctilum.records.models import Edition
from noctilum.reports.commentary import as_html
from noctilum.reports.frozen import digest_of, frozen, thawed
from noctilum.reports.render import render_html
from noctilum.wire import reports as wire
from noctilum.wire.catalogue import READINGS
from noctilum.wire.webhooks import NewWebhook

BODY = {
    "window": "P7D",
    "blocks": [
        {"kind": "headline"},
        {"kind": "text", "title": "Read first", "commentary": "All **well**. <script>alert(1)</script>"},
        {"kind": "storyline"},
        {"kind": "dated-notes"},
        {"kind": "top-queries", "limit": 3},
        {"kind": "breakdown", "options": {"dimension": "country"}, "columns": ["key", "clicks", "ctr"], "limit": 2},
        {"kind": "rank-summary"},
        {"kind": "ladder", "stay": True},
        {"kind": "page-break"},
        {"kind": "drivers", "window": "P5D"},
    ],
}


def body(**more) -> wire.ReportBody:
    return wire.ReportBody.model_validate(BODY | more)


def as_new(found: wire.ReportOut, **changes) -> wire.NewReport:
    """What a change makes of a report: what is not named stays."""
    return wire.NewReport.model_validate(found.model_dump(include=set(wire.NewReport.model_fields)) | changes)


@pytest.fixture
def made(install, site, pulled) -> wire.ReportOut:
    templates.keep_shipped(install, NOW)
    templates.added(install, wire.NewTemplate(name="Ours", body=body()), NOW)
    return reports.added(install, wire.NewReport(site=site, name="Weekly", template="Ours"), NOW)


def test_one_sees_which_blocks_come_in_and_why_others_do_not_before_anything_is_made(install, site, made):
    look = reports.look_over(install, site, wire.AskLook(template="Ours"), NOW)
    states = {each.kind: (each.comes_in, each.why) for each in look.blocks}
    assert [each.kind for each in look.blocks] == [each["kind"] for each in BODY["blocks"]]
    assert states["storyline"] == states["top-queries"] == (True, "")
    assert states["dated-notes"] == (False, "none lies in the window.")
    assert states["rank-summary"][0] is False and "was looked up yet" in states["rank-summary"][1]
    assert states["ladder"][0] is True and "was looked up yet" in states["ladder"][1]
    assert not editions.listed(install, wire.EditionsQuery())
    for each in templates.shipped():
        assert len(reports.look_over(install, site, wire.AskLook(template=each.name), NOW).blocks) == len(
            each.body.blocks
        )


@pytest.mark.parametrize(
    ("block", "code"),
    [
        ({"kind": "fireworks"}, "no-such-block"),
        ({"kind": "fading", "options": {"mood": 1}}, "no-such-option"),
        ({"kind": "fading", "options": {"window": "P1D"}}, "no-such-option"),
        ({"kind": "fading", "columns": ["mood"]}, "no-such-column"),
    ],
)
def test_a_block_that_cannot_be_is_refused_with_what_there_is(install, made, block, code):
    with pytest.raises(Nonsense) as told:
        templates.added(install, wire.NewTemplate(name="Bad", body=body(blocks=[block])), NOW)
    assert told.value.code == code and told.value.remedy


def test_a_template_keeps_its_versions_and_reports_stay_as_they_were_made(install, site, made):
    (ours,) = templates.listed(install, wire.TemplatesQuery(find="ours"))
    newer = wire.NewTemplate(name="Ours", body=body(blocks=BODY["blocks"][:3]))
    assert templates.changed(install, ours.id, newer, NOW).version == 2
    assert templates.changed(install, ours.id, newer, NOW).version == 2
    kept = reports.one(install, made.id)
    assert (kept.version, kept.newer, kept.changed, len(kept.body.blocks)) == (1, 2, False, len(BODY["blocks"]))
    renamed = reports.changed(install, made.id, as_new(kept, name="Every week"), NOW)
    assert (renamed.version, renamed.changed) == (1, False)
    followed = reports.changed(install, made.id, as_new(renamed, version=2), NOW)
    assert (followed.version, followed.changed, len(followed.body.blocks)) == (2, False, 3)
    taken = reports.changed(install, made.id, wire.NewReport(site=site, name="Weekly", template="Ours"), NOW)
    assert (taken.version, taken.newer, len(taken.body.blocks)) == (2, None, 3)
    diff = templates.difference(install, ours.id, 1, None)
    assert '-kind = "drivers"' in diff.lines and not any(line.startswith("+") for line in diff.lines)
    own = wire.NewReport(site=site, name="Weekly", template="Ours", version=2, body=body(window="P3D"))
    assert reports.changed(install, made.id, own, NOW).changed
    assert templates.named(install, "Ours")[0].window == "P7D"
    with pytest.raises(Clash, match="made from"):
        templates.dropped(install, ours.id)
    with pytest.raises(NotThere, match="no version 9"):
        templates.named(install, "Ours", 9)


options = st.dictionaries(
    st.sampled_from(("dimension", "limit")), st.one_of(st.booleans(), st.integers(-5, 5), st.text(max_size=8))
)
specs = st.builds(
    lambda kind, title, note, stay: {"kind": kind, "title": title, "commentary": note, "stay": stay},
    st.sampled_from(("storyline", "text", "fading", "bands")),
    st.text(st.characters(exclude_categories=("C", "Z")), max_size=20),
    st.text(st.characters(exclude_categories=("C", "Z"), include_characters="\n "), max_size=60),
    st.booleans(),
)


@given(st.lists(specs, min_size=1, max_size=6), st.sampled_from(("P28D", "2026-02", "last-month")))
def test_a_template_comes_back_from_toml_as_it_was(blocks, window):
    kept = wire.NewTemplate(name="A", about="b", body=body(blocks=blocks, window=window))
    assert templates.from_toml(templates.to_toml(kept)) == kept


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("name = ", "no TOML"),
        ('name = "A"\nwindow = "P7D"\n', "blocks"),
        ('name = "A"\n[[blocks]]\nkind = "fading"\nlimt = 3\n', "limt"),
        ('name = "A"\n[[blocks]]\nkind = "fading"\nlimit = "3"\n', "limit"),
        ('[[blocks]]\nkind = "fading"\n', "name"),
    ],
)
def test_a_template_file_at_fault_says_what_and_keeps_nothing(install, text, says):
    with pytest.raises(Nonsense) as told:
        templates.take(install, text, NOW)
    assert says in told.value.what
    assert not templates.listed(install, wire.TemplatesQuery())


def test_a_draft_is_written_signed_and_then_changes_no_more(install, made):
    drafted = editions.drafted(install, made.id, NOW, "Ines")
    assert (drafted.state, drafted.made_by, drafted.summary) == ("draft", "Ines", drafted.drafted)
    written = editions.rewritten(install, drafted.id, wire.EditionChange(summary=["All  is well.", " "]))
    assert (written.summary, written.drafted, written.digest) == (["All is well."], drafted.drafted, drafted.digest)
    signed = editions.approved(install, drafted.id, NOW, "Bram")
    assert (signed.state, signed.approved_by) == ("approved", "Bram")
    for change in (
        lambda: editions.rewritten(install, drafted.id, wire.EditionChange(summary=["x"])),
        lambda: editions.approved(install, drafted.id, NOW, "Ines"),
        lambda: editions.dropped(install, drafted.id),
    ):
        with pytest.raises(Clash, match="signed off by Bram"):
            change()
    assert "All is well." in editions.file(install, drafted.id, "html").body.decode()
    other = editions.drafted(install, made.id, NOW, "Ines")
    editions.dropped(install, other.id)
    assert [each.id for each in editions.listed(install, wire.EditionsQuery(find="WEEK"))] == [drafted.id]
    assert not editions.listed(install, wire.EditionsQuery(state="draft"))


def test_an_edition_has_the_same_figures_after_history_was_revised_and_says_what_was(install, pulled, feed, made):
    kept = editions.drafted(install, made.id, NOW, "Ines")
    before = {kind: editions.file(install, kept.id, kind).body for kind in ("html", "zip")}
    assert editions.revised(install, kept.id, NOW).same
    day = (TODAY.replace(day=TODAY.day - 6)).isoformat()
    feed.control(revised={day: 20})
    pull(install, pulled, origin="again", clock=lambda: NOW, report=lambda _: True)
    assert {kind: editions.file(install, kept.id, kind).body for kind in ("html", "zip")} == before
    found = editions.revised(install, kept.id, NOW)
    assert not found.same
    assert any(each.what == f"line.points[{day}].clicks" for each in found.changed)
    assert {each.block for each in found.changed} >= {"", "Day by day", "Top queries"}
    assert all(each.then != each.now for each in found.changed)
    with install.records.begin() as db:
        db.get_one(Edition, kept.id).digest = "0" * 32
    with pytest.raises(StoreFault, match="not what was frozen"):
        editions.file(install, kept.id, "pdf")


def test_what_was_frozen_thaws_to_the_same_page_and_the_same_bytes(install, site, made):
    document = report.document(install, site, body(), NOW)
    packed = frozen(document)
    kept = editions.drafted(install, made.id, NOW, "Ines")
    again, digest = editions.document(install, kept.id)
    assert render_html(again) == render_html(document)
    assert frozen(again) == packed and digest == kept.digest
    assert frozen(thawed(packed, digest, ())) == packed


def test_every_format_has_the_same_figures_and_is_opened_by_others(install, site, made):
    kept = editions.drafted(install, made.id, NOW, "Ines")
    question = READINGS["breakdown"].question(dimension="country", window="P7D", limit=2)
    rows = read(open_for(install, site, question, TODAY), "breakdown", question).rows
    truth = [(row.key, row.now.clicks, row.now.ctr) for row in rows]
    with zipfile.ZipFile(io.BytesIO(editions.file(install, kept.id, "zip").body)) as packed:
        told = json.loads(packed.read("manifest.json"))
        (name,) = [each["file"] for each in told["files"] if each["file"].endswith("-breakdown.csv")]
        listed = list(csv.DictReader(io.StringIO(packed.read(name).decode())))
        assert {each["file"] for each in told["files"]} | {"manifest.json"} == set(packed.namelist())
    assert told["digest"] == kept.digest and list(listed[0]) == ["key", "clicks", "ctr"]
    assert [(row["key"], int(row["clicks"]), float(row["ctr"])) for row in listed] == truth
    book = openpyxl.load_workbook(io.BytesIO(editions.file(install, kept.id, "xlsx").body))
    sheet = next(sheet for sheet in book if sheet.max_column == 3 and sheet["B2"].value == truth[0][1])
    values = [tuple(cell.value for cell in row) for row in sheet.iter_rows(min_row=2)]
    assert [row[:2] for row in values] == [row[:2] for row in truth]
    assert [row[2] for row in values] == pytest.approx([row[2] for row in truth], rel=1e-12)
    assert sheet.freeze_panes == "B2" and isinstance(sheet["B2"].value, int)
    (chart,) = sheet._charts
    drawn = chart.series[0]
    assert (drawn.cat.strRef.f, drawn.val.numRef.f) == (
        f"'{sheet.title}'!$A$2:$A${len(truth) + 1}",
        f"'{sheet.title}'!$B$2:$B${len(truth) + 1}",
    )
    assert book.worksheets[0]["A1"].value == kept.title
    page = editions.file(install, kept.id, "html").body.decode()
    for key, clicks, _ in truth:
        assert key in page and f"{clicks:,}" in page
    assert "<strong>well</strong>" in page and "<script" not in page and "Read first" in page
    assert "was looked up yet" in page[page.index("Rank ladder") :]
    assert editions.file(install, kept.id, "pdf").body.startswith(b"%PDF")


def test_a_dropped_report_takes_its_editions_along_and_an_erased_site_its_reports(install, site, made):
    kept = editions.drafted(install, made.id, NOW, "Ines")
    reports.dropped(install, made.id)
    with pytest.raises(NotThere, match=f"no edition {kept.id}"):
        editions.one(install, kept.id)
    assert not reports.listed(install, wire.ReportsQuery(site=site))
    again = reports.added(install, wire.NewReport(site=site, name="Weekly", template="Ours"), NOW)
    signed = editions.drafted(install, again.id, NOW, "Ines").id
    webhooks.added(install, NewWebhook(url="https://desk.lane.example/", events=["edition.approved"]), NOW)
    editions.approved(install, signed, NOW, "Ines")
    assert webhooks.listed(install)[0].waiting == 1
    assert file_of(install, signed, "html").body
    assert list((install.settings.data / "editions").iterdir())
    erase.erase_site(install, site, site, "Ines", NOW)
    assert not list((install.settings.data / "editions").iterdir()), "rendered files hold the figures too"
    assert webhooks.listed(install)[0].waiting == 0, "and so does what was to be told of them"
    assert not reports.listed(install, wire.ReportsQuery()) and not editions.listed(install, wire.EditionsQuery())


NEEDED = {"dimension": "query", "item": "query", "day": str(TODAY - timedelta(8)), "number": 1, "key": "smoker"}
NEEDED |= {"domain": "islehopper.example"}


def test_every_reading_is_a_block_that_freezes_thaws_and_comes_in_every_file(install, site, made):
    blocks = []
    for spec in READINGS:
        fields = spec.question.model_fields
        blocks.append({"kind": spec.name, "options": {n: v for n, v in NEEDED.items() if n in fields}, "stay": True})
    there: list[str] = []
    for some in (blocks[:20], blocks[20:]):
        asked = body(blocks=some)
        document = report.document(install, site, asked, NOW)
        packed = frozen(document)
        again = thawed(packed, digest_of(packed), document.summary)
        assert frozen(again) == packed
        assert render_html(again) == render_html(document)
        there += [each.spec.kind for each in document.blocks if not each.why]
        with zipfile.ZipFile(io.BytesIO(report.rendered(document, "zip").body)) as files:
            assert files.testzip() is None
        assert openpyxl.load_workbook(io.BytesIO(report.rendered(document, "xlsx").body)).worksheets
    assert len(there) >= 12, there


@given(st.text(max_size=200))
def test_commentary_never_holds_what_runs_or_fetches(text):
    page = as_html(text + "\n\n<img src=x onerror=y> ![p](http://a.example/p.png) [x](javascript:y)")
    assert "<script" not in page and "<img" not in page and "<iframe" not in page and 'href="javascript' not in page


def test_a_body_holds_its_bounds():
    for bad in ({"blocks": []}, {"blocks": [{"kind": "text"}] * 41}, {"paper": "A0"}, {"mood": 1}):
        with pytest.raises(ValidationError):
            body(**bad)


def test_a_block_of_fading_pages_is_read_once_and_the_summary_says_the_same(install, site, pulled):
    plain = body(window="P28D", blocks=[{"kind": "storyline"}])
    with_block = body(window="P28D", blocks=[{"kind": "fading", "options": {"item": "page"}, "stay": True}])
    asked = [wire.AskLook(body=each) for each in (plain, with_block)]
    one, other = (reports.document_of(install, site, each, NOW) for each in asked)
    assert one.summary == other.summary and one.title == other.title


@pytest.mark.parametrize("language", ["de", "fr", "es"])
def test_why_a_block_stays_out_is_said_in_the_reports_language(install, site, pulled, language):
    blocks = [{"kind": name} for name in ("rank-summary", "ladder", "share-of-voice")]
    blocks += [{"kind": "drivers", "against": "none"}, {"kind": "storyline"}]
    asked = wire.AskLook(body=body(blocks=blocks), language=language)
    out = [each for each in reports.look_over(install, site, asked, NOW).blocks if not each.comes_in]
    english = {each.why for each in reports.look_over(install, site, wire.AskLook(body=asked.body), NOW).blocks}
    assert len(out) == 4 and not english & {each.why for each in out}
    assert all(each.why and "looked up" not in each.why and "compare" not in each.why for each in out)
