"""Brand terms tried before they are kept, asked of the running service, its client and its command line."""

import pytest
from tests.running import Live

from noctilum.client.errors import ProblemFault
from noctilum.wire.setup import SiteChange

SITE = "skerryferries.example"


@pytest.fixture
def client(live: Live):
    with live.client() as found:
        terms = found.site(SITE).brand_terms
        yield found
        found.change_site(SITE, SiteChange(brand_terms=terms))


def brand_clicks(client):
    return client.timeline(SITE, filter="brand").now.clicks


def test_trying_terms_changes_nothing_and_keeping_them_does(client):
    before = brand_clicks(client)
    tried = client.try_brand(SITE, "skerry ferries")
    assert (tried.gained, tried.lost > 0, brand_clicks(client)) == (0, True, before)
    assert all("skerry" in text for text in tried.lost_samples)
    client.change_site(SITE, SiteChange(brand_terms="skerry ferries"))
    kept = client.try_brand(SITE)
    assert (kept.matching, kept.gained, kept.lost) == (tried.matching, 0, 0)
    assert 0 < brand_clicks(client) < before


def test_what_is_counted_is_what_the_filter_finds(client):
    assert client.try_brand(SITE).matching == client.try_filter(SITE, "brand").matching


def test_near_misses_taken_in_become_brand(client):
    tried = client.try_brand(SITE, "skerry ferries")
    near = {each.words: each for each in tried.near}
    taken = client.try_brand(SITE, "skerry ferries, skerryferries")
    assert taken.matching == tried.matching + near["skerryferries"].queries
    assert "skerryferries" not in {each.words for each in taken.near}


def test_texts_are_told_apart_with_the_reason(client):
    texts = ["Skery Ferries timetable", "ferry to ronsay", "skerry ferries cup"]
    found = client.try_brand(SITE, "skerry ferries, -skerry ferries cup", texts).tested
    assert [(each.text, each.brand, each.how) for each in found] == [
        (texts[0], True, "slip"),
        (texts[1], False, None),
        (texts[2], False, "exception"),
    ]


def test_a_site_of_which_nothing_is_held_can_still_try_texts(client):
    found = client.try_brand("wickhamtools.example", "wickham", ["wickham tools"])
    assert (found.known, found.matching, found.tested[0].brand) == (0, 0, True)


def test_terms_too_long_and_sites_unknown_are_refused(client):
    with pytest.raises(ProblemFault) as caught:
        client.try_brand(SITE, "x" * 501)
    assert (caught.value.status, "terms" in str(caught.value)) == (400, True)
    with pytest.raises(ProblemFault) as caught:
        client.try_brand("nobody.example")
    assert caught.value.code == "no-such-site"


def test_the_command_line_tries_and_keeps(live, client):
    tried = live.cli("brand", SITE, "--terms", "skerry ferries", "--query", "skery ferries")
    assert tried.returncode == 0, tried.stderr
    assert "Against the terms in use: +0; -" in tried.stdout
    assert "skery ferries: brand, holds 'skerry ferries' but for one letter" in tried.stdout
    assert "skerryferries ×" in tried.stdout
    kept = live.cli("brand", SITE, "--terms", "skerry ferries", "--save")
    assert "Kept: +0; -" in kept.stdout
    assert client.site(SITE).brand_terms == "skerry ferries"


def test_keeping_without_terms_says_what_is_missing(live):
    found = live.cli("brand", SITE, "--save")
    assert (found.returncode, "--terms" in found.stderr) == (2, True)
