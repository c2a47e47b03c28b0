"""Readings as plain rows: the same columns in files, spreadsheets and notebooks."""

from __future__ import annotations

from datetime import date
from typing import Any

from pydantic import BaseModel

from noctilum.wire.catalogue import READINGS
from noctilum.wire.specs import Plain

__all__ = ["Plain", "to_rows"]


def to_rows(reading: BaseModel) -> list[Plain]:
    """Flatten a reading into one plain dict a row; figures not known are None, days are ISO 8601 texts."""
    return [{name: _plain(value) for name, value in row.items()} for row in READINGS.of(reading).plain(reading)]


def _plain(value: Any) -> Any:
    return value.isoformat() if isinstance(value, date) else value
