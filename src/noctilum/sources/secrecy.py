"""Keeping secrets out of what an outside service sends back: it may echo them, and answers are shown and logged."""

from __future__ import annotations

import base64
import json
from urllib.parse import quote, quote_plus

HIDDEN = "(secret)"
SHORTEST = 4
"""Shorter texts stand in many words by chance."""


class Secrets:
    """The secrets of one feed in every spelling they may come back in."""

    def __init__(self) -> None:
        self._spelled: set[str] = set()

    def learn(self, *secrets: str) -> None:
        """Remember secrets, such as a token just handed out; one that is JSON hides each text in it too."""
        for secret in secrets:
            if len(secret) >= SHORTEST:
                packed = base64.b64encode(secret.encode("utf-8", "surrogatepass")).decode()
                self._spelled |= {secret, json.dumps(secret)[1:-1], quote(secret), quote_plus(secret), packed}
                self._learn_inner(secret)

    def _learn_inner(self, secret: str) -> None:
        try:
            found = json.loads(secret)
        except ValueError:
            return
        if isinstance(found, dict):
            self.learn(*(value for value in found.values() if isinstance(value, str)))

    def hidden(self, text: str) -> str:
        """Give a text with every secret in it hidden."""
        for spelled in sorted(self._spelled, key=len, reverse=True):
            text = text.replace(spelled, HIDDEN)
        return text

    def hidden_bytes(self, body: bytes) -> bytes:
        """Give a body with every secret in it hidden."""
        for spelled in sorted(self._spelled, key=len, reverse=True):
            body = body.replace(spelled.encode("utf-8", "surrogatepass"), HIDDEN.encode())
        return body
