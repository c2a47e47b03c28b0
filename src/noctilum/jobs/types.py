"""What the worker can do: job name → the action behind it, with its arguments read from the job's row."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import asdict, dataclass
from datetime import date, datetime
from typing import Any

from noctilum.actions import (
    alerts,
    backup,
    checks,
    digests,
    export_jobs,
    files,
    integrity,
    nightly,
    portfolio,
    pull,
    sending,
    slots,
    webhooks,
)
from noctilum.actions.install import Install
from noctilum.core.errors import Nonsense, Stopped
from noctilum.records.models import Job


@dataclass(frozen=True)
class Running:
    """A job being done: report takes progress and answers False to stop; say adds a line to the job's log."""

    install: Install
    job: Job
    clock: Callable[[], datetime]
    report: Callable[[Any], bool]
    say: Callable[[str], None]

    def step(self, line: str) -> None:
        """Say what comes next; raises Stopped when the job is to stop before it."""
        self.say(line)
        if not self.report(None):
            raise Stopped


def _nothing(_install: Install, _now: datetime) -> None:
    pass


@dataclass(frozen=True)
class JobType:
    """Bind a job's name to what does it, and to what looks every few seconds whether there is cause for one."""

    do: Callable[[Running], Mapping[str, Any]]
    tick: Callable[[Install, datetime], None] = _nothing


def _pull(running: Running) -> Mapping[str, Any]:
    given = running.job.arguments
    span = pull.Span(_day(given, "first"), _day(given, "last"), bool(given.get("again", False)))
    done = pull.pull(
        running.install,
        int(given["source"]),
        origin=f"pull {running.job.id}",
        clock=running.clock,
        report=running.report,
        span=span,
    )
    for day, why in done.failed[:20]:
        running.say(f"{day} could not be had: {why.splitlines()[0]}")
    portfolio.keep_glance(running.install, int(given["source"]))
    return {"days": done.days, "rows": done.rows, "failed": len(done.failed), "flagged": done.flagged}


def _checks(running: Running) -> Mapping[str, Any]:
    given = running.job.arguments
    numbers = given.get("numbers")
    done = checks.check(
        running.install,
        int(given["source"]),
        origin=f"checks {running.job.id}",
        clock=running.clock,
        report=running.report,
        numbers=None if numbers is None else [int(number) for number in numbers],
    )
    for term, why in list(done.failed.items())[:20]:
        running.say(f"{term} could not be looked up: {why}")
    for doubt in done.doubts[:20]:
        running.say(doubt)
    return {"due": done.due, "found": done.found, "failed": len(done.failed), "waiting": done.waiting}


def _day(given: Mapping[str, Any], name: str) -> date | None:
    text = given.get(name)
    return date.fromisoformat(text) if text else None


def _import(running: Running) -> Mapping[str, Any]:
    given = running.job.arguments
    done = files.run_import(running.install, running.job.id, given, running.clock, running.report)
    if done.rejected:
        running.say(f"{done.rejected} rows were rejected; the first: {done.rejects[0].reason}")
    return files.done_of(done)


def _watch(install: Install, now: datetime) -> None:
    files.watch(install, now)


def _export(running: Running) -> Mapping[str, Any]:
    return export_jobs.run(running.install, running.job.id, running.job.arguments, running.report, running.clock())


def _hand_over(running: Running) -> Mapping[str, Any]:
    return export_jobs.hand_over(running.install, running.job.id, str(running.job.arguments["site"]), running.clock())


def _verify(running: Running) -> Mapping[str, Any]:
    given = running.job.arguments
    found = integrity.verify(running.install, given.get("site"), running.step)
    for each in found.findings[:50]:
        running.say(integrity.sentence(each))
    mended = (
        integrity.repair(running.install, found, running.clock()) if given.get("repair") and found.findings else None
    )
    return integrity.result(found, mended)


def _backup(running: Running) -> Mapping[str, Any]:
    settings = running.install.settings
    if settings.backup_to is None:
        raise Nonsense("no-backup-folder", "No folder for backups is set.", where="backup_to")
    made = backup.back_up(running.install, settings.backup_to, running.clock(), told=running.step)
    gone = backup.prune(settings.backup_to, settings.backup_keep)
    return {"path": str(made), "pruned": len(gone)}


def _due_reports(running: Running) -> Mapping[str, Any]:
    anyway = running.job.arguments.get("anyway")
    done = slots.run(running.install, running.clock, running.report, None if anyway is None else int(anyway))
    return asdict(done)


def _deliver(running: Running) -> Mapping[str, Any]:
    return asdict(sending.run(running.install, running.clock, running.report))


def _tell(running: Running) -> Mapping[str, Any]:
    return webhooks.run(running.install, running.clock, running.report)


def _look(running: Running) -> Mapping[str, Any]:
    site = running.job.arguments.get("site")
    return alerts.look(running.install, running.clock(), running.report, site).model_dump()


def _digests(running: Running) -> Mapping[str, Any]:
    return digests.run(running.install, running.clock, running.report).model_dump()


def _nightly(install: Install, now: datetime) -> None:
    """Queue the night's backup, and let go of what clients do not keep, when the hour has come."""
    nightly.tick(install, now)


JOB_TYPES: dict[str, JobType] = {
    "pull": JobType(_pull),
    "checks": JobType(_checks),
    "import": JobType(_import, _watch),
    "export": JobType(_export),
    "hand-over": JobType(_hand_over),
    "verify": JobType(_verify),
    "backup": JobType(_backup, _nightly),
    slots.JOB: JobType(_due_reports, slots.tick),
    sending.JOB: JobType(_deliver),
    webhooks.JOB: JobType(_tell, webhooks.tick),
    alerts.JOB: JobType(_look),
    digests.JOB: JobType(_digests, digests.tick),
}
