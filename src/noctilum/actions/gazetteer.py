"""Finding places to look up from."""

from __future__ import annotations

from noctilum.actions.install import Install
from noctilum.core.errors import Nonsense, worded
from noctilum.sources.gazetteer import Place, found_places, is_country, own_places, towns_called
from noctilum.wire import places as wire


def places(install: Install, asked: wire.PlacesQuery) -> list[wire.PlaceOut]:
    """Find places by their name, the agency's own first. Raises Nonsense where its own cannot be read."""
    own = own_places(install.places_path)
    return [_out(place, alone) for place, alone in found_places(asked.find, asked.country, own, asked.limit)]


def towns(install: Install, asked: wire.TownsQuery) -> list[wire.Town]:
    """Say where towns lie, those that are known. Raises Nonsense where the agency's own places cannot be read."""
    found = towns_called(asked.town, asked.country, own_places(install.places_path))
    return [
        wire.Town(
            name=name,
            country=each.country,
            region=each.region,
            latitude=each.latitude or 0,
            longitude=each.longitude or 0,
        )
        for name, each in found.items()
    ]


def check_country(code: str) -> None:
    """Raise Nonsense for a code that is no country's."""
    if not is_country(code):
        raise Nonsense(
            "no-such-country",
            worded("{code!r} is no country.", code=code),
            where="country",
            remedy="two letters, like GB",
        )


def _out(place: Place, alone: bool) -> wire.PlaceOut:
    return wire.PlaceOut(
        name=place.name,
        kind=place.kind,
        country=place.country,
        region=place.region,
        latitude=place.latitude,
        longitude=place.longitude,
        people=place.people,
        place=_as_place(place, alone),
    )


def _as_place(place: Place, alone: bool) -> str:
    if place.kind == "country":
        return ""
    return place.name if alone or place.latitude is None else f"{place.latitude:.4f}, {place.longitude:.4f}"
