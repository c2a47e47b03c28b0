"""The examples that ship: the connector package passes its own tests, as somebody who copies it would run them."""

import os
import subprocess
import sys
from pathlib import Path

EXAMPLE = Path(__file__).parents[1] / "examples/tide-log-connector"


def test_the_example_connector_keeps_the_contract(tmp_path):
    command = [sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider", "--rootdir", str(tmp_path), str(EXAMPLE)]
    environment = os.environ | {"PYTHONPATH": str(EXAMPLE), "PYTHONDONTWRITEBYTECODE": "1"}
    run = subprocess.run(command, capture_output=True, text=True, env=environment, cwd=tmp_path, timeout=120)
    assert run.returncode == 0, run.stdout
    assert "8 passed" in run.stdout
