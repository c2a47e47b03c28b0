"""A mail server that keeps what it is given as files: it delivers nowhere, and stands for a client's mailbox.

    python -m noctilum.standins.mail_sink --port 8419 --folder mail

A mail is kept once for each recipient and Message-ID, as servers do that suppress duplicates; that one came again is
written to `again.log`. Addresses that begin with "nobody" are unknown here, those with "later" are put off once.
"""

from __future__ import annotations

import argparse
import asyncio
import ssl
from email import message_from_bytes, policy
from hashlib import blake2b
from pathlib import Path
from typing import Any

from aiosmtpd.smtp import SMTP, AuthResult, Envelope, LoginPassword


class Sink:
    """Keep mails in a folder, one file each, under their recipient's address."""

    def __init__(self, folder: Path, once: bool = True) -> None:
        self.folder, self.once = folder, once
        self._put_off: set[str] = set()
        folder.mkdir(parents=True, exist_ok=True)

    async def handle_RCPT(self, _server: SMTP, _session: Any, envelope: Envelope, address: str, _: list[str]) -> str:  # noqa: N802
        """Take a recipient, or not."""
        if address.startswith("nobody"):
            return "550 5.1.1 nobody of that name is here"
        if address.startswith("later") and address not in self._put_off:
            self._put_off.add(address)
            return "451 4.7.1 come back later"
        envelope.rcpt_tos.append(address)
        return "250 OK"

    async def handle_DATA(self, _server: SMTP, _session: Any, envelope: Envelope) -> str:  # noqa: N802
        """Keep a mail for each of its recipients."""
        body = envelope.content if isinstance(envelope.content, bytes) else str(envelope.content).encode()
        message = message_from_bytes(body, policy=policy.default)["Message-ID"] or ""
        for address in envelope.rcpt_tos:
            self._keep(address, message, body)
        return "250 OK kept"

    def _keep(self, address: str, message: str, body: bytes) -> None:
        box = self.folder / address.replace("/", "-")
        box.mkdir(exist_ok=True)
        path = box / f"{blake2b(message.encode(), digest_size=8).hexdigest()}.eml"
        if path.exists():
            with (self.folder / "again.log").open("a") as log:
                log.write(f"{address} {message}\n")
            if self.once:
                return
            path = box / f"{path.stem}-{len(list(box.iterdir()))}.eml"
        partial = path.with_suffix(".partial")
        partial.write_bytes(body)
        partial.replace(path)


def server(sink: Sink, account: tuple[str, str] | None = None, tls: ssl.SSLContext | None = None) -> SMTP:
    """Make the protocol of one connection. account: nobody else may send; tls: STARTTLS is asked for."""

    def known(_server: Any, _session: Any, _envelope: Any, _mechanism: Any, given: Any) -> AuthResult:
        right = isinstance(given, LoginPassword) and account is not None
        return AuthResult(success=right and (given.login.decode(), given.password.decode()) == account)

    return SMTP(
        sink,
        hostname="mail.sink.example",
        authenticator=known if account else None,
        auth_required=account is not None,
        auth_require_tls=tls is not None,
        tls_context=tls,
        require_starttls=tls is not None,
        data_size_limit=64 << 20,
    )


async def serve(port: int, sink: Sink, account: tuple[str, str] | None, tls: ssl.SSLContext | None = None) -> None:
    """Take mails until ended."""
    loop = asyncio.get_running_loop()
    listening = await loop.create_server(lambda: server(sink, account, tls), "127.0.0.1", port)
    async with listening:
        await listening.serve_forever()


def main() -> None:
    """Serve as asked for."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--port", type=int, required=True)
    parser.add_argument("--folder", type=Path, required=True)
    parser.add_argument("--account", default="", help="NAME:PASSWORD; nobody else may send")
    parser.add_argument("--every", action="store_true", help="keep each mail, also one that came before")
    parser.add_argument("--tls", type=Path, nargs=2, metavar=("CERTIFICATE", "KEY"))
    asked = parser.parse_args()
    name, _, password = asked.account.partition(":")
    context = None
    if asked.tls:
        context = ssl.create_default_context(ssl.Purpose.CLIENT_AUTH)
        context.load_cert_chain(*asked.tls)
    asyncio.run(
        serve(asked.port, Sink(asked.folder, not asked.every), (name, password) if asked.account else None, context)
    )


if __name__ == "__main__":
    main()
