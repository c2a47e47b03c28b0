"""Checks: what is due is looked up once, within what a month may cost; what was not looked up is a gap, no loss."""

import random
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import pytest
from tests.tracking import SITE, Desk, Desked, at_rank, tracked_site

from noctilum.actions import checks, keywords, notices
from noctilum.actions.find import find_source
from noctilum.actions.read import open_for, read
from noctilum.core.days import DayState
from noctilum.core.errors import FeedFault, Nonsense
from noctilum.core.found import Feature
from noctilum.datasets import DATASETS
from noctilum.wire import keywords as wire
from noctilum.wire.catalogue import READINGS

NOW = datetime(2026, 3, 20, 5, 0, tzinfo=UTC)
TERMS = [f"ferry {n}" for n in range(12)]


@pytest.fixture
def desk(monkeypatch) -> Desk:
    found = Desk()
    monkeypatch.setattr(checks, "connect", lambda install, source: Desked(found))
    return found


@pytest.fixture
def source(install, desk) -> int:
    return tracked_site(install, NOW, TERMS)


def run(install, source, desk, now=NOW, **more) -> checks.Checked:
    desk.day = now.date()
    return checks.check(install, source, origin="checks 1", clock=lambda: now, report=lambda _: True, **more)


def days_of(install, source) -> dict[date, DayState]:
    rows = install.history(1).ledger(sources=[source], dataset="ranks")
    return {row.day: row.state for row in rows}


def used(install, source, month="2026-03") -> int:
    with install.records.read() as db:
        return find_source(db, source).settings.get("used", {}).get(month, 0)


def asked_for(install, name, **params):
    question = READINGS[name].question(**params)
    return read(open_for(install, SITE, question, NOW.date()), name, question)


def test_what_is_due_is_looked_up_once_a_day_and_kept_with_its_page(install, source, desk):
    first = run(install, source, desk)
    again = run(install, source, desk, NOW + timedelta(hours=3))
    assert (first.due, first.found, again.due) == (12, 12, 0)
    assert len(desk.asked) == 12 == used(install, source)
    assert days_of(install, source) == {NOW.date(): DayState.FINAL}
    assert all(each.checked_at for each in keywords.keywords_of(install, SITE))
    number = keywords.keywords_of(install, SITE)[0].id
    told = asked_for(install, "keyword", number=number, window="all")
    assert [(row.day, row.rank, row.page) for row in told.rows] == [(NOW.date(), 3.0, "/fares")]


def test_intervals_are_kept_hourly_daily_and_weekly(install, source, desk):
    numbers = [each.id for each in keywords.keywords_of(install, SITE)]
    for interval, some in (("weekly", numbers[:3]), ("hourly", numbers[3:4])):
        asked = wire.ChangeKeywords.model_validate({"site": SITE, "numbers": some, "interval": interval})
        keywords.change_many(install, asked, NOW)
    looked = [run(install, source, desk, NOW + timedelta(hours=6 * n)).due for n in range(4 * 8)]
    assert sum(looked) == 8 * 8 + 3 * 2 + 4 * 8
    assert looked[0] == 12 and looked[1] == 1 and looked[4] == 9 and looked[28] == 12


def test_a_lookup_that_fails_leaves_its_day_unknown_and_is_due_again(install, source, desk):
    bad = {"ferry 3"}
    desk.page = lambda look, day: None if look.term in bad else at_rank(3)
    first = run(install, source, desk)
    assert (first.found, list(first.failed)) == (11, ["ferry 3 (GB, desktop)"])
    assert len(desk.asked) == 11 + checks.ROUNDS == used(install, source)
    assert days_of(install, source) == {NOW.date(): DayState.PROVISIONAL}
    bad.clear()
    second = run(install, source, desk, NOW + timedelta(hours=1))
    assert (second.due, second.found) == (1, 1)
    assert days_of(install, source) == {NOW.date(): DayState.FINAL}


def test_the_limit_of_a_month_is_never_exceeded_and_a_new_month_begins_anew(install, source, desk):
    with install.records.begin() as db:
        found = find_source(db, source)
        found.settings = {"a_month": 30}
    whole = [run(install, source, desk, NOW + timedelta(days=n)) for n in range(13)]
    assert [each.found for each in whole] == [12, 12, 6, *[0] * 9, 12]
    assert whole[2].waiting == 6 and whole[5].waiting == 12
    assert (used(install, source), used(install, source, "2026-04")) == (30, 12)
    assert keywords.cost(install, SITE, NOW.date()).left == 0
    assert "wait" in next(each.text for each in notices.unseen(install) if each.code == "lookups-used-up")


def test_a_run_that_dies_goes_on_where_it_was_and_looks_nothing_up_twice(install, source, desk, monkeypatch):
    monkeypatch.setattr(checks, "BATCH", 3)
    put = install.history(1, create=True).put_days
    desk.dies_after = 2
    with monkeypatch.context() as dying:
        dying.setattr(checks, "_keep", lambda *_, **__: None)
        with pytest.raises(KeyboardInterrupt):
            run(install, source, desk)
    assert days_of(install, source) == {} and put is not None
    desk.dies_after = None
    done = run(install, source, desk, NOW + timedelta(minutes=5))
    terms = [look.term for _, look in desk.asked]
    assert sorted(terms) == sorted(TERMS) and done.found == 6
    assert install.history(1).ledger(sources=[source], dataset="ranks")[0].figures["checks"] == 12


def test_a_run_cut_short_between_the_answer_and_the_record_is_made_whole_the_next_day(
    install, source, desk, monkeypatch
):
    with monkeypatch.context() as dying:
        dying.setattr(checks, "_keep", lambda *_, **__: None)
        run(install, source, desk)
    assert days_of(install, source) == {}
    run(install, source, desk, NOW + timedelta(days=1))
    assert set(days_of(install, source)) == {NOW.date(), NOW.date() + timedelta(1)}


def test_a_desk_that_is_down_keeps_nothing_loses_nothing_and_is_tried_again(install, source, desk):
    desk.down = True
    with pytest.raises(FeedFault, match="down"):
        run(install, source, desk)
    assert days_of(install, source) == {}
    with install.records.read() as db:
        assert "down" in (find_source(db, source).fault or "")
    desk.down = False
    assert run(install, source, desk, NOW + timedelta(minutes=1)).found == 12


def test_some_keywords_are_looked_up_at_once_whether_due_or_not(install, source, desk):
    run(install, source, desk)
    numbers = [each.id for each in keywords.keywords_of(install, SITE)][:2]
    desk.page = lambda look, day: at_rank(5)
    assert run(install, source, desk, NOW + timedelta(hours=1), numbers=numbers).found == 2
    told = asked_for(install, "keyword", number=numbers[0], window="all")
    assert [row.rank for row in told.rows] == [4.0]


def test_what_is_followed_closely_tells_of_every_change(install, source, desk):
    number = keywords.keywords_of(install, SITE)[0].id
    asked = wire.ChangeKeywords.model_validate({"site": SITE, "numbers": [number], "pinned": True})
    keywords.change_many(install, asked, NOW)
    run(install, source, desk)
    assert [each.code for each in notices.unseen(install)] == []
    desk.page = lambda look, day: at_rank(7, page="/other")
    run(install, source, desk, NOW + timedelta(days=1))
    (told,) = [each.text for each in notices.unseen(install) if each.code == "keyword-moved"]
    assert "ferry 0 (GB, desktop): 3 → 7, now with /other" in told and "ferry 1" not in told


def test_a_source_that_looks_nothing_up_is_refused(install, source, desk):
    with install.records.begin() as db:
        find_source(db, source).kind = "search"
    with pytest.raises(Nonsense, match="looks nothing up"):
        run(install, source, desk)


def test_two_months_with_failures_and_days_off_have_exactly_the_gaps_of_what_could_not_be_looked_up(install, desk):
    """Every keyword's held days are those on which it was answered; movements never call a gap a loss."""
    draw = random.Random(8)
    source = tracked_site(install, NOW, [f"term {n}" for n in range(30)])
    off = {NOW.date() + timedelta(n) for n in draw.sample(range(60), 9)}
    fails = {(f"term {n}", NOW.date() + timedelta(day)) for n in range(30) for day in range(60) if draw.random() < 0.06}
    ranks = {(f"term {n}", NOW.date() + timedelta(day)): draw.randrange(1, 15) for n in range(30) for day in range(60)}
    desk.page = lambda look, day: None if (look.term, day) in fails else at_rank(ranks[look.term, day])
    for n in range(60):
        now = NOW + timedelta(days=n)
        if now.date() not in off:
            run(install, source, desk, now)
    answered = {(term, day) for term, day in ranks if day not in off and (term, day) not in fails}
    history = install.history(1)
    held = set()
    for part in history.rows(_question(), ("keyword", "day")):
        texts = history.texts("keyword", part.columns["keyword"].tolist())
        held |= {(t, date.fromordinal(d)) for t, d in zip(texts, part.columns["day"].tolist(), strict=True)}
    assert held == answered
    told = asked_for(install, "rank-summary", window="P14D")
    assert told.moved.lost == told.moved.entered == 0
    laid = asked_for(install, "ladder", step="day", window="P55D", limit=100, by="none")
    assert (len(laid.rows), len(laid.steps)) == (30, 55)
    for row in laid.rows:
        for step, cell in zip(laid.steps, row.cells, strict=True):
            assert cell == (ranks[row.term, step.last] if (row.term, step.last) in answered else None)


def _question():
    from noctilum.history import Question

    assert "ranks" in DATASETS
    return Question("ranks", date.min, date.max)


def test_days_kept_before_there_was_a_dataset_get_its_rows_from_their_answers(install, source, desk, monkeypatch):
    desk.page = lambda look, day: replace(at_rank(3), features=(Feature("video", 1, (f"https://{SITE}/fares",)),))
    earlier = checks.DATASETS_OF
    monkeypatch.setattr(checks, "DATASETS_OF", earlier[:3])
    for n in range(4):
        run(install, source, desk, NOW + timedelta(n))
    assert not install.history(1).ledger(sources=[source], dataset="citations")
    before = asked_for(install, "ladder", window="all", step="day")
    monkeypatch.setattr(checks, "DATASETS_OF", earlier)
    assert run(install, source, desk, NOW + timedelta(4)).found == 12
    rows = install.history(1).ledger(sources=[source], dataset="citations")
    assert [row.day for row in rows] == sorted(days_of(install, source)) and len(rows) == 5
    led = asked_for(install, "feature-owners", feature="video", window="all")
    assert (led.lookups, led.owned, led.volatility) == (60, 1.0, 0.0)
    after = asked_for(install, "ladder", window="all", step="day")
    assert [row.cells[:4] for row in after.rows] == [row.cells for row in before.rows]
