"""The application that gunicorn loads; the environment names its install."""

from __future__ import annotations

import importlib
import os
import threading
from typing import Any

from noctilum.actions.install import Install
from noctilum.actions.settings import settings_from
from noctilum.service import logs


def open_install() -> Install:
    """Open the install that the environment names."""
    install = Install(settings_from(os.environ))
    install.prepare()
    return install


def __getattr__(name: str) -> Any:
    """Make the application when it is first asked for, so that importing this module opens nothing."""
    if name != "app":
        raise AttributeError(name)
    from noctilum.service.app import create_app

    logs.configure(settings_from(os.environ).log_level)
    threading.Thread(target=_warm, daemon=True).start()
    return create_app(open_install())


def _warm() -> None:
    """Find the fonts ahead of the first report, as that takes seconds."""
    importlib.import_module("noctilum.reports.pdf").warm()
