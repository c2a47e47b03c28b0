"""Years of nights with everything going wrong, in fast time: a short one here, a long one by `make soak`."""

from datetime import date

import pytest

from noctilum.testing.soak import Nights, live_through

pytestmark = [pytest.mark.timeout(600), pytest.mark.slow]


def test_half_a_year_of_bad_nights_ends_with_every_day_as_the_feed_has_it(tmp_path):
    nights = Nights(first=date(2025, 9, 1), count=170, every=6, kill_every=3, outages=((40, 5), (90, 100), (150, 4)))
    found = live_through(tmp_path, nights, seed=11)
    assert found.wrong == []
    assert found.doubled == 0
    assert found.compared > 4 * 60
    assert found.killed >= 3
    assert found.lost == found.unobtainable
    assert len(found.lost) > 20
