"""The faces that reports are set in, packed for pages and unpacked for whatever reads TrueType only."""

from __future__ import annotations

import atexit
import shutil
from base64 import b64encode
from functools import lru_cache
from pathlib import Path
from tempfile import mkdtemp

from fontTools.ttLib import TTFont

FONTS = Path(__file__).parent / "fonts"


@lru_cache(maxsize=16)
def packed(name: str) -> str:
    """Give a face as a data: address, by its name without an ending."""
    return "data:font/woff2;base64," + b64encode((FONTS / f"{name}.woff2").read_bytes()).decode()


@lru_cache(maxsize=1)
def _folder() -> Path:
    folder = Path(mkdtemp(prefix="noctilum-faces-"))
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    return folder


@lru_cache(maxsize=16)
def unpacked(name: str) -> Path:
    """Unpack a face by its name; the file goes with the process."""
    found = TTFont(FONTS / f"{name}.woff2")
    found.flavor = None
    path = _folder() / f"{name}.ttf"
    found.save(path)
    return path


def every_unpacked() -> Path:
    """Unpack every face; gives the folder they are in, which goes with the process."""
    for each in sorted(FONTS.glob("*.woff2")):
        unpacked(each.stem)
    return _folder()
