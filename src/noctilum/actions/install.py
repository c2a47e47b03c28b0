"""One install: its folder, its records, its keys and its histories."""

from __future__ import annotations

import os
from pathlib import Path
from threading import Lock

from cryptography.fernet import Fernet, InvalidToken

from noctilum.actions.settings import Settings
from noctilum.core.errors import StoreFault
from noctilum.history import AnswerCache, ColumnCache, History
from noctilum.records.database import Records

__all__ = ["Install", "Settings"]


class Install:
    """Open an install's folder. Safe to share between threads."""

    def __init__(self, settings: Settings) -> None:
        self.settings = settings
        self.records = Records(settings.data / "records.db")
        self._histories: dict[int, History] = {}
        self._cache = ColumnCache(settings.cache_mb << 20)
        self._answers = AnswerCache(settings.answers_mb << 20)
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
        path = self.history_path(site_id)
        with self._lock:
            found = self._histories.get(site_id)
            if found is not None and not found.is_at(path):
                self._histories.pop(site_id).close()
                found = None
            if found is None:
                found = self._histories[site_id] = History(
                    path, create=create, cache=self._cache, answers=self._answers
                )
            return found

    def history_path(self, site_id: int) -> Path:
        """Say where a site's history lies."""
        return self.settings.data / "history" / f"{site_id}.db"

    def glance_path(self, site_id: int) -> Path:
        """Say where a site's row of the portfolio is kept."""
        return self.settings.data / "history" / f"{site_id}.glance"

    def history_numbers(self) -> list[int]:
        """List the sites that have a history file, by number."""
        found = (self.settings.data / "history").glob("*.db")
        return sorted(int(path.stem) for path in found if path.stem.isdigit())

    def let_go(self, site_id: int) -> None:
        """Close a site's history, as before its file is taken away."""
        with self._lock:
            found = self._histories.pop(site_id, None)
        if found:
            found.close()

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
