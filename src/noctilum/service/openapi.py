"""The OpenAPI document: the library's, with one name a shape and problem documents for failures."""

from __future__ import annotations

from typing import Any

from flask import current_app
from pydantic.json_schema import models_json_schema

from noctilum.service.access import allowed
from noctilum.wire.base import Problem
from noctilum.wire.jobs import RESULTS
from noctilum.wire.specs import ReadingSpec

Spec = dict[str, Any]
_ROOT = "#/components/schemas/"
_LIBRARY_OWN = ("ValidationError", "HTTPError")
_OURS = ("x-word", "title", "default")
_FAILURES = {
    "400": "The input cannot be used",
    "401": "Not signed in",
    "403": "Not allowed to this role",
    "404": "What was named is not there",
    "default": "Another failure",
}


def refine(spec: Spec) -> Spec:
    """Rename nested shapes to their own names, describe failures, and take descriptions from docstrings."""
    schemas = spec["components"]["schemas"]
    spec = _renamed(spec, {name: name.rsplit(".", 1)[-1] for name in schemas if "." in name})
    schemas = {name: shape for name, shape in spec["components"]["schemas"].items() if name not in _LIBRARY_OWN}
    others = [(model, "serialization") for model in (Problem, *RESULTS.values())]
    _, also = models_json_schema(others, ref_template=_ROOT + "{model}")  # type: ignore[arg-type]
    spec["components"]["schemas"] = dict(sorted((also["$defs"] | schemas).items()))
    kinds = [{"$ref": _ROOT + model.__name__} for model in dict.fromkeys(RESULTS.values())]
    spec["components"]["schemas"]["Job"]["properties"]["result"] = {
        "anyOf": [*kinds, {"type": "object", "description": "Empty while it is not done"}],
        "description": "By the job's name: " + ", ".join(f"{name} {model.__name__}" for name, model in RESULTS.items()),
    }
    views = _views()
    for path, item in spec["paths"].items():
        item.pop("query", None)
        for method, operation in item.items():
            if isinstance(operation, dict) and "responses" in operation:
                _complete(operation, method, path, views[method, path])
                _describe_parameters(operation, views[method, path])
                if method == "post" and "get" in item and "requestBody" not in operation:
                    _ask_by_body(operation)
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


def _views() -> dict[tuple[str, str], str]:
    """Give the endpoint behind each method and path."""
    found = {}
    for rule in current_app.url_map.iter_rules():
        for method in rule.methods or ():
            found[method.lower(), _template(rule.rule)] = rule.endpoint
    return found


def _template(rule: str) -> str:
    return rule.replace("<int:", "{").replace("<", "{").replace(">", "}")


def _complete(operation: Spec, method: str, path: str, endpoint: str) -> None:
    operation["description"] = " ".join((current_app.view_functions[endpoint].__doc__ or "").split())
    operation["operationId"] = (
        f"{method}{path.removeprefix('/api/v1')}".replace("/", "_").replace("{", "").replace("}", "")
    )
    role = allowed(endpoint)
    operation["x-role"] = role
    kept = {code: answer for code, answer in operation["responses"].items() if code[0] == "2"}
    schema = {"schema": {"$ref": _ROOT + "Problem"}}
    open_to_all = role == "everybody" and "session" not in path
    for code, text in _FAILURES.items():
        if not (open_to_all and code in ("401", "403")):
            kept[code] = {"description": text, "content": {"application/problem+json": schema}}
    operation["responses"] = kept


def _describe_parameters(operation: Spec, endpoint: str) -> None:
    """Say which words a path takes, and that several values of one parameter stand with commas between them."""
    spec: ReadingSpec | None = getattr(current_app.view_functions[endpoint], "spec", None)
    words = spec.question.model_json_schema()["properties"] if spec else {}
    for each in operation.get("parameters", ()):
        if each["in"] == "path" and spec and each["name"] in spec.words:
            each["schema"] = {name: value for name, value in words[each["name"]].items() if name not in _OURS}
        elif each["schema"].get("type") == "array":
            each |= {"style": "form", "explode": False}


def _ask_by_body(operation: Spec) -> None:
    """Describe a reading asked by POST: what stands in the address of its GET stands in the body."""
    asked = [each for each in operation.get("parameters", ()) if each["in"] == "query"]
    operation["parameters"] = [each for each in operation.get("parameters", ()) if each["in"] != "query"]
    shape: Spec = {
        "type": "object",
        "additionalProperties": False,
        "properties": {each["name"]: each["schema"] for each in asked},
    }
    if needed := [each["name"] for each in asked if each.get("required")]:
        shape["required"] = needed
    operation["requestBody"] = {"required": bool(needed), "content": {"application/json": {"schema": shape}}}
    operation["summary"] = f"{operation.get('summary', '')}, asked by a body"
    operation["description"] += " What the address of the GET holds is sent as a JSON object; QUERY does the same."
