"""What the hostile tries share."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from tests.hostile.feeds import Behaviour, bomb, hostile_feed

from noctilum.sources import pace


@pytest.fixture
def villain() -> Iterator[tuple[str, Behaviour]]:
    bomb()
    with hostile_feed() as found:
        pace._paces.clear()
        yield found
        pace._paces.clear()
