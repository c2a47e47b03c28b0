"""The job worker as a process of its own."""

from __future__ import annotations

from noctilum.service.serve import work

if __name__ == "__main__":
    work()
