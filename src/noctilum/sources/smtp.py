"""Handing mail to a server (RFC 5321, RFC 3207, RFC 4954), by the standard library's client."""

from __future__ import annotations

import smtplib
import ssl
from dataclasses import dataclass
from email.message import EmailMessage
from pathlib import Path
from types import TracebackType
from typing import Literal, Self

from noctilum.core.errors import FeedFault, worded

SECONDS = 30.0
"""So long a server may take to answer anything."""


class MailRefused(FeedFault):
    """The server wants this mail never: trying again does not help."""


class MailLater(FeedFault):
    """The server cannot take it now, or cannot be reached."""


@dataclass(frozen=True)
class Server:
    """Where mail is handed over. ca: a PEM file of whom to trust besides; user: nobody signs in without."""

    host: str
    port: int
    security: Literal["none", "starttls", "tls"]
    ca: Path | None = None
    user: str = ""
    password: str = ""

    @property
    def address(self) -> str:
        """Host and port."""
        return f"{self.host}:{self.port}"


class Posting:
    """A connection to a mail server, opened with the first mail and opened again where it was lost."""

    def __init__(self, server: Server, seconds: float = SECONDS) -> None:
        self._server, self._seconds = server, seconds
        self._open: smtplib.SMTP | None = None

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, what: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def close(self) -> None:
        """Say goodbye, if anything is open."""
        if self._open is not None:
            try:
                self._open.quit()
            except (smtplib.SMTPException, OSError):
                self._open.close()
            self._open = None

    def hand_over(self, mail: EmailMessage, sender: str, to: str) -> str:
        """Hand one mail to the server for one recipient; returns when the server has taken it.

        Raises MailRefused where it never will, MailLater where it may another time.
        """
        try:
            connection = self._connected()
            connection.send_message(mail, sender, [to])
        except smtplib.SMTPRecipientsRefused as why:
            raise self._told(*next(iter(why.recipients.values()))) from why
        except smtplib.SMTPResponseException as why:
            self._lose()
            raise self._told(why.smtp_code, why.smtp_error) from why
        except (smtplib.SMTPException, OSError, ValueError) as why:
            self._lose()
            raise MailLater(
                "mail-server-away",
                worded(
                    "The mail server does not answer as it should: {why}.", why=str(why)[:200] or type(why).__name__
                ),
                where=self._server.address,
                remedy="look at the mail_ settings with `noctilum settings`",
            ) from why
        return "taken by the server"

    def _connected(self) -> smtplib.SMTP:
        if self._open is not None:
            try:
                if self._open.noop()[0] == 250:
                    return self._open
            except (smtplib.SMTPException, OSError):
                pass
            self._lose()
        server = self._server
        if server.security == "tls":
            made: smtplib.SMTP = smtplib.SMTP_SSL(
                server.host, server.port, timeout=self._seconds, context=self._context()
            )
        else:
            made = smtplib.SMTP(server.host, server.port, timeout=self._seconds)
        self._open = made
        if server.security == "starttls":
            made.starttls(context=self._context())
        if server.user:
            made.login(server.user, server.password)
        return made

    def _context(self) -> ssl.SSLContext:
        context = ssl.create_default_context()
        if self._server.ca is not None:
            context.load_verify_locations(self._server.ca)
        return context

    def _lose(self) -> None:
        if self._open is not None:
            self._open.close()
            self._open = None

    def _told(self, code: int, said: bytes | str) -> FeedFault:
        text = said.decode(errors="replace") if isinstance(said, bytes) else said
        what = worded("The mail server says {code}: {split}.", code=code, split=" ".join(text.split())[:300])
        if 500 <= code < 600 and code not in (530, 535):
            return MailRefused("mail-refused", what, where=self._server.address)
        return MailLater("mail-put-off", what, where=self._server.address)
