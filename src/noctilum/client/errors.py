"""What can go wrong for a caller.

NoctilumFault
├── ConnectionFault   the service could not be reached
└── ProblemFault      the service answered with a problem document
"""

from __future__ import annotations

from noctilum.wire.base import Problem


class NoctilumFault(Exception):
    """Anything that went wrong between here and the service."""


class ConnectionFault(NoctilumFault):
    """The service could not be reached, or the answer was cut off."""


class ProblemFault(NoctilumFault):
    """The service said no. problem holds its RFC 9457 document."""

    def __init__(self, problem: Problem) -> None:
        super().__init__(problem.title)
        self.problem = problem

    @property
    def code(self) -> str:
        """The kebab-case code, stable for programs."""
        return self.problem.code

    @property
    def status(self) -> int:
        """The HTTP status."""
        return self.problem.status

    def __str__(self) -> str:
        place = f" — at {self.problem.where}" if self.problem.where else ""
        remedy = f"\n  try: {self.problem.remedy}" if self.problem.remedy else ""
        return f"{self.problem.code}: {self.problem.title}{place}{remedy}"
