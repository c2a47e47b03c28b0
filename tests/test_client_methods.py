"""The client's methods beside what they stand for: the specifications of readings, and the addresses of the service."""

import ast
import inspect
import json
import re
from collections.abc import Iterator
from datetime import date
from pathlib import Path
from typing import get_args
from urllib.parse import quote

import pytest

import noctilum.client
from noctilum.client import Noctilum
from noctilum.wire.catalogue import READINGS

ROOT = Path(__file__).parents[1]
PATHS = json.loads((ROOT / "console/openapi.json").read_text())["paths"]
SITE = "blog.hivewright.example/de"
KEY = "blog.hivewright.example~de"
each_reading = pytest.mark.parametrize("spec", list(READINGS), ids=lambda spec: spec.name)


def method_of(spec) -> str:
    return spec.name.replace("-", "_")


class Sent(Exception):
    """What would have been sent."""


class Recorder:
    """A transport that sends nothing and says what it was given."""

    def send(self, method, path, *, params=None, **others):
        raise Sent(method, path, {name: value for name, value in (params or {}).items() if value is not None}, others)


@pytest.fixture
def client():
    with Noctilum("http://127.0.0.1:1", "nct_none") as found:
        kept, found._transport = found._transport, Recorder()
        yield found
        found._transport = kept


def sent(call, *args, **asked):
    with pytest.raises(Sent) as caught:
        call(*args, **asked)
    return caught.value.args


def another(field):
    """A value that a field allows and that is not its default."""
    kinds = [field.annotation, *get_args(field.annotation)]
    words = [each for kind in kinds for each in get_args(kind) if isinstance(each, str)]
    if words:
        return next(word for word in words if word != field.default)
    if date in kinds:
        return date(2026, 3, 1)
    if bool in kinds:
        return not field.default
    if int in kinds:
        return (field.default or 0) + 1 if isinstance(field.default, int) else 7
    if any(str(kind).startswith(("list", "collections.abc.Sequence", "tuple")) for kind in kinds):
        return ["a page", "/another"]
    return "a/b ü"


@each_reading
def test_a_method_takes_what_its_specification_asks(spec):
    found = inspect.signature(getattr(Noctilum, method_of(spec))).parameters
    asked = {name: each for name, each in found.items() if name not in ("self", "site")}
    fields = spec.question.model_fields
    assert set(asked) == set(fields)
    for name, field in fields.items():
        told = asked[name].default
        assert (told is inspect.Parameter.empty) is field.is_required(), name
        if not field.is_required():
            usual = field.get_default(call_default_factory=True)
            assert (list(told) if told == () else told) == usual, name


@each_reading
def test_a_method_sends_what_it_is_given_and_no_more(client, spec):
    fields = spec.question.model_fields
    given = {name: another(field) for name, field in fields.items()}
    method, path, params, others = sent(getattr(client, method_of(spec)), SITE, **given)
    assert (method, others) == ("GET", {})
    words = {name: quote(str(given[name]), safe="") for name in spec.words}
    assert path == f"/sites/{KEY}/{spec.address.format(**words)}"
    assert params == {
        name: ",".join(value) if isinstance(value, list) else value
        for name, value in given.items()
        if name not in spec.words
    }


@each_reading
def test_a_method_that_is_told_nothing_sends_nothing(client, spec):
    fields = spec.question.model_fields
    given = {name: another(field) for name, field in fields.items() if field.is_required()}
    _, path, params, _ = sent(getattr(client, method_of(spec)), SITE, **given)
    assert set(params) <= set(given) - set(spec.words)
    assert "{" not in path


def text_of(node: ast.expr) -> str | None:
    """A text as it is written, with a star for each part that is only known when it runs."""
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        return node.value
    if isinstance(node, ast.JoinedStr):
        return "".join(part.value if isinstance(part, ast.Constant) else "*" for part in node.values)
    return None


def addresses() -> Iterator[tuple[str, str, str]]:
    """Every address that the client's methods name: (where, verb, path)."""
    for path in Path(noctilum.client.__file__).parent.glob("*.py"):
        for call in ast.walk(ast.parse(path.read_text())):
            if not (isinstance(call, ast.Call) and isinstance(call.func, ast.Attribute)):
                continue
            name, args = call.func.attr, [text_of(each) for each in call.args]
            where = f"{path.name}:{call.lineno}"
            if name == "send" and len(args) > 1 and args[0] and args[1]:
                yield where, args[0], args[1]
            elif name in ("_get", "_post", "_list") and len(args) > 1 and args[1]:
                posts = name == "_post" or (name == "_list" and len(args) > 2)
                yield where, "POST" if posts else "GET", args[1]
            elif name == "_change" and args[0]:
                yield where, "PATCH", f"/{args[0]}/*"


def known(verb: str, path: str) -> bool:
    """Say whether the service's document has an address, under that verb."""
    parts = re.escape(path.split("?", maxsplit=1)[0]).replace(r"\*", "[^/]+")
    pattern = re.compile(f"/api/v1{parts}")
    return any(pattern.fullmatch(each) and verb.lower() in verbs for each, verbs in PATHS.items())


def test_every_address_that_the_client_names_is_one_of_the_services():
    found = list(addresses())
    assert len(found) > 120
    assert [each for each in found if not known(*each[1:])] == []
    assert not known("GET", "/sites/*/weather") and not known("DELETE", "/portfolio")
