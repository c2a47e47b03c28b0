"""Webhooks as they cross HTTP."""

from __future__ import annotations

import re
from datetime import datetime
from typing import Annotated, Literal

from pydantic import AfterValidator, Field

from noctilum.wire.base import Line, Wire
from noctilum.wire.quiet import QuietHours

_ADDRESS = r"^https?://[^\s]+$"


def _address(text: str) -> str:
    if not re.match(_ADDRESS, text):
        raise ValueError("an address begins with http:// or https://")
    return text


Address = Annotated[Line, AfterValidator(_address), Field(max_length=500, json_schema_extra={"pattern": _ADDRESS})]
Event = Literal["edition.approved", "edition.sent", "alert.opened", "alert.closed"]
Posted = Event | Literal["webhook.tried"]


class NewWebhook(QuietHours):
    """An address that is told when something happens; in its quiet hours, after they are over."""

    url: Address
    label: Line = Field(default="", max_length=120)
    events: list[Event] = Field(default=["edition.sent"], min_length=1, max_length=4)


class WebhookOut(Wire):
    """An address that is told when something happens."""

    id: int
    url: str
    label: str
    events: list[str]
    waiting: int = Field(description="Posts that it has not taken yet")
    failed: int = Field(description="Posts that were given up")
    why: str = Field(description="What was wrong the last time")
    told_at: datetime | None = Field(description="When it last took one")
    time_zone: str = "UTC"
    quiet_from: str | None = None
    quiet_to: str | None = None


class WebhookMade(WebhookOut):
    """A webhook just made; its secret is shown this once."""

    secret: str = Field(description="Base64; the key of its signatures, HMAC-SHA256 (RFC 9421)")
