"""What gunicorn does before it forks its workers: load the code once, for all of them."""

from __future__ import annotations

import importlib
from typing import Any


def on_starting(_server: Any) -> None:
    """Load what the workers share; nothing is opened, as files and connections must not be shared by a fork."""
    for name in ("noctilum.service.app", "noctilum.reports.charts", "noctilum.reports.pdf"):
        importlib.import_module(name)
