"""Asking for checks: of all keywords that are due, or of some at once."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from noctilum.actions import queue, schedule
from noctilum.actions.find import find_site
from noctilum.actions.install import Install
from noctilum.actions.keywords import lookups_source
from noctilum.core.errors import NotThere, worded


def queue_checks(install: Install, site: str, numbers: Sequence[int] | None, now: datetime) -> int:
    """Queue checks of a site; returns the job's number. Raises NotThere where nothing looks its keywords up."""
    with install.records.read() as db:
        source = lookups_source(db, find_site(db, site))
        if source is None:
            raise NotThere(
                "no-lookups",
                worded("{site} has no source of lookups.", site=site),
                remedy="connect one under Sources, or with `noctilum connect --connector open-lookups`",
            )
        number, lane = source.id, source.url
    if numbers is None:
        return schedule.queue_pull(install, number, now)
    asked = {"source": number, "numbers": sorted(set(numbers))}
    return queue.put(install, "checks", asked, now, lane=lane).id
