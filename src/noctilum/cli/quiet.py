"""Quiet hours as they are typed: HH:MM-HH:MM."""

from __future__ import annotations


def quiet_hours(typed: str | None) -> dict[str, str]:
    """Take quiet hours apart; none where nothing is typed.

    >>> quiet_hours("20:00-07:30")
    {'quiet_from': '20:00', 'quiet_to': '07:30'}
    """
    if not typed:
        return {}
    first, _, last = typed.partition("-")
    return {"quiet_from": first.strip(), "quiet_to": last.strip()}
