"""One install: its folder, its records, its keys and its histories."""

from __future__ import annotations

import os
from contextlib import suppress
from pathlib import Path
from threading import Lock

from cryptography.fernet import Fernet, InvalidToken
from sqlalchemy.exc import SQLAlchemyError

from noctilum.actions.settings import Settings
from noctilum.core.errors import Clash, StoreFault, worded
from noctilum.history import AnswerCache, ColumnCache, History
from noctilum.records.database import Records, fault_of

__all__ = ["Install", "Settings"]


class Install:
    """Open an install's folder. Safe to share between threads. What its process writes from then on is private."""

    def __init__(self, settings: Settings) -> None:
        os.umask(0o077)
        self.settings = settings
        self.records = Records(settings.data / "records.db")
        self._histories: dict[int, History] = {}
        self._cache = ColumnCache(settings.cache_mb << 20)
        self._answers = AnswerCache(settings.answers_mb << 20)
        self._lock = Lock()

    def prepare(self) -> None:
        """Lay a new folder out, or bring one that is there to the newest shape.

        Keys are made with a new folder and never again: one that is lost is told, not put in place of by another.
        """
        settings = self.settings
        is_new = not self.records.path.exists()
        try:
            settings.data.mkdir(parents=True, exist_ok=True)
            with suppress(PermissionError):
                settings.data.chmod(0o700)
            (settings.data / "history").mkdir(exist_ok=True)
            (settings.data / "keys").mkdir(exist_ok=True)
            if is_new:
                _make_key(self.key_path)
        except OSError as why:
            raise StoreFault(
                "folder-unusable",
                worded("The data folder cannot be used: {strerror}.", strerror=why.strerror),
                where=str(settings.data),
            ) from why
        try:
            self.records.migrate()
        except SQLAlchemyError as why:
            raise fault_of(why, self.records.path) or why from why

    def make_key(self) -> None:
        """Make the key anew that was lost; raises Clash while there is one."""
        if self.key_path.exists():
            raise Clash("key-there", "There is a key.", where=str(self.key_path), remedy="leave it: secrets need it")
        self.key_path.parent.mkdir(exist_ok=True)
        _make_key(self.key_path)

    @property
    def key_path(self) -> Path:
        """Where the key lies that seals secrets."""
        return self.settings.data / "keys" / "secrets"

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

    @property
    def places_path(self) -> Path:
        """Where the agency's own places lie, if it has any."""
        return self.settings.data / "places.csv"

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
                where=str(self.key_path),
                remedy="restore the key from a backup, or enter the secret again",
            ) from why

    def _fernet(self) -> Fernet:
        try:
            return Fernet(self.key_path.read_bytes())
        except (OSError, ValueError) as why:
            raise StoreFault(
                "key-missing",
                "The key that opens the kept secrets is gone, or is no key.",
                where=str(self.key_path),
                remedy="put it back from a backup that holds the keys",
            ) from why


def _make_key(path: Path) -> None:
    try:
        handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    except FileExistsError:
        return
    with os.fdopen(handle, "wb") as stream:
        stream.write(Fernet.generate_key())
