"""The records in SQLite keep the contract of every store, and nothing else speaks of SQLite."""

import ast
from pathlib import Path

import pytest
from alembic import command
from alembic.config import Config
from alembic.script import ScriptDirectory
from sqlalchemy import select, text
from tests.conftest import NOW

import noctilum
from noctilum import sqlite_files
from noctilum.records.database import Records, newest_shape
from noctilum.records.models import Base, Client
from noctilum.testing.stores import RecordsContract

ROOT = Path(noctilum.__file__).parent
SEAM = {"sqlite_files.py", "records/sqlite.py", "history/sqlite.py"}
"""The modules that know which database it is."""
SPOKEN = ("PRAGMA", "INSERT OR", "OR REPLACE", "BEGIN IMMEDIATE", "sqlite_master", "VACUUM", "ON CONFLICT")


class TestSqlite(RecordsContract):
    @pytest.fixture
    def records(self, tmp_path):
        found = Records(tmp_path / "records.db")
        found.migrate()
        yield found
        found.close()

    @pytest.fixture
    def reopened(self, records):
        return lambda: Records(records.path)


def test_every_table_keeps_its_promise_to_give_no_number_again(tmp_path):
    records = Records(tmp_path / "records.db")
    records.migrate()
    promised = {
        name for name, table in Base.metadata.tables.items() if table.dialect_options["sqlite"]["autoincrement"]
    }
    with records.read() as db:
        asked = text("SELECT name FROM sqlite_master WHERE sql LIKE '%AUTOINCREMENT%'")
        assert set(db.scalars(asked)) == promised
    records.close()


def test_the_newest_shape_is_the_end_of_the_steps_and_records_that_have_it_take_none(tmp_path, monkeypatch):
    config = Config()
    config.set_main_option("script_location", str(ROOT / "records/migrations"))
    assert newest_shape() == ScriptDirectory.from_config(config).get_current_head()
    records = Records(tmp_path / "records.db")
    records.migrate()
    steps = []
    monkeypatch.setattr(command, "upgrade", lambda _config, shape: steps.append(shape))
    records.migrate()
    assert steps == []
    with records.begin() as db:
        db.execute(text("UPDATE alembic_version SET version_num = '0002'"))
    records.migrate()
    assert steps == ["head"]
    records.close()


def test_what_is_put_together_for_one_file_serves_the_next_and_answers_from_it_alone(tmp_path):
    first, second = (Records(tmp_path / name) for name in ("one.db", "two.db"))
    for records, name in ((first, "Brinepot"), (second, "Skerry Ferries")):
        records.migrate()
        with records.begin() as db:
            db.add(Client(key="client", name=name, created_at=NOW))
    asked = select(Client.name).where(Client.key == "client")
    with first.read() as db:
        assert list(db.scalars(asked)) == ["Brinepot"]
    put_together = set(sqlite_files._PUT_TOGETHER)
    with second.read() as db:
        assert list(db.scalars(asked)) == ["Skerry Ferries"]
    assert set(sqlite_files._PUT_TOGETHER) == put_together
    first.close()
    second.close()


def modules():
    for path in sorted(ROOT.rglob("*.py")):
        name = path.relative_to(ROOT).as_posix()
        if name not in SEAM and "migrations/" not in name:
            yield name, ast.parse(path.read_text())


def imported(tree: ast.AST) -> set[str]:
    found = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            found.add(node.module)
    return found


def test_only_the_seam_knows_the_database():
    for name, tree in modules():
        strange = {module for module in imported(tree) if module == "sqlite3" or "dialects" in module}
        assert not strange, f"{name} imports {strange}"
        for node in ast.walk(tree):
            if isinstance(node, ast.Constant) and isinstance(node.value, str):
                assert not any(word in node.value for word in SPOKEN), f"{name} line {node.lineno}: {node.value[:60]!r}"
            if isinstance(node, ast.Attribute):
                assert node.attr not in ("exec_driver_sql", "driver_connection"), f"{name} line {node.lineno}"
