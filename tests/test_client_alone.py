"""The client library by itself: what `pip install noctilum` gives without the service."""

import subprocess
import zipfile
from pathlib import Path

ROOT = Path(__file__).parents[1]
ASKS = """
import sys
from noctilum.client import Noctilum, ConnectionFault, to_rows
from noctilum.wire.catalogue import READINGS
assert len(READINGS.names) > 15
try:
    Noctilum("http://127.0.0.1:9", "token").timeline("skerryferries.example")
except ConnectionFault as fault:
    print("reached nobody")
heavy = {"numpy", "flask", "sqlalchemy", "pyarrow", "matplotlib", "babel", "scipy", "typst"}
print(sorted(heavy & set(sys.modules)))
try:
    import numpy
except ImportError:
    print("no numpy")
"""


def test_it_installs_alone_and_needs_nothing_of_the_service(tmp_path):
    uv = ROOT / ".tools/bin/uv"
    subprocess.run([uv, "build", "-q", "--wheel", "-o", tmp_path / "dist"], cwd=ROOT, check=True)
    (wheel,) = (tmp_path / "dist").glob("*.whl")
    assert any(name.endswith("client/_readings.py") for name in zipfile.ZipFile(wheel).namelist())
    subprocess.run([uv, "venv", "-q", tmp_path / "alone"], check=True)
    python = tmp_path / "alone/bin/python"
    subprocess.run([uv, "pip", "install", "-q", "--python", python, wheel], check=True)
    said = subprocess.run([python, "-I", "-c", ASKS], capture_output=True, text=True, cwd=tmp_path, check=True).stdout
    assert said.splitlines() == ["reached nobody", "[]", "no numpy"]
