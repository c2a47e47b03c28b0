"""The OpenAPI document: the library's, with one name a shape and problem documents for failures."""

from __future__ import annotations

from typing import Any

from flask import current_app
from pydantic.json_schema import models_json_schema

from noctilum.service.access import OPEN
from noctilum.wire.base import Problem

Spec = dict[str, Any]
_ROOT = "#/components/schemas/"
_LIBRARY_OWN = ("ValidationError", "HTTPError")
_FAILURES = {
    "400": "The input cannot be used",
    "401": "Not signed in",
    "404": "What was named is not there",
    "default": "Another failure",
}


def refine(spec: Spec) -> Spec:
    """Rename nested shapes to their own names, describe failures, and take descriptions from docstrings."""
    schemas = spec["components"]["schemas"]
    spec = _renamed(spec, {name: name.rsplit(".", 1)[-1] for name in schemas if "." in name})
    schemas = {name: shape for name, shape in spec["components"]["schemas"].items() if name not in _LIBRARY_OWN}
    _, problem = models_json_schema([(Problem, "serialization")], ref_template=_ROOT + "{model}")
    spec["components"]["schemas"] = dict(sorted((schemas | problem["$defs"]).items()))
    documents = _docstrings()
    for path, item in spec["paths"].items():
        for method, operation in item.items():
            if isinstance(operation, dict) and "responses" in operation:
                _complete(operation, method, path, documents)
    spec["security"] = [{"token": []}, {"cookie": []}]
    return spec


def _renamed(spec: Spec, names: dict[str, str]) -> Spec:
    """Replace shape names everywhere; shapes of one name are one model's, and so the same."""

    def walk(node: Any) -> Any:
        if isinstance(node, dict):
            return {key: _ref(value) if key == "$ref" else walk(value) for key, value in node.items()}
        return [walk(part) for part in node] if isinstance(node, list) else node

    def _ref(text: str) -> str:
        name = text.removeprefix(_ROOT)
        return _ROOT + names.get(name, name)

    found: Spec = walk(spec)
    found["components"]["schemas"] = {names.get(name, name): s for name, s in found["components"]["schemas"].items()}
    return found


def _docstrings() -> dict[tuple[str, str], str]:
    found = {}
    for rule in current_app.url_map.iter_rules():
        text = current_app.view_functions[rule.endpoint].__doc__ or ""
        for method in rule.methods or ():
            found[method.lower(), _template(rule.rule)] = " ".join(text.split())
    return found


def _template(rule: str) -> str:
    return rule.replace("<int:", "{").replace("<", "{").replace(">", "}")


def _complete(operation: Spec, method: str, path: str, documents: dict[tuple[str, str], str]) -> None:
    operation["description"] = documents.get((method, path), "")
    operation["operationId"] = (
        f"{method}{path.removeprefix('/api/v1')}".replace("/", "_").replace("{", "").replace("}", "")
    )
    kept = {code: answer for code, answer in operation["responses"].items() if code[0] == "2"}
    schema = {"schema": {"$ref": _ROOT + "Problem"}}
    failures = (
        _FAILURES if path not in OPEN else {k: v for k, v in _FAILURES.items() if k != "401" or "session" in path}
    )
    for code, text in failures.items():
        kept[code] = {"description": text, "content": {"application/problem+json": schema}}
    operation["responses"] = kept
