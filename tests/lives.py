"""What a process does that may be killed at any moment; in a module of its own, which is quick to read."""

from __future__ import annotations

import os
from datetime import datetime

from noctilum.actions import digests, sending, slots
from noctilum.actions.install import Install, Settings


def live_on(settings: Settings, now: datetime) -> None:
    """Make what is due and send it."""
    install = Install(settings)
    slots.tick(install, now)
    slots.run(install, lambda: now, lambda _: True)
    sending.run(install, lambda: now, lambda _: True)
    os._exit(0)


def tell_on(settings: Settings, now: datetime) -> None:
    """Write the digests that are due and hand them over."""
    install = Install(settings)
    digests.run(install, lambda: now, lambda _: True)
    sending.run(install, lambda: now, lambda _: True)
    os._exit(0)
