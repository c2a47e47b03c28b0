"""The mail sink, in a process of its own, and what it has kept."""

from __future__ import annotations

import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from email import message_from_bytes, policy
from email.message import EmailMessage
from pathlib import Path


class Boxes:
    """Mails by their recipients."""

    def __init__(self, folder: Path, port: int, *more: str) -> None:
        self.folder, self.port = folder, port
        command = [sys.executable, "-m", "noctilum.standins.mail_sink", "--port", str(self.port)]
        self.process = subprocess.Popen([*command, "--folder", str(folder), *more], stderr=subprocess.DEVNULL)
        for _ in range(200):
            try:
                socket.create_connection(("127.0.0.1", self.port), timeout=1).close()
                return
            except OSError:
                time.sleep(0.05)
        raise TimeoutError

    def mails(self, address: str = "*") -> list[EmailMessage]:
        return [
            message_from_bytes(path.read_bytes(), policy=policy.default)  # type: ignore[misc]
            for path in sorted(self.folder.glob(f"{address}/*.eml"))
        ]


@contextmanager
def sinking(folder: Path, *more: str) -> Iterator[Boxes]:
    """A mail sink for a while."""
    from tests.conftest import free_port

    found = Boxes(folder, free_port(), *more)
    try:
        yield found
    finally:
        found.process.terminate()
        found.process.wait(10)
