"""Which sites want a look, and why: also those whose total hides what a page lost."""

from contextlib import closing
from datetime import timedelta

import pytest
from tests.readings.oracle import SITE
from tests.readings.test_effect import FIRST, make

from noctilum.readings import portfolio
from noctilum.readings.holding import holding

DAYS = 400
LATELY = FIRST + timedelta(DAYS - 28)
OF = portfolio.SiteOf(SITE, SITE, "skerry-ferries", "Skerry Ferries")


def row_of(folder, moved):
    with closing(make(folder, DAYS, moved, steady=True)) as history:
        return portfolio.row(OF, holding(history, (1,)))


def test_a_page_lost_behind_a_level_total_is_named_and_its_site_watched(tmp_path):
    row = row_of(tmp_path, lambda page, day: 1.0 if day < LATELY else 0.4 if page == "/a" else 1.6)
    assert abs(row.change.clicks_ratio) < 0.05
    assert (row.attention, row.worst) == ("keep an eye on", "/a")
    assert row.worst_change < -500
    assert row.why == "/a fades behind the total."


def test_pages_that_fall_together_name_none_and_the_total_says_it(tmp_path):
    row = row_of(tmp_path, lambda _page, day: 1.0 if day < LATELY else 0.6)
    assert (row.attention, row.worst) == ("look now", None)


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_a_quiet_site_is_left_alone(tmp_path, seed):
    with closing(make(tmp_path, DAYS, seed=seed, steady=True)) as history:
        row = portfolio.row(OF, holding(history, (1,)))
    assert (row.attention, row.worst) == ("quiet", None)


def test_a_site_whose_days_end_long_ago_is_stale_and_in_no_total(tmp_path):
    with closing(make(tmp_path, DAYS, steady=True)) as history:
        row = portfolio.row(OF, holding(history, (1,)))
    fresh, old = (portfolio.arranged([row], row.complete_through + timedelta(n)) for n in (portfolio.STALE_DAYS, 280))
    assert (fresh.rows[0].attention, fresh.clicks, fresh.sites_counted) == ("quiet", row.now.clicks, 1)
    assert (old.rows[0].attention, old.clicks, old.sites_counted) == ("stale", 0, 0)
    assert "280 days ago" in old.rows[0].why
