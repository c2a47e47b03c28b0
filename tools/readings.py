"""Write what is made from the readings' specifications and checked in: the client's methods, the table of commands.

python tools/readings.py            writes both
python tools/readings.py --check    says whether they are as they would be written
"""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path
from types import NoneType, UnionType
from typing import Annotated, Any, Literal, Union, get_args, get_origin

from noctilum.wire.catalogue import READINGS
from noctilum.wire.specs import ReadingSpec

ROOT = Path(__file__).parents[1]
CLIENT = ROOT / "src/noctilum/client/_readings.py"
COMMANDS = ROOT / "src/noctilum/cli/_readings.py"
NOTE = "Made by tools/readings.py from the specifications in wire/catalogue.py; `make readings` renews it."


def main() -> int:
    """Write, or check."""
    made = {CLIENT: formatted(client()), COMMANDS: formatted(commands())}
    if "--check" in sys.argv:
        return int(any(path.read_text() != text for path, text in made.items()))
    for path, text in made.items():
        path.write_text(text)
    return 0


def formatted(text: str) -> str:
    """Lay code out as the rest is."""
    ruff = [
        Path(sys.executable).parent / "ruff",
        "format",
        "-",
        "--stdin-filename",
        "made.py",
        "--config",
        ROOT / "pyproject.toml",
    ]
    return subprocess.run(ruff, input=text, capture_output=True, text=True, check=True).stdout


def commands() -> str:
    """Write the table of reading commands."""
    rows = "".join(f"    ({spec.name!r}, {spec.group!r}, {spec.summary!r}),\n" for spec in READINGS)
    return f'''"""The commands of readings: name, group, summary.

{NOTE}
"""

READINGS: tuple[tuple[str, str, str], ...] = (
{rows})
'''


def client() -> str:
    """Write the client's methods."""
    modules = sorted({answer_of(spec).split(".")[0] for spec in READINGS} - {"Any"})
    imports = f"from noctilum.wire import {', '.join(modules)}\n"
    methods = "\n".join(method(spec) for spec in READINGS)
    return f'''"""The readings as methods.

{NOTE}
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import Any, Literal

{imports}

class Readings:
    """Ask a service for readings; each method's keywords are the parameters of its address."""

    def read(self, reading: str, site: str, **asked: Any) -> Any:
        """Ask for a reading by its name."""
        raise NotImplementedError

{methods}'''


def method(spec: ReadingSpec) -> str:
    """Write one method."""
    fields = spec.question.model_fields
    by_place = [parameter(spec, name) for name in spec.positional]
    by_name = [parameter(spec, name) for name in fields if name not in spec.positional]
    given = ", ".join(["self", "site: str", *by_place, "*", *by_name])
    passed = ", ".join(f"{name}={name}" for name in fields)
    answer = answer_of(spec)
    return f'''    def {spec.method}({given}) -> {answer}:
        """{spec.about}"""
        found: {answer} = self.read({spec.name!r}, site, {passed})
        return found
'''


def answer_of(spec: ReadingSpec) -> str:
    """Name the model of a reading's answer; those made of a dataset's declaration have no name in code."""
    module = sys.modules[spec.answer.__module__]
    if not hasattr(module, spec.answer.__name__):
        return "Any"
    return f"{spec.answer.__module__.rsplit('.', 1)[-1]}.{spec.answer.__name__}"


def parameter(spec: ReadingSpec, name: str) -> str:
    """Write one parameter with its type and default."""
    field = spec.question.model_fields[name]
    default = "" if field.is_required() else f" = {tuple(field.default) if field.default == [] else field.default!r}"
    return f"{name}: {written(field.annotation)}{default}"


def written(annotation: Any) -> str:
    """Write a type."""
    origin, parts = get_origin(annotation), get_args(annotation)
    if origin is Annotated:
        return written(parts[0])
    if origin is Literal:
        return f"Literal[{', '.join(map(repr, parts))}]"
    if origin in (Union, UnionType):
        return " | ".join("None" if part is NoneType else written(part) for part in parts)
    if origin is list:
        return f"Sequence[{written(parts[0])}]"
    return str(annotation.__name__)


if __name__ == "__main__":
    sys.exit(main())
