"""What broke, as readings tell it: the stand-ins' own rows, counted here, against what is read."""

from __future__ import annotations

from collections import Counter
from datetime import date, timedelta
from math import log
from statistics import mean, median

import pytest
from tests.conftest import HIVE, SMALL, TODAY
from tests.served import answered, connected, feed

from noctilum.core.silence import BASE_DAYS
from noctilum.history import History
from noctilum.readings.alarms import answer as alarms
from noctilum.readings.silent import answer as silent
from noctilum.readings.site_access import SiteAccess, SourceOf
from noctilum.records.models import Source
from noctilum.standins.search_model import model_of
from noctilum.standins.visits_feed import create_app
from noctilum.standins.visits_model import STREAMS
from noctilum.testing.batches import entry, pair_batch, search_batch
from noctilum.wire.breaks import RULES, AlarmsQuery, SilentQuery
from noctilum.words import tell_breaks
from noctilum.words.speech import Speech
from noctilum.words.teller import Teller

NUMBER = "visits-hivewright-blog"
LAST = date(2026, 3, 15)
GONE = LAST - timedelta(1)
PAGES = ("/kept", "/deleted", "/rare")


@pytest.fixture(scope="module")
def visits_feed():
    with feed(create_app) as url:
        yield url


def clicks_on(day: date) -> int:
    return sum(model_of(SMALL, TODAY).day(day)["site"].clicks)


def test_a_slump_is_judged_as_counted_by_hand(install, pulled):
    found = answered(install, HIVE, "slump", window=f"P7D/{LAST}")
    row = next(each for each in found.rows if each.measure == "clicks")
    first = min(install.history(1).states([1], "site"))
    values = {first + timedelta(n): clicks_on(first + timedelta(n)) for n in range((LAST - first).days + 1)}

    def middle(day: date) -> float | None:
        same = [values[at] for n in range(1, 7) if (at := day - timedelta(7 * n)) in values]
        return median(same) if len(same) >= 4 else None

    def of_span(last: date) -> tuple[float, float]:
        span = [last - timedelta(n) for n in range(row.days)]
        before = [span[-1] - timedelta(n) for n in range(1, 15)]
        ratios = [values[day] / base for day in before if day in values and (base := middle(day))]
        level = median(ratios) if len(ratios) >= 7 else 1.0
        return sum(values[day] for day in span), sum(middle(day) for day in span) * level

    now, expected = of_span(LAST)
    assert (row.now, row.expected) == (now, pytest.approx(expected, abs=1e-3))
    assert row.change == pytest.approx(now / expected - 1, abs=1e-6)
    earlier = []
    for n in range(1, 182 // row.days + 1):
        last = LAST - timedelta(n * row.days)
        if (last - timedelta(row.days - 1) - first).days >= 28:
            was, base = of_span(last)
            earlier.append(log((was + 0.5) / (base + 0.5)))
    middle_of = median(earlier)
    scatter = max(1.4826 * median(abs(x - middle_of) for x in earlier), (1 / (now + 0.5) + 1 / (expected + 0.5)) ** 0.5)
    score = (log((now + 0.5) / (expected + 0.5)) - min(0.0, middle_of)) / scatter
    assert row.score == pytest.approx(score, abs=0.35)
    assert row.verdict == "as expected" and found.sentences[0].text.startswith(f"{now:,} clicks in the last")


@pytest.fixture
def lone(tmp_path):
    """A site of three pages, one of which is deleted, and the day before it is known."""
    history = History(tmp_path / "site.db", create=True)
    shown: dict[date, list[int]] = {}
    entries = []
    for n in range(80):
        day = LAST - timedelta(79 - n)
        counts = shown[day] = [90 + 7 * (n % 5), 0 if day >= GONE else 50 + 3 * (n % 7), 20 * (n % 3 == 0)]
        small = {"country": ["NO"] * 3, "device": ["mobile"] * 3, "kind": ["web"] * 3}
        rows = [at for at, many in enumerate(counts) if many]
        dims = {"page": [PAGES[at] for at in rows], **{name: texts[: len(rows)] for name, texts in small.items()}}
        told = [counts[at] for at in rows]
        entries.append(entry(search_batch("page", day, dims, [n // 9 for n in told], told, [4.0] * len(rows))))
        total = {name: texts[:1] for name, texts in small.items()}
        entries.append(entry(search_batch("site", day, total, [sum(told) // 9], [sum(told)], [4.0])))
    history.put_days(1, entries)
    access = SiteAccess("site", history, (1,), all_sources=(SourceOf(1, "searches", "quillon", "UTC", True, "UTC"),),
                        words=words(), today=LAST + timedelta(2))  # fmt: skip
    yield access, shown
    history.close()


def words():
    from noctilum.readings.narrow import Words

    return Words()


def test_a_deleted_page_is_named_with_its_day_and_what_comes_and_goes_is_not(lone):
    site, shown = lone
    found = silent(site, SilentQuery())
    (row,) = found.rows
    before = [shown[GONE - timedelta(n)][1] for n in range(1, BASE_DAYS + 1)]
    assert (row.key, row.since, row.days) == ("/deleted", GONE, 2)
    assert (row.usual, row.clicks, row.queries) == (round(median(before)), sum(n // 9 for n in before), None)
    assert row.chance < 1e-6 and mean(before) > 50 and found.looked_at == 2
    assert not silent(site, SilentQuery(window=f"P28D/{GONE - timedelta(1)}")).rows
    known = silent(site, SilentQuery(window=f"P28D/{GONE}"))
    assert [(each.key, each.days) for each in known.rows] == [("/deleted", 1)]


def test_a_page_that_is_gone_says_for_how_many_queries_it_was_shown(lone):
    site, _ = lone
    told = {
        GONE - timedelta(40): [("long ago", "/deleted")],
        GONE - timedelta(3): [("one", "/deleted"), ("two", "/deleted"), ("three", "/kept")],
        GONE - timedelta(1): [("two", "/deleted"), ("four", "/deleted"), ("one", "/kept")],
        GONE: [("five", "/kept")],
    }
    for day, rows in told.items():
        site.history.put_days(1, [entry(pair_batch(day, [(*row, "NO", "mobile", 0, 5, 20) for row in rows]))])
    found = silent(site, SilentQuery())
    assert [(row.key, row.queries) for row in found.rows] == [("/deleted", 3)]
    text = tell_breaks.silent(Teller(found, Speech("en")))[0].text
    assert text.endswith("impressions on a usual day, for 3 queries.")


def test_a_day_on_which_the_source_told_little_makes_nothing_silent(lone):
    site, _ = lone
    small = {"country": ["NO"], "device": ["mobile"], "kind": ["web"]}
    day = LAST + timedelta(1)
    quiet = [search_batch("page", day, {"page": ["/kept"], **small}, [0], [4], [4.0])]
    quiet.append(search_batch("site", day, small, [0], [4], [4.0]))
    site.history.put_days(1, [entry(each) for each in quiet])
    found = silent(site, SilentQuery())
    assert [(row.key, row.since, row.days) for row in found.rows] == [("/deleted", GONE, 2)]


def test_alarms_are_those_of_their_rules_and_say_what_could_not_be_asked(lone):
    site, _ = lone
    found = alarms(site, AlarmsQuery())
    assert [(row.rule, row.key, row.since, row.look) for row in found.rows] == [
        ("page gone", "/deleted", GONE, "silent")
    ]
    assert found.looked_at + len(found.left_out) == len(RULES)
    assert {"counting broke", "index fell", "keyword lost"} <= {each.rule for each in found.left_out}
    assert all(each.why for each in found.left_out)
    assert not alarms(site, AlarmsQuery(on=GONE - timedelta(1))).rows
    assert alarms(site, AlarmsQuery(rule="site fell")).looked_at == 1


def test_a_quiet_site_calls_out_nothing_over_months(install, pulled):
    said: Counter[str] = Counter()
    for n in range(0, 91, 13):
        found = answered(install, HIVE, "alarms", on=LAST - timedelta(n), today=TODAY)
        said += Counter(row.rule for row in found.rows)
    assert not said
    assert not answered(install, HIVE, "alarms", on=date(2020, 1, 1)).rows


def test_counting_that_broke_calls_out_and_not_before(install, pulled, visits_feed):
    connected(install, HIVE, visits_feed, NUMBER)
    stopped = TODAY + timedelta(STREAMS[NUMBER].silent[0][1])
    found = answered(install, HIVE, "alarms")
    (row,) = found.rows
    assert (row.rule, row.key) == ("counting broke", HIVE) and abs((row.since - stopped).days) <= 1
    assert found.sentences[0].text.startswith("Counting stopped on")
    assert not answered(install, HIVE, "alarms", on=stopped - timedelta(1)).rows
    soon = answered(install, HIVE, "alarms", on=stopped + timedelta(1))
    assert [each.rule for each in soon.rows] == ["counting broke"]


def test_days_are_late_by_how_soon_they_used_to_come(install, pulled):
    found = answered(install, HIVE, "feeds")
    (row,) = found.rows
    assert (row.late, row.files, row.last) == (0, False, complete(install))
    assert row.behind == (TODAY - row.last).days
    later = answered(install, HIVE, "feeds", today=TODAY + timedelta(9))
    (late,) = later.rows
    assert late.late == (late.due - late.last).days > 0
    assert answered(install, HIVE, "alarms", today=TODAY + timedelta(9), rule="days late").rows[0].since == late.due
    assert "should be held by now" in later.sentences[0].text


@pytest.mark.parametrize(("state", "failures", "paused", "calls"), [
    ("ready", 0, False, False), ("ready", 2, False, False), ("ready", 3, False, True), ("broken", 1, False, True),
    ("broken", 4, True, False),
])  # fmt: skip
def test_a_source_that_cannot_be_read_calls_out_while_it_is_so(install, pulled, state, failures, paused, calls):
    def become(state: str, failures: int, paused: bool) -> None:
        with install.records.begin() as db:
            source = db.get(Source, 1)
            source.state, source.failures, source.paused = state, failures, paused

    become(state, failures, paused)
    try:
        found = answered(install, HIVE, "alarms", rule="source fault")
        assert [row.rule for row in found.rows] == ["source fault"] * calls
        if calls:
            assert "cannot be read any more" in found.sentences[0].text and found.rows[0].key.startswith("Quillon")
    finally:
        become("ready", 0, False)


def complete(install) -> date:
    """The newest final day."""
    return max(day for day, state in install.history(1).states([1], "site").items() if state.value == "final")
