"""Sitemaps: the pages that a site itself lists, read from its XML (sitemaps.org 0.9), index files and gzip included.

A sitemap says what stands in it now and nothing of yesterday: each day is read on that day, or never.
"""

from __future__ import annotations

import zlib
from collections.abc import Callable, Iterator, Mapping
from datetime import date
from hashlib import blake2b
from urllib.parse import urljoin, urlsplit
from xml.parsers import expat

import orjson

from noctilum.core.batch import DayBatch
from noctilum.core.days import DayState
from noctilum.core.errors import FeedFault, worded
from noctilum.datasets.index import SITEMAPS
from noctilum.machine_time import moment
from noctilum.sources.contract import Connector, FeedSettings, OfferedDay, Page, Property
from noctilum.sources.http_feed import HttpFeed
from noctilum.sources.ndjson import parse_rows
from noctilum.sources.outgoing import PIECE, Limits, too_much
from noctilum.wire.plain_text import cleaned, unkeepable

GRAIN = "sitemap"
DEEPEST = 3
"""An index file may name index files, and these others; more is a circle or a trap."""
MOST_FILES, MOST_PAGES, MOST_ADDRESS = 2_000, 500_000, 2_048
GZIP = b"\x1f\x8b"


class SitemapFeed(Connector):
    """Read a site's sitemaps. The address of the feed is that of its sitemap or index file; nothing is signed."""

    name = "sitemap"
    grains: tuple[str, ...] = (GRAIN,)
    keeps_past = False

    def __init__(self, settings: FeedSettings) -> None:
        super().__init__(settings)
        self._feed = HttpFeed(settings.url, settings.inside, settings.limits)
        self._body: bytes | None = None
        self._revision = ""

    def close(self) -> None:
        """Let go of connections."""
        self._feed.close()

    def properties(self) -> list[Property]:
        """Name the one thing there is to see: the address. Raises FeedFault where it is no sitemap."""
        host, today = urlsplit(self.settings.url).netloc, self._today()
        self._read_file(self.settings.url, lambda _page: None, [])
        name = cleaned(self.settings.url, 200)
        label = f"{_file_name(self.settings.url)} of {host}"
        return [Property(name, label, host, "Sitemap", "UTC", today, today, SITEMAPS)]

    def days(self, first: date | None, last: date | None) -> list[OfferedDay]:
        """Offer today, read whole; its revision stands for what is listed."""
        today = self._today()
        if (first and today < first) or (last and last < today):
            return []
        self._read()
        return [OfferedDay(today, DayState.FINAL, self._revision)]

    def fetch(self, day: date, grain: str) -> Page:
        """Give what was read."""
        if self._body is None:
            self._read()
        assert self._body is not None
        return Page(day, grain, self._body, self._revision)

    def parse(self, page: Page) -> DayBatch:
        """Turn the pages read into typed columns."""
        return parse_rows(page.body, page.day, page.grain)

    def _today(self) -> date:
        return self.settings.today or moment().date()

    def _read(self) -> None:
        """Read every file, the index before what it names; a page listed twice by a file counts once."""
        listed: dict[tuple[str, str], None] = {}
        waiting, seen = [(self.settings.url, 0)], set[str]()
        while waiting:
            url, depth = waiting.pop(0)
            if url in seen:
                continue
            seen.add(url)
            if len(seen) > MOST_FILES:
                raise too_much(f"more than {MOST_FILES:,} sitemap files", self.settings.url)
            named: list[str] = []
            self._read_file(url, self._keeping(listed, _file_name(url)), named)
            if named and depth >= DEEPEST:
                raise FeedFault(
                    "sitemap-nested",
                    worded("Index files name index files more than {deepest} deep.", deepest=DEEPEST),
                    where=cleaned(url, 200),
                    remedy="name the sitemaps themselves in the index file",
                )
            waiting += [(each, depth + 1) for each in named]
        rows = sorted(listed)
        lines = (orjson.dumps({"page": page, "sitemap": name, "listed": 1}) + b"\n" for page, name in rows)
        self._body = b"".join(lines)
        self._revision = blake2b(self._body, digest_size=10).hexdigest()

    @staticmethod
    def _keeping(listed: dict[tuple[str, str], None], name: str) -> Callable[[str], None]:
        def keep(page: str) -> None:
            listed[page, name] = None
            if len(listed) > MOST_PAGES:
                raise too_much(f"more than {MOST_PAGES:,} pages", name)

        return keep

    def _read_file(self, url: str, keep: Callable[[str], None], named: list[str]) -> None:
        """Read one file: pages are kept one by one, files that it names are put down; raises FeedFault."""
        answer = self._feed.ask("GET", url, _unsigned)
        reader = _Reader(url, keep, named)
        for piece in _plain(answer.content, url, self.settings.limits):
            reader.take(piece)
        reader.end()


def _unsigned(_renew: bool) -> Mapping[str, str]:
    return {}


def _file_name(url: str) -> str:
    return cleaned(urlsplit(url).path.rpartition("/")[2] or "/", 200)


def _plain(body: bytes, url: str, limits: Limits) -> Iterator[bytes]:
    """Give a file's XML in pieces, unpacked where it is gzip, never more than the limits of one answer."""
    if not body.startswith(GZIP):
        yield body
        return
    unpacking, size, rest = zlib.decompressobj(zlib.MAX_WBITS | 16), 0, body
    try:
        while rest:
            if unpacking.eof:
                unpacking = zlib.decompressobj(zlib.MAX_WBITS | 16)
            piece = unpacking.decompress(rest, PIECE * 4)
            rest, size = unpacking.unconsumed_tail or unpacking.unused_data, size + len(piece)
            if size > limits.answer_bytes:
                raise too_much(f"more than {limits.answer_bytes:,} bytes", cleaned(url, 200))
            yield piece
    except zlib.error as why:
        raise _unreadable(f"packed data that is damaged ({why})", url) from why
    if not unpacking.eof:
        raise _unreadable("packed data that breaks off", url)


class _Reader:
    """Read one sitemap or index file as it comes in. What declares entities or a document type is refused."""

    def __init__(self, url: str, keep: Callable[[str], None], named: list[str]) -> None:
        self._url, self._keep, self._named = url, keep, named
        self._path: list[str] = []
        self._text: list[str] | None = None
        self._parser = expat.ParserCreate(namespace_separator=" ")
        self._parser.buffer_text = True
        self._parser.StartDoctypeDeclHandler = self._refuse_doctype
        self._parser.StartElementHandler = self._started
        self._parser.EndElementHandler = self._ended
        self._parser.CharacterDataHandler = self._said

    def take(self, piece: bytes) -> None:
        """Read on."""
        self._parse(piece, False)

    def end(self) -> None:
        """Find that the file is whole."""
        self._parse(b"", True)

    def _parse(self, piece: bytes, final: bool) -> None:
        try:
            self._parser.Parse(piece, final)
        except expat.ExpatError as why:
            raise _unreadable(f"no XML ({expat.ErrorString(why.code)}, line {why.lineno})", self._url) from why

    def _refuse_doctype(self, *_told: object) -> None:
        raise _unreadable("XML with a document type, which a sitemap has not", self._url)

    def _started(self, name: str, _attributes: object) -> None:
        tag = name.rpartition(" ")[2]
        self._path.append(tag)
        if len(self._path) == 1 and tag not in ("urlset", "sitemapindex"):
            raise _unreadable(f"no sitemap: it begins with {cleaned(tag, 40)!r}", self._url)
        if self._path[1:] in (["url", "loc"], ["sitemap", "loc"]):
            self._text = []

    def _said(self, text: str) -> None:
        if self._text is not None:
            self._text.append(text)
            if sum(map(len, self._text)) > MOST_ADDRESS:
                raise _unreadable(f"an address of more than {MOST_ADDRESS:,} signs", self._url)

    def _ended(self, _name: str) -> None:
        if self._text is not None:
            self._put("".join(self._text).strip(), self._path[1] == "sitemap")
            self._text = None
        self._path.pop()

    def _put(self, address: str, is_file: bool) -> None:
        if not address or unkeepable(address, line=True) or " " in address:
            raise _unreadable(f"{cleaned(address, 80)!r} where an address belongs", self._url)
        absolute = urljoin(self._url, address)
        if not absolute.startswith(("http://", "https://")):
            raise _unreadable(f"{cleaned(address, 80)!r} where an http address belongs", self._url)
        if not is_file:
            self._keep(absolute)
            return
        self._named.append(absolute)
        if len(self._named) > MOST_FILES:
            raise too_much(f"more than {MOST_FILES:,} sitemap files", cleaned(self._url, 200))


def _unreadable(what: str, url: str) -> FeedFault:
    return FeedFault(
        "sitemap-unreadable",
        worded("The sitemap is {what}.", what=what),
        where=cleaned(url, 200),
        remedy="see that the address is that of a sitemap, or of an index of sitemaps",
    )
