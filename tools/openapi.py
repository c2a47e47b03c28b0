"""Print the OpenAPI document, as the console's types are made from it."""

import sys
import tempfile
from pathlib import Path

import orjson

from noctilum.actions.install import Install, Settings
from noctilum.service.app import create_app


def document() -> bytes:
    """Make the document from a fresh, empty install."""
    with tempfile.TemporaryDirectory() as folder:
        install = Install(Settings(Path(folder)))
        install.prepare()
        app = create_app(install)
        with app.app_context():
            found = orjson.dumps(app.spec, option=orjson.OPT_INDENT_2 | orjson.OPT_SORT_KEYS)
        install.close()
    return found + b"\n"


if __name__ == "__main__":
    sys.stdout.buffer.write(document())
