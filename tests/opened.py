"""Connectors that tests open by themselves: let go of when the test is over, as whoever opens one has to."""

from __future__ import annotations

from typing import Any

_open: list[Any] = []


def opened(connector: Any) -> Any:
    """Note that a connector is to be closed with the test; gives it back."""
    _open.append(connector)
    return connector


def close_all() -> None:
    """Close what was opened since the last time."""
    while _open:
        _open.pop().close()
