"""One install: its folder, its records, its keys and its histories."""

from __future__ import annotations

import os
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from threading import Lock

from cryptography.fernet import Fernet, InvalidToken

from noctilum.core.errors import Nonsense, StoreFault
from noctilum.history import ColumnCache, History
from noctilum.records.database import Records


@dataclass(frozen=True)
class Settings:
    """Hold what an install is told. data: its one folder."""

    data: Path
    host: str = "127.0.0.1"
    port: int = 8417
    web_workers: int = 2
    web_threads: int = 4
    pull_concurrency: int = 4
    per_provider: int = 2
    jobs_at_once: int = 2
    most_upload: int = 8 << 30
    https: bool = False
    agency: str = "the agency"


SETTINGS_FROM_ENVIRONMENT = {
    "NOCTILUM_DATA": "data",
    "NOCTILUM_HOST": "host",
    "NOCTILUM_PORT": "port",
    "NOCTILUM_WEB_WORKERS": "web_workers",
    "NOCTILUM_WEB_THREADS": "web_threads",
    "NOCTILUM_PULL_CONCURRENCY": "pull_concurrency",
    "NOCTILUM_HTTPS": "https",
    "NOCTILUM_AGENCY": "agency",
}
"""Environment variable → setting."""


def settings_from(environment: Mapping[str, str], **given: object) -> Settings:
    """Read settings from the environment; given values win. Raises Nonsense naming the variable at fault."""
    values: dict[str, object] = {"data": Path("noctilum-data")}
    for variable, name in SETTINGS_FROM_ENVIRONMENT.items():
        if variable in environment:
            values[name] = _setting(variable, name, environment[variable])
    values.update({name: value for name, value in given.items() if value is not None})
    return Settings(**values)  # type: ignore[arg-type]


def environment_of(settings: Settings) -> dict[str, str]:
    """Write settings as environment variables, for child processes."""
    found = {variable: str(getattr(settings, name)) for variable, name in SETTINGS_FROM_ENVIRONMENT.items()}
    return found | {"NOCTILUM_DATA": str(settings.data.absolute())}


def _setting(variable: str, name: str, text: str) -> object:
    if name == "data":
        return Path(text)
    if name == "https":
        return text.lower() in ("1", "true", "yes")
    if name in ("host", "agency"):
        return text
    if not text.isdigit() or int(text) < 1:
        raise Nonsense("setting-unusable", f"{text!r} is not a whole number above 0.", where=variable)
    return int(text)


class Install:
    """Open an install's folder. Safe to share between threads."""

    def __init__(self, settings: Settings) -> None:
        self.settings = settings
        self.records = Records(settings.data / "records.db")
        self._histories: dict[int, History] = {}
        self._cache = ColumnCache()
        self._lock = Lock()

    def prepare(self) -> None:
        """Lay out the folder, or bring it to the newest shape."""
        settings = self.settings
        try:
            (settings.data / "history").mkdir(parents=True, exist_ok=True)
            (settings.data / "keys").mkdir(mode=0o700, exist_ok=True)
            for name in ("secrets", "sessions"):
                _make_key(settings.data / "keys" / name)
        except OSError as why:
            raise StoreFault(
                "folder-unusable", f"The data folder cannot be used: {why.strerror}.", where=str(settings.data)
            ) from why
        self.records.migrate()

    def history(self, site_id: int, *, create: bool = False) -> History:
        """Open a site's history; raises NotThere when nothing is held and create is False."""
        with self._lock:
            if site_id not in self._histories:
                path = self.settings.data / "history" / f"{site_id}.db"
                self._histories[site_id] = History(path, create=create, cache=self._cache)
            return self._histories[site_id]

    def close(self) -> None:
        """Let go of every file."""
        for history in self._histories.values():
            history.close()
        self._histories.clear()
        self.records.close()

    def session_key(self) -> bytes:
        """The key that signs the console's cookie."""
        return (self.settings.data / "keys" / "sessions").read_bytes()

    def seal(self, secret: str) -> bytes:
        """Encrypt a secret for keeping (Fernet)."""
        return self._fernet().encrypt(secret.encode())

    def unseal(self, sealed: bytes) -> str:
        """Decrypt a kept secret; raises StoreFault when the key does not fit."""
        try:
            return self._fernet().decrypt(sealed).decode()
        except InvalidToken as why:
            raise StoreFault(
                "secret-locked",
                "A kept secret cannot be decrypted: the key has changed.",
                where=str(self.settings.data / "keys" / "secrets"),
                remedy="restore the key from a backup, or enter the secret again",
            ) from why

    def _fernet(self) -> Fernet:
        return Fernet((self.settings.data / "keys" / "secrets").read_bytes())


def _make_key(path: Path) -> None:
    try:
        handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    except FileExistsError:
        return
    with os.fdopen(handle, "wb") as stream:
        stream.write(Fernet.generate_key())
