"""What faults say, found in the code: the sentences and remedies that are given where they are raised."""

import ast
from collections.abc import Iterator
from importlib import resources
from pathlib import Path

ROOMS = ("core", "history", "records", "sources", "readings", "reports", "jobs", "actions", "service")
SAYS = ("what", "remedy")
PLACES = {"problem": (2,), "Stopped": (0, 1), "FilterFault": (0, 3), "fail": (0, 1)}
"""Where a sentence and a remedy stand among what a call is given; second where it is not said."""


def fault_messages() -> set[str]:
    """Every sentence and remedy of every fault, as the catalogs have to hold it."""
    root = Path(str(resources.files("noctilum")))
    trees = [ast.parse(path.read_text()) for room in ROOMS for path in sorted((root / room).rglob("*.py"))]
    kinds = _kinds(trees)
    said = {text for tree in trees for text in _told(tree, kinds) if any(letter.isalpha() for letter in text)}
    return said | set(_refused(root / "wire"))


def _refused(room: Path) -> Iterator[str]:
    """What a model says of an input that it refuses."""
    for path in sorted(room.rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text())):
            if (
                isinstance(node, ast.Raise)
                and isinstance(node.exc, ast.Call)
                and name_of(node.exc.func) == "ValueError"
            ):
                yield from _texts(node.exc.args[0])


def _kinds(trees: list[ast.Module]) -> set[str]:
    """The names of Fault and of all classes below it."""
    classes = [node for tree in trees for node in ast.walk(tree) if isinstance(node, ast.ClassDef)]
    found = {"Fault"}
    while more := {node.name for node in classes if {name_of(base) for base in node.bases} & found} - found:
        found |= more
    return found


def name_of(node: ast.AST) -> str:
    return getattr(node, "id", "") or getattr(node, "attr", "")


def _told(tree: ast.Module, kinds: set[str]) -> Iterator[str]:
    for node in ast.walk(tree):
        if isinstance(node, ast.Assign):
            yield from _assigned(node)
        if not isinstance(node, ast.Call):
            continue
        if name_of(node.func) == "__init__":
            yield from _texts(node.args[1]) if len(node.args) > 1 else ()
        elif name_of(node.func) == "worded":
            yield node.args[0].value  # type: ignore[attr-defined]
        elif name_of(node.func) in kinds | set(PLACES):
            places = PLACES.get(name_of(node.func), (1,))
            given = [node.args[at] for at in places if at < len(node.args)]
            given += [each.value for each in node.keywords if each.arg in SAYS]
            for each in given:
                yield from _texts(each)


def _assigned(node: ast.Assign) -> Iterator[str]:
    """What is put aside to be said by a fault further down."""
    (target, *_), value = node.targets, node.value
    pairs = [(target, value)]
    if isinstance(target, ast.Tuple) and isinstance(value, ast.Tuple):
        pairs = list(zip(target.elts, value.elts, strict=True))
    for name, given in pairs:
        if name_of(name) in SAYS:
            yield from _texts(given)


def _texts(node: ast.AST) -> Iterator[str]:
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        yield node.value
    elif isinstance(node, ast.IfExp):
        yield from _texts(node.body)
        yield from _texts(node.orelse)
