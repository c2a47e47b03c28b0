"""One request: signed, tried again where that is safe, failures turned into faults."""

from __future__ import annotations

import ssl
import time
from collections.abc import Mapping
from functools import cache
from pathlib import Path
from typing import IO, Any
from urllib.parse import urlencode

import httpx
from pydantic import ValidationError

from noctilum.client.errors import ConnectionFault, ProblemFault
from noctilum.wire.base import Problem

SAFE = ("GET", "HEAD", "QUERY")
LONGEST_QUERY = 1800
"""Questions longer than this are sent as a body, by QUERY: addresses are cut off by much that stands between."""
RETRIED = (429, 503)
ATTEMPTS = 4
LONGEST_WAIT = 20.0


@cache
def _trusted() -> ssl.SSLContext:
    """Read the certificates to trust once for all clients of a process: it takes longer than most answers."""
    return httpx.create_ssl_context()


class Transport:
    """Send requests with a bearer token. GETs are tried again on 429, 503 and lost connections."""

    def __init__(self, url: str, token: str, timeout: float) -> None:
        headers = {"Accept": "application/json"} | ({"Authorization": f"Bearer {token}"} if token else {})
        self._http = httpx.Client(
            base_url=url.rstrip("/") + "/api/v1", headers=headers, timeout=timeout, verify=_trusted()
        )

    def close(self) -> None:
        """Let go of connections."""
        self._http.close()

    def send(
        self,
        method: str,
        path: str,
        *,
        params: Mapping[str, Any] | None = None,
        body: Any = None,
        content: IO[bytes] | None = None,
        also: tuple[int, ...] = (),
        headers: Mapping[str, str] | None = None,
    ) -> httpx.Response:
        """Send one request; raises ConnectionFault or ProblemFault. content: a file sent as it is.

        also: failures that are answers too.
        """
        query: dict[str, str] | None = {n: _text(value) for n, value in (params or {}).items() if value is not None}
        if method == "GET" and query and len(urlencode(query)) > LONGEST_QUERY:
            method, query, body = "QUERY", None, query
        for attempt in range(1, ATTEMPTS + 1):
            again = method in SAFE and attempt < ATTEMPTS
            try:
                answer = self._http.request(
                    method, path, params=query or None, json=body, content=content, headers=headers
                )
            except httpx.TransportError as why:
                if not again:
                    raise ConnectionFault(
                        f"{self._http.base_url} cannot be reached: {why or type(why).__name__}"
                    ) from why
                time.sleep(_pause(attempt))
                continue
            if answer.is_success or answer.status_code in also:
                return answer
            if not (again and answer.status_code in RETRIED):
                raise _problem(answer)
            time.sleep(_asked_pause(answer, attempt))
        raise AssertionError("the last attempt returns or raises")

    def save(self, path: str, to: Path) -> int:
        """Stream an answer into a file; returns its size in bytes."""
        partial = to.with_name(to.name + ".partial")
        try:
            with self._http.stream("GET", path) as answer:
                if not answer.is_success:
                    answer.read()
                    raise _problem(answer)
                with partial.open("wb") as sink:
                    for piece in answer.iter_bytes():
                        sink.write(piece)
        except httpx.TransportError as why:
            partial.unlink(missing_ok=True)
            raise ConnectionFault(f"{self._http.base_url} cannot be reached: {why or type(why).__name__}") from why
        partial.rename(to)
        return to.stat().st_size


def _text(value: Any) -> str:
    return value.isoformat() if hasattr(value, "isoformat") else str(value)


def _pause(attempt: int) -> float:
    return min(LONGEST_WAIT, 0.2 * 2.0 ** (attempt - 1))


def _asked_pause(answer: httpx.Response, attempt: int) -> float:
    try:
        return min(LONGEST_WAIT, float(answer.headers.get("Retry-After", "")))
    except ValueError:
        return _pause(attempt)


def _problem(answer: httpx.Response) -> ProblemFault:
    try:
        return ProblemFault(Problem.model_validate_json(answer.content))
    except ValidationError:
        title = f"The service answered {answer.status_code} {answer.reason_phrase}."
        unknown = Problem(type="about:blank", title=title, status=answer.status_code, code="http-error", detail=title)
        return ProblemFault(unknown)
