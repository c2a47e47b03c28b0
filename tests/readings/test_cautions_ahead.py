"""From when on a change can be given, where a history only began too late for one."""

from __future__ import annotations

from datetime import date, timedelta

import pytest

from noctilum.history import History
from noctilum.readings.narrow import Words
from noctilum.readings.site_access import SiteAccess
from noctilum.readings.timeline import answer
from noctilum.testing.batches import entry, search_batch
from noctilum.wire.catalogue import READINGS
from noctilum.words.cautions import said
from noctilum.words.speech import Speech

FIRST = date(2026, 2, 27)
HELD = 20


def site(folder, days: int) -> SiteAccess:
    history = History(folder / f"{days}.db", create=True)
    whole = {"country": ["NO"], "device": ["mobile"], "kind": ["web"]}
    held = [search_batch("site", FIRST + timedelta(n), whole, [10], [90], [4.0]) for n in range(days)]
    history.put_days(1, [entry(each) for each in held])
    return SiteAccess("site", history, (1,), Words())


def asked(of: SiteAccess, **more: str):
    found = answer(of, READINGS["timeline"].question.model_validate(more))
    return found, [each for each in found.cautions if "from" in each.facts]


@pytest.mark.parametrize(
    "more", [{}, {"window": "P7D"}, {"window": "last-month"}, {"window": "P28D", "against": "year"}, {"window": "P12W"}]
)
def test_the_day_that_is_told_is_the_first_on_which_a_change_is_given(tmp_path, more):
    _, told = asked(site(tmp_path, 5), **more)
    day = told[0].facts["from"]
    assert f"Once {Speech('en').numbers.day(day)} is complete" in said(told[0], Speech("en")).text
    whole = (day - FIRST).days + 1
    then, later = asked(site(tmp_path, whole), **more)
    assert not later and then.change is not None
    _, before = asked(site(tmp_path, whole - 1), **more)
    assert before and before[0].facts["from"] == day


@pytest.mark.parametrize("more", [{"window": "all"}, {"window": "2026-03-01/2026-03-10"}, {"against": "none"}])
def test_what_will_never_be_compared_names_no_day(tmp_path, more):
    assert not asked(site(tmp_path, HELD), **more)[1]
