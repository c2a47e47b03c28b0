"""The error tree. Every error says what is wrong, where, why, and what to do.

Fault                      anything Noctilum can explain
├── Nonsense               the asker's input cannot be used            (HTTP 400, exit 2)
├── NotThere               what was named does not exist               (HTTP 404, exit 4)
├── Clash                  it would contradict something already there (HTTP 409, exit 5)
├── Refused                not signed in, or not allowed               (HTTP 401/403, exit 6)
├── TooMany                asked too often, or too much at once        (HTTP 429/503, exit 6)
├── Stopped                told to stop between two steps              (HTTP 409, exit 1)
├── FeedFault              an outside service failed or misbehaved     (HTTP 502, exit 7)
└── StoreFault             the held history is damaged or unreachable  (HTTP 500, exit 8)
    ├── DiskFull           there is no room to write                   (HTTP 507, exit 8)
    └── StoreBusy          somebody else has held it for too long      (HTTP 503, exit 8)
"""

from collections.abc import Mapping
from typing import Any


class Worded(str):
    """A sentence that keeps its message and what fills its places apart, so that other languages can say it too."""

    message: str
    filled: Mapping[str, Any]


def worded(message: str, /, **filled: Any) -> Worded:
    """Fill a message's places as str.format does.

    >>> worded("There is no site {key!r}.", key="x.example")
    "There is no site 'x.example'."
    """
    said = Worded(message.format(**filled))
    said.message, said.filled = message, filled
    return said


class Fault(Exception):
    """Carry one explained failure to whichever door has to show it.

    code: kebab-case and stable, for programs. what: one sentence for people. where: the place
    in the input or the system. remedy: what to try. Fields are plain text; secrets never enter.
    """

    status = 500
    exit_code = 1

    def __init__(self, code: str, what: str, *, where: str = "", remedy: str = "") -> None:
        super().__init__(what)
        self.code, self.what, self.where, self.remedy = code, what, where, remedy

    def __str__(self) -> str:
        place = f" — at {self.where}" if self.where else ""
        remedy = f"\n  try: {self.remedy}" if self.remedy else ""
        return f"{self.code}: {self.what}{place}{remedy}"


class Nonsense(Fault):
    """The asker's input cannot be used."""

    status, exit_code = 400, 2


class NotThere(Fault):
    """What was named does not exist."""

    status, exit_code = 404, 4


class Clash(Fault):
    """It would contradict something already there."""

    status, exit_code = 409, 5


class Refused(Fault):
    """Not signed in (401), or signed in but not allowed (403)."""

    exit_code = 6

    def __init__(
        self,
        code: str,
        what: str,
        *,
        status: int = 401,
        where: str = "",
        remedy: str = "",
    ) -> None:
        super().__init__(code, what, where=where, remedy=remedy)
        self.status = status


class TooMany(Fault):
    """Asked too often, or more than can be done at once. retry_after: seconds to wait."""

    status, exit_code = 429, 6

    def __init__(self, code: str, what: str, *, remedy: str = "", retry_after: int = 1, status: int = 429) -> None:
        super().__init__(code, what, remedy=remedy)
        self.retry_after, self.status = retry_after, status


class Stopped(Fault):
    """Told to stop between two steps; what was done by then stays."""

    status = 409

    def __init__(self, what: str = "It was told to stop.", remedy: str = "") -> None:
        super().__init__("stopped", what, remedy=remedy)


class FeedFault(Fault):
    """An outside service failed, refused or misbehaved.

    lasting: asking again later will not help until somebody changes something (a wrong secret).
    retry_after: seconds that the service asks to be left alone, when that is long.
    """

    status, exit_code = 502, 7

    def __init__(
        self,
        code: str,
        what: str,
        *,
        where: str = "",
        remedy: str = "",
        lasting: bool = False,
        retry_after: float | None = None,
    ) -> None:
        super().__init__(code, what, where=where, remedy=remedy)
        self.lasting, self.retry_after = lasting, retry_after


class StoreFault(Fault):
    """The held history is damaged or cannot be reached."""

    exit_code = 8


class DiskFull(StoreFault):
    """There is no room to write: nothing was lost, and work goes on by itself once there is."""

    status = 507

    def __init__(self, where: str = "") -> None:
        remedy = "free some, or move the data folder; what was going on continues by itself then"
        super().__init__("disk-full", "The disk is full.", where=where, remedy=remedy)


class StoreBusy(StoreFault):
    """Somebody else has held the file for too long."""

    status = 503

    def __init__(self, where: str = "") -> None:
        remedy = "try again; if it stays so, find what has it open, and run `noctilum doctor`"
        super().__init__("store-busy", "The file is held by another program.", where=where, remedy=remedy)
