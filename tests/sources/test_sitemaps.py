"""Sitemaps as sites serve them, and as nobody should: each bad one is a clear fault, and nothing of it is kept."""

from __future__ import annotations

import gzip
import resource
import xml.etree.ElementTree as ET
import zlib
from datetime import date

import httpx
import pytest
from flask import Flask, Response, redirect, request
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.conftest import INSIDE, TODAY
from tests.opened import opened
from tests.served import feed, serving

from noctilum.core.errors import FeedFault
from noctilum.sources.contract import FeedSettings
from noctilum.sources.sitemaps import MOST_FILES, SitemapFeed
from noctilum.standins.index_feed import create_app
from noctilum.standins.index_model import listed_on

SPACE = 'xmlns="http://www.sitemaps.org/schemas/sitemap/0.9"'
FILES: dict[str, bytes] = {}


def urls(*addresses: str) -> bytes:
    inner = "".join(f"<url><loc>{each}</loc></url>" for each in addresses)
    return f'<?xml version="1.0"?><urlset {SPACE}>{inner}</urlset>'.encode()


def index(*names: str) -> bytes:
    inner = "".join(f"<sitemap><loc>{each}</loc></sitemap>" for each in names)
    return f"<sitemapindex {SPACE}>{inner}</sitemapindex>".encode()


@pytest.fixture(scope="module")
def host():
    app = Flask("site")

    @app.get("/<path:name>")
    def _file(name: str) -> Response:
        if name == "moved.xml":
            return redirect("/elsewhere.xml")
        if name.startswith("deep/"):
            depth = int(name.removeprefix("deep/").removesuffix(".xml"))
            return Response(index(f"{request.host_url}deep/{depth + 1}.xml"))
        if name not in FILES:
            return Response("no", 404)
        return Response(FILES[name], content_type="application/octet-stream")

    with serving(app) as url:
        yield url


def reading(url: str, day: date = TODAY) -> SitemapFeed:
    settings = FeedSettings(url=url, client_id="", client_secret="", inside=tuple(INSIDE.split(",")), today=day)
    return opened(SitemapFeed(settings))


def pages(url: str) -> list[str]:
    found = reading(url)
    (day,) = found.days(None, None)
    batch = found.parse(found.fetch(day.day, "sitemap"))
    return batch.dims["page"].decoded() if len(batch) else []


def fault(host: str, body: bytes, name: str = "sitemap.xml") -> FeedFault:
    FILES.clear()
    FILES[name] = body
    with pytest.raises(FeedFault) as why:
        pages(f"{host}/{name}")
    return why.value


def test_the_stand_ins_sitemaps_are_read_as_another_reader_reads_them():
    number = "index-skerry"
    with feed(create_app) as url:
        address = f"{url}/sitemaps/{number}/sitemap.xml"
        other = []
        for part in ET.fromstring(httpx.get(address).content).findall(".//{*}loc"):
            body = httpx.get(part.text).content
            body = gzip.decompress(body) if body.startswith(b"\x1f\x8b") else body
            other += [each.text for each in ET.fromstring(body).findall(".//{*}loc")]
        assert sorted(pages(address)) == sorted(other)
    assert len(other) == sum(map(len, listed_on(number, TODAY, TODAY).values())) > 40


@settings(max_examples=25)
@given(st.lists(st.text(st.characters(categories=["Ll", "Lu", "Nd"]), min_size=1, max_size=20), max_size=30))
def test_what_is_listed_is_what_is_read(host, names):
    FILES.clear()
    FILES["sitemap.xml"] = urls(*(f"https://a.example/{each}" for each in names))
    assert pages(f"{host}/sitemap.xml") == sorted({f"https://a.example/{each}" for each in names})


def test_escapes_blanks_and_relative_addresses_are_read(host):
    FILES.clear()
    FILES["sitemap.xml"] = urls("\n  https://a.example/x?a=1&amp;b=2 ", "/own")
    assert pages(f"{host}/sitemap.xml") == [f"{host}/own", "https://a.example/x?a=1&b=2"]


def test_a_file_that_is_named_twice_or_names_itself_is_read_once(host):
    FILES.clear()
    FILES["sitemap.xml"] = index(f"{host}/a.xml", f"{host}/a.xml", f"{host}/sitemap.xml")
    FILES["a.xml"] = urls("https://a.example/1", "https://a.example/1")
    assert pages(f"{host}/sitemap.xml") == ["https://a.example/1"]


def test_an_empty_sitemap_lists_nothing(host):
    FILES.clear()
    FILES["sitemap.xml"] = urls()
    assert pages(f"{host}/sitemap.xml") == []


def test_gigabytes_packed_small_stop_at_the_limit(host):
    """What unpacks to 10 GB is left after the first megabytes, without taking much memory."""
    packer = zlib.compressobj(9, zlib.DEFLATED, zlib.MAX_WBITS | 16)
    head = packer.compress(urls()[:-9]) + packer.flush(zlib.Z_FULL_FLUSH)
    blanks = packer.compress(b" " * (1 << 20)) + packer.flush(zlib.Z_FULL_FLUSH)
    body = head + blanks * 10_000
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    found = fault(host, body)
    assert found.code == "feed-too-much"
    assert (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024 < 300


def test_a_file_packed_in_several_parts_is_read_whole(host):
    FILES.clear()
    whole = urls("https://a.example/1", "https://a.example/2")
    FILES["sitemap.xml"] = gzip.compress(whole[:90]) + gzip.compress(whole[90:])
    assert pages(f"{host}/sitemap.xml") == ["https://a.example/1", "https://a.example/2"]


def test_index_files_without_end_are_left(host):
    with pytest.raises(FeedFault) as why:
        pages(f"{host}/deep/0.xml")
    assert why.value.code == "sitemap-nested"


@pytest.mark.parametrize(
    ("body", "said"),
    [
        (b'<!DOCTYPE u [<!ENTITY a "aa">]>' + urls("https://a.example/&a;"), "document type"),
        (
            b'<!DOCTYPE u [<!ENTITY x SYSTEM "file:///etc/passwd">]><urlset><url><loc>&x;</loc></url></urlset>',
            "document",
        ),
        (b"<html><body>Not found</body></html>", "begins with 'html'"),
        (b"not xml", "no XML"),
        (urls("https://a.example/1")[:-20], "no XML"),
        (b"", "no XML"),
        (urls("javascript:alert(1)"), "where an http address belongs"),
        (urls("https://a.example/" + "x" * 3000), "2,048 signs"),
        (urls("https://a.example/a b"), "where an address belongs"),
        (urls(""), "where an address belongs"),
        (gzip.compress(urls("https://a.example/1"))[:-12], "breaks off"),
        (b"\x1f\x8b" + b"\x00" * 60, "damaged"),
    ],
)
def test_what_is_no_sitemap_is_refused_with_a_reason(host, body, said):
    found = fault(host, body)
    assert said in found.what and found.where


def test_too_many_files_and_files_elsewhere_are_refused(host):
    many = fault(host, index(*(f"{host}/{n}.xml" for n in range(MOST_FILES + 1))))
    assert many.code == "feed-too-much"
    assert fault(host, index("https://other.example/sitemap.xml")).code == "feed-elsewhere"


def test_a_moved_sitemap_and_a_missing_one_are_told(host):
    FILES.clear()
    for name in ("moved.xml", "missing.xml"):
        with pytest.raises(FeedFault) as why:
            pages(f"{host}/{name}")
        assert why.value.code == "feed-refused"


def test_only_today_is_offered_and_its_revision_is_its_content(host):
    FILES.clear()
    FILES["sitemap.xml"] = urls("https://a.example/1")
    url = f"{host}/sitemap.xml"
    assert reading(url).days(date(2026, 1, 1), date(2026, 1, 31)) == []
    first = reading(url).days(None, None)[0].revision
    FILES["sitemap.xml"] = urls("https://a.example/1", "https://a.example/2")
    assert reading(url).days(None, None)[0].revision != first
    FILES["sitemap.xml"] = urls("https://a.example/1")
    assert reading(url).days(None, None)[0].revision == first
