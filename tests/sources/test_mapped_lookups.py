"""Lookups behind an interface unlike ours, by a mapping: the same pages as over the open protocol; faults by line."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from pydantic import SecretStr
from tests.conftest import NOW, TODAY, served_desk
from tests.opened import opened
from tests.tracking import SITE

from noctilum.actions import checks, keywords, presenters, previews, setup
from noctilum.core.errors import FeedFault, Nonsense
from noctilum.sources.contract import FeedSettings
from noctilum.sources.lookups import Look, settled
from noctilum.sources.mapped_lookups import MappedLookups
from noctilum.sources.mapping import auth_of, looks_up, read_lookup_mapping
from noctilum.standins.lookup_desk import looked_of, told_page
from noctilum.standins.lookup_model import lookup_model
from noctilum.standins.report_desk import Desk
from noctilum.wire import keywords as wire
from noctilum.wire.setup import AskTry, NewClient, NewSite, NewSource

MAPPING = (Path(__file__).parents[2] / "examples/desk-lookups.toml").read_text()
LOOKS = [
    Look("ronsay ferry", "Quillon", "en", "GB", "", "desktop", 20),
    Look("ronsay ferry", "Quillon", "en", "GB", "", "mobile", 50),
    Look("gurkenladen", "Quillon", "de", "DE", "52.2140, -1.4820", "map", 20),
    *(Look(f"tide times {n}", "Orrery", "en", "GB", "", "desktop", 20) for n in range(9)),
]


@pytest.fixture(scope="module")
def served() -> Iterator[tuple[str, Desk]]:
    with served_desk() as found:
        yield found


@pytest.fixture
def desk(served) -> tuple[str, Desk]:
    served[1].today, served[1].shut, served[1].troubled = TODAY, False, []
    return served


def mapped(url: str, mapping: str = MAPPING, secret: str = "brass-key") -> MappedLookups:
    given = {"url": url, "client_id": "", "client_secret": SecretStr(secret), "mapping": mapping}
    return opened(MappedLookups(FeedSettings.model_validate(given | {"inside": ("127.0.0.1",)})))


def test_a_mapped_interface_gives_what_the_open_protocol_would(desk):
    feed = mapped(desk[0])
    found = feed.look_up(LOOKS)
    names = ("term", "engine", "language", "country", "place", "device", "depth")
    for look, answer in zip(LOOKS, found, strict=True):
        asked = {name: getattr(look, name) for name in names}
        page = lookup_model(desk[1].anchor).page(looked_of(asked), TODAY)
        assert answer.found == settled(look, {"state": "found", **told_page(page)}).found
        assert not answer.doubts
    assert any(answer.found.features for answer in found)
    assert [each.kind for each in feed.properties()] == ["lookups"]


def test_a_lookup_that_fails_is_told_and_the_others_stand(desk):
    desk[1].troubled = [LOOKS[0].term]
    first, *others = mapped(desk[0]).look_up(LOOKS[1:5])
    assert (first.found, first.why) == (None, "The engine was busy.")
    assert all(each.found for each in others[1:])


@pytest.mark.parametrize(
    ("secret", "shut", "code"), [("wrong", False, "feed-credential"), ("brass-key", True, "feed-unreachable")]
)
def test_a_service_that_says_no_to_all_is_a_fault_and_no_day_of_losses(desk, secret, shut, code):
    desk[1].shut = shut
    with pytest.raises(FeedFault) as told:
        mapped(desk[0], secret=secret).look_up(LOOKS[:3])
    assert told.value.lasting is not shut


@pytest.mark.parametrize(
    ("old", "new", "where"),
    [
        ('rows = "found.hits"', 'rows = "found.["', "lookup.rows"),
        ('url = "link"', 'adress = "link"', "lookup.result"),
        ('kind = "token"', 'kind = "ticket"', "auth.kind"),
        ('rows = "found.hits"', 'rows = "found.hits"\nformat = "csv"', "lookup.format"),
        ("[lookup]", "[lookup", "mapping"),
    ],
)
def test_a_mapping_at_fault_names_its_line(old, new, where):
    with pytest.raises(Nonsense) as told:
        read_lookup_mapping(MAPPING.replace(old, new, 1))
    assert where in told.value.where
    with pytest.raises(Nonsense):
        auth_of(MAPPING.replace(old, new, 1))


@pytest.mark.parametrize(
    ("old", "new", "why"),
    [
        ('rows = "found.hits"', 'rows = "trouble"', "finds nothing"),
        ('rows = "found.hits"', 'rows = "words"', "is no list"),
        ('rows = "found.boxes"', 'rows = "words"', "is no list"),
    ],
)
def test_what_does_not_fit_the_mapping_is_told_with_its_line(desk, old, new, why):
    with pytest.raises(FeedFault) as told:
        mapped(desk[0], MAPPING.replace(old, new, 1)).look_up(LOOKS[:2])
    assert why in told.value.what and told.value.where.startswith("mapping line")


def test_without_a_rank_results_stand_in_their_order_and_odd_fields_are_left_out(desk):
    plain = MAPPING.replace('rank = "no"', "").replace('url = "link"', 'url = "no"')
    (answer,) = mapped(desk[0], plain).look_up(LOOKS[:1])
    assert answer.found is not None and not answer.found.results and len(answer.doubts) >= 20
    ordered = mapped(desk[0], MAPPING.replace('rank = "no"', "")).look_up(LOOKS[:1])
    assert ordered == mapped(desk[0]).look_up(LOOKS[:1])
    swapped = MAPPING.replace('owners = "to"', 'owners = "says"').replace('above = "over"', 'above = "says"')
    (odd,) = mapped(desk[0], swapped).look_up(LOOKS[:1])
    assert odd.found is not None and {each.above for each in odd.found.features} <= {1}


def test_a_mapped_desk_is_connected_tried_and_checked_by(install, desk):
    client = setup.add_client(install, NewClient(name="Skerry Ferries"), NOW)
    key = setup.add_site(install, client, NewSite(host=SITE), NOW)
    given = {"connector": "mapped-feed", "url": desk[0], "account": "", "secret": "brass-key", "mapping": MAPPING}
    tried = previews.try_feed(install, AskTry.model_validate(given | {"look": {"term": " Ronsay  Ferry "}}))
    assert (tried.grain, tried.state, tried.total) == ("lookup", "found", 20)
    assert tried.rows[0]["rank"] == 1 and "link" not in tried.raw[0]
    with pytest.raises(Nonsense, match="with a term"):
        previews.try_feed(install, AskTry.model_validate(given))
    asked = NewSource.model_validate(given | {"property": "lookups"})
    number = setup.add_source(install, key, asked, NOW)
    terms = [look.term for look in LOOKS[3:7]]
    keywords.take(install, wire.AskKeywords.model_validate({"site": key, "terms": terms}), NOW)
    desk[1].troubled = [terms[1]]
    found = checks.check(install, number, origin="c", clock=lambda: NOW, report=lambda _: True)
    assert (found.due, found.found, list(found.failed.values())) == (4, 3, ["The engine was busy."])
    (shown,) = [each for each in presenters.site(install, key).sources if each.id == number]
    assert (shown.connector, shown.kind) == ("mapped-lookups", "lookups")


def test_only_a_mapping_with_a_table_of_lookups_is_one():
    assert looks_up(MAPPING) and not looks_up("name = 'x'") and not looks_up("[")
