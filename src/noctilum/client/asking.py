"""What every part of the client asks by: one transport, and models out of what comes back."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from typing import TypeVar
from urllib.parse import quote

from pydantic import BaseModel, SecretStr, TypeAdapter

from noctilum.client.transport import Transport
from noctilum.wire.base import Kept

M = TypeVar("M", bound=BaseModel)


class Asking:
    """Ask a service."""

    _transport: Transport

    def _get(self, model: type[M], path: str, **params: object) -> M:
        return model.model_validate_json(self._transport.send("GET", path, params=params).content)

    def _list(self, model: type[M], path: str, body: BaseModel | None = None, **params: object) -> list[M]:
        method = "GET" if body is None else "POST"
        answer = self._transport.send(method, path, body=plain(body) if body else None, params=params or None)
        return TypeAdapter(list[model]).validate_json(answer.content)  # type: ignore[valid-type]

    def _post(self, model: type[M], path: str, body: BaseModel | None = None) -> M:
        answer = self._transport.send("POST", path, body=plain(body) if body else None)
        return model.model_validate_json(answer.content)

    def _change(self, name: str, model: type[M], number: int, seen: Kept | None, changes: Mapping[str, object]) -> M:
        body = {field: opened(value) for field, value in changes.items()}
        headers = {"If-Match": f'"{seen.tag}"'} if seen is not None and seen.tag else {}
        answer = self._transport.send("PATCH", f"/{name}/{number}", body=body, headers=headers)
        return model.model_validate_json(answer.content)


def key_of(text: str) -> str:
    """Write a key for an address."""
    return quote(text.replace("/", "~"), safe="~")


def plain(body: BaseModel) -> dict[str, object]:
    """Write a model for sending; secrets are opened here and nowhere else."""
    found = body.model_dump(mode="python")
    return {name: opened(value) for name, value in found.items() if value is not None}


def opened(value: object) -> object:
    """Open a secret, write a day; give all else as it is."""
    if isinstance(value, SecretStr):
        return value.get_secret_value()
    return value.isoformat() if isinstance(value, date) else value
