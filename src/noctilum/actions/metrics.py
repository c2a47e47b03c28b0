"""Metrics for operators, in the OpenMetrics format; all of them read from the install when asked."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import suppress
from datetime import datetime

from prometheus_client import CollectorRegistry
from prometheus_client.core import CounterMetricFamily, GaugeMetricFamily, Metric
from prometheus_client.openmetrics.exposition import CONTENT_TYPE_LATEST, generate_latest
from sqlalchemy import func, select

from noctilum.actions import health, life, nightly, presenters
from noctilum.actions.install import Install
from noctilum.core.errors import Fault
from noctilum.records.models import Job, Notice

CONTENT_TYPE = CONTENT_TYPE_LATEST


def collected(install: Install, now: datetime) -> bytes:
    """Read all metrics."""
    registry = CollectorRegistry()
    registry.register(_Collector(install, now))
    found: bytes = generate_latest(registry)  # type: ignore[no-untyped-call]
    return found


class _Collector:
    def __init__(self, install: Install, now: datetime) -> None:
        self._install, self._now = install, now

    def collect(self) -> Iterator[Metric]:
        yield from self._jobs()
        yield from self._machine()
        yield from self._sources()
        yield from self._store()

    def _jobs(self) -> Iterator[Metric]:
        with self._install.records.read() as db:
            counted = db.execute(select(Job.name, Job.state, func.count()).group_by(Job.name, Job.state)).all()
            notices = db.scalar(select(func.count()).where(Notice.seen_at.is_(None)))
        waiting = GaugeMetricFamily("noctilum_jobs", "Jobs that wait or run.", labels=["job", "state"])
        ended = CounterMetricFamily("noctilum_jobs_ended", "Jobs that have ended.", labels=["job", "outcome"])
        for name, state, count in counted:
            (waiting if state in ("queued", "running") else ended).add_metric([name, state], count)
        yield waiting
        yield ended
        yield GaugeMetricFamily("noctilum_notices_unseen", "Notices nobody has seen.", value=notices or 0)
        silent = life.silent_seconds(self._install, self._now)
        if silent is not None:
            yield GaugeMetricFamily(
                "noctilum_worker_silent_seconds",
                "Since the worker's last sign; below zero it lies in the future.",
                value=silent,
            )

    def _machine(self) -> Iterator[Metric]:
        free = health.free_bytes(self._install)
        if free is not None:
            yield GaugeMetricFamily("noctilum_disk_free_bytes", "Free where the data folder lies.", value=free)
        night = nightly.last_night(self._install.settings.data)
        if night.last_whole is not None:
            behind = (self._now.date() - night.last_whole).days
            yield GaugeMetricFamily("noctilum_night_days_behind", "Days since the last whole night.", value=behind)
        found = health.look(self._install, self._now)
        yield GaugeMetricFamily("noctilum_troubles", "What health finds wrong, by number.", value=len(found.troubles))

    def _sources(self) -> Iterator[Metric]:
        labels = ["source", "site"]
        families = {
            "days_held": GaugeMetricFamily("noctilum_source_days_held", "Complete days held.", labels=labels),
            "days_lost": GaugeMetricFamily("noctilum_source_days_lost", "Days that can be had no more.", labels=labels),
            "days_flagged": GaugeMetricFamily("noctilum_source_days_doubted", "Days that disagree.", labels=labels),
            "failures": GaugeMetricFamily("noctilum_source_failures", "Failed pulls in a row.", labels=labels),
        }
        broken = GaugeMetricFamily("noctilum_source_broken", "1 when it has stopped.", labels=labels)
        behind = GaugeMetricFamily("noctilum_source_days_behind", "Days since it was complete.", labels=labels)
        for source in presenters.sources(self._install):
            named = [str(source.id), source.site]
            for name, family in families.items():
                family.add_metric(named, getattr(source, name))
            broken.add_metric(named, int(source.state == "broken"))
            if source.complete_through:
                behind.add_metric(named, (self._now.date() - source.complete_through).days)
        yield from (*families.values(), broken, behind)

    def _store(self) -> Iterator[Metric]:
        size = GaugeMetricFamily("noctilum_history_bytes", "A site's history file.", labels=["site"])
        sites = {site.key: number for site, number in presenters.site_numbers(self._install)}
        for key, number in sites.items():
            with suppress(Fault):
                if number in self._install.history_numbers():
                    size.add_metric([key], self._install.history(number).size())
        yield size
