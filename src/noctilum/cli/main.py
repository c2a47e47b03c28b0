# PYTHON_ARGCOMPLETE_OK
"""The `noctilum` command: finds the command, hands over, turns faults into exit codes."""

from __future__ import annotations

import argparse
import difflib
import importlib
import os
import re
import sys
from collections.abc import Sequence

from noctilum import __version__
from noctilum.cli.commands import COMMANDS
from noctilum.core.errors import Fault, Nonsense

EXIT_CODES = """exit codes: 0 done, 1 failed, 2 input unusable, 3 service unreachable, 4 not there, 5 clash, 6 refused,
7 feed failed, 8 store damaged"""


def build_parser(only: str | None = None) -> argparse.ArgumentParser:
    """Build the parser of one command, of all with *, or of none: of the others only what they are for is listed."""
    parser = argparse.ArgumentParser(
        prog="noctilum",
        usage="%(prog)s [-h] [--version] COMMAND …",
        description="Keeps search history for many client websites, explains it, and reports it.",
        epilog=_listing() + "\n\n" + EXIT_CODES,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    parser.add_argument("--version", action="version", version=f"noctilum {__version__}")
    commands = parser.add_subparsers(dest="command", metavar="COMMAND", help=argparse.SUPPRESS)
    for command in COMMANDS.values():
        if only not in (command.name, "*"):
            continue
        sub = commands.add_parser(
            command.name,
            prog=f"noctilum {command.name}",
            help=command.help,
            description=f"{command.help.capitalize()}.",
        )
        sub.set_defaults(command=command.name)
        importlib.import_module(f"noctilum.cli.{command.module}").add_arguments(sub)
    return parser


def _listing() -> str:
    groups: dict[str, list[str]] = {}
    for command in COMMANDS.values():
        groups.setdefault(command.group, []).append(f"  {command.name:<12} {command.help}")
    return "\n".join(f"{name}:\n" + "\n".join(lines) for name, lines in groups.items())


def main(arguments: Sequence[str] | None = None) -> int:
    """Run a command; returns the exit code."""
    given = list(sys.argv[1:] if arguments is None else arguments)
    name = next((word for word in given if not word.startswith("-")), None)
    completing = "_ARGCOMPLETE" in os.environ
    if name is not None and name not in COMMANDS and not completing:
        return _unknown(name)
    parser = build_parser("*" if completing else name)
    _offer_completion(parser)
    asked, unknown = parser.parse_known_args(given)
    if unknown:
        return _misplaced(asked.command, unknown)
    if asked.command is None:
        parser.print_help()
        return 0
    return _run(asked)


def _unknown(name: str) -> int:
    near = difflib.get_close_matches(name, COMMANDS, n=1, cutoff=0.5)
    hint = f" Did you mean '{near[0]}'?" if near else " See 'noctilum --help'."
    print(f"noctilum: No such command '{name}'.{hint}", file=sys.stderr)
    return 2


def _misplaced(command: str | None, words: Sequence[str]) -> int:
    """Say which words a command has no use for, and where to read what it takes."""
    called = f"noctilum {command}" if command else "noctilum"
    print(f"{called}: It takes no {' '.join(map(repr, words))}. See '{called} --help'.", file=sys.stderr)
    return 2


def _offer_completion(parser: argparse.ArgumentParser) -> None:
    if "_ARGCOMPLETE" in os.environ:
        import argcomplete

        argcomplete.autocomplete(parser)


def _run(asked: argparse.Namespace) -> int:
    module = importlib.import_module(f"noctilum.cli.{COMMANDS[asked.command].module}")
    try:
        return int(module.run(asked) or 0)
    except Fault as fault:
        print(str(fault), file=sys.stderr)
        return fault.exit_code
    except KeyboardInterrupt:
        print("stopped", file=sys.stderr)
        return 130
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except Exception as failure:
        if refused := _unusable(failure):
            print(str(refused), file=sys.stderr)
            return refused.exit_code
        code = _client_exit(failure)
        if code is None:
            raise
        print(_pointed(asked, str(failure)), file=sys.stderr)
        return code


def _unusable(failure: Exception) -> Nonsense | None:
    """Say which argument a model refused; None for any other failure."""
    from pydantic import ValidationError

    if not isinstance(failure, ValidationError):
        return None
    first = failure.errors()[0]
    said = str(first["msg"]).removeprefix("Value error, ")
    return Nonsense("input-unusable", said, where=".".join(map(str, first["loc"])))


def _pointed(asked: argparse.Namespace, failure: str) -> str:
    """Put the filter above its fault, with carets under the place."""
    text = getattr(asked, "filter", None) or getattr(asked, "rule", None)
    place = re.search(r"at filter, columns? (\d+)(?: to (\d+))?", failure)
    if not text or not place:
        return failure
    first, last = int(place[1]), int(place[2] or place[1])
    return f"{text}\n{' ' * (first - 1)}{'^' * (last - first + 1)}\n{failure}"


def _client_exit(failure: Exception) -> int | None:
    """Map what the client library raises to an exit code; None for anything else."""
    from noctilum.client.errors import ConnectionFault, ProblemFault

    if isinstance(failure, ConnectionFault):
        return 3
    if isinstance(failure, ProblemFault):
        by_status = {400: 2, 404: 4, 409: 5, 401: 6, 403: 6, 502: 7}
        return by_status.get(failure.status, 1)
    return None


if __name__ == "__main__":
    sys.exit(main())
