"""The application that gunicorn loads; the environment names its install."""

from __future__ import annotations

import os
from typing import Any

from noctilum.actions.install import Install, settings_from
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

    logs.configure()
    return create_app(open_install())
