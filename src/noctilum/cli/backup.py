"""`noctilum backup`: copy a whole install, also while it runs."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from noctilum.actions.backup import back_up, check, prune
from noctilum.cli.local import add_data, existing_install, passphrase
from noctilum.cli.output import count
from noctilum.service import clock


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("folder", type=Path, nargs="?", help="where to; backup_to of the settings without")
    parser.add_argument("--single-file", action="store_true", help="one .tar file instead of a folder")
    parser.add_argument(
        "--with-keys", action="store_true", help="take the keys along, sealed by a passphrase (NOCTILUM_PASSPHRASE)"
    )
    parser.add_argument("--keep", type=int, metavar="N", help="delete all but the newest N backups there")
    add_data(parser)


def run(asked: argparse.Namespace) -> int:
    """Back up, and say what was copied."""
    install = existing_install(asked)
    folder = asked.folder or install.settings.backup_to
    if folder is None:
        print("name a folder, or set backup_to", file=sys.stderr)
        return 2
    tell = (lambda line: print(f"  {line}", file=sys.stderr)) if sys.stderr.isatty() else (lambda _: None)
    phrase = passphrase(new=True) if asked.with_keys else ""
    made = back_up(
        install,
        folder,
        clock.now(),
        single_file=asked.single_file,
        keys=asked.with_keys,
        passphrase=phrase,
        told=tell,
    )
    size = made.stat().st_size if made.is_file() else check(made).size
    print(f"{made}: {count(size)} bytes, checked" if made.is_dir() else f"{made}: {count(size)} bytes")
    if asked.with_keys:
        print("it holds the keys, sealed: with the passphrase they open the feeds' secrets")
    else:
        print(f"it holds no keys: keep {install.key_path} elsewhere, or use --with-keys")
    if asked.keep:
        for path in prune(folder, asked.keep):
            print(f"deleted {path.name}")
    return 0
