"""`noctilum brand`: show what a site's brand terms find, try others, keep them."""

from __future__ import annotations

import argparse
from itertools import zip_longest

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, count, percent, print_out
from noctilum.core.errors import Nonsense
from noctilum.wire.noted import BrandTested, BrandTry, BrandVariant
from noctilum.wire.setup import SiteChange

SHOWN = 10


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("site")
    parser.add_argument("--terms", help="try these in place of those in use: commas between, -words are exceptions")
    parser.add_argument("--save", action="store_true", help="keep --terms")
    parser.add_argument("--query", action="append", default=[], help="say whether this query is brand; may be repeated")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """Show what the terms find, after keeping them if asked to."""
    if asked.save and asked.terms is None:
        raise Nonsense("terms-missing", "There are no terms to keep.", where="--save", remedy="give them with --terms")
    with service(asked) as noctilum:
        found = noctilum.try_brand(asked.site, asked.terms, asked.query)
        if asked.save:
            noctilum.change_site(asked.site, SiteChange(brand_terms=asked.terms))
    columns = [Column(name, right=False, most=40) for name in ("as written", "but for a letter", "close, and no brand")]
    lists = (found.samples[:SHOWN], [*map(_variant, found.slips[:SHOWN])], [*map(_variant, found.near[:SHOWN])])
    cells = list(zip_longest(*lists, fillvalue=""))
    print_out(asked, found.model_dump(mode="json"), _rows(found), columns, cells, above=_above(found, asked))


def _rows(found: BrandTry) -> list[dict[str, str]]:
    rows = [{"words": text, "queries": "1", "found": "written"} for text in found.samples]
    for how, variants in (("slip", found.slips), ("near", found.near)):
        rows += [{"words": each.words, "queries": str(each.queries), "found": how} for each in variants]
    return rows + [{"words": each.text, "queries": "", "found": each.how or "no"} for each in found.tested]


def _variant(found: BrandVariant) -> str:
    return f"{found.words} ×{count(found.queries)}"


def _above(found: BrandTry, asked: argparse.Namespace) -> list[str]:
    terms = ", ".join([*found.terms, *(f"-{term}" for term in found.exceptions)]) or "no terms yet"
    share = percent(found.matching / found.known) if found.known else "none"
    lines = [f"Brand: {terms}"]
    lines.append(f"{count(found.matching)} of {count(found.known)} queries ever shown for are brand ({share}).")
    if found.gained or found.lost:
        kept = "Kept" if asked.save else "Against the terms in use"
        more = _more(found.gained, found.gained_samples, "+"), _more(found.lost, found.lost_samples, "-")
        lines.append(f"{kept}: {'; '.join(more)}.")
    return [*lines, *map(_tested, found.tested), ""]


def _more(number: int, samples: list[str], sign: str) -> str:
    named = f" ({', '.join(samples[:3])}{', …' if number > 3 else ''})" if number else ""
    return f"{sign}{count(number)}{named}"


def _tested(found: BrandTested) -> str:
    why = {
        None: "holds no term",
        "written": f"holds {found.term!r}",
        "slip": f"holds {found.term!r} but for one letter",
        "exception": f"kept out by {found.term!r}",
    }[found.how]
    return f"  {found.text}: {'brand' if found.brand else 'generic'}, {why}"
