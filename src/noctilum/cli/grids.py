"""`noctilum grids`: list local grids, add one, drop one, write one as GeoJSON."""

from __future__ import annotations

import argparse
import json
from typing import Any, get_args

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, print_out
from noctilum.core.errors import Nonsense
from noctilum.wire.grids import NewGrid
from noctilum.wire.keywords import Device
from noctilum.wire.ranks import LocalGrid


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("site")
    parser.add_argument("--add", metavar="LABEL", help="add a grid; say --term and --at")
    parser.add_argument("--term", help="what is looked up")
    parser.add_argument("--at", metavar="LAT,LON", help="the middle, as 52.214,-1.482")
    parser.add_argument("--spacing", type=float, default=1.0, help="kilometres between points (default 1)")
    parser.add_argument("--size", type=int, default=7, help="so many points a side (default 7)")
    parser.add_argument("--device", choices=get_args(Device), default="mobile", help="default mobile")
    parser.add_argument("--country", default="GB", help="country that is looked from (default GB)")
    parser.add_argument("--lang", dest="looked_in", default="en", help="language that is looked in (default en)")
    parser.add_argument("--drop", type=int, metavar="NUMBER", help="look a grid up no more")
    parser.add_argument("--geojson", type=int, metavar="NUMBER", help="write a grid's points as GeoJSON (RFC 7946)")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """List grids, after what else was asked for."""
    with service(asked) as noctilum:
        if asked.geojson is not None:
            print(json.dumps(geojson(noctilum.local_grid(asked.site, asked.geojson)), ensure_ascii=False, indent=1))
            return
        if asked.add:
            noctilum.add_grid(_new(asked))
        if asked.drop is not None:
            noctilum.drop_grid(asked.drop)
        found = noctilum.grids(asked.site)
    rows = [each.model_dump(mode="json") for each in found]
    columns = [Column("number"), *(Column(name, right=False) for name in ("around", "term", "device", "middle"))]
    columns += [Column("points"), Column("km apart"), Column("looked up", right=False)]
    cells = [
        (
            str(each.id),
            each.label,
            each.term,
            each.device,
            f"{each.latitude:.4f}, {each.longitude:.4f}",
            f"{each.size} × {each.size}",
            f"{each.spacing:g}",
            (each.checked_at or "never")[:10],
        )
        for each in found
    ]
    print_out(asked, rows, rows, columns, cells, above=[] if found else ["There is no local grid yet."])


def _new(asked: argparse.Namespace) -> NewGrid:
    try:
        latitude, longitude = (float(part) for part in (asked.at or "").split(","))
        return NewGrid(
            site=asked.site,
            label=asked.add,
            term=asked.term or "",
            latitude=latitude,
            longitude=longitude,
            spacing=asked.spacing,
            size=asked.size,
            device=asked.device,
            country=asked.country,
            language=asked.looked_in,
        )
    except ValueError as why:
        said = str(why).split("\n")[-2].strip() if "\n" in str(why) else "--at wants a latitude and a longitude"
        raise Nonsense(
            "grid-unusable", f"{said.split(' [type')[0]}.", where="--add", remedy="--at 52.214,-1.482"
        ) from why


def geojson(found: LocalGrid) -> dict[str, Any]:
    """Write the points of a grid as a collection of features (RFC 7946): longitude first, ranks as properties."""
    return {
        "type": "FeatureCollection",
        "features": [
            {
                "type": "Feature",
                "geometry": {"type": "Point", "coordinates": [point.longitude, point.latitude]},
                "properties": {
                    "term": found.term,
                    "rank": point.rank,
                    "checked": point.checked,
                    "before": point.before,
                    "top": point.top,
                    "day": point.day.isoformat() if point.day else None,
                },
            }
            for point in found.rows
        ],
    }
