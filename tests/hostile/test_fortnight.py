"""Hours with a fault in each, in fast time: half a day here, a fortnight by `make soak`."""

import pytest

from noctilum.testing.fortnight import live_through

pytestmark = [pytest.mark.timeout(600), pytest.mark.slow]


def test_half_a_day_with_a_fault_every_hour_ends_as_the_feed_has_it_and_every_trouble_is_told_once(tmp_path):
    found = live_through(tmp_path, hours=12, seed=7)
    assert found.wrong == []
    assert (found.doubled, found.damages, found.fault) == (0, 0, None)
    assert found.compared > 5 * 55
    assert found.killed >= 1
    assert sum(found.told.values()) == len(found.told)
    assert sum(code.startswith("file-refused") for code in found.told) == found.refused > 0
