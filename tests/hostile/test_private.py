"""What lies on the disk is private from birth; backups hold keys only sealed; restoring believes no names."""

import json
import os
import stat
import tarfile
from pathlib import Path

import pytest
from tests.conftest import NOW

from noctilum.actions import backup
from noctilum.actions.install import Install, Settings
from noctilum.core.errors import Fault, Nonsense, StoreFault

PHRASE = "seven lamps along the lane"


def modes(folder: Path) -> set[int]:
    return {stat.S_IMODE(path.lstat().st_mode) & 0o077 for path in (folder, *folder.rglob("*"))}


@pytest.fixture
def loose():
    """A user whose umask lets others look."""
    old = os.umask(0o022)
    yield
    os.umask(old)


def test_an_install_is_private_from_birth(loose, tmp_path):
    found = Install(Settings(tmp_path / "install"))
    found.prepare()
    found.close()
    assert modes(tmp_path / "install") == {0}


@pytest.mark.parametrize("single", [True, False])
def test_a_backup_is_private_and_holds_no_key_unless_asked_for(loose, install, tmp_path, single):
    made = backup.back_up(install, tmp_path / "b", NOW, single_file=single)
    assert modes(made) == {0}
    key = install.key_path.read_bytes()
    parts = [made] if single else [path for path in made.rglob("*") if path.is_file()]
    assert not any(key in path.read_bytes() for path in parts)


def test_keys_in_a_backup_are_sealed_and_open_by_the_passphrase_alone(install, tmp_path):
    made = backup.back_up(install, tmp_path / "b", NOW, keys=True, passphrase=PHRASE)
    key = install.key_path.read_bytes()
    assert not any(key in path.read_bytes() for path in made.rglob("*") if path.is_file())
    with pytest.raises(Nonsense, match="does not open"):
        backup.restore(made, tmp_path / "one", NOW, passphrase="another one")
    with pytest.raises(Nonsense, match="sealed"):
        backup.restore(made, tmp_path / "two", NOW)
    assert not (tmp_path / "one").exists()
    backup.restore(made, tmp_path / "three", NOW, passphrase=PHRASE)
    assert (tmp_path / "three" / "keys" / "secrets").read_bytes() == key
    assert modes(tmp_path / "three") == {0}


def test_a_short_passphrase_seals_nothing(install, tmp_path):
    with pytest.raises(Nonsense, match="at least"):
        backup.back_up(install, tmp_path / "b", NOW, keys=True, passphrase="short")
    assert not (tmp_path / "b").exists()


OTHERS = ["../evil.db", "/etc/evil", "history/../../evil.db", "records.db/../../x", "noctilum.toml", "history/1.db\n"]


@pytest.mark.parametrize("name", OTHERS)
def test_a_manifest_that_names_other_files_is_refused(install, tmp_path, name):
    made = backup.back_up(install, tmp_path / "b", NOW)
    manifest = json.loads((made / "manifest.json").read_text())
    (tmp_path / "evil.db").write_text("x")
    manifest["files"][name] = [1, backup.file_digest(tmp_path / "evil.db")]
    (made / "manifest.json").write_text(json.dumps(manifest))
    with pytest.raises(StoreFault, match="manifest"):
        backup.restore(made, tmp_path / "new", NOW)
    assert not (tmp_path / "new").exists()


@pytest.mark.parametrize("manifest", ["[]", "{}", '{"files": 7}', "[" * 99_999, "", '{"files": {"records.db": 1}}'])
def test_a_manifest_that_is_none_is_refused_with_words(install, tmp_path, manifest):
    made = backup.back_up(install, tmp_path / "b", NOW)
    (made / "manifest.json").write_text(manifest)
    with pytest.raises(StoreFault, match="manifest"):
        backup.restore(made, tmp_path / "new", NOW)


@pytest.mark.parametrize("kind", [tarfile.SYMTYPE, tarfile.LNKTYPE, tarfile.FIFOTYPE, tarfile.REGTYPE])
def test_a_single_file_that_holds_links_or_other_names_is_refused(tmp_path, kind):
    with tarfile.open(tmp_path / "b.tar", "w") as tar:
        member = tarfile.TarInfo("records.db" if kind != tarfile.REGTYPE else "../records.db")
        member.type, member.linkname = kind, "/etc/passwd"
        tar.addfile(member)
    with pytest.raises(Fault):
        backup.restore(tmp_path / "b.tar", tmp_path / "new", NOW)
    assert not (tmp_path / "new").exists()


def test_a_lost_key_is_told_and_not_made_anew(install):
    install.key_path.unlink()
    install.prepare()
    assert not install.key_path.exists()
    with pytest.raises(StoreFault, match="is gone"):
        install.seal("x")
    install.make_key()
    assert stat.S_IMODE(install.key_path.stat().st_mode) == 0o600
