"""What the hostile tries share. The live service is the one of the other live tests."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from tests.hostile.feeds import Behaviour, hostile_feed
from tests.live.conftest import live  # noqa: F401

from noctilum.sources import pace


@pytest.fixture
def villain() -> Iterator[tuple[str, Behaviour]]:
    with hostile_feed() as found:
        pace._paces.clear()
        yield found
        pace._paces.clear()
