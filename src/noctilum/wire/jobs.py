"""What jobs come to, by their names."""

from __future__ import annotations

from collections.abc import Mapping

from pydantic import BaseModel, Field

from noctilum.wire.alerts import LookedAt
from noctilum.wire.base import Wire
from noctilum.wire.digests import DigestsMade
from noctilum.wire.imports import ImportDone
from noctilum.wire.operating import VerifyDone


class PullDone(Wire):
    """What a pull came to."""

    days: int = Field(description="Fetched and kept")
    rows: int
    failed: int = Field(description="Days that could not be had")
    flagged: int = Field(description="Days whose sums differ from what the provider promised")


class ChecksDone(Wire):
    """What looking keywords up came to."""

    due: int
    found: int = Field(description="Looked up and kept")
    failed: int = Field(description="Could not be looked up; due again with the next run")
    waiting: int = Field(description="Beyond what may be looked up this month")


class FileMade(Wire):
    """The file that an export or a hand-over made; fetch it from the job."""

    file: str
    rows: int | None = None
    bytes: int


class BackupDone(Wire):
    """The backup that was made."""

    path: str
    pruned: int = Field(description="Older ones that went")


class DueMade(Wire):
    """What a run over all reports that were due came to."""

    made: int = Field(description="Drafted, to be signed off")
    waiting: int = Field(description="Waiting for days of their window")
    failed: int = Field(description="Could not be made; tried again later")
    sent: int = Field(description="Signed off by themselves and on their way")


class Delivered(Wire):
    """What a run of handing mail over came to."""

    sent: int
    refused: int = Field(description="The server wants them never")
    later: int = Field(description="Not taken this time; tried again")
    held: int = Field(description="In doubt since the last run; a person has to say")


class Told(Wire):
    """What a run of telling webhooks came to."""

    told: int
    later: int = Field(description="Not taken this time; tried again")


RESULTS: Mapping[str, type[BaseModel]] = {
    "pull": PullDone,
    "checks": ChecksDone,
    "import": ImportDone,
    "export": FileMade,
    "hand-over": FileMade,
    "verify": VerifyDone,
    "backup": BackupDone,
    "due-reports": DueMade,
    "deliver": Delivered,
    "webhooks": Told,
    "alerts": LookedAt,
    "digests": DigestsMade,
}
"""The model of each job's result; a job that is not done has none."""
