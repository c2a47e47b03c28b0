"""What each reading says of itself: one to four sentences."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from pydantic import BaseModel

from noctilum.wire import compare, explain, noted
from noctilum.wire import readings as wire
from noctilum.wire.catalogue import READINGS
from noctilum.words.cautions import said
from noctilum.words.reasons import driver_said, reason
from noctilum.words.speech import Speech
from noctilum.words.teller import Teller, message

R = TypeVar("R", bound=BaseModel)


Say = Callable[[Teller], list[wire.Sentence]]


def told(reading: R, language: str, say: Say | None = None) -> R:
    """Give a reading with its sentences, its cautions and the reasons of its rows, in a language."""
    speech = Speech(language)
    whole = _with_cautions(_with_reasons(reading, speech), speech)
    return whole.model_copy(update={"sentences": say(Teller(whole, speech))}) if say else whole


def _with_cautions(reading: R, speech: Speech) -> R:
    found: list[wire.Caution] = getattr(reading, "cautions", [])
    return reading.model_copy(update={"cautions": [said(each, speech) for each in found]}) if found else reading


def _with_reasons(reading: R, speech: Speech) -> R:
    if not isinstance(reading, explain.Judgements):
        return reading
    rows = [row.model_copy(update={"reason": reason(row, speech)}) for row in reading.rows]
    return reading.model_copy(update={"rows": rows})


def _clicks(teller: Teller) -> wire.Sentence:
    """Say how clicks went from the window before to this one; for readings with now, before and change."""
    change = teller.reading.change
    if change is None:
        return teller.tell("The window has {now} clicks.", now="count:/now/clicks")
    scaled = change.basis == "scaled"
    by, ratio = "size:/change/clicks", "signed_percent:/change/clicks_ratio"
    if round(change.clicks) == 0:
        return teller.tell("Clicks held at {now}.", now="count:/now/clicks")
    if change.clicks_ratio is None:
        return teller.tell("Clicks rose by {by}, from none.", by=by)
    if change.clicks > 0:
        moved = (
            message("Over as many days clicks rose by {by} ({ratio}).")
            if scaled
            else message("Clicks rose by {by} ({ratio}).")
        )
    else:
        moved = (
            message("Over as many days clicks fell by {by} ({ratio}).")
            if scaled
            else message("Clicks fell by {by} ({ratio}).")
        )
    return teller.tell(moved, by=by, ratio=ratio)


def timeline(teller: Teller) -> list[wire.Sentence]:
    """Say a timeline."""
    line: wire.Timeline = teller.reading
    said = [_clicks(teller), *_season(teller)]
    shown, place = "count:/now/impressions", "place:/now/position"
    if line.change is None or line.change.impressions_ratio is None or line.before is None:
        said.append(teller.tell("It was shown {shown} times.", shown=shown))
    else:
        ratio = "signed_percent:/change/impressions_ratio"
        said.append(teller.tell("It was shown {shown} times ({ratio}).", shown=shown, ratio=ratio))
    if line.now.position is None:
        return said
    moved = line.change.position if line.change else None
    if moved is None or line.before is None:
        said.append(teller.tell("Its average place was {place}.", place=place))
    elif line.change and line.change.ways.position == "level":
        said.append(teller.tell("Its average place held at {place}.", place=place))
    else:
        rose = message("Its average place rose from {was} to {place}.")
        fell = message("Its average place fell from {was} to {place}.")
        said.append(teller.tell(rose if moved < 0 else fell, was="place:/before/position", place=place))
    return said


def breakdown(teller: Teller) -> list[wire.Sentence]:
    """Say a breakdown."""
    table: wire.Breakdown = teller.reading
    if not table.rows:
        return [teller.tell("No row was shown in this window.")]
    said = [
        teller.tell_many(
            "{n} row was shown; the whole has {total} clicks.",
            "{n} rows were shown; the whole has {total} clicks.",
            "count:/matching",
            total="count:/total/now/clicks",
        )
    ]
    if table.sort == "clicks" and table.offset == 0:
        said.append(
            teller.tell(
                "Most clicks: {key}, {clicks}.",
                key=f"of {table.dimension}:/rows/0/key",
                clicks="count:/rows/0/now/clicks",
            )
        )
    if table.unlisted is not None and table.unlisted.now.clicks > 0:
        clicks = "count:/unlisted/now/clicks"
        if table.dimension == "look":
            said.append(teller.tell("{clicks} clicks came from results that looked like any other.", clicks=clicks))
        else:
            said.append(teller.tell("{clicks} clicks came from queries that the provider withholds.", clicks=clicks))
    return said


def drivers(teller: Teller) -> list[wire.Sentence]:
    """Say drivers."""
    found: wire.Drivers = teller.reading
    said = [_clicks(teller)]
    if not round(found.change.clicks):
        return said
    parts = found.ladder
    ranked = sorted(parts, key=lambda name: -abs(parts[name]))
    main = ranked[0]
    largest = parts[main]
    what = f"said:{driver_said(main, largest, teller.speech)}"
    said.append(teller.tell("Mostly: {what} ({part}).", what=what, part=f"signed:/{main}"))
    against = next((name for name in ranked[1:] if parts[name] * largest < 0), None)
    if against and abs(parts[against]) >= 0.25 * abs(largest):
        what = f"said:{driver_said(against, parts[against], teller.speech)}"
        said.append(teller.tell("Against that: {what} ({part}).", what=what, part=f"signed:/{against}"))
    return said


def fading(teller: Teller) -> list[wire.Sentence]:
    """Say verdicts."""
    found: explain.Judgements = teller.reading
    place = next(n for n, each in enumerate(found.verdicts) if each.verdict == "fading")
    counted, change = f"count:/verdicts/{place}/rows", f"signed:/verdicts/{place}/change"
    if not found.verdicts[place].rows:
        none = message("No page is fading.") if found.item == "page" else message("No query is fading.")
        said = [teller.tell(none)]
    elif found.item == "page":
        said = [
            teller.tell_many(
                "{n} page is fading, {change} clicks.", "{n} pages are fading, {change} clicks.", counted, change=change
            )
        ]
    else:
        said = [
            teller.tell_many(
                "{n} query is fading, {change} clicks.",
                "{n} queries are fading, {change} clicks.",
                counted,
                change=change,
            )
        ]
    said += _season(teller)
    if found.net is not None:
        said.append(
            teller.tell(
                "Behind a change of {net}, {lost} were lost and {gained} gained.",
                net="signed:/net",
                lost="size:/lost",
                gained="count:/gained",
            )
        )
    if found.rows and found.offset == 0 and found.rows[0].verdict in ("fading", "slipping") and found.rows[0].change:
        said.append(_lost_most(teller, found.rows[0]))
    return said


SEASONED = {
    "as every year": message("As every year at this time: {change} a day, {expected} in earlier years."),
    "fell": message("It fell beyond its season: {change} a day where earlier years let expect {expected}."),
    "rose": message("It rose beyond its season: {change} a day where earlier years let expect {expected}."),
}
WORTH_SAYING = 0.05
"""A season that changes a site by less is not spoken of, unless the site did otherwise."""


def _season(teller: Teller) -> list[wire.Sentence]:
    """Say what the year alone would have done to the site, and whether it did; nothing where it is no matter."""
    season = teller.reading.season
    if (
        season.basis == "site"
        and isinstance(teller.reading, explain.Judgements)
        and season.change is not None
        and season.change < -WORTH_SAYING
    ):
        return [
            teller.tell(
                "No earlier year is held: falls are set beside the site’s own, and its season is not taken out."
            )
        ]
    if season.expected is None or season.change is None:
        return []
    plain = season.verdict == "as every year" and abs(season.expected) < WORTH_SAYING
    if plain or season.verdict in (None, "too few to tell"):
        return []
    change, expected = "signed_percent:/season/change", "signed_percent:/season/expected"
    said = [teller.tell(SEASONED[season.verdict or ""], change=change, expected=expected)]
    if season.by:
        said.append(teller.tell("Earlier years are laid beside it by {holiday}.", holiday="text:/season/by"))
    return said


def _lost_most(teller: Teller, row: explain.Judgement) -> wire.Sentence:
    figures = {"key": "text:/rows/0/key", "change": "signed:/rows/0/change/clicks", "reason": f"said:{row.reason}"}
    if row.change is not None and row.beyond_season is not None and teller.reading.season.basis == "years":
        beyond = "signed:/rows/0/beyond_season"
        return teller.tell(
            "{key} lost most beyond its season ({change}, {beyond} beyond it): {reason}.", beyond=beyond, **figures
        )
    if row.change is None or row.beyond_site is None or round(row.beyond_site) == round(row.change.clicks):
        return teller.tell("{key} lost most ({change}): {reason}.", **figures)
    beyond = "signed:/rows/0/beyond_site"
    return teller.tell(
        "{key} lost most beyond the site’s own fall ({change}, {beyond} beyond it): {reason}.", beyond=beyond, **figures
    )


def reach(teller: Teller) -> list[wire.Sentence]:
    """Say what is within reach."""
    found: explain.Reach = teller.reading
    if not found.matching:
        return [teller.tell("No query is just below a better band with enough impressions.")]
    said = [
        teller.tell_many(
            "{n} query is within reach of about {gain} clicks ({low} to {high}).",
            "{n} queries are within reach of about {gain} clicks ({low} to {high}).",
            "count:/matching",
            gain="count:/gain",
            low="count:/gain_low",
            high="count:/gain_high",
        )
    ]
    if found.pages:
        said.append(
            teller.tell(
                "The page with most within reach is {page}: {gain} clicks.",
                page="text:/pages/0/page",
                gain="count:/pages/0/gain",
            )
        )
    return said


def overlap(teller: Teller) -> list[wire.Sentence]:
    """Say shared queries."""
    found: explain.Overlap = teller.reading
    if not found.matching:
        return [teller.tell("No query with enough impressions is shared by pages of this site.")]
    said = [
        teller.tell_many(
            "{n} query is shared by two or more pages.",
            "{n} queries are shared by two or more pages.",
            "count:/matching",
        )
    ]
    if found.rows and found.offset == 0:
        said.append(
            teller.tell(
                "The one shown most is {query}: another page took the lead on {turns} of {days} days.",
                query="text:/rows/0/query",
                turns="count:/rows/0/switches",
                days="count:/rows/0/days_seen",
            )
        )
    return said


def clusters(teller: Teller) -> list[wire.Sentence]:
    """Say clusters."""
    found: explain.Clusters = teller.reading
    if not found.rows:
        return [teller.tell("No query was shown in this window.")]
    said = [teller.tell("{queries} queries say {n} things.", queries="count:/queries", n="count:/matching")]
    if found.offset == 0:
        said.append(
            teller.tell(
                "Shown most: {head}, {shown} times.", head="text:/rows/0/head", shown="count:/rows/0/now/impressions"
            )
        )
    own = next((n for n, row in enumerate(found.rows) if row.own_page), None)
    if own is not None:
        said.append(
            teller.tell(
                "{head} deserves a page of its own; it stands on {page}.",
                head=f"text:/rows/{own}/head",
                page=f"text:/rows/{own}/page",
            )
        )
    return said


def odd_days(teller: Teller) -> list[wire.Sentence]:
    """Say odd days."""
    found: explain.OddDays = teller.reading
    if not found.rows:
        return [teller.tell("No day stands out.")]
    said = [teller.tell_many("{n} figure of a day stands out.", "{n} figures of days stand out.", "length:/rows")]
    largest = max(range(len(found.rows)), key=lambda n: abs(found.rows[n].score))
    row = f"/rows/{largest}"
    if found.rows[largest].measure == "clicks":
        odd = message("The oddest: {value} clicks on {day}, where {expected} were to be expected.")
    else:
        odd = message("The oddest: {value} impressions on {day}, where {expected} were to be expected.")
    said.append(teller.tell(odd, value=f"count:{row}/value", day=f"day:{row}/day", expected=f"count:{row}/expected"))
    return said


def cross(teller: Teller) -> list[wire.Sentence]:
    """Say a crossing."""
    found: explain.Cross = teller.reading
    if not found.rows:
        return [teller.tell("No row was shown in this window.")]
    top = {"key": f"of {found.dimension}:/rows/0/key", "shown": "count:/rows/0/total/impressions"}
    said = [teller.tell("Shown most: {key}, {shown} times.", **top)] if found.offset == 0 else []
    widest = max(range(len(found.total)), key=lambda n: found.total[n].impressions)
    form = "year_month" if found.columns_by == "month" else f"of {found.columns_by}"
    where = {"column": f"{form}:/columns/{widest}", "shown": f"count:/total/{widest}/impressions"}
    return [*said, teller.tell("Most of it in {column}: {shown} impressions.", **where)]


def bands(teller: Teller) -> list[wire.Sentence]:
    """Say counts by band."""
    found: explain.BandCounts = teller.reading
    whole = [n for n, month in enumerate(found.months) if not month.partial]
    if not whole:
        return [teller.tell("No whole month is in this window.")]
    month = f"/months/{whole[-1]}"
    counted = f"count:{month}/shown"
    figures = {"month": f"month:{month}/start", "top": f"count:{month}/counts/0"}
    if found.item == "query":
        shown = teller.tell_many(
            "{n} query was shown in {month}, {top} of them on average in the first band.",
            "{n} queries were shown in {month}, {top} of them on average in the first band.",
            counted,
            **figures,
        )
    else:
        shown = teller.tell_many(
            "{n} page was shown in {month}, {top} of them on average in the first band.",
            "{n} pages were shown in {month}, {top} of them on average in the first band.",
            counted,
            **figures,
        )
    said = [shown]
    if found.months[whole[-1]].new is not None:
        said.append(
            teller.tell("{new} came in and {lost} went out.", new=f"count:{month}/new", lost=f"count:{month}/lost")
        )
    return said


def life(teller: Teller) -> list[wire.Sentence]:
    """Say a life."""
    found: wire.Life = teller.reading
    said = [
        teller.tell(
            "First seen on {first}, last on {last}; shown on {seen} of {held} days held.",
            first="day:/first_seen",
            last="day:/last_seen",
            seen="count:/days_seen",
            held="count:/days_held",
        )
    ]
    if found.best_week is not None:
        said.append(
            teller.tell(
                "Its best week began on {day}, at place {place}.",
                day="day:/best_week/start",
                place="place:/best_week/position",
            )
        )
    said.append(
        teller.tell(
            "It was among the first ten in {top} of {weeks} weeks.",
            top="count:/weeks_in_top_ten",
            weeks="count:/weeks_held",
        )
    )
    return said


OWN_SEASON_SAID = 0.02
"""A season of its own that moves what a note is on by less is not spoken of."""


def note_effect(teller: Teller) -> list[wire.Sentence]:
    """Say what came of a note."""
    found: noted.NoteEffect = teller.reading
    if found.verdict == "too early to tell":
        return [
            teller.tell("Too early to tell: a week of complete days after it is held from {day} on.", day="day:/ready")
        ]
    if found.expected is None or found.now is None:
        return [teller.tell("Too few clicks, or days held, to tell.")]
    begins = {
        "better": message("Better: {now} clicks where {expected} were to be expected ({moved})."),
        "worse": message("Worse: {now} clicks where {expected} were to be expected ({moved})."),
    }
    plain = message("No clear change: {now} clicks where {expected} were to be expected ({moved}).")
    figures = {"now": "count:/now/clicks", "expected": "count:/expected", "moved": "signed_percent:/moved"}
    said = [teller.tell(begins.get(found.verdict, plain), **figures)]
    if found.rest_now is None:
        season = message("The season is not taken out: nothing is held to set it beside.")
        return [*said, teller.tell(season)]
    rest = {"now": "count:/rest_now", "was": "count:/rest_before"}
    if found.beside == "a year before":
        return [*said, teller.tell("In the same weeks a year before it went from {was} to {now} clicks.", **rest)]
    if found.beside == "earlier years":
        together = message("In the same weeks of {n} earlier years it went from {was} to {now} clicks together.")
        return [*said, teller.tell(together, n="count:/years", **rest)]
    said.append(teller.tell("The rest of the site went from {was} to {now} clicks.", **rest))
    if found.own_season is not None and abs(found.own_season) >= OWN_SEASON_SAID:
        own = message("In earlier years it moved {own} beside the rest in these weeks.")
        said.append(teller.tell(own, own="signed_percent:/own_season"))
    return said


def weekdays(teller: Teller) -> list[wire.Sentence]:
    """Say a week."""
    found: compare.Weekdays = teller.reading
    known = [n for n, row in enumerate(found.rows) if row.clicks_a_day is not None]
    if not known:
        return [teller.tell("No row was shown in this window.")]
    best = max(known, key=lambda n: found.rows[n].clicks_a_day or 0)
    worst = min(known, key=lambda n: found.rows[n].clicks_a_day or 0)
    mean = teller.tell("A day has {clicks} clicks on average.", clicks="count:/clicks_a_day")
    if best == worst:
        return [mean]
    most = {"day": f"weekday:/rows/{best}/weekday", "clicks": f"count:/rows/{best}/clicks_a_day"}
    least = {"day": f"weekday:/rows/{worst}/weekday", "clicks": f"count:/rows/{worst}/clicks_a_day"}
    return [
        mean,
        teller.tell("The strongest day of the week: {day}, {clicks} clicks.", **most),
        teller.tell("The weakest: {day}, {clicks}.", **least),
    ]


def unclicked(teller: Teller) -> list[wire.Sentence]:
    """Say impressions without clicks."""
    found: compare.Unclicked = teller.reading
    if not found.matching:
        return [teller.tell("No query goes unclicked beyond chance.")]
    said = [
        teller.tell_many(
            "{n} query goes unclicked; about {missing} clicks are missing.",
            "{n} queries go unclicked; about {missing} clicks are missing.",
            "count:/matching",
            missing="count:/missing",
        )
    ]
    if found.rows and found.offset == 0:
        row = {"query": "text:/rows/0/query", "clicks": "count:/rows/0/figures/clicks"}
        passed = message("Most are missing for {query}: {clicks} clicks where {expected} were to be expected.")
        said.append(teller.tell(passed, expected="count:/rows/0/expected", **row))
    return said


def device_gap(teller: Teller) -> list[wire.Sentence]:
    """Say mobile and desktop."""
    found: compare.DeviceGap = teller.reading
    if not found.matching:
        return [teller.tell("No query is shown often enough on both mobile and desktop.")]
    places = {"mobile": "place:/mobile/position", "desktop": "place:/desktop/position"}
    said = [teller.tell("Listed queries are at place {mobile} on mobile and {desktop} on desktop.", **places)]
    if found.rows and found.offset == 0 and found.rows[0].gain >= 1:
        row = {
            "query": "text:/rows/0/query",
            "mobile": "place:/rows/0/mobile/position",
            "desktop": "place:/rows/0/desktop/position",
            "gain": "count:/rows/0/gain",
        }
        apart = message("Furthest apart: {query}, {mobile} on mobile, {desktop} on desktop, worth {gain} clicks.")
        said.append(teller.tell(apart, **row))
    return said


def figures(teller: Teller) -> list[wire.Sentence]:
    """Say what a dataset's first measure adds up to, now and before."""
    first = next(each for each in READINGS.of(teller.reading).columns() if each.is_number and not each.group)
    now, before = (f"/total/{side}/{first.name}" for side in ("now", "before"))
    what = f"said:{teller.speech.text(first.title)}"
    if teller.value(f"figure:{now}") is None:
        return []
    if teller.reading.total.before is None or teller.value(f"figure:{before}") is None:
        return [teller.tell("{what}: {now}.", what=what, now=f"figure:{now}")]
    said = teller.tell("{what}: {now}, {before} before.", what=what, now=f"figure:{now}", before=f"figure:{before}")
    season = getattr(teller.reading, "season", None)
    return [said, *_season(teller)] if season is not None and season.basis == "years" else [said]
