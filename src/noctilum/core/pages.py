"""Pages by one name: the address of a page on the site's own host is its path."""

from __future__ import annotations

from dataclasses import replace
from urllib.parse import urlsplit

import numpy as np
import numpy.typing as npt

from noctilum.core.batch import Coded, DayBatch

_PORTS = {"http": 80, "https": 443}


def path_on(host: str, page: str) -> str:
    """Name a page by its path and query where it is an address on the host; pages of other hosts stay as they are.

    The scheme, the default port, the case of the host, its form in IDNA and a fragment make no other page.

    >>> path_on("skerryferries.example", "HTTPS://SkerryFerries.example:443/fares?day=1#top")
    '/fares?day=1'
    >>> path_on("skerryferries.example", "http://skerryferries.example")
    '/'
    >>> path_on("skerryferries.example", "https://de.skerryferries.example/preise")
    'https://de.skerryferries.example/preise'
    """
    if "://" not in page:
        return page
    try:
        found = urlsplit(page)
        port = found.port
    except ValueError:
        return page
    own = _host(host.partition("/")[0])
    if found.scheme not in _PORTS or port not in (None, _PORTS[found.scheme]) or _host(found.hostname or "") != own:
        return page
    return f"{found.path or '/'}{'?' if found.query else ''}{found.query}"


def _host(name: str) -> str:
    plain = name.lower().rstrip(".")
    try:
        return plain.encode("idna").decode()
    except UnicodeError:
        return plain


def by_path(batch: DayBatch, host: str) -> DayBatch:
    """Name a day's pages by their paths; rows that thereby come to be of one thing are added up."""
    pages = batch.dims.get("page")
    if pages is None:
        return batch
    texts = [path_on(host, text) for text in pages.texts]
    if texts == list(pages.texts):
        return batch
    renamed = Coded.of(texts)
    dims = {**batch.dims, "page": Coded(renamed.codes[pages.codes], renamed.texts)}
    named = replace(batch, dims=dims)
    return named if len(renamed.texts) == len(pages.texts) else _added(named)


def lies_in(page: str, host: str, part: str) -> bool:
    """Say whether a page is of a part: a host, or a host with a path. host: of pages that are told by path alone.

    >>> [lies_in(page, "site.example", "site.example/shop") for page in ("/shop", "/shop/a", "/shop?a=1", "/shopping")]
    [True, True, True, False]
    >>> lies_in("https://de.site.example/a", "site.example", "site.example")
    False
    """
    try:
        found = urlsplit(page if "://" in page else f"http://{host.partition('/')[0]}{page}")
        name = found.hostname or ""
    except ValueError:
        return False
    wanted, _, path = part.partition("/")
    inside = (
        f"{found.path.lower().rstrip('/')}/".startswith(f"/{path.strip('/').lower()}/") if path.strip("/") else True
    )
    return _host(name) == _host(wanted) and inside


def only_part(batch: DayBatch, host: str, part: str) -> DayBatch:
    """Leave only the rows of pages that lie in a part of what a property counts; host: its own."""
    pages = batch.dims["page"]
    inside = np.array([lies_in(text, host, part) for text in pages.texts], dtype=np.bool_)
    return batch if inside.all() else batch.taken(inside[pages.codes])


def _added(batch: DayBatch) -> DayBatch:
    """Add up rows that name the same thing; the first of each stays at its place."""
    if not len(batch):
        return batch
    keys = np.stack([column.codes for column in batch.dims.values()])
    _, first, group = np.unique(keys, axis=1, return_index=True, return_inverse=True)
    if first.size == len(batch):
        return batch
    order = np.argsort(first, kind="stable")
    rank = np.empty_like(order)
    rank[order] = np.arange(order.size)
    at = rank[group.reshape(-1)]
    kept = batch.taken(first[order])
    return replace(kept, values={name: _summed(at, column, order.size) for name, column in batch.values.items()})


def _summed(at: npt.NDArray[np.intp], column: npt.NDArray[np.int64], size: int) -> npt.NDArray[np.int64]:
    total = np.zeros(size, dtype=np.int64)
    np.add.at(total, at, column)
    return total
