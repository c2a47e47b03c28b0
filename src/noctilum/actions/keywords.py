"""Tracked keywords: keeping them one by one or many at once, and what they cost in lookups."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import date, datetime
from itertools import product
from typing import Any

from sqlalchemy import ColumnElement, Select, String, cast, func, literal, select
from sqlalchemy.orm import Session

from noctilum.actions import keyword_files
from noctilum.actions.find import find_site
from noctilum.actions.gazetteer import check_country
from noctilum.actions.hand_over_rows import of_site, typed
from noctilum.actions.install import Install
from noctilum.core.digest import text_hash
from noctilum.core.errors import Clash, Nonsense, NotThere, worded
from noctilum.core.pages import path_on
from noctilum.datasets.lookups import KIND
from noctilum.records.models import LARGEST_NUMBER, Keyword, Site, Source
from noctilum.wire import keywords as wire
from noctilum.wire.handed import HandedKeyword

MOST_TOLD = 100
NAMED_BY = ("term", "engine", "language", "country", "place", "device")
STAMPED = (*NAMED_BY, "weight", "volume", "cpc")
_Name = tuple[str, str, str, str, str, str]


def canonical_term(text: str) -> str:
    """Bring a term to the form in which queries are counted: small letters, single blanks.

    >>> canonical_term("  Ronsay   Ferry ")
    'ronsay ferry'
    """
    return " ".join(text.split()).lower()


def keywords_of(install: Install, site: str) -> list[wire.KeywordOut]:
    """List the keywords of a site."""
    return listed(install, wire.KeywordsQuery(site=site))


def listed(install: Install, asked: wire.KeywordsQuery) -> list[wire.KeywordOut]:
    """List keywords as a question narrows them: pinned ones first, then by term, place and device."""
    question = _all().order_by(Keyword.pinned.desc(), Keyword.term, Keyword.place, Keyword.device, Keyword.id)
    with install.records.read() as db:
        if asked.site is not None:
            question = question.where(Keyword.site_id == find_site(db, asked.site).id)
        found = [_out(keyword, key) for keyword, key in db.execute(question).all()]
    part = canonical_term(asked.find)
    return [each for each in found if part in each.term and (asked.tag is None or asked.tag in each.tags)]


def stamps(db: Session, site: int | None = None) -> dict[int, str]:
    """Stand for the keywords each site tracks, or one, as far as readings hang on them; by the number of the site."""
    whole: ColumnElement[str] = literal("")
    for name in STAMPED:
        whole = whole + "\x1f" + func.coalesce(cast(getattr(Keyword, name), String), "")
    asked = select(Keyword.site_id, func.aggregate_strings(whole, "\x1e")).group_by(Keyword.site_id)
    if site is not None:
        asked = asked.where(Keyword.site_id == site)
    return {number: str(text_hash(text)) for number, text in db.execute(asked).all()}


def one(install: Install, number: int) -> wire.KeywordOut:
    """Give a keyword; raises NotThere."""
    with install.records.read() as db:
        found = _found(db, number)
        return _out(found, _site_of(db, found).key)


def added(install: Install, asked: wire.NewKeyword, now: datetime) -> wire.KeywordOut:
    """Track a keyword. Raises Clash where it is tracked already in the same place, on the same device."""
    with install.records.begin() as db:
        site = find_site(db, asked.site)
        values = values_of(site, asked)
        _refuse_tracked(db, site, values, None)
        found = Keyword(site_id=site.id, created_at=now, **values)
        db.add(found)
        db.flush()
        return _out(found, site.key)


def changed(install: Install, number: int, asked: wire.NewKeyword, now: datetime) -> wire.KeywordOut:
    """Make a keyword what is asked. Another term, place or device is another keyword, looked up anew."""
    with install.records.begin() as db:
        found = _found(db, number)
        site = find_site(db, asked.site)
        values = values_of(site, asked)
        _refuse_tracked(db, site, values, number)
        if any(getattr(found, name) != values[name] for name in NAMED_BY):
            found.checked_at = None
        found.site_id = site.id
        for name, value in values.items():
            setattr(found, name, value)
        db.flush()
        return _out(found, site.key)


def dropped(install: Install, number: int) -> None:
    """Track a keyword no more; what was found of it stays in the history."""
    with install.records.begin() as db:
        db.delete(_found(db, number))


def take(install: Install, asked: wire.AskKeywords, now: datetime) -> wire.KeywordsTaken:
    """Track many keywords; those tracked already are told and left as they are. With dry_run nothing is kept."""
    with install.records.begin() as db:
        site = find_site(db, asked.site)
        new, repeated = _new_of(db, site, _each(site, asked), now)
        cost = _cost(db, site, now.date(), new)
        if not asked.dry_run:
            db.add_all(new)
            db.flush()
        return wire.KeywordsTaken(
            added=[] if asked.dry_run else [_out(keyword, site.key) for keyword in new],
            adding=len(new),
            repeated=repeated[:MOST_TOLD],
            repeats=len(repeated),
            cost=cost,
        )


def change_many(install: Install, asked: wire.ChangeKeywords, now: datetime) -> wire.KeywordsChanged:
    """Change many keywords of a site alike, or track them no more; all or none. Raises NotThere."""
    with install.records.begin() as db:
        site = find_site(db, asked.site)
        mine = {found.id: found for found in db.scalars(select(Keyword).where(Keyword.site_id == site.id))}
        if missing := [number for number in asked.numbers if number not in mine]:
            raise _no_keyword(missing[0])
        for number in dict.fromkeys(asked.numbers):
            if asked.drop:
                db.delete(mine[number])
            else:
                _change(mine[number], site, asked)
        db.flush()
        return wire.KeywordsChanged(changed=len(set(asked.numbers)), cost=_cost(db, site, now.date()))


def cost(install: Install, site: str, today: date) -> wire.Cost:
    """Say what the keywords of a site need in lookups."""
    with install.records.read() as db:
        return _cost(db, find_site(db, site), today)


def _all() -> Select[Keyword, str]:
    return select(Keyword, Site.key).join(Site, Keyword.site_id == Site.id)


def _found(db: Session, number: int) -> Keyword:
    found = db.get(Keyword, number) if number <= LARGEST_NUMBER else None
    if found is None:
        raise _no_keyword(number)
    return found


def _no_keyword(number: int) -> NotThere:
    return NotThere(
        "no-such-keyword",
        worded("There is no keyword {number}.", number=number),
        remedy="list them with `noctilum keywords`",
    )


def _site_of(db: Session, found: Keyword) -> Site:
    site = db.get(Site, found.site_id)
    if site is None:
        raise _no_keyword(found.id)
    return site


def values_of(site: Site, asked: wire.NewKeyword) -> dict[str, Any]:
    """Give a keyword's columns: its term as queries are counted, its page as the readings name it."""
    check_country(asked.country)
    values = asked.model_dump(exclude={"site", "cpc"})
    return values | {
        "term": _checked_term(asked.term),
        "place": " ".join(asked.place.split()),
        "page": path_on(site.host, asked.page) if asked.page else "",
        "cpc": None if asked.cpc is None else round(asked.cpc * 100),
    }


def _checked_term(text: str) -> str:
    if not (term := canonical_term(text)):
        raise Nonsense("no-term", "A keyword needs a term.", where="term", remedy="like ronsay ferry")
    return term


def _each(site: Site, asked: wire.AskKeywords) -> Iterable[dict[str, Any]]:
    alike = asked.model_dump(exclude={"terms", "devices", "places", "place", "dry_run", "site"})
    places = [asked.place] if asked.place and asked.places == [""] else asked.places
    for term, place, device in product(asked.terms, places, asked.devices):
        if canonical_term(term):
            given = {"site": asked.site, "term": term, "place": place, "device": device}
            yield values_of(site, wire.NewKeyword.model_validate(alike | given))


def _new_of(
    db: Session, site: Site, wanted: Iterable[dict[str, Any]], now: datetime
) -> tuple[list[Keyword], list[str]]:
    """Tell the keywords that are new from those tracked already, or asked twice; gives those by how they are told."""
    known = {_name(keyword) for keyword in db.scalars(select(Keyword).where(Keyword.site_id == site.id))}
    new: list[Keyword] = []
    repeated: list[str] = []
    for values in wanted:
        name = name_of(values)
        if name in known:
            repeated.append(_told(values))
            continue
        known.add(name)
        new.append(Keyword(site_id=site.id, created_at=now, **values))
    return new, repeated


def _name(keyword: Keyword) -> _Name:
    return (
        *(keyword.term, keyword.engine, keyword.language),
        *(keyword.country, keyword.place, keyword.device),
    )


def name_of(values: dict[str, Any]) -> _Name:
    """Give what tells one keyword of a site from another."""
    return tuple(values[part] for part in NAMED_BY)


def _told(values: dict[str, Any]) -> str:
    place = values["place"] or values["country"]
    return f"{values['term']} ({place}, {values['device']})"


def _refuse_tracked(db: Session, site: Site, values: dict[str, Any], number: int | None) -> None:
    same = [getattr(Keyword, name) == values[name] for name in NAMED_BY]
    found = db.scalar(select(Keyword.id).where(Keyword.site_id == site.id, *same))
    if found is not None and found != number:
        raise Clash(
            "keyword-tracked", worded("{values} is tracked already.", values=_told(values)), remedy="change that one"
        )


def _change(keyword: Keyword, site: Site, asked: wire.ChangeKeywords) -> None:
    for name in ("weight", "pinned", "interval"):
        if (value := getattr(asked, name)) is not None:
            setattr(keyword, name, value)
    if asked.page is not None:
        keyword.page = path_on(site.host, asked.page) if asked.page else ""
    if asked.add_tags or asked.drop_tags:
        keyword.tags = sorted((set(keyword.tags) | set(asked.add_tags)) - set(asked.drop_tags))
        if len(keyword.tags) > wire.MOST_TAGS:
            raise Nonsense(
                "too-many-tags",
                worded("{term} would have {many} tags.", term=keyword.term, many=len(keyword.tags)),
                where="add_tags",
            )


def lookups_source(db: Session, site: Site) -> Source | None:
    """Find the source that a site's lookups come from."""
    return db.scalar(select(Source).where(Source.site_id == site.id, Source.kind == KIND, Source.connector != "files"))


def used_in(source: Source | None, month: date) -> int:
    """Say how many lookups a source has used in a month."""
    return int(source.settings.get("used", {}).get(f"{month:%Y-%m}", 0)) if source else 0


def _cost(db: Session, site: Site, today: date, new: Sequence[Keyword] = ()) -> wire.Cost:
    known = list(db.scalars(select(Keyword).where(Keyword.site_id == site.id)))
    every = [*known, *(each for each in new if each not in known)]
    source = lookups_source(db, site)
    limit = source.settings.get("a_month") if source else None
    used = used_in(source, today)
    return wire.Cost(
        keywords=len(every),
        a_month=sum(wire.CHECKS_A_MONTH[each.interval or "daily"] for each in every),
        limit=limit,
        used=used,
        left=None if limit is None else max(0, limit - used),
    )


def _out(found: Keyword, site: str) -> wire.KeywordOut:
    return wire.KeywordOut.model_validate(
        {
            "id": found.id,
            "site": site,
            "term": found.term,
            "engine": found.engine,
            "language": found.language,
            "country": found.country,
            "place": found.place,
            "device": found.device,
            "page": found.page,
            "weight": found.weight,
            "tags": list(found.tags),
            "pinned": found.pinned,
            "note": found.note,
            "volume": found.volume,
            "cpc": None if found.cpc is None else found.cpc / 100,
            "interval": found.interval,
            "checked_at": found.checked_at.isoformat(timespec="seconds") if found.checked_at else None,
        }
    )


def take_file(install: Install, asked: wire.AskKeywordFile, now: datetime) -> wire.KeywordFileTaken:
    """Track the keywords of a file; lines that cannot be used are told. Raises Nonsense for a file that names none."""
    columns, ignored, lines = keyword_files.read(asked)
    refused = [f"{line.place}: {line.why}" for line in lines if line.given is None]
    with install.records.begin() as db:
        site = find_site(db, asked.site)
        usable = [line.given for line in lines if line.given is not None]
        wanted = (values_of(site, wire.NewKeyword.model_validate(given)) for given in usable)
        new, repeated = _new_of(db, site, wanted, now)
        cost = _cost(db, site, now.date(), new)
        if not asked.dry_run:
            db.add_all(new)
        return wire.KeywordFileTaken(
            columns=columns,
            ignored=ignored,
            adding=len(new),
            repeats=len(repeated),
            refused=refused[:MOST_TOLD],
            cost=cost,
        )


def handed(db: Session, site: Site) -> list[dict[str, Any]]:
    """Give the keywords of the site."""
    return [
        typed(found, HandedKeyword) | ({"cpc": found.cpc / 100} if found.cpc is not None else {})
        for found in of_site(db, Keyword, site)
    ]


def bring(db: Session, site: Site, told: Sequence[HandedKeyword], now: datetime) -> None:
    """Add the keywords of a hand-over, each once; they are due when the site's lookups are connected."""
    for values in {name_of(values): values for values in (values_of(site, found) for found in told)}.values():
        db.add(Keyword(site_id=site.id, created_at=now, **values))
