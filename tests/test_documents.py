"""Documents that cannot lie: OpenAPI, README, screenshots, references, the wheel."""

import re
import shlex
import subprocess
import sys
import zipfile
from pathlib import Path

import pytest

from noctilum.cli.commands import COMMANDS
from noctilum.cli.main import build_parser
from noctilum.wire.catalogue import READINGS
from noctilum.wire.columns import columns_of
from noctilum.wire.specs import resolved

ROOT = Path(__file__).parents[1]
README = (ROOT / "README.md").read_text()


def test_the_consoles_openapi_document_is_the_services():
    made = subprocess.run([sys.executable, ROOT / "tools/openapi.py"], capture_output=True, check=True).stdout
    assert (ROOT / "console/openapi.json").read_bytes() == made, "run make types"


def test_what_is_made_from_the_readings_is_as_it_would_be_made():
    done = subprocess.run([sys.executable, ROOT / "tools/readings.py", "--check"], check=False)
    assert done.returncode == 0, "run make readings"


def test_every_reading_names_functions_that_are_there_and_columns_that_it_shows():
    for spec in READINGS:
        assert callable(resolved(spec.make))
        assert spec.say == "" or callable(resolved(spec.say))
        for table in ("", *spec.tables):
            assert all(column.how or len(column.title) < 20 for column in spec.shown(table))


def test_every_explanation_that_the_console_asks_for_is_one_of_a_column():
    named = set()
    for path in (ROOT / "console/src").rglob("*.tsx"):
        named |= set(re.findall(r'(?:how|of)="([a-z-]+\.[a-z_]+)"', path.read_text()))
    known = {
        f"{spec.name}.{column.name}"
        for spec in READINGS
        for columns in (columns_of(spec.answer), *(spec.columns(table) for table in ("", *spec.tables)))
        for column in columns
    }
    assert len(named) > 30
    assert named - known == set()


def test_every_noctilum_command_in_the_readme_parses():
    lines = re.findall(r"^noctilum (.+?)(?:\s+#.*)?$", README, flags=re.M)
    assert len(lines) > 12
    for line in lines:
        words = shlex.split(line.replace(" &", ""))
        build_parser(words[0]).parse_args(words)


def test_every_picture_is_there_and_linked():
    linked = set(re.findall(r"docs/screenshots/([\w-]+\.png)", README))
    assert linked == {path.name for path in (ROOT / "docs/screenshots").glob("*.png")}
    assert 0 < len(linked) < 20


def test_every_linked_file_is_there():
    for page in [ROOT / "README.md", ROOT / "CONTRIBUTING.md"]:
        for target in re.findall(r"\]\((?!https?:|#)([^)#]+)", page.read_text()):
            assert (page.parent / target).exists(), target


@pytest.mark.parametrize("name", COMMANDS)
def test_every_command_explains_itself(name, capsys):
    with pytest.raises(SystemExit):
        build_parser(name).parse_args([name, "--help"])
    said = capsys.readouterr().out
    assert COMMANDS[name].help.capitalize() in said
    assert "None" not in said


def test_the_machines_clock_is_asked_in_one_place():
    asks = re.compile(r"datetime\.now\(|datetime\.utcnow\(|date\.today\(")
    rooms = (path for path in (ROOT / "src/noctilum").rglob("*.py") if path.parent.name not in ("standins", "testing"))
    assert {path.name for path in rooms if asks.search(path.read_text())} == {"machine_time.py"}


def test_every_room_states_its_law():
    for room in (ROOT / "src/noctilum").iterdir():
        if (room / "__init__.py").exists() and room.name != "testing":
            assert "\n\nLaw: " in (room / "__init__.py").read_text(), room.name


@pytest.mark.parametrize(
    "part", ["noctilum/service/console/index.html", "noctilum/reports/templates/search_report.html"]
)
def test_the_wheel_holds_the_console_and_templates(tmp_path_factory, part):
    folder = tmp_path_factory.getbasetemp() / "wheel"
    if not folder.exists():
        subprocess.run([ROOT / ".tools/bin/uv", "build", "-q", "--wheel", "-o", folder], cwd=ROOT, check=True)
    names = zipfile.ZipFile(next(folder.glob("*.whl"))).namelist()
    assert part in names
    assert any(name.startswith("noctilum/service/console/assets/") for name in names)
    assert any(name.endswith("0001_first_records.py") for name in names)
