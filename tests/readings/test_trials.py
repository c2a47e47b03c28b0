"""Trials read from a history whose truth is known: figures against plain sums, nothing before its time."""

from __future__ import annotations

from contextlib import closing
from datetime import date, timedelta

import numpy as np
import pytest
from tests.readings.oracle import SITE
from tests.readings.test_effect import FIRST, make

from noctilum.core.batch import batch_of
from noctilum.core.errors import NotThere
from noctilum.datasets import DATASETS
from noctilum.history import Question
from noctilum.readings.narrow import Words
from noctilum.readings.site_access import SiteAccess, SourceOf
from noctilum.readings.trials import plan, trial
from noctilum.testing.batches import entry
from noctilum.wire.trials import NewTrial, PlanQuery, TrialOut, TrialQuery
from noctilum.words import tell_worked
from noctilum.words.tell import told

DAYS = 300
LAST = FIRST + timedelta(DAYS - 1)
STARTS = LAST - timedelta(27)


def of(**more) -> TrialOut:
    given = {"id": 1, "site": SITE, "name": "Titles", "what": "", "of": "page", "treated": ["/a"], "control": ["/b"]}
    return TrialOut.model_validate(given | {"starts": STARTS, "weeks": 4, "ended_on": None, "log": []} | more)


def access(history, kept: TrialOut, today: date | None = None) -> SiteAccess:
    source = SourceOf(1, "Quillon", "Quillon", "UTC", True, "UTC")
    today = today or LAST + timedelta(3)
    return SiteAccess(SITE, history, (1,), Words(host=SITE), (source,), today=today, trials=lambda: [kept])


def read(history, kept: TrialOut, today: date | None = None):
    found = trial(access(history, kept, today), TrialQuery(number=1))
    return told(found, "en", tell_worked.trial)


def lifted(by: float):
    return lambda page, day: by if page == "/a" and day >= STARTS else 1.0


def clicks(history, page: str, first: date, days: int) -> int:
    asked = Question("page", first, first + timedelta(days - 1), (), {"page": (history.term_id("page", page),)})
    return history.read(asked).sums.clicks


@pytest.mark.parametrize(("by", "verdict"), [(1.5, "better"), (0.6, "worse"), (1.0, "no effect can be shown")])
def test_a_trial_is_read_with_its_size_and_its_weeks_are_those_of_the_days(tmp_path, by, verdict):
    with closing(make(tmp_path, DAYS, lifted(by))) as history:
        found = read(history, of())
        assert (found.state, found.verdict, found.weeks_before, found.weeks_after) == ("read", verdict, 12, 4)
        assert found.low <= by - 1 <= found.high and found.low < found.effect < found.high
        assert len(found.rows) == 30 and found.rows[26].first == STARTS
        for row in found.rows:
            assert row.treated == clicks(history, "/a", row.first, 7)
            assert row.control == clicks(history, "/b", row.first, 7)
            assert row.low < row.expected < row.high
        logs = [np.log((row.treated + 0.5) / (row.control + 0.5)) for row in found.rows]
        assert np.log1p(found.effect) == pytest.approx(np.mean(logs[26:]) - np.mean(logs[14:26]), abs=1e-6)
        told = {(row.group, row.part): row for row in found.secondary}
        assert len(told) == 4 and all(row.position == pytest.approx(4.0) for row in found.secondary)
        after = told["treated", "after"]
        assert after.ctr * after.impressions * 4 == pytest.approx(clicks(history, "/a", STARTS, 28), rel=1e-3)


@pytest.mark.parametrize("today", [STARTS - timedelta(5), STARTS + timedelta(9), STARTS + timedelta(27)])
def test_nothing_of_the_effect_is_told_before_its_weeks_are_complete(tmp_path, today):
    held = min(DAYS, (today - FIRST).days - 1)
    with closing(make(tmp_path, held, lifted(3.0))) as history:
        found = read(history, of(), today)
        assert found.state == ("planned" if today < STARTS else "running") and found.verdict == "waits"
        assert (found.effect, found.low, found.high, found.secondary) == (None, None, None, [])
        assert len(found.rows) == 26 and {row.part for row in found.rows} == {"before"}
        assert found.days_to_go == (STARTS + timedelta(27) - today).days
        assert "nothing is told before" in found.sentences[0].text or "begins on" in found.sentences[0].text


def test_one_that_is_ended_early_is_read_on_its_whole_weeks_and_shows_less(tmp_path):
    with closing(make(tmp_path, DAYS, lifted(1.5))) as history:
        whole = read(history, of())
        early = read(history, of(ended_on=STARTS + timedelta(16)))
        assert (early.state, early.weeks_after, len(early.rows)) == ("ended early", 2, 28)
        assert early.smallest > whole.smallest and early.high - early.low > whole.high - whole.low
        assert any("ended early, after 2 weeks" in each.text for each in early.sentences)


def test_without_a_control_it_is_set_beside_the_rest_of_the_site(tmp_path):
    with closing(make(tmp_path, DAYS, lifted(1.5))) as history:
        beside, given = read(history, of(control=[])), read(history, of())
        assert [row.control for row in beside.rows] == [row.control for row in given.rows]
        assert beside.effect == given.effect


def test_a_week_with_a_day_that_is_not_held_is_left_out(tmp_path):
    with closing(make(tmp_path, DAYS, lifted(1.5), lost=[STARTS - timedelta(10), STARTS + timedelta(8)])) as history:
        found = read(history, of())
        assert (found.weeks_before, found.weeks_after) == (11, 3)
        assert [row.treated for row in found.rows if row.first in (STARTS - timedelta(14), STARTS + timedelta(7))] == [
            None, None,
        ]  # fmt: skip


def test_too_short_a_past_tells_nothing(tmp_path):
    with closing(make(tmp_path, 60, lambda page, day: 1.0)) as history:
        kept = of(starts=FIRST + timedelta(30))
        found = read(history, kept, FIRST + timedelta(62))
        assert (found.verdict, found.smallest) == ("too few to tell", None)
        assert found.sentences[0].text == "Too few weeks are held to tell."


def test_what_a_trial_could_show_and_which_control_moves_alike(tmp_path):
    with closing(make(tmp_path, DAYS, lambda page, day: 1 + 0.4 * np.sin(day.toordinal() / 5))) as history:
        found = told(plan(access(history, of()), PlanQuery(treated=["/a"])), "en", tell_worked.plan)
        assert [row.key for row in found.rows] == ["/b"] and found.rows[0].likeness > 0.5
        assert found.smallest == found.smallest_beside_rest and 0 < found.smallest < 1
        longer = plan(access(history, of()), PlanQuery(treated=["/a"], weeks=12))
        assert longer.smallest < found.smallest and found.weeks_for_tenth == longer.weeks_for_tenth
        assert found.clicks == clicks(history, "/a", LAST - timedelta(181), 182)
        unseen = plan(access(history, of()), PlanQuery(treated=["/never"]))
        assert unseen.clicks == 0


def test_what_makes_no_trial_is_refused_and_one_that_is_not_there_is_said(tmp_path):
    given = {"site": SITE, "name": "x", "treated": ["/a"], "starts": STARTS}
    with pytest.raises(ValueError, match="treated and control at once"):
        NewTrial(**given, control=["/a"])
    with pytest.raises(ValueError, match="on or after its first day"):
        NewTrial(**given, ended_on=STARTS - timedelta(1))
    with closing(make(tmp_path, 10)) as history, pytest.raises(NotThere, match="has no trial 9"):
        trial(access(history, of()), TrialQuery(number=9))


def visits_of(day: date) -> tuple[list[str], list[str], list[int], list[int]]:
    """Pages, channels, sessions and conversions of a day; goals were set up halfway."""
    n = (day - FIRST).days
    sessions, goals = [20 + n % 7, 30 + n % 5, 10, 99], [n % 3, 1, 0, 5] if n > 150 else [0] * 4
    return ["/a", "/b", "/c", "/a"], ["organic"] * 3 + ["paid"], sessions, goals


@pytest.mark.parametrize("control", [["/b"], []])
def test_sessions_and_conversions_stand_beside_where_visits_are_held(tmp_path, control):
    kept = DATASETS["visits"]
    with closing(make(tmp_path, DAYS, lifted(1.0))) as history:
        days = [FIRST + timedelta(n) for n in range(100, DAYS)]
        for day in days:
            pages, channels, sessions, goals = visits_of(day)
            texts = {dim: [""] * 4 for dim in kept.dims} | {"page": pages, "channel": channels}
            told = {each.name: [0] * 4 for each in kept.measures} | {"sessions": sessions, "conversions": goals}
            history.put_days(2, [entry(batch_of(kept, day, texts, told))])
        site = access(history, of(control=control))
        fields = {name: getattr(site, name) for name in site.__dataclass_fields__}
        both = (*site.all_sources, SourceOf(2, "Visits", "Quillon", "UTC", True, "UTC", "visits"))
        found = trial(SiteAccess(**{**fields, "all_sources": both}), TrialQuery(number=1))
        rows = {(row.group, row.part): row for row in found.secondary}
        spans = {"before": (STARTS - timedelta(84), 84), "after": (STARTS, 28)}
        for (group, part), row in rows.items():
            first, many = spans[part]
            mine = {"/a"} if group == "treated" else set(control) or {"/b", "/c"}
            organic = [
                (sessions, goals)
                for n in range(many)
                for page, channel, sessions, goals in zip(*visits_of(first + timedelta(n)), strict=True)
                if channel == "organic" and page in mine
            ]
            assert row.sessions == pytest.approx(sum(each[0] for each in organic) / many * 7, abs=0.06)
            assert row.conversions == pytest.approx(sum(each[1] for each in organic) / many * 7, abs=0.06)
        early = of(control=control, starts=FIRST + timedelta(190))
        site = access(history, early)
        found = trial(SiteAccess(**{**fields, "all_sources": both, "trials": lambda: [early]}), TrialQuery(number=1))
        assert [row.conversions is None for row in found.secondary] == [row.part == "before" for row in found.secondary]
        alone = trial(access(history, of(control=control)), TrialQuery(number=1))
        assert {row.sessions for row in alone.secondary} == {None}
