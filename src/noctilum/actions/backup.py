"""Backups: a copy of the whole install as it is at one moment, checked, and taken back."""

from __future__ import annotations

import json
import os
import re
import secrets
import shutil
import tarfile
import tempfile
from base64 import urlsafe_b64encode
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from hashlib import blake2b, scrypt
from pathlib import Path

from cryptography.fernet import Fernet, InvalidToken

from noctilum import __version__, sqlite_files
from noctilum.actions.install import Install
from noctilum.core.errors import Clash, Nonsense, NotThere, StoreFault, worded
from noctilum.sqlite_files import common_fault
from noctilum.wire.plain_text import cleaned

STAMP = "%Y-%m-%dT%H-%M-%SZ"
PREFIX = "noctilum-"
FORM = 2
SEALED_KEY = "keys/secrets.sealed"
SHORTEST_PASSPHRASE = 12
_FILE = re.compile(r"records\.db|places\.csv|history/\d{1,18}\.db|keys/(secrets|sessions|secrets\.sealed)", re.ASCII)
"""What a backup holds; older ones hold keys as they are."""
_MEMBER = re.compile(rf"\.?/?(manifest\.json|history|keys|{_FILE.pattern})", re.ASCII)
_WORK = {"n": 2**15, "r": 8, "p": 1}
"""The cost of trying a passphrase (scrypt, RFC 7914)."""


@dataclass(frozen=True)
class Manifest:
    """Say what a backup holds. files: path → (bytes, BLAKE2b digest)."""

    form: int
    version: str
    made_at: str
    keys: bool
    files: dict[str, tuple[int, str]]

    @property
    def size(self) -> int:
        """Bytes of all files."""
        return sum(size for size, _ in self.files.values())


def back_up(
    install: Install,
    to: Path,
    now: datetime,
    *,
    single_file: bool = False,
    keys: bool = False,
    passphrase: str = "",
    told: Callable[[str], None] = lambda _: None,
) -> Path:
    """Copy the install while it runs; returns the backup's folder, or its one file.

    Every file is copied as it is at one moment, so that a pull meanwhile leaves whole days or none.
    Records come first: a site added meanwhile is in neither. The keys are only in it when asked for, sealed by a
    passphrase; without them the feeds' secrets have to be entered again. All of it is private to this user.
    """
    if keys and len(passphrase) < SHORTEST_PASSPHRASE:
        raise Nonsense(
            "passphrase-short",
            worded(
                "Keys go into a backup sealed by a passphrase of at least {shortest_passphrase} characters.",
                shortest_passphrase=SHORTEST_PASSPHRASE,
            ),
            where="passphrase",
            remedy="give one, or leave the keys out and keep them elsewhere",
        )
    os.umask(0o077)
    to.mkdir(parents=True, exist_ok=True)
    name = f"{PREFIX}{now.astimezone(UTC):{STAMP}}"
    final = to / (f"{name}.tar" if single_file else name)
    if final.exists():
        raise Clash("backup-exists", worded("There is a backup {name} already.", name=final.name), where=str(to))
    work = Path(tempfile.mkdtemp(prefix=".partial-", dir=to))
    try:
        manifest = _copied(install, work, now, passphrase if keys else "", told)
        (work / "manifest.json").write_text(json.dumps(asdict(manifest), indent=2))
        if single_file:
            _pack(work, final)
        else:
            work.rename(final)
    except OSError as why:
        raise common_fault(why, to) or StoreFault(
            "backup-failed",
            worded("The backup could not be written: {strerror}.", strerror=why.strerror),
            where=str(to),
            remedy="check the disk",
        ) from why
    finally:
        shutil.rmtree(work, ignore_errors=True)
    return final


def _copied(install: Install, work: Path, now: datetime, passphrase: str, told: Callable[[str], None]) -> Manifest:
    told("records")
    install.records.copy_to(work / "records.db")
    for number in install.history_numbers():
        told(f"history of site {number}")
        install.history(number).copy_to(work / "history" / f"{number}.db")
    if install.places_path.exists():
        shutil.copyfile(install.places_path, work / install.places_path.name)
    if passphrase:
        (work / "keys").mkdir()
        (work / SEALED_KEY).write_bytes(sealed_by(passphrase, install.key_path.read_bytes()))
    files = {
        str(p.relative_to(work)): (p.stat().st_size, file_digest(p)) for p in sorted(work.rglob("*")) if p.is_file()
    }
    return Manifest(FORM, __version__, now.astimezone(UTC).isoformat(timespec="seconds"), bool(passphrase), files)


def sealed_by(passphrase: str, content: bytes) -> bytes:
    """Seal bytes by a passphrase: scrypt (RFC 7914) of it with a fresh salt is the key of a Fernet token."""
    salt = secrets.token_bytes(16)
    return salt + _box(passphrase, salt).encrypt(content)


def unsealed_by(passphrase: str, sealed: bytes) -> bytes:
    """Open what a passphrase sealed; raises Nonsense for another one."""
    try:
        return _box(passphrase, sealed[:16]).decrypt(sealed[16:])
    except InvalidToken as why:
        raise Nonsense("passphrase-wrong", "The passphrase does not open the keys.", where="passphrase") from why


def _box(passphrase: str, salt: bytes) -> Fernet:
    key = scrypt(passphrase.encode(), salt=salt, dklen=32, maxmem=1 << 26, **_WORK)
    return Fernet(urlsafe_b64encode(key))


def file_digest(path: Path) -> str:
    """Digest a file's bytes (BLAKE2b, 32 hex digits)."""
    with path.open("rb") as stream:
        found = blake2b(digest_size=16)
        while piece := stream.read(1 << 20):
            found.update(piece)
    return found.hexdigest()


def _pack(work: Path, final: Path) -> None:
    partial = final.with_suffix(".partial")
    with tarfile.open(partial, "w") as tar:
        for path in sorted(work.iterdir()):
            tar.add(path, path.name)
    partial.rename(final)


def backups(folder: Path) -> list[tuple[datetime, Path]]:
    """List the backups in a folder, oldest first."""
    found = []
    for path in folder.glob(f"{PREFIX}*"):
        stamp = path.name.removeprefix(PREFIX).removesuffix(".tar")
        try:
            found.append((datetime.strptime(stamp, STAMP).replace(tzinfo=UTC), path))
        except ValueError:
            continue
    return sorted(found)


def prune(folder: Path, keep: int) -> list[Path]:
    """Delete all but the newest backups of a folder; returns those deleted."""
    if keep < 1:
        raise Nonsense("keep-unusable", "At least one backup must be kept.", where="--keep")
    old = [path for _, path in backups(folder)[:-keep]]
    for path in old:
        shutil.rmtree(path) if path.is_dir() else path.unlink()
    return old


def choose(folder: Path, at: datetime | None) -> Path:
    """Find the backup to restore: a backup itself, or the newest of a folder that is not after a moment."""
    if (folder / "manifest.json").exists() or folder.suffix == ".tar":
        return folder
    fitting = [path for made, path in backups(folder) if at is None or made <= at]
    if not fitting:
        when = f" from before {at:%Y-%m-%d %H:%M}" if at else ""
        raise NotThere(
            "no-backup",
            worded("There is no backup{when} in {folder}.", when=when, folder=folder),
            remedy="make one with `noctilum backup`",
        )
    return fitting[-1]


def restore(
    backup: Path, data: Path, now: datetime, *, replace: bool = False, passphrase: str = ""
) -> tuple[Manifest, Path | None]:
    """Take a backup back into a data folder; returns its manifest and where what was there before is kept.

    The backup is checked to the last byte first, and holds nothing but what backups hold. A folder that holds an
    install is only replaced when told to, and then moved aside, not deleted. Stop the service before.
    """
    os.umask(0o077)
    with _unpacked(backup, data.parent) as source:
        manifest = check(source)
        key = _key_of(source, manifest, passphrase)
        occupied = (data / "records.db").exists()
        if occupied and not replace:
            raise Clash(
                "folder-occupied",
                worded("{data} holds an install already.", data=data),
                remedy="restore into another folder with --data, or replace it with --replace; it is moved aside",
            )
        aside = data.with_name(f"{data.name}.before-{now.astimezone(UTC):{STAMP}}") if data.exists() else None
        fresh = Path(tempfile.mkdtemp(prefix=".restoring-", dir=data.absolute().parent))
        for name in manifest.files:
            if name != SEALED_KEY:
                (fresh / name).parent.mkdir(parents=True, exist_ok=True)
                shutil.copyfile(source / name, fresh / name)
        if key:
            (fresh / "keys").mkdir(exist_ok=True)
            (fresh / "keys" / "secrets").write_bytes(key)
        if aside:
            data.rename(aside)
        fresh.rename(data)
    return manifest, aside


def _key_of(source: Path, manifest: Manifest, passphrase: str) -> bytes:
    """Open the key that came with a backup; nothing where none did. Older backups hold it as it is."""
    if SEALED_KEY not in manifest.files:
        return b""
    if not passphrase:
        raise Nonsense(
            "passphrase-missing",
            "The keys in this backup are sealed by a passphrase.",
            where="NOCTILUM_PASSPHRASE",
            remedy="give it, or restore without the keys",
        )
    return unsealed_by(passphrase, (source / SEALED_KEY).read_bytes())


@contextmanager
def _unpacked(backup: Path, near: Path) -> Iterator[Path]:
    if backup.is_dir():
        yield backup
        return
    near.mkdir(parents=True, exist_ok=True)
    folder = Path(tempfile.mkdtemp(prefix=".unpacked-", dir=near.absolute()))
    try:
        with tarfile.open(backup, "r:") as tar:
            tar.extractall(folder, members=_known_members(tar), filter="data")
        yield folder
    except (tarfile.TarError, EOFError, OSError) as why:
        raise common_fault(why, near) or StoreFault(
            "backup-unreadable", worded("{name} is no backup: {why}.", name=backup.name, why=why), where=str(backup)
        ) from why
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _known_members(tar: tarfile.TarFile) -> Iterator[tarfile.TarInfo]:
    """Give the members that a backup has; raises StoreFault for any other."""
    for member in tar:
        if not (member.isfile() or member.isdir()) or not _MEMBER.fullmatch(member.name):
            raise StoreFault(
                "backup-unreadable", worded("It holds {name!r}, which no backup has.", name=cleaned(member.name, 80))
            )
        yield member


def check(backup: Path) -> Manifest:
    """Check that a backup is whole; raises StoreFault naming the first file that is not."""
    try:
        manifest = _manifest((backup / "manifest.json").read_text())
    except (OSError, ValueError, TypeError, KeyError, AttributeError, RecursionError) as why:
        raise StoreFault(
            "backup-unreadable", worded("{name} has no readable manifest.", name=backup.name), where=str(backup)
        ) from why
    if manifest.form > FORM:
        raise StoreFault(
            "backup-newer",
            worded("{name} was made by version {version}.", name=backup.name, version=manifest.version),
            remedy="use that one",
        )
    for name, (size, digest) in manifest.files.items():
        path = backup / name
        if path.is_symlink() or not path.is_file() or path.stat().st_size != size or file_digest(path) != digest:
            raise StoreFault(
                "backup-damaged",
                worded("{name} in {name2} is not what was backed up.", name=name, name2=backup.name),
                remedy="use an older backup",
            )
    for name in manifest.files:
        if name.endswith(".db"):
            _check_database(backup / name)
    return manifest


def _manifest(text: str) -> Manifest:
    """Read a manifest; raises ValueError, KeyError or TypeError for what is none, or names what no backup has."""
    found = json.loads(text)
    files = {str(name): (int(size), str(digest)) for name, (size, digest) in found["files"].items()}
    for name in files:
        if not _FILE.fullmatch(name):
            raise ValueError(f"it names {name[:80]!r}")
    return Manifest(int(found["form"]), str(found["version"]), str(found["made_at"]), bool(found["keys"]), files)


def _check_database(path: Path) -> None:
    said = sqlite_files.examined(path, still=True)
    if said != sqlite_files.SOUND:
        raise StoreFault(
            "backup-damaged",
            worded("{name} in the backup is damaged: {said}.", name=path.name, said=said),
            where=str(path),
        )
