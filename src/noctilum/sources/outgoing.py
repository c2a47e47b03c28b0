"""Going out: where requests may go, and how much may come back. Shared by everything that asks outside services.

An address is checked after it was resolved, and the very address that was checked is connected to. Answers are taken
in piece by piece and unpacked by us, so that nothing grows beyond its limits whatever a header promises.
"""

from __future__ import annotations

import socket
import ssl
import time
import zlib
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from functools import lru_cache
from ipaddress import IPv4Address, IPv6Address, ip_address, ip_network
from typing import Any

import httpcore
import httpx

from noctilum.core.errors import FeedFault, worded

PIECE = 1 << 16


@dataclass(frozen=True)
class Limits:
    """How much an outside service may send, and for how long.

    Bytes are counted unpacked. answer_*: of one answer; day_*: of all pages of one question. whole_seconds: of
    everything a connector is used for, where somebody waits; None where nobody does.
    """

    answer_bytes: int = 32 << 20
    answer_seconds: float = 60.0
    day_bytes: int = 256 << 20
    day_rows: int = 2_000_000
    day_pages: int = 5_000
    day_seconds: float = 900.0
    whole_seconds: float | None = None


SOMEBODY_WAITS = Limits(answer_seconds=5.0, day_seconds=5.0, whole_seconds=5.0, day_pages=200)
"""Where a person or program waits for the answer: five seconds for all of it."""


class Meter:
    """Count what the pages of one question come to; raises FeedFault when it is too much.

    grains: how many are asked for at once; each may be as large as one asked for alone.
    """

    def __init__(self, limits: Limits, where: str, grains: int = 1) -> None:
        self._limits, self._where, self._grains = limits, where, grains
        self._pages = self._bytes = self._rows = 0
        self._began = time.monotonic()

    def page(self, size: int, rows: int) -> None:
        """Count a page."""
        limits = self._limits
        self._pages, self._bytes, self._rows = self._pages + 1, self._bytes + size, self._rows + rows
        for count, most, what in (
            (self._pages, limits.day_pages, "pages"),
            (self._bytes, limits.day_bytes * self._grains, "bytes"),
            (self._rows, limits.day_rows * self._grains, "rows"),
            (time.monotonic() - self._began, limits.day_seconds, "seconds"),
        ):
            if count > most:
                raise too_much(f"more than {most:,.0f} {what}", self._where)


def too_much(what: str, where: str) -> FeedFault:
    """Say that a feed sends more than is taken."""
    return FeedFault(
        "feed-too-much",
        worded("The feed sends {what} in answer to one question.", what=what),
        where=where,
        remedy="ask the provider; nothing of it was kept",
    )


class InsideRefused(httpcore.ConnectError):
    """An address inside the network that the operator has not allowed."""


@dataclass(frozen=True)
class Guard:
    """Which addresses may be connected to: those of the world, and inside ones that the operator allows.

    allowed: host names, addresses or ranges (192.0.2.0/24).
    """

    allowed: tuple[str, ...] = ()

    def address_of(self, host: str, port: int) -> str:
        """Resolve a host and choose the first address that may be connected to; raises InsideRefused."""
        try:
            found = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)
        except (OSError, UnicodeError) as why:
            raise httpcore.ConnectError(f"{host} is not known: {getattr(why, 'strerror', None) or why}") from why
        addresses = [str(info[4][0]) for info in found]
        if host.lower() in self.allowed:
            return addresses[0]
        for address in addresses:
            if self.admits(address):
                return address
        raise InsideRefused(host)

    def admits(self, address: str) -> bool:
        """Say whether a resolved address may be connected to."""
        ip = ip_address(address.partition("%")[0])
        return _is_of_the_world(ip) or any(_within(ip, each) for each in self.allowed)


def _is_of_the_world(ip: IPv4Address | IPv6Address) -> bool:
    inner = (ip.ipv4_mapped or ip.sixtofour or _nat64(ip)) if isinstance(ip, IPv6Address) else None
    if inner is not None:
        return _is_of_the_world(inner)
    return ip.is_global and not ip.is_multicast


def _nat64(ip: IPv6Address) -> IPv4Address | None:
    return IPv4Address(int(ip) & 0xFFFFFFFF) if ip in ip_network("64:ff9b::/96") else None


def _within(ip: IPv4Address | IPv6Address, allowed: str) -> bool:
    try:
        return ip in ip_network(allowed, strict=False)
    except ValueError:
        return False


class _Timed(httpcore.NetworkStream):
    """A connection whose answers are in within some seconds of what was asked last, in however many pieces."""

    def __init__(self, stream: httpcore.NetworkStream, seconds: float) -> None:
        self._stream, self._seconds = stream, seconds
        self._ends = time.monotonic() + seconds

    def read(self, max_bytes: int, timeout: float | None = None) -> bytes:
        """Read on, while there is time."""
        left = self._ends - time.monotonic()
        if left <= 0:
            raise httpcore.ReadTimeout(f"no whole answer within {self._seconds:.0f} s")
        return self._stream.read(max_bytes, left if timeout is None else min(timeout, left))

    def write(self, buffer: bytes, timeout: float | None = None) -> None:
        """Ask; its answer has its time from now."""
        self._stream.write(buffer, timeout)
        self._ends = time.monotonic() + self._seconds

    def close(self) -> None:
        """Close it."""
        self._stream.close()

    def start_tls(
        self, ssl_context: ssl.SSLContext, server_hostname: str | None = None, timeout: float | None = None
    ) -> httpcore.NetworkStream:
        """Go on in secret."""
        return _Timed(self._stream.start_tls(ssl_context, server_hostname, timeout), self._seconds)

    def get_extra_info(self, info: str) -> Any:
        """Say what the connection says of itself."""
        return self._stream.get_extra_info(info)


class _Backend(httpcore.SyncBackend):
    """Connect to checked addresses only; answers take so many seconds at most."""

    def __init__(self, guard: Guard, seconds: float) -> None:
        self._guard, self._seconds = guard, seconds

    def connect_tcp(
        self,
        host: str,
        port: int,
        timeout: float | None = None,
        local_address: str | None = None,
        socket_options: Iterable[Any] | None = None,
    ) -> httpcore.NetworkStream:
        """Resolve, check, connect to what was checked."""
        address = self._guard.address_of(host, port)
        return _Timed(super().connect_tcp(address, port, timeout, local_address, socket_options), self._seconds)

    def connect_unix_socket(
        self, path: str, timeout: float | None = None, socket_options: Iterable[Any] | None = None
    ) -> httpcore.NetworkStream:
        """Refuse: feeds are not files."""
        raise InsideRefused(path)


@lru_cache(maxsize=1)
def _trusted() -> ssl.SSLContext:
    return httpx.create_ssl_context(trust_env=False)


def guarded_client(base_url: str, guard: Guard, timeout: httpx.Timeout, seconds: float) -> httpx.Client:
    """Make an HTTP client that goes only where it may, follows no redirect, and believes no proxy setting around it.

    seconds: an answer is in so long after its request at the latest, however it comes.
    """
    transport = httpx.HTTPTransport(verify=_trusted(), trust_env=False)
    transport._pool.close()
    transport._pool = httpcore.ConnectionPool(
        ssl_context=_trusted(), network_backend=_Backend(guard, seconds), max_connections=20
    )
    headers = {"Accept-Encoding": "gzip", "User-Agent": "noctilum"}
    return httpx.Client(
        base_url=base_url,
        transport=transport,
        timeout=timeout,
        follow_redirects=False,
        trust_env=False,
        headers=headers,
    )


@dataclass
class Clock:
    """How long there is still for an answer; ends: seconds of the monotonic clock."""

    seconds: float
    ends: float = field(init=False)

    def __post_init__(self) -> None:
        self.ends = time.monotonic() + self.seconds

    def check(self, where: str) -> float:
        """Give the seconds left; raises FeedFault when there are none."""
        left = self.ends - time.monotonic()
        if left <= 0:
            raise FeedFault(
                "feed-slow",
                worded("The feed took longer than {seconds:.0f} seconds to answer.", seconds=self.seconds),
                where=where,
                remedy="try again later; a pull in the background waits longer",
            )
        return left


def received(answer: httpx.Response, limits: Limits, clock: Clock) -> bytes:
    """Take an answer's body in, unpacked, within its limits; raises FeedFault."""
    where = answer.request.url.path
    body = bytearray()
    for piece in _unpacked(_timed(answer, clock, where), answer.headers.get("Content-Encoding", ""), where):
        body += piece
        if len(body) > limits.answer_bytes:
            raise too_much(f"more than {limits.answer_bytes:,} bytes", where)
    return bytes(body)


def _timed(answer: httpx.Response, clock: Clock, where: str) -> Iterator[bytes]:
    for piece in answer.iter_raw():
        clock.check(where)
        yield piece


def _unpacked(pieces: Iterator[bytes], encoding: str, where: str) -> Iterator[bytes]:
    """Unpack gzip or deflate in bounded pieces; raises FeedFault for what is packed otherwise, or damaged."""
    named = encoding.strip().lower()
    if named in ("", "identity"):
        yield from pieces
        return
    if named not in ("gzip", "x-gzip", "deflate"):
        raise _unreadable(f"packed as {named[:40]!r}, which was not asked for", where)
    unpacking = zlib.decompressobj(zlib.MAX_WBITS | 32)
    try:
        for piece in pieces:
            rest = piece
            while rest:
                yield unpacking.decompress(rest, PIECE * 4)
                rest = unpacking.unconsumed_tail
        yield unpacking.flush(PIECE * 4)
    except zlib.error as why:
        raise _unreadable(f"packed data that is damaged ({why})", where) from why
    if not unpacking.eof:
        raise _unreadable("packed data that breaks off", where)


def _unreadable(what: str, where: str) -> FeedFault:
    return FeedFault(
        "feed-unreadable", worded("The feed's answer is {what}.", what=what), where=where, remedy="pull again later"
    )
