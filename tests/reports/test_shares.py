"""Shared pages and looks: addresses that end, passwords, what a reader may change, logos that only draw."""

import csv
import io
import re
import zlib
from datetime import timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image
from pydantic import SecretStr, ValidationError
from tests.conftest import NOW
from tests.reports.test_editions import body
from tests.reports.test_sending import report_of

from noctilum.actions import editions, looks, report, setup, shares
from noctilum.core.errors import Clash, Nonsense, NotThere, Refused, TooMany
from noctilum.reports.render import render_html
from noctilum.service.app import create_app
from noctilum.wire.looks import AgencyLookChange
from noctilum.wire.operating import ClientChange
from noctilum.wire.shares import NewShare, SharesQuery


@pytest.fixture
def made(install, site, pulled):
    return report_of(install, site, recipients=[], body=body())


def token_of(share) -> str:
    return share.address.rsplit("/", 1)[1]


def test_an_address_cannot_be_made_up_ends_and_is_taken_back(install, made):
    share = shares.added(install, NewShare(report=made.id, days=30), NOW, "Ines")
    token = token_of(share)
    assert shares.opened(install, token, "", NOW).report == made.id
    assert shares.listed(install, SharesQuery(), NOW)[0].address == share.address
    for wrong in (token[:-9] + ("a" if token[-9] != "a" else "b") + token[-8:], "x", "", token.split(".")[0]):
        with pytest.raises(NotThere):
            shares.opened(install, wrong, "", NOW)
    with pytest.raises(NotThere):
        shares.opened(install, token, "", NOW + timedelta(30))
    shares.revoked(install, share.id, NOW)
    with pytest.raises(NotThere):
        shares.opened(install, token, "", NOW)
    with pytest.raises(Clash):
        shares.revoked(install, share.id, NOW)


def test_a_draft_is_shared_with_nobody_and_a_frozen_edition_stays_as_it_was(install, made):
    edition = editions.drafted(install, made.id, NOW, "Ines")
    with pytest.raises(Clash, match="is draft"):
        shares.added(install, NewShare(edition=edition.id), NOW, "Ines")
    editions.approved(install, edition.id, NOW, "Ines")
    share = shares.added(install, NewShare(edition=edition.id, days=None), NOW, "Ines")
    opened = shares.opened(install, token_of(share), "", NOW + timedelta(5000))
    shown = shares.document(install, opened, {"window": "P3M"}, NOW)
    assert render_html(shown) == editions.file(install, edition.id, "html").body.decode()
    for bad in ({}, {"edition": 1, "report": 1}):
        with pytest.raises(ValidationError):
            NewShare.model_validate(bad)


def test_a_password_opens_for_a_while_and_wrong_ones_wait_ever_longer(install, made):
    asked = NewShare(report=made.id, password=SecretStr("lantern-quay"))
    share = shares.added(install, asked, NOW, "Ines")
    token = token_of(share)
    assert shares.opened(install, token, "", NOW).locked
    key = shares.unlocked(install, share.id, "lantern-quay", "192.0.2.1", NOW)
    assert not shares.opened(install, token, key, NOW).locked
    other = shares.added(install, asked, NOW, "Ines")
    assert shares.opened(install, token_of(other), key, NOW).locked
    refused = 0
    for _ in range(20):
        try:
            shares.unlocked(install, share.id, "guess", "192.0.2.7", NOW)
        except Refused:
            refused += 1
        except TooMany:
            break
    assert refused == 5
    assert shares.unlocked(install, share.id, "lantern-quay", "192.0.2.8", NOW)


ASKED = st.fixed_dictionaries(
    {}, optional={name: st.text(max_size=30) for name in ("window", "against", "device", "country", "set", "filter")}
)


@given(ASKED, st.sets(st.sampled_from(["window", "against", "device", "country", "set:Guides"])))
def test_a_reader_changes_only_what_is_allowed_and_never_writes_a_filter_of_their_own(asked, allowed):
    of = shares.Opened(1, 1, None, "x", tuple(sorted(allowed)), False)
    whole = body(filter="not brand")
    changed = shares.asked_of(of, whole, asked)
    assert changed.window in ({*shares.WINDOWS} if "window" in allowed else set()) | {whole.window}
    assert changed.against in ({*shares.AGAINST} if "against" in allowed else set()) | {whole.against}
    assert changed.filter == whole.filter or changed.filter.startswith("(not brand) and (")
    assert changed.blocks == whole.blocks


def test_a_live_page_is_the_report_of_today_narrowed_as_its_reader_asks(install, made):
    asked = NewShare(report=made.id, may_change=["window", "device"])
    opened = shares.opened(install, token_of(shares.added(install, asked, NOW, "Ines")), "", NOW)
    whole = shares.document(install, opened, {}, NOW)
    narrowed = shares.document(install, opened, {"device": "mobile", "window": "P28D", "country": "NO"}, NOW)
    assert narrowed.head.filter_text == "device is mobile" and len(narrowed.head.window) == 28
    direct = report.document(install, made.site, body(window="P28D", filter="device is mobile"), NOW)
    assert narrowed.line.now == direct.line.now and narrowed.line.now.clicks > 0 and len(whole.head.window) == 7


def test_the_pages_run_nothing_reach_nothing_and_are_found_by_nobody(install, made):
    share = shares.added(install, NewShare(report=made.id, password=SecretStr("lantern-quay")), NOW, "Ines")
    client, path = create_app(install).test_client(), f"/shared/{token_of(share)}"
    asked = client.get(path)
    assert asked.status_code == 401 and "password" in asked.text
    assert client.post(path, data={"password": "no"}).status_code == 403
    assert client.post(path, data={"password": "lantern-quay"}).status_code == 303
    page = client.get(f"{path}?window=P28D")
    assert page.status_code == 200 and "<form" in page.text and "<script" not in page.text
    policy = page.headers["Content-Security-Policy"]
    assert "default-src 'none'" in policy and page.headers["X-Robots-Tag"].startswith("noindex")
    assert page.headers["Referrer-Policy"] == "no-referrer" and "Noctilum" not in page.text
    assert 'http-equiv="refresh"' in client.get(f"{path}?wall=1").text
    assert client.get(f"{path}/file.pdf").data[:5] == b"%PDF-"
    saved = re.findall(r'href="(/shared/[^"]+/blocks/[^"]+)"', page.text)
    assert {each.partition("?")[0].rsplit(".", 1)[1] for each in saved} == {"svg", "png", "csv"}
    for each in saved:
        assert client.get(each.replace("&amp;", "&")).status_code == 200, each
    table = next(each for each in saved if ".csv" in each)
    rows = list(csv.reader(client.get(table.replace("&amp;", "&")).text.splitlines()))
    assert len(rows) > 1 and len({len(row) for row in rows}) == 1
    assert client.get(f"{path}/blocks/99.csv").status_code == client.get(f"{path}/blocks/1.exe").status_code == 404
    assert client.get(f"{path}/file.exe").status_code == client.get("/shared/none").status_code == 404
    looked = [each.what for each in shares.views(install, share.id)]
    assert looked[-3:] == ["pdf", "wall", "live page"] and set(looked[:-3]) == {"svg", "png", "csv"}
    assert {each.address for each in shares.views(install, share.id)} == {"127.0.0.0"}
    assert create_app(install).test_client().get(f"{path}/file.pdf").status_code == 401


def picture(width=200, height=100) -> bytes:
    out = io.BytesIO()
    Image.new("RGBA", (width, height), "#0F5A66").save(out, "PNG", pnginfo=None)
    return out.getvalue()


SVG = """<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9" onload="alert(1)"><script>alert(2)</script>
 <style>.a{fill:#0F5A66}</style><foreignObject><body onload="x()"/></foreignObject>
 <a href="javascript:alert(3)"><circle class="a" r="4" cx="4" cy="4" style="stroke:url(#g)"/></a></svg>"""
REACHES_OUT = (
    '<image href="http://evil.example/x.png" width="9" height="9"/>',
    "<style>@import url(http://evil.example/x.css);</style>",
    '<use href="/x.svg#a"/>',
    '<rect width="9" height="9" style="fill:url(https://evil.example/p)"/>',
)


def test_logos_are_rebuilt_and_hold_nothing_but_their_drawing(install, site, pulled):
    kept = looks.rebuilt(SVG.encode())
    assert b"circle" in kept.body and kept.media_type == looks.SVG
    for bad in (b"script", b"onload", b"javascript", b"foreignObject"):
        assert bad not in kept.body
    for inside in REACHES_OUT:
        try:
            kept = looks.rebuilt(SVG.replace("<style>", f"{inside}<style>").encode())
            assert b"evil" not in kept.body and b"x.svg" not in kept.body
        except Nonsense as why:
            assert "outside itself" in why.what
    extra = picture() + b"PK\x03\x04 hidden"
    assert b"hidden" not in looks.rebuilt(extra).body
    assert Image.open(io.BytesIO(looks.rebuilt(picture(900, 800)).body)).height == looks.TALLEST
    bomb = picture(10, 10).replace((10).to_bytes(4) + (10).to_bytes(4), (60000).to_bytes(4) + (60000).to_bytes(4))
    head = bytearray(bomb)
    head[29:33] = zlib.crc32(bytes(head[12:29])).to_bytes(4)
    for bad in (
        b"",
        b"GIF89a",
        picture()[:60],
        bytes(head),
        b"<svg",
        b"x" * 500_000,
        b"\x89PNG\r\n\x1a\n" + b"\0" * 90,
    ):
        with pytest.raises(Nonsense):
            looks.rebuilt(bad)


@given(st.binary(max_size=300))
def test_any_bytes_are_a_logo_or_are_told_not_to_be(data):
    for head in (b"", b"\x89PNG\r\n\x1a\n", b"<svg "):
        try:
            looks.rebuilt(head + data)
        except Nonsense as why:
            assert why.code == "logo-unusable"


def test_a_report_looks_as_its_client_else_as_the_agency_and_frozen_ones_stay(install, made, pulled):
    looks.set_logo(install, None, picture())
    looks.change_agency(install, AgencyLookChange(footer="Tallow Lane, Aldermere", sender="Tallow Lane Reports"))
    first = editions.drafted(install, made.id, NOW, "Ines")
    page = editions.file(install, first.id, "html").body.decode()
    assert "data:image/png;base64" in page and "Tallow Lane, Aldermere" in page and "Noctilum" not in page
    setup.change_client(install, "hivewright", ClientChange(colour="#F0E040", footer="Hivewright Ltd"))
    looks.set_logo(install, "hivewright", SVG.encode())
    second = editions.drafted(install, made.id, NOW, "Ines")
    page_now = editions.file(install, second.id, "html").body.decode()
    assert "data:image/svg+xml" in page_now and "Hivewright Ltd" in page_now and "#F0E040" not in page_now
    assert editions.file(install, first.id, "html").body.decode() == page
    look = editions.document(install, second.id)[0].look
    assert (look.sender, look.colour) == ("Tallow Lane Reports", "#F0E040")
