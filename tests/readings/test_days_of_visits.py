"""Days of visits in the ledger: their own figures, what the feed promised of them, what changed, in words and rows."""

from __future__ import annotations

import argparse
import csv
import io
from datetime import timedelta

import pytest
from tests.conftest import TODAY
from tests.served import Held, answered, feed

from noctilum.actions.site_access import open_site
from noctilum.cli import changes, day
from noctilum.standins.visits_feed import create_app
from noctilum.standins.visits_model import visits_of
from noctilum.wire.readings import Changes, DayChange, DaySide

NUMBER = "visits-hivewright-blog"
HELD = Held(((create_app, NUMBER),))
DAY = TODAY - timedelta(30)


@pytest.fixture(scope="module")
def visits_feed():
    with feed(create_app) as url:
        yield url


@pytest.fixture
def site(install, held, visits_feed):
    return HELD.now_at(install, visits_feed)


@pytest.fixture
def making(install, site):
    (source,) = open_site(install, site).sources_of("visits")
    return answered(install, site, "day", day=DAY, source=source)


def printed(capsys, module, found, output: str = "table") -> str:
    module.show(argparse.Namespace(output=output, raw=False), found)
    return capsys.readouterr().out


def test_a_day_of_visits_is_told_in_sessions_and_not_in_clicks(making, capsys):
    by_grain = {grain.grain: grain for grain in making.grains}
    assert list(by_grain)[:3] == ["visits", "visitors", "goals"]
    truth = visits_of(NUMBER, TODAY, DAY)
    sums = by_grain["visits"].figures
    assert sums["sessions"] == sum(each.sessions for each in truth)
    assert sums["new_users"] == sum(each.new_users for each in truth)
    assert by_grain["visits"].promised == {name: sums[name] for name in by_grain["visits"].promised}
    assert set(by_grain["visits"].promised) == {"sessions", "engaged", "new_users", "conversions"}
    text = printed(capsys, day, making)
    assert "sessions" in text and "clicks" not in text and text.count("the same") >= 3


def test_what_a_feed_promised_and_did_not_send_is_told_by_name(making, capsys):
    broken = making.grains[0].model_copy(update={"promised": {"sessions": 9_999.0}})
    text = printed(capsys, day, making.model_copy(update={"grains": [broken]}))
    assert "9,999 sessions" in text and "the same" not in text
    silent = making.grains[0].model_copy(update={"promised": {}, "promised_rows": None})
    assert "–" in printed(capsys, day, making.model_copy(update={"grains": [silent]})).splitlines()[-1]


def side(**figures: float) -> DaySide:
    return DaySide(state="final", revision="1", rows=3, clicks=0, impressions=0, position_sum=0, figures=figures)


def test_changes_of_different_datasets_stand_in_columns_of_their_own(capsys):
    told = {"source": 1, "day": DAY, "at": f"{TODAY}T05:00:00+00:00", "kind": "revised", "origin": "pull 3"}
    found = Changes(
        [
            DayChange(
                id=2, grain="visits", was=side(sessions=240, revenue=12.5), now=side(sessions=236, revenue=12.5), **told
            ),
            DayChange(id=1, grain="site", was=side(clicks=40), now=side(clicks=44), **told),
        ]
    )
    lines = printed(capsys, changes, found).splitlines()
    (visits,), (search,) = ([line for line in lines if f" {grain} " in line] for grain in ("visits", "site"))
    head = " ".join(lines[: lines.index(visits)])
    assert "sessions" in head and "clicks" in head
    assert "240" in visits and "236" in visits and "−4" in visits
    assert "+4" in search and "240" not in search
    rows = list(csv.DictReader(io.StringIO(printed(capsys, changes, found, "csv"))))
    assert [(row["grain"], row["kind"]) for row in rows] == [("visits", "revised"), ("site", "revised")]
    assert "no final day has changed" in printed(capsys, changes, Changes([]))
