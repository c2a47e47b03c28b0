"""What readings of links, of the index and of term facts say of themselves."""

from __future__ import annotations

from noctilum.wire import facts, index, links
from noctilum.wire.readings import Sentence
from noctilum.words.teller import Teller


def backlinks(teller: Teller) -> list[Sentence]:
    """Say what stands, what came and went, and what leads to pages that are gone."""
    found: links.Backlinks = teller.reading
    said = [
        teller.tell_many(
            "{n} link from {domains} domains stands; when the window began there were {before}.",
            "{n} links from {domains} domains stand; when the window began there were {before}.",
            "count:/links",
            domains="count:/domains",
            before="count:/links_before",
        ),
        teller.tell("{gained} were gained and {lost} lost.", gained="count:/gained", lost="count:/lost"),
    ]
    if found.rows and found.rows[0].lost and found.rows[0].lost * 2 >= found.lost and found.by == "domain":
        most = {"lost": "count:/rows/0/lost", "key": "text:/rows/0/key"}
        said.append(teller.tell("{lost} of the lost ones were on {key}.", **most))
    if found.gone:
        said.append(
            teller.tell_many(
                "{n} link leads to a page that is gone.", "{n} links lead to pages that are gone.", "count:/gone"
            )
        )
    if found.unknown_days:
        said.append(
            teller.tell_many(
                "Of {n} day since the first it is not known what came and went.",
                "Of {n} days since the first it is not known what came and went.",
                "count:/unknown_days",
            )
        )
    return said[:4]


def presence(teller: Teller) -> list[Sentence]:
    """Say how many pages are listed, indexed and shown, and what is amiss."""
    found: index.Presence = teller.reading
    said = []
    if found.listed is not None:
        said.append(teller.tell_many("The sitemaps list {n} page.", "The sitemaps list {n} pages.", "count:/listed"))
    else:
        said.append(teller.tell("No sitemap of this site is read, so what it lists is not known."))
    if found.indexed is None:
        said.append(teller.tell("No source of the index is connected, so what stands in it is not known."))
    elif found.indexed_before is None:
        said.append(teller.tell_many("{n} page is indexed.", "{n} pages are indexed.", "count:/indexed"))
    else:
        said.append(
            teller.tell_many(
                "{n} page is indexed, {before} when the window began.",
                "{n} pages are indexed, {before} when the window began.",
                "count:/indexed",
                before="count:/indexed_before",
            )
        )
    many = sorted(range(len(found.counts)), key=lambda at: -found.counts[at].pages)
    told = [
        _amiss(teller, found.counts[at].standing, f"count:/counts/{at}/pages") for at in many if found.counts[at].pages
    ]
    return [*said, *(each for each in told if each)][:4]


def _amiss(teller: Teller, standing: str, pages: str) -> Sentence | None:
    """Say how many pages stand so; None for what is not amiss."""
    match standing:
        case "gone":
            return teller.tell_many(
                "{n} page was shown in the window and is neither listed nor indexed now.",
                "{n} pages were shown in the window and are neither listed nor indexed now.",
                pages,
            )
        case "listed, not indexed":
            return teller.tell_many(
                "{n} page is listed and not indexed.", "{n} pages are listed and not indexed.", pages
            )
        case "listed, not shown":
            return teller.tell_many(
                "{n} page is listed and was shown to nobody in the window.",
                "{n} pages are listed and were shown to nobody in the window.",
                pages,
            )
        case "shown, not listed":
            return teller.tell_many(
                "{n} page was shown and is in no sitemap.", "{n} pages were shown and are in no sitemap.", pages
            )
    return None


def arrivals(teller: Teller) -> list[Sentence]:
    """Say how many pages were new, and how long they took."""
    found: index.Arrivals = teller.reading
    if not found.matching:
        return [teller.tell("No page was new in the window, of the days that are held.")]
    said = [teller.tell_many("{n} page was new.", "{n} pages were new.", "count:/matching")]
    if found.typical_index is not None:
        said.append(teller.tell("It took typically {days} days to the index.", days="figure:/typical_index"))
    if found.typical_show is not None:
        said.append(teller.tell("It took typically {days} days until they were shown.", days="figure:/typical_show"))
    if found.not_indexed:
        said.append(teller.tell_many("{n} is not indexed yet.", "{n} are not indexed yet.", "count:/not_indexed"))
    elif found.not_shown:
        said.append(teller.tell_many("{n} was not shown yet.", "{n} were not shown yet.", "count:/not_shown"))
    return said


def terms(teller: Teller) -> list[Sentence]:
    """Say how much the terms are searched for, and what the site's clicks on them are worth."""
    found: facts.Terms = teller.reading
    if not found.matching:
        return [teller.tell("No term with facts matches.")]
    said = [
        teller.tell_many(
            "{n} term was searched {volume} times in {month}.",
            "{n} terms were searched {volume} times in {month}.",
            "count:/matching",
            volume="count:/volume",
            month="month:/month",
        )
    ]
    if found.value is None:
        return [*said, teller.tell("No searches of this site are held, so what it gets of them is not known.")]
    return [*said, teller.tell("The clicks of the window would have cost {value}.", value="figure:/value")]


def ideas(teller: Teller) -> list[Sentence]:
    """Say how many terms are near the word, and how many of them are new."""
    found: facts.Ideas = teller.reading
    if not found.matching:
        if found.known:
            return [teller.tell("Nothing is known near {word}.", word="text:/word")]
        return [teller.tell("Nothing near {word} is held; its source names no neighbours.", word="text:/word")]
    said = [
        teller.tell_many(
            "{n} term is near {word}, {new} of them new.",
            "{n} terms are near {word}, {new} of them new.",
            "count:/matching",
            word="text:/word",
            new="count:/new",
        )
    ]
    if found.rows and found.offset == 0:
        most = {"term": "text:/rows/0/term", "volume": "count:/rows/0/volume"}
        said.append(teller.tell("Most searched is {term}: {volume} times a month.", **most))
    return said
