"""Kept result pages: finding those of a keyword, and opening one."""

from __future__ import annotations

from datetime import datetime

from noctilum.actions import keywords
from noctilum.actions.find import find_site
from noctilum.actions.install import Install
from noctilum.core.errors import NotThere, StoreFault, worded
from noctilum.core.found import Feature, Kept, domain_of, is_own, opened, placed
from noctilum.history.captures import CaptureLine
from noctilum.wire import captures as wire


def of_keyword(install: Install, number: int) -> list[wire.CaptureLine]:
    """List the kept result pages of a keyword, newest first; raises NotThere for no such keyword."""
    keyword = keywords.one(install, number)
    with install.records.read() as db:
        site = find_site(db, keyword.site).id
    name = "\x1f".join((keyword.term, keyword.track, keyword.place, keyword.device, keyword.engine))
    try:
        found = install.history(site).captures_of(name)
    except NotThere:
        return []
    return [_line(each) for each in reversed(found)]


def one(install: Install, site: str, number: int) -> wire.Capture:
    """Open a kept result page of a site; raises NotThere."""
    with install.records.read() as db:
        found = find_site(db, site)
        host, of = found.host, found.id
    line = install.history(of).capture_line(number)
    body = install.history(of).capture(number)
    if line is None or body is None:
        raise NotThere("no-such-capture", worded("{site} has no kept result page {number}.", site=site, number=number))
    try:
        return _told(host, line, opened(body))
    except ValueError as why:
        raise StoreFault(
            "capture-damaged", worded("The kept result page {number} cannot be read.", number=number)
        ) from why


def _line(found: CaptureLine) -> wire.CaptureLine:
    return wire.CaptureLine(id=found.number, day=found.day, taken_at=datetime.fromisoformat(found.taken_at))


def _told(host: str, line: CaptureLine, kept: Kept) -> wire.Capture:
    own = placed(host, kept.found)
    keyword, track, place, device, engine = kept.named
    return wire.Capture(
        id=line.number,
        keyword=keyword,
        track=track,
        place=place,
        device=device,
        engine=engine,
        day=line.day,
        taken_at=datetime.fromisoformat(line.taken_at),
        rank=own.rank,
        spot=own.spot,
        page=own.page,
        results=[
            wire.CapturedResult(
                rank=each.rank,
                url=each.url,
                title=each.title,
                kind=each.kind,
                domain=domain_of(each.url),
                own=is_own(host, each.url),
            )
            for each in kept.found.results
        ],
        features=[_feature(host, each) for each in kept.found.features],
        doubts=list(kept.doubts),
    )


def _feature(host: str, found: Feature) -> wire.CapturedFeature:
    owners = [wire.CapturedOwner(url=url, domain=domain_of(url), own=is_own(host, url)) for url in found.owners]
    return wire.CapturedFeature(kind=found.kind, above=found.above, text=found.text, owners=owners)
