"""A script's day with the client library alone: reports, keys, ranks, plans and files, from making to dropping."""

import io
import time
import xml.etree.ElementTree as ElementTree
import zipfile
from datetime import date

import httpx
import pyarrow.parquet as parquet
import pypdf
import pytest
from icalendar import Calendar
from PIL import Image

from noctilum.client import Noctilum, ProblemFault
from noctilum.wire.competitors import NewCompetitor
from noctilum.wire.grids import NewGrid
from noctilum.wire.keywords import NewKeyword
from noctilum.wire.operating import AskExport, AskVerify, VerifyDone
from noctilum.wire.people import NewToken
from noctilum.wire.reports import AskDraft, NewReport, NewTemplate, ReportBody
from noctilum.wire.shares import NewShare
from noctilum.wire.targets import NewTarget
from noctilum.wire.trials import NewTrial
from noctilum.wire.webhooks import NewWebhook
from noctilum.wire.work import NewWork

SITE = "skerryferries.example"
KINDS = ("headline", "storyline", "drivers", "top-pages")
BODY = ReportBody.model_validate({"window": "P28D", "blocks": [{"kind": kind} for kind in KINDS]})
SHORTER = ReportBody.model_validate({"window": "P28D", "blocks": [{"kind": "headline"}, {"kind": "top-queries"}]})


@pytest.fixture
def client(live):
    with live.client() as noctilum:
        yield noctilum


@pytest.fixture
def template(client):
    made = client.add_template(NewTemplate(name="Script", about="by a script", body=BODY))
    yield made
    client.drop_template(made.id)


@pytest.fixture
def report(client, template):
    made = client.add_report(NewReport(site=SITE, name="By a script", template=template.name))
    yield made
    client.drop_report(made.id)


def test_a_template_has_versions_that_are_told_apart_and_stays_while_it_is_used(client, template, report):
    text = client.template_text(template.id)
    assert client.take_template(text).version == 1
    longer = client.take_template(text + '\n[[blocks]]\nkind = "weekdays"\n')
    assert (longer.id, longer.version) == (template.id, 2)
    assert [each.version for each in client.template_versions(template.id)] == [2, 1]
    assert '+kind = "weekdays"' in client.template_diff(template.id, 1).lines
    assert client.template_diff(template.id, 2, 2).lines == []
    with pytest.raises(ProblemFault) as caught:
        client.drop_template(template.id)
    assert caught.value.code == "template-used"
    seen = next(each for each in client.reports(SITE) if each.id == report.id)
    assert (seen.version, seen.newer) == (1, 2)
    assert client.change_report(report.id, seen=seen, version=2).newer is None
    with pytest.raises(ProblemFault) as caught:
        client.change_report(report.id, seen=seen, name="Late")
    assert caught.value.code == "changed-meanwhile"


def test_a_draft_says_on_which_printed_page_each_block_begins(client):
    drawn = client.draw_draft(SITE, AskDraft(body=BODY, paged=True, language="es"))
    assert [each.kind for each in drawn.look.blocks] == list(KINDS)
    assert drawn.pages >= 1 and all(1 <= page <= drawn.pages for page in drawn.page_of)
    assert drawn.page_of == sorted(drawn.page_of)
    assert 'lang="es"' in drawn.html and "Clics" in drawn.html
    assert client.draw_draft(SITE, AskDraft(body=SHORTER)).pages is None


def test_an_edition_from_draft_to_shared_page(client, report):
    first = client.draft(report.id)
    assert client.look_at(first.id).id == client.edition(first.id).id == first.id
    written = client.write_summary(first.id, ["Written by a script.", "Twice."])
    assert (written.summary, written.drafted) == (["Written by a script.", "Twice."], first.drafted)
    assert ElementTree.fromstring(client.edition_chart(first.id, 2)).tag.endswith("svg")
    assert Image.open(io.BytesIO(client.edition_chart(first.id, 2, "png"))).format == "PNG"
    with pytest.raises(ProblemFault):
        client.edition_chart(first.id, 1)
    client.change_report(report.id, body=SHORTER.model_dump())
    second = client.draft(report.id)
    told = client.compare_editions(first.id, second.id)
    assert (told.first.id, told.second.id) == (first.id, second.id)
    assert (len(told.came), len(told.went)) == (1, 3)
    client.drop_edition(second.id)
    with pytest.raises(ProblemFault):
        client.share(NewShare(edition=first.id))
    assert client.approve(first.id).state == "approved"
    with pytest.raises(ProblemFault) as caught:
        client.drop_edition(first.id)
    assert caught.value.code == "edition-approved"
    shared = client.share(NewShare(edition=first.id, label="the board", days=3))
    page = httpx.get(shared.address, timeout=60)
    assert page.status_code == 200 and "Written by a script. Twice." in page.text
    (view,) = client.share_views(shared.id)
    assert view.what == "edition"
    client.revoke_share(shared.id)
    assert httpx.get(shared.address, timeout=60).status_code in (404, 410)


def test_an_edition_is_tested_sent_and_heard_back_of(client, live, report):
    to = {"email": "iris@skerryferries.example", "name": "Iris"}
    client.change_report(report.id, recipients=[to], attach=["pdf", "html"], message="**Good** month")
    edition = client.draft(report.id)
    assert client.test_mail(edition.id, "me@tallowlane.example").to == "me@tallowlane.example"
    with pytest.raises(ProblemFault) as caught:
        client.send_edition(edition.id)
    assert caught.value.code == "edition-state"
    client.approve(edition.id)
    client.send_edition(edition.id)
    for job in client.follow(client.run_due()):
        ended = job
    assert ended.state == "done", ended.fault
    until = time.monotonic() + 60
    while (sent := client.deliveries(edition.id)[0]).state in ("waiting", "handing") and time.monotonic() < until:
        time.sleep(0.2)
    assert len(client.deliveries(edition.id)) == 1
    assert (sent.email, sent.state) == (to["email"], "sent"), sent.why
    (mail,) = [each for each in live.mail.mails(to["email"]) if each["Message-ID"] == sent.message]
    names = sorted(part.get_filename() for part in mail.iter_attachments())
    assert len(names) == 2 and names[0].endswith(".html") and names[1].endswith(".pdf")
    pdf = next(part for part in mail.iter_attachments() if part.get_filename().endswith(".pdf"))
    assert pypdf.PdfReader(io.BytesIO(pdf.get_content())).pages
    with pytest.raises(ProblemFault):
        client.answer_delivery(sent.id, arrived=True)
    with pytest.raises(ProblemFault):
        client.bounce("From: somebody\n\nnothing that we sent")
    line = next(each for each in client.due(SITE) if each.report == report.id)
    assert (line.state, line.reached, line.to) == ("sent", 1, 1)
    for wrong in (client.make_anyway, client.skip_due):
        with pytest.raises(ProblemFault):
            wrong(10_000_000)


def test_a_program_has_keys_of_its_own_and_lets_go_of_them(client, live):
    made = client.add_token(NewToken(label="night script", days=3, reads=True))
    with Noctilum(live.url, made.token) as reader:
        assert reader.breakdown(SITE, "device").rows
        with pytest.raises(ProblemFault) as caught:
            reader.add_competitor(NewCompetitor(site=SITE, domain="rival.example"))
        assert caught.value.status == 403
    client.drop_token(made.id)
    with Noctilum(live.url, made.token) as reader, pytest.raises(ProblemFault) as caught:
        reader.me()
    assert caught.value.status == 401
    assert client.health().status == "ok"
    before = {each.id for each in client.sign_ins()}
    with httpx.Client(base_url=f"{live.url}/api/v1") as browser:
        told = {"email": "ines@tallowlane.example", "password": "lamp-and-log", "code": ""}
        assert browser.post("/session", json=told).status_code == 200
        (mine,) = {each.id for each in client.sign_ins()} - before
        client.end_sign_in(mine)
        assert browser.get("/me").status_code == 401


def test_what_calls_out_is_read_by_other_programs(client):
    feed = ElementTree.fromstring(httpx.get(client.alerts_feed(), timeout=60).content)
    assert feed.tag == "{http://www.w3.org/2005/Atom}feed"
    item = client.add_work(NewWork(site=SITE, of="page", key="/fares", todo="Say what a bicycle costs"))
    found = Calendar.from_ical(client.work_calendar(site=SITE))
    assert "Say what a bicycle costs" in str(found.to_ical().decode().replace("\r\n ", ""))
    client.drop_work(item.id)
    was = client.digest()
    assert client.change_digest("week").every == "week"
    assert client.change_digest(was.every).every == was.every
    made = client.add_webhook(NewWebhook(url="http://127.0.0.1:9/told", label="nobody", events=["edition.sent"]))
    assert made.id in {each.id for each in client.webhooks()}
    client.try_webhook(made.id)
    client.drop_webhook(made.id)
    assert made.id not in {each.id for each in client.webhooks()}


def test_keywords_grids_and_competitors_come_change_and_go(client):
    word = client.add_keyword(NewKeyword(site=SITE, term="Ferry  With Dog", country="GB", weight=2))
    assert word.term == "ferry with dog"
    with pytest.raises(ProblemFault):
        client.add_keyword(NewKeyword(site=SITE, term="ferry with dog", country="GB"))
    pinned = client.change_keyword(word.id, seen=word, pinned=True, tags=["dogs"])
    assert (pinned.pinned, pinned.tags, pinned.weight) == (True, ["dogs"], 2)
    with pytest.raises(ProblemFault) as caught:
        client.change_keyword(word.id, seen=word, weight=5)
    assert caught.value.code == "changed-meanwhile"
    client.drop_keyword(word.id)
    middle = {"latitude": 59.1, "longitude": -3.2, "spacing": 2.0, "size": 3}
    grid = client.add_grid(NewGrid(site=SITE, label="Quay", term="ferry tickets", **middle))
    assert client.change_grid(grid.id, seen=grid, label="Old quay").label == "Old quay"
    client.drop_grid(grid.id)
    rival = client.add_competitor(NewCompetitor(site=SITE, domain="Rival-Lines.example", label="Rival"))
    assert rival.domain == "rival-lines.example"
    client.drop_competitor(rival.id)
    for gone, left in ((word, client.keywords(SITE)), (grid, client.grids(SITE)), (rival, client.competitors(SITE))):
        assert gone.id not in {each.id for each in left}


def test_a_trial_and_a_target_are_planned_changed_and_dropped(client):
    trial = client.add_trial(NewTrial(site=SITE, name="Shorter titles", treated=["/fares"], starts=date(2026, 3, 2)))
    assert client.change_trial(trial.id, seen=trial, weeks=8).weeks == 8
    client.drop_trial(trial.id)
    span = {"starts": date(2026, 3, 2), "by": date(2026, 9, 1)}
    target = client.add_target(NewTarget(site=SITE, name="By autumn", value=90_000, **span))
    assert client.change_target(target.id, seen=target, value=95_000).value == 95_000
    client.drop_target(target.id)
    with pytest.raises(ProblemFault):
        client.change_target(target.id, value=1)


def test_long_work_is_followed_and_its_files_are_opened(client, tmp_path):
    def done(job):
        *_, last = client.follow(job)
        assert last.state == "done", last.fault
        return last

    export = done(client.start_export(SITE, AskExport(what="breakdown", by="country", format="parquet")))
    client.fetch(export.id, tmp_path / "countries.parquet")
    rows = parquet.read_table(tmp_path / "countries.parquet").to_pylist()
    assert {row["country"] for row in rows} >= {each.key for each in client.breakdown(SITE, "country").rows}
    handed = done(client.start_hand_over("blog.hivewright.example"))
    client.fetch(handed.id, tmp_path / "blog.zip")
    assert {"manifest.json", "history.db"} == set(zipfile.ZipFile(tmp_path / "blog.zip").namelist())
    found = VerifyDone.model_validate(done(client.start_verify(AskVerify(site=SITE))).result)
    assert (found.sites, found.findings) == (1, []) and found.days > 100
