"""Ending with whoever started this process: a supervisor that is killed leaves nobody behind who holds its port."""

from __future__ import annotations

import os
import signal
import threading
import time

EVERY_SECONDS = 1.0


def end_with_parent() -> None:
    """Watch the parent from a thread; when it is gone, end this process as if told to stop."""
    parent = os.getppid()

    def _watch() -> None:
        while os.getppid() == parent:
            time.sleep(EVERY_SECONDS)
        os.kill(os.getpid(), signal.SIGTERM)

    threading.Thread(target=_watch, daemon=True, name="watch-parent").start()
