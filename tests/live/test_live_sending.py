"""Reports on their way through every door: due, looked at, signed off, sent; by terminal, client and keyboard."""

import re
import time

import httpx
import pytest
from playwright.sync_api import expect
from tests.live.test_live_ranks import said  # the same command line

from noctilum.client import ProblemFault
from noctilum.wire.reports import NewReport

SITE = "skerryferries.example"


def made_of(live, name, **more):
    asked = {"site": SITE, "name": name, "template": "One page for the board", "attach": ["pdf"]}
    with live.client() as noctilum:
        return noctilum.add_report(NewReport.model_validate(asked | more))


def mails_to(live, address, count=1):
    """The mails of an address, as soon as there are so many."""
    for _ in range(300):
        found = live.mail.mails(address)
        if len(found) >= count:
            return found
        time.sleep(0.1)
    raise AssertionError(f"{len(found)} mails to {address}")


def test_the_terminal_plans_signs_off_sends_and_says_whom_it_reached(live, tmp_path):
    made = made_of(live, "By terminal")
    told = ["--schedule", "monthly on 1 at 07:00", "--weekend", "next", "--recipient", "Sigrid <sig@skerry.example>"]
    listed = said(live, "reports", "--change", str(made.id), *told)
    assert re.search(r"By terminal .*2026-04-01 05:00 +1", listed)
    assert re.search(r"^coming .* By terminal", said(live, "due", "--site", SITE), re.MULTILINE)
    edition = re.search(r"edition (\d+):", said(live, "reports", "--draft", str(made.id)))[1]
    assert re.search(rf"^to approve +{edition} .*By terminal", said(live, "due", "--wanting"), re.MULTILINE)
    assert "sign it off first" in said(live, "editions", edition, "--send", code=5)
    assert "sent to me@lane.example" in said(live, "editions", edition, "--test", "me@lane.example")
    said(live, "editions", edition, "--approve")
    said(live, "editions", edition, "--send")
    (mail,) = mails_to(live, "sig@skerry.example")
    assert str(mail["To"]) == "Sigrid <sig@skerry.example>" and "Skerry Ferries:" in mail["Subject"]
    assert re.search(r"Sigrid <sig@skerry.example> +sent", said(live, "editions", edition, "--mails"))
    path = tmp_path / "back.eml"
    path.write_text("Subject: Out of office\n\nI am away.")
    assert "no-bounce" in said(live, "editions", "--returned", str(path), code=2)
    said(live, "reports", "--drop", str(made.id))


def test_what_cannot_be_planned_is_refused_and_says_which_field(live):
    for bad, where in (
        ({"schedule": "every now and then"}, "schedule"),
        ({"recipients": [{"email": "nobody at all"}]}, "email"),
        ({"recipients": [{"email": "a@b.example"}, {"email": "A@b.example"}]}, "recipients"),
        ({"time_zone": "Moon/Base", "schedule": "daily at 7:00"}, "time_zone"),
    ):
        with pytest.raises(ProblemFault) as refused:
            made_of(live, "Never", **bad)
        assert refused.value.problem.where == where
    with live.client() as noctilum:
        assert not [each for each in noctilum.reports(SITE) if each.name == "Never"]


def test_who_leaves_a_report_by_its_address_gets_it_no_longer(live):
    made = made_of(live, "To leave", recipients=[{"email": "leaver@skerry.example"}], attach=[])
    with live.client() as noctilum:
        edition = noctilum.approve(noctilum.draft(made.id).id)
        noctilum.send_edition(edition.id)
        link = mails_to(live, "leaver@skerry.example")[0]["List-Unsubscribe"].strip("<>")
        page = httpx.get(link, headers={"Accept-Language": "de-CH,de;q=0.9"})
        assert page.status_code == 200 and "nicht mehr erhalten" in page.text
        assert "noindex" in page.headers["X-Robots-Tag"] and "script" not in page.text
        assert noctilum.reports(SITE)[0].unsubscribed == [] and httpx.get(f"{link}x").status_code == 404
        assert httpx.post(link, data={"List-Unsubscribe": "One-Click"}).status_code == 200
        left = next(each for each in noctilum.reports(SITE) if each.id == made.id)
        assert left.unsubscribed == ["leaver@skerry.example"]
        for each in noctilum.notices():
            noctilum.see_notice(each.id)
        with pytest.raises(ProblemFault, match="no recipients"):
            noctilum.send_edition(noctilum.approve(noctilum.draft(made.id).id).id)
        noctilum.drop_report(made.id)


def test_the_terminal_shares_takes_back_and_tells_webhooks(live):
    made = made_of(live, "To share")
    address = said(live, "shares", "--live", str(made.id), "--label", "the board", "--set", "Questions").strip()
    page = httpx.get(address, params={"set": "Questions", "window": "P28D"})
    assert page.status_code == 200 and "the board" not in page.text and "Only what passes" in page.text
    listed = said(live, "shares", SITE)
    number = re.search(r"^ *(\d+) .*To share, live .*the board", listed, re.MULTILINE)[1]
    assert "live page" in said(live, "shares", "--views", number)
    said(live, "shares", "--revoke", number)
    assert httpx.get(address).status_code == 404 and "share-revoked" in said(live, "shares", "--revoke", number, code=5)
    assert "no-such-set" in said(live, "shares", "--live", str(made.id), "--set", "None such", code=4)
    told = said(live, "webhooks", "--add", "https://desk.lane.example/told", "--on", "edition.approved")
    hook = re.search(r"webhook (\d+);", told)[1]
    assert "edition.approved" in said(live, "webhooks") and told.split()[-1] not in said(live, "webhooks")
    assert "No address is told anything" in said(live, "webhooks", "--drop", hook)
    said(live, "reports", "--drop", str(made.id))


@pytest.mark.browser
def test_an_account_lead_signs_off_one_after_the_other_by_keyboard(live, page):
    made = [made_of(live, f"Lead {n}", recipients=[{"email": f"lead{n}@skerry.example"}]) for n in (1, 2)]
    with live.client() as noctilum:
        for each in made:
            noctilum.draft(each.id)
    page.goto(f"{live.url}/due")
    expect(page.get_by_role("heading", level=1)).to_contain_text("to be signed off")
    waiting = page.get_by_role("region", name="To be signed off")
    for key in ("j", "j", "k"):
        page.locator("body").press(key)
        page.wait_for_load_state("networkidle")
    with live.client() as noctilum:
        drafts = [each for each in noctilum.editions(SITE, state="draft") if each.name.startswith("Lead")]
        assert len(drafts) == 2, "looking signs nothing off"
    waiting.get_by_role("button", name="Lead 1").click()
    frame = page.frame_locator("iframe")
    expect(frame.get_by_role("heading", level=1)).to_contain_text("licks from search")
    page.locator("body").press("s")
    expect(waiting.get_by_role("button", name="Lead 1")).to_have_count(0)
    waiting.get_by_role("button", name="Lead 2").click()
    expect(page.get_by_role("region", name="The edition").get_by_role("heading").first).to_contain_text("Lead 2")
    page.locator("body").press("s")
    for n in (1, 2):
        assert len(mails_to(live, f"lead{n}@skerry.example")) == 1
    with live.client() as noctilum:
        sent = [each for each in noctilum.editions(SITE, state="sent") if each.name.startswith("Lead")]
        assert {each.looked_by for each in sent} == {"Ines Marrable"} and len(sent) == 2
        for each in made:
            noctilum.drop_report(each.id)


@pytest.mark.browser
def test_when_a_report_is_due_and_to_whom_it_goes_is_said_in_the_console(live, page):
    made = made_of(live, "In the console")
    page.goto(f"{live.url}/sites/{SITE}/reports")
    report = page.get_by_role("listitem").filter(has_text="In the console")
    report.get_by_text("When it is due").first.click()
    report.get_by_label("When it is due").fill("weekly on friday at 08:00")
    report.get_by_label("Recipients, one a line").fill("Odd Lien <odd@skerry.example>\nsigrid@skerry.example")
    report.get_by_role("button", name="Keep").click()
    expect(report.get_by_text("weekly on friday at 08:00 · next")).to_be_visible()
    with live.client() as noctilum:
        (kept,) = [each for each in noctilum.reports(SITE) if each.id == made.id]
        assert [(each.name, each.email) for each in kept.recipients] == [
            ("Odd Lien", "odd@skerry.example"),
            ("", "sigrid@skerry.example"),
        ]
        assert kept.schedule == "FREQ=WEEKLY;BYDAY=FR;BYHOUR=8;BYMINUTE=0;BYSECOND=0"
        noctilum.drop_report(made.id)


@pytest.mark.browser
def test_a_report_is_put_together_by_keyboard_with_the_page_beside_it(live, page):
    made = made_of(live, "To edit", template="Content review")
    kinds = [each.kind for each in made.body.blocks]
    page.goto(f"{live.url}/sites/{SITE}/reports/{made.id}/edit")
    blocks = page.get_by_role("list", name="Blocks in their order")
    expect(blocks.get_by_role("button")).to_have_count(len(kinds))
    frame = page.frame_locator("iframe")
    expect(frame.get_by_role("heading", level=1)).to_be_visible()
    expect(blocks.get_by_text("page 1")).to_be_visible()
    blocks.get_by_role("button").nth(1).click()
    page.keyboard.press("Alt+ArrowDown")
    options = page.get_by_role("region", name="The block")
    options.get_by_label("Title").fill("What we look at")
    expect(frame.get_by_role("heading", name="What we look at")).to_be_visible()
    page.get_by_label("Add a block").select_option("text")
    options.get_by_label("Commentary, Markdown").fill("Well **done**.")
    expect(frame.get_by_text("done")).to_be_visible()
    page.get_by_role("button", name="Keep for this client").click()
    expect(page.get_by_role("button", name="As the template has it")).to_be_visible()
    with live.client() as noctilum:
        kept = next(each for each in noctilum.reports(SITE) if each.id == made.id)
        wanted = [kinds[0], kinds[2], kinds[1], "text", *kinds[3:]]
        assert kept.changed and [each.kind for each in kept.body.blocks] == wanted
        assert kept.body.blocks[2].title == "What we look at"
        (template,) = [each for each in noctilum.templates() if each.name == "Content review"]
        assert [each.kind for each in template.body.blocks] == kinds and template.version == 1
        noctilum.drop_report(made.id)
