"""Webhooks as they cross HTTP."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import Field

from noctilum.wire.base import Line, Wire
from noctilum.wire.quiet import QuietHours

Event = Literal["edition.approved", "edition.sent", "alert.opened", "alert.closed"]
Posted = Event | Literal["webhook.tried"]


class NewWebhook(QuietHours):
    """An address that is told when something happens; in its quiet hours, after they are over."""

    url: Line = Field(min_length=8, max_length=500, pattern=r"^https?://[^\s]+$")
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
