"""What time it is for those who ask. NOCTILUM_TODAY holds the day still, for demo, tests and pictures."""

from __future__ import annotations

import os
from datetime import date, datetime

from noctilum import machine_time


def now() -> datetime:
    """Give the moment, in UTC; with NOCTILUM_TODAY the time of day goes on but the day stays."""
    moment = machine_time.moment()
    held = os.environ.get("NOCTILUM_TODAY")
    return datetime.combine(date.fromisoformat(held), moment.timetz()) if held else moment


def today() -> date:
    """Give the day, in UTC."""
    return now().date()
