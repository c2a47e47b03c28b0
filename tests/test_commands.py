"""The command line without a service: what each command takes, what it sends, and how it says no."""

import argparse
from functools import cache
from typing import Literal, get_args, get_origin

import pytest
from tests.conftest import free_port
from tests.test_client_methods import KEY, SITE, another

from noctilum.cli.commands import COMMANDS
from noctilum.cli.main import build_parser, main
from noctilum.client import transport
from noctilum.client.errors import ConnectionFault
from noctilum.client.transport import Transport
from noctilum.wire.catalogue import READINGS

each_command = pytest.mark.parametrize("name", list(COMMANDS))
each_reading = pytest.mark.parametrize("spec", list(READINGS), ids=lambda spec: spec.name)
by_hand = pytest.mark.parametrize("name", ["fading", "domain", *(name for name in COMMANDS if name not in READINGS)])
"""Commands of a kind of their own; those of readings are all made alike, and two stand for them."""
LOCAL = {"init", "serve", "demo", "token", "password", "try", "connect"}
"""Ask no service, or not at once."""


@pytest.fixture(autouse=True)
def nowhere(monkeypatch):
    """No service answers, and nobody waits before asking again."""
    monkeypatch.setattr(transport, "_pause", lambda _attempt: 0.0)
    monkeypatch.setenv("NOCTILUM_URL", f"http://127.0.0.1:{free_port()}")
    monkeypatch.setenv("NOCTILUM_TOKEN", "nct_none")
    monkeypatch.setenv("COLUMNS", "120")


def run(*words):
    """Run a command here; gives its exit code."""
    try:
        return main(words)
    except SystemExit as ended:
        return ended.code


@cache
def parsers() -> dict[str, argparse.ArgumentParser]:
    (commands,) = [each for each in build_parser("*")._actions if isinstance(each, argparse._SubParsersAction)]
    return dict(commands.choices)


def parser_of(name) -> argparse.ArgumentParser:
    return parsers()[name]


def taken(name) -> dict[str, argparse.Action]:
    """What a command takes, by the name it is known by."""
    return {each.dest: each for each in parser_of(name)._actions if each.dest != "help"}


def word_for(action: argparse.Action) -> str:
    """A word that a place takes."""
    if action.choices:
        return str(next(iter(action.choices)))
    return "2026-03-01" if action.dest == "day" else "1"


@each_command
def test_a_command_tells_what_it_does_and_what_each_word_is_for(name):
    told = " ".join(parser_of(name).format_help().split())
    assert told.startswith(f"usage: noctilum {name} ")
    assert COMMANDS[name].help.split(",")[0][1:15] in told
    without = [dest for dest, each in taken(name).items() if each.option_strings and not (each.help or "").strip()]
    assert without == []


def test_the_help_of_a_command_is_shown(capsys):
    assert run("fading", "--help") == 0
    assert capsys.readouterr().out == parser_of("fading").format_help()


@by_hand
def test_a_command_says_no_to_what_it_does_not_take(name, capsys):
    needed = [each for each in taken(name).values() if not each.option_strings and each.nargs in (None, "+")]
    assert run(name, *map(word_for, needed), "--frobnicate") == 2
    said = capsys.readouterr()
    assert said.out == ""
    assert "Traceback" not in said.err
    assert f"noctilum {name}" in said.err and ("--frobnicate" in said.err or "required" in said.err)


def test_a_command_that_is_not_there_is_told_with_the_nearest(capsys):
    assert run("fadign") == 2
    assert "Did you mean 'fading'?" in capsys.readouterr().err
    assert run("zzzz") == 2
    assert "See 'noctilum --help'." in capsys.readouterr().err


@by_hand
def test_a_service_that_does_not_answer_is_told_with_what_to_do(name, capsys):
    """Of all commands that ask one at once."""
    every = taken(name)
    needed = [each for each in every.values() if not each.option_strings and each.nargs in (None, "+")]
    if name in LOCAL or "url" not in every or (needed and name not in READINGS):
        return
    given = [*map(word_for, needed)]
    given += [word for each in every.values() if each.required and each.option_strings
              for word in (each.option_strings[0], "1")]  # fmt: skip
    assert run(name, *given) == 3
    said = capsys.readouterr()
    assert said.out == ""
    assert "127.0.0.1" in said.err and "Traceback" not in said.err
    assert len(said.err.strip().splitlines()) <= 3


@each_reading
def test_a_readings_command_takes_every_parameter_with_its_words(spec):
    every = taken(spec.name)
    for name, field in spec.question.model_fields.items():
        assert name in every, name
        words = [each for each in _literals(field.annotation) if isinstance(each, str)]
        if words and every[name].choices is not None:
            assert set(map(str, every[name].choices)) == set(words), name
        assert not field.is_required() or every[name].required or not every[name].option_strings, name


def _literals(annotation):
    if get_origin(annotation) is Literal:
        yield from get_args(annotation)
    for part in get_args(annotation):
        yield from _literals(part)


def worded(action, value, default):
    """What is given for an option, and the words that say it."""
    if isinstance(value, bool):
        return value, [next(each for each in action.option_strings if each.startswith("--no-") is not value)]
    if isinstance(value, list):
        value = value if action.choices is None else list(action.choices)[:2]
        return value, [action.option_strings[0], *value]
    if action.choices and value not in action.choices:
        value = next(word for word in action.choices if word != default)
    return value, [action.option_strings[0], str(value)]


@each_reading
def test_a_readings_command_asks_for_what_its_words_say(spec, monkeypatch):
    asked = []

    def send(_self, method, path, *, params=None, **_others):
        asked.append((method, path, {key: value for key, value in (params or {}).items() if value is not None}))
        raise ConnectionFault("nobody is there")

    monkeypatch.setattr(Transport, "send", send)
    every, fields = taken(spec.name), spec.question.model_fields
    given = {name: another(field) for name, field in fields.items()}
    places = [given[name] for name, each in every.items() if name in given and not each.option_strings]
    words = [SITE] if "site" in every else []
    words += [str(word) for each in places for word in (each if isinstance(each, list) else [each])]
    for name, each in every.items():
        if name in given and each.option_strings:
            given[name], more = worded(each, given[name], fields[name].default)
            words += more
    assert run(spec.name, *words) == 3
    method, path, params = asked[0]
    assert method == "GET" and path.startswith(f"/sites/{KEY}/")
    wanted = {name: value for name, value in given.items() if name not in spec.words}
    assert params == {name: ",".join(value) if isinstance(value, list) else value for name, value in wanted.items()}
