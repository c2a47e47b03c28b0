"""The mapped feed against an interface unlike ours: granted by a person, paged, in spans; and its errors by line."""

from collections.abc import Iterator
from datetime import date, timedelta
from pathlib import Path
from urllib.parse import parse_qs, urlsplit

import pytest
from pydantic import SecretStr
from tests.conftest import NOW, TODAY, agreed, served_desk
from tests.opened import opened

from noctilum.actions import grants, presenters, previews, setup
from noctilum.actions.pull import pull
from noctilum.actions.site_access import open_site
from noctilum.core.errors import FeedFault, Nonsense
from noctilum.datasets import DATASETS
from noctilum.sources.contract import FeedSettings
from noctilum.sources.expressions import value_of
from noctilum.sources.mapped_feed import MappedFeed
from noctilum.sources.mapping import read_mapping
from noctilum.standins.report_desk import Desk
from noctilum.standins.search_model import model_of
from noctilum.testing.connectors import ConnectorContract
from noctilum.wire import setup as wire

MAPPING = (Path(__file__).parents[2] / "examples/report-desk.toml").read_text()
SHORT = MAPPING.replace("keeps_days = 120", "keeps_days = 9")
CALLBACK = "http://127.0.0.1:8417/api/v1/grants/callback"


@pytest.fixture(scope="module")
def served() -> Iterator[tuple[str, Desk]]:
    with served_desk() as found:
        yield found


@pytest.fixture
def desk(served) -> tuple[str, Desk]:
    served[1].today, served[1].fail_every = TODAY, 0
    return served


def agree(go: str) -> dict[str, str]:
    """Agree at the provider; gives what it sends back."""
    found = parse_qs(urlsplit(agreed(go)).query)
    return {name: values[0] for name, values in found.items()}


def granted(install, url, mapping=SHORT) -> str:
    asked = {"url": url, "account": "tallow-lane-app", "secret": "brass-key", "mapping": mapping}
    begun = grants.begin(install, wire.AskGrant.model_validate(asked), CALLBACK, NOW)
    back = agree(begun.go)
    assert grants.finish(install, back["state"], back["code"], NOW) == f"/sources?grant={begun.grant}"
    return begun.grant


def credential(install, url, mapping=SHORT, **more):
    given = {"connector": "mapped-feed", "url": url, "account": "tallow-lane-app", "mapping": mapping}
    return given | {"grant": granted(install, url, mapping)} | more


@pytest.fixture
def source(install, desk) -> int:
    client = setup.add_client(install, wire.NewClient(name="Skerry Ferries"), NOW)
    key = setup.add_site(install, client, wire.NewSite(host="skerryferries.example"), NOW)
    asked = credential(install, desk[0], property="desk-0417")
    return setup.add_source(install, key, wire.NewSource.model_validate(asked), NOW)


class TestContract(ConnectorContract):
    @pytest.fixture
    def connector(self, install, desk) -> Iterator[MappedFeed]:
        secret = grants.secret_of(install, granted(install, desk[0]))
        given = {"url": desk[0], "client_id": "tallow-lane-app", "client_secret": SecretStr(secret)}
        found = MappedFeed(
            FeedSettings.model_validate(given | {"property": "desk-0417", "mapping": SHORT, "inside": ("127.0.0.1",)})
        )
        yield found
        found.close()


def test_every_sum_equals_the_desks_to_the_unit_through_odd_names_pages_and_spans(install, desk, source):
    result = pull(install, source, origin="p", clock=lambda: NOW, report=lambda _: True)
    assert (result.days, result.failed, result.flagged) == (8, (), 0)
    ledger = {(row.dataset, row.day): row for row in install.history(1).ledger()}
    for n in (5, 6, 8):
        day = TODAY - timedelta(n)
        truth = model_of("orrery-skerry", TODAY).day(day)
        for grain in [kept.name for kept in DATASETS.of_kind("search")]:
            found = ledger[grain, day]
            sums = (sum(truth[grain].clicks), sum(truth[grain].impressions), 1000 * sum(truth[grain].position_sum))
            assert (found.sums.clicks, found.sums.impressions, found.sums.position_milli) == sums
    rows = open_site(install, "skerryferries.example").history.all_texts("page")
    assert all(page.startswith("/") for page in rows)


def test_pulling_again_asks_only_for_what_may_have_settled(install, desk, source):
    pull(install, source, origin="p", clock=lambda: NOW, report=lambda _: True)
    digest = install.history(1).digest()
    assert pull(install, source, origin="p", clock=lambda: NOW, report=lambda _: True).days == 0
    assert install.history(1).digest() == digest
    desk[1].today = TODAY + timedelta(1)
    assert pull(install, source, origin="p", clock=lambda: NOW, report=lambda _: True).days == 4


def test_a_refresh_token_that_is_good_once_is_replaced_and_kept(install, desk, source):
    first = install.unseal(kept_secret(install, source))
    desk[1].tokens.clear()
    opened(setup.connect(install, found_source(install, source))).properties()
    second = install.unseal(kept_secret(install, source))
    assert first != second
    desk[1].tokens.clear()
    assert opened(setup.connect(install, found_source(install, source))).properties()


def found_source(install, number):
    with install.records.read() as db:
        return setup.find_source(db, number)


def kept_secret(install, number) -> bytes:
    return found_source(install, number).sealed_secret


def test_a_grant_taken_back_stops_the_source(install, desk, source):
    desk[1].tokens.clear()
    desk[1].refresh.clear()
    with pytest.raises(FeedFault, match="refuses the credential"):
        pull(install, source, origin="p", clock=lambda: NOW, report=lambda _: True)
    assert presenters.source(install, source).state == "broken"


def test_failing_answers_are_asked_again(install, desk, source):
    desk[1].fail_every = 4
    assert pull(install, source, origin="p", clock=lambda: NOW, report=lambda _: True).failed == ()


def test_a_grant_proves_who_began_it_and_runs_out(install, desk):
    asked = {"url": desk[0], "account": "tallow-lane-app", "secret": "brass-key", "mapping": SHORT}
    begun = grants.begin(install, wire.AskGrant.model_validate(asked), CALLBACK, NOW)
    back = agree(begun.go)
    with pytest.raises(Exception, match="not begun here"):
        grants.finish(install, "somebody-elses", back["code"], NOW)
    with pytest.raises(Nonsense, match="Nobody has granted"):
        grants.secret_of(install, begun.grant)
    with pytest.raises(FeedFault, match="refuses"):
        grants.finish(install, back["state"], "made-up-code", NOW)
    with pytest.raises(Nonsense, match="too long"):
        grants.finish(install, back["state"], back["code"], NOW + timedelta(hours=1))
    assert b"brass-key" not in b"".join(p.read_bytes() for p in (install.settings.data / "grants").glob("*"))


def test_a_try_shows_rows_as_they_come_and_as_they_would_be_kept(install, desk):
    asked = credential(install, desk[0], grain="query")
    found = previews.try_feed(install, wire.AskTry.model_validate(asked))
    assert (found.property, found.day, found.state) == ("desk-0417", TODAY - timedelta(4), "final")
    assert '"taps":"' in found.raw[0]
    assert set(found.rows[0]) == {"query", "country", "device", "kind", "clicks", "impressions", "position"}
    truth = model_of("orrery-skerry", TODAY).day(found.day)["query"]
    assert (found.total, found.sums["clicks"]) == (len(truth.clicks), sum(truth.clicks))
    with pytest.raises(Exception, match="does not offer 2020-01-01"):
        previews.try_feed(install, wire.AskTry.model_validate(credential(install, desk[0], day=date(2020, 1, 1))))


def line_of(text: str, needle: str) -> int:
    return next(n for n, line in enumerate(text.splitlines(), start=1) if needle in line)


@pytest.mark.parametrize(
    ("old", "new", "needle", "said"),
    [
        ('clicks = "number(taps)"', 'clicks = "number(taps"', 'clicks = "number(taps"', "is no expression"),
        ('kind = "oauth-code"', 'kind = "magic"', 'kind = "magic"', "auth.kind"),
        ("keeps_days = 120", "keeps_days = 0", "keeps_days = 0", "greater than or equal to 1"),
        ("lag_days = 1", "late = 1", "late = 1", "extra inputs are not permitted"),
        ('query = "words"', 'querry = "words"', "[grains.query.fields]", "says nothing of query"),
        ('query = "words"', 'query = "words"\nshape = "x"', 'shape = "x"', "has no 'shape'"),
        ("day = \"day_of(on, '%Y%m%d')\"\n", "", "[grains.query]", "does not say which day"),
    ],
)
def test_a_mapping_that_cannot_be_used_names_the_line(old, new, needle, said):
    text = MAPPING.replace(old, new, 1)
    with pytest.raises(Nonsense) as caught:
        read_mapping(text)
    assert said in str(caught.value)
    assert caught.value.where.startswith(f"mapping line {line_of(text, needle)},")


def test_text_that_is_no_toml_is_told():
    with pytest.raises(Nonsense, match="no TOML"):
        read_mapping("name = ")


@pytest.mark.parametrize(
    ("old", "new", "said"),
    [
        (
            'clicks = "number(taps)"\nimpressions = "views"',
            'clicks = "taps"\nimpressions = "views"',
            "is no whole number",
        ),
        ('query = "words"', 'query = "wording"', "finds nothing"),
        ('rows = "report.lines"', 'rows = "report"', "is no list"),
        ("day_of(on, '%Y%m%d')", "upper(screen)", "is no day"),
        ('position = "divide(places, views)"', 'position = "divide(words, views)"', "In function divide"),
    ],
)
def test_what_the_feed_sends_and_the_mapping_does_not_expect_names_the_line_too(install, desk, old, new, said):
    text = SHORT.replace(old, new, 1)
    asked = credential(install, desk[0], text, grain="query")
    with pytest.raises(FeedFault) as caught:
        previews.try_feed(install, wire.AskTry.model_validate(asked))
    assert said in str(caught.value)
    changed = new.splitlines()[0]
    assert f"mapping line {line_of(text, changed)}," in caught.value.where


@pytest.mark.parametrize(
    ("expression", "value"),
    [("divide(a, b)", 2.5), ("divide(a, z)", None), ("percent(p)", 0.045), ("number(c)", 1.5), ("upper(t)", "NO"),
     ("path_of(u)", "/x?y=1"), ("host_of(u)", "a.example"), ("day_of(d, '%d.%m.%Y')", "2026-03-01"),
     ("day_of(t, '%Y')", None), ("replace(t, 'n', 'g')", "go"), ("round_to(c2)", 2), ("multiply(a, b)", 10)],
)  # fmt: skip
def test_functions_for_numbers_texts_and_days(expression, value):
    found = {"a": 5, "b": 2, "z": 0, "p": "4.5%", "c": "1,5", "c2": 1.6, "t": "no", "d": "01.03.2026"}
    assert value_of(expression, found | {"u": "https://A.example/x?y=1"}) == value
