"""Hours and months that are written otherwise: refused in words, not by a pattern."""

import pytest
from pydantic import ValidationError

from noctilum.wire.digests import DigestChange
from noctilum.wire.monthly import MonthlyQuery


@pytest.mark.parametrize("hour", ["7.30", "7:30", "24:00", "07:60", "07:30:00", "", "half past seven"])
def test_an_hour_that_is_none_says_how_one_is_written(hour):
    with pytest.raises(ValidationError, match="an hour is written as 07:30"):
        DigestChange(every="day", at=hour)
    with pytest.raises(ValidationError, match="an hour is written as 07:30"):
        DigestChange(every="day", quiet_from=hour, quiet_to="07:00")


@pytest.mark.parametrize("month", ["2026-13", "2026-2", "02-2026", "February", "2026-02-01"])
def test_a_month_that_is_none_says_how_one_is_written(month):
    with pytest.raises(ValidationError, match="a month is written as 2026-02"):
        MonthlyQuery(month=month)


def test_those_that_are_written_so_are_taken():
    assert DigestChange(every="day", at="23:59", quiet_from="00:00", quiet_to="07:30").at == "23:59"
    assert MonthlyQuery(month="2026-12").month == "2026-12"
