"""Files of signed editions, rendered once and kept beside the install until they are left alone for a while."""

from __future__ import annotations

from hashlib import blake2b

from noctilum.actions import editions
from noctilum.actions.install import Install
from noctilum.actions.report import MEDIA_TYPES, File
from noctilum.wire.reports import ReportFile

FOLDER = "editions"


def file_of(install: Install, number: int, kind: ReportFile) -> File:
    """Give an edition as a file; one that is signed off is rendered once. Raises NotThere, StoreFault."""
    found = editions.one(install, number)
    if found.state == "draft":
        return editions.file(install, number, kind)
    stamp = blake2b(f"{found.digest} {found.summary}".encode(), digest_size=10).hexdigest()
    path = install.settings.data / FOLDER / f"{number}-{stamp}.{kind}"
    name = f"{found.site.replace('/', '-')}-{found.last}.{kind}"
    try:
        return File(name, MEDIA_TYPES[kind], path.read_bytes())
    except FileNotFoundError:
        made = editions.file(install, number, kind)
    path.parent.mkdir(exist_ok=True)
    partial = path.with_suffix(f".{kind}.partial")
    partial.write_bytes(made.body)
    partial.replace(path)
    return made
