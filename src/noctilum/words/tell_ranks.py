"""What the readings of tracked keywords say of themselves."""

from __future__ import annotations

from noctilum.wire import ranks as wire
from noctilum.wire.readings import Sentence
from noctilum.words.teller import Teller, message

_VISIBILITY = {
    "rose": message("Visibility rose to {now}, from {before}."),
    "fell": message("Visibility fell to {now}, from {before}."),
    "no change can be shown": message("Visibility is {now}, {before} before: no change beyond its own unrest."),
    "too few to tell": message("Visibility is {now}, {before} before: too few keywords to tell."),
}


def summary(teller: Teller) -> list[Sentence]:
    """Say how tracked keywords stand and moved."""
    found: wire.RankSummary = teller.reading
    if not found.now.checked:
        return [teller.tell("No keyword was looked up in the last seven days of the window.")]
    said = [
        teller.tell(
            "{top10} of {checked} keywords looked up are among the first ten, {top3} among the first three.",
            top10="count:/now/top10",
            checked="count:/now/checked",
            top3="count:/now/top3",
        )
    ]
    said += _visibility(teller, found)
    if found.moved is not None:
        said.append(
            teller.tell(
                "{up} rose, {down} fell, {entered} entered and {lost} were lost.",
                up="count:/moved/up",
                down="count:/moved/down",
                entered="count:/moved/entered",
                lost="count:/moved/lost",
            )
        )
        if found.moved.unknown:
            said.append(
                teller.tell_many(
                    "{n} keyword lacks a check on one side and counts as neither.",
                    "{n} keywords lack a check on one side and count as neither.",
                    "count:/moved/unknown",
                )
            )
    return said


def _visibility(teller: Teller, found: wire.RankSummary) -> list[Sentence]:
    if found.now.visibility is None:
        return []
    if found.before is None or found.before.visibility is None:
        return [teller.tell("Visibility is {now}.", now="figure:/now/visibility")]
    if abs(found.now.visibility - found.before.visibility) < 0.05:
        return [teller.tell("Visibility held at {now}.", now="figure:/now/visibility")]
    text = _VISIBILITY[found.verdict or "too few to tell"]
    return [teller.tell(text, now="figure:/now/visibility", before="figure:/before/visibility")]


def ladder(teller: Teller) -> list[Sentence]:
    """Say what a ladder shows."""
    found: wire.Ladder = teller.reading
    last = next((n for n in range(len(found.steps) - 1, -1, -1) if found.steps[n].checked), None)
    if last is None:
        return [teller.tell("Nothing was looked up in this window.")]
    return [
        teller.tell(
            "Of {checked} keywords with a check in the last step, {top10} are among the first ten.",
            checked=f"count:/steps/{last}/checked",
            top10=f"count:/steps/{last}/top10",
        )
    ]


def keyword(teller: Teller) -> list[Sentence]:
    """Say where one keyword stands."""
    found: wire.KeywordHistory = teller.reading
    if found.last_day is None:
        return [teller.tell("It was not looked up in this window.")]
    if found.now is None:
        said = [teller.tell("On {day} it was not found.", day="day:/last_day")]
    else:
        said = [teller.tell("On {day} it stood at {now}.", day="day:/last_day", now="figure:/now")]
    if found.best is not None and found.best_day is not None and found.best != found.now:
        said.append(teller.tell("Its best was {best}, last on {day}.", best="figure:/best", day="day:/best_day"))
    if found.cross.days:
        said.append(
            teller.tell(
                "The tracked rank and the provider’s average agree on {agree} of {days} days with both.",
                agree="count:/cross/agree",
                days="count:/cross/days",
            )
        )
    page = found.rows[-1].page
    if found.target and page and page != found.target:
        last = len(found.rows) - 1
        said.append(
            teller.tell("{page} ranks in place of {target}.", page=f"text:/rows/{last}/page", target="text:/target")
        )
    return said


def voice(teller: Teller) -> list[Sentence]:
    """Say who has which share."""
    found: wire.ShareOfVoice = teller.reading
    if not found.rows:
        return [teller.tell("Nothing was looked up in this window.")]
    own = next((n for n, row in enumerate(found.rows) if row.own), None)
    said = []
    if own is not None and found.rows[own].share_before is not None:
        said.append(
            teller.tell(
                "The site has {share} of the voice, {before} before.",
                share=f"percent:/rows/{own}/share",
                before=f"percent:/rows/{own}/share_before",
            )
        )
    elif own is not None:
        said.append(teller.tell("The site has {share} of the voice.", share=f"percent:/rows/{own}/share"))
    gained = max(range(len(found.rows)), key=lambda n: found.rows[n].gained)
    if found.rows[gained].gained:
        said.append(
            teller.tell_many(
                "{domain} gained at {n} keyword where the site lost.",
                "{domain} gained at {n} keywords where the site lost.",
                f"count:/rows/{gained}/gained",
                domain=f"text:/rows/{gained}/domain",
            )
        )
    return said


def domain(teller: Teller) -> list[Sentence]:
    """Say what a domain was seen for."""
    return [
        teller.tell_many(
            "{domain} was seen for {n} tracked keyword.",
            "{domain} was seen for {n} tracked keywords.",
            "count:/matching",
            domain="text:/domain",
        )
    ]


def features(teller: Teller) -> list[Sentence]:
    """Say which features there were and who had them."""
    found: wire.ResultFeatures = teller.reading
    said = []
    if found.rows:
        said.append(
            teller.tell(
                "Most often there: {feature}, on {share} of result pages.",
                feature="word:/rows/0/feature",
                share="percent:/rows/0/present",
            )
        )
    ours = [n for n, row in enumerate(found.rows) if row.owned]
    if ours:
        most = max(ours, key=lambda n: (found.rows[n].owned or 0.0) * found.rows[n].present)
        said.append(
            teller.tell(
                "Most often ours: {feature}, on {share} of the pages that had it.",
                feature=f"word:/rows/{most}/feature",
                share=f"percent:/rows/{most}/owned",
            )
        )
    return said or [teller.tell("No result page showed anything but plain results.")]


def feature_turns(teller: Teller) -> list[Sentence]:
    """Say at how many keywords a feature came, and at how many it left."""
    found: wire.FeatureTurns = teller.reading
    said = []
    for turned, (one, more) in TURNED.items():
        terms = [n for n, row in enumerate(found.rows) if row.turned == turned]
        if len(terms) == 1:
            figures = {"term": f"text:/rows/{terms[0]}/term", "since": f"day:/rows/{terms[0]}/since"}
            said.append(teller.tell(one, feature="word:/feature", **figures))
        elif terms:
            said.append(teller.tell(more, feature="word:/feature", n=f"said:{len(terms)}"))
    return said or [
        teller.tell(
            "At none of {n} keywords it came or left: {feature}.", n="count:/looked_at", feature="word:/feature"
        )
    ]


TURNED = {
    "came": (
        message("It came to {term} on {since}: {feature}."),
        message("It came to {n} keywords: {feature}."),
    ),
    "left": (
        message("It left {term} on {since}: {feature}."),
        message("It left {n} keywords: {feature}."),
    ),
}


def feature_owners(teller: Teller) -> list[Sentence]:
    """Say how often a feature leads to the site, to whom else, and how steadily."""
    found: wire.FeatureOwners = teller.reading
    if not found.lookups:
        return [teller.tell("No lookup of this window showed {feature}.", feature="word:/feature")]
    said = []
    if found.owned and found.owned_before is not None:
        said.append(
            teller.tell(
                "Of the pages with {feature}, {owned} lead to the site, {before} before.",
                feature="word:/feature", owned="percent:/owned", before="percent:/owned_before",
            )
        )  # fmt: skip
    elif found.owned:
        said.append(
            teller.tell(
                "Of the pages with {feature}, {owned} lead to the site.",
                feature="word:/feature", owned="percent:/owned",
            )
        )  # fmt: skip
    else:
        said.append(teller.tell("Of the pages with {feature}, none led to the site.", feature="word:/feature"))
    other = next((n for n, row in enumerate(found.rows) if not row.own), None)
    if other is not None:
        said.append(
            teller.tell(
                "Most often elsewhere: {domain}, on {share}.",
                domain=f"text:/rows/{other}/domain",
                share=f"percent:/rows/{other}/share",
            )
        )
    if found.volatility is not None:
        said.append(
            teller.tell("From one day to the next {share} of those led to change.", share="percent:/volatility")
        )
    return said


def cross_checks(teller: Teller) -> list[Sentence]:
    """Say how far tracked ranks and averages agree."""
    found: wire.CrossChecks = teller.reading
    if not found.counted.days:
        return [teller.tell("No day has both a check and impressions of the same query, country and device.")]
    return [
        teller.tell(
            "They agree on {agree} of {days} days with both.", agree="count:/counted/agree", days="count:/counted/days"
        ),
        teller.tell(
            "Tracked ranks are better on {tracked}, averages on {average}.",
            tracked="count:/counted/tracked_better",
            average="count:/counted/average_better",
        ),
    ]


EFFECTS = {
    "lower": message("With {feature} click-through is lower at equal places: {ratio} of what it is without."),
    "higher": message("With {feature} click-through is higher at equal places: {ratio} of what it is without."),
    "no effect can be shown": message("No effect of {feature} on click-through can be shown; the ratio is {ratio}."),
}


def feature_effect(teller: Teller) -> list[Sentence]:
    """Say what a feature does to click-through, or that it cannot be told."""
    found: wire.FeatureEffect = teller.reading
    if found.verdict == "too few to tell":
        return [
            teller.tell(
                "Too few to tell what {feature} does: {strata} comparable days and places with {clicks} clicks.",
                feature="word:/feature",
                strata="count:/strata",
                clicks="count:/clicks",
            )
        ]
    return [
        teller.tell(EFFECTS[found.verdict], feature="word:/feature", ratio="percent:/ratio"),
        teller.tell("With 95% confidence {low} to {high}.", low="percent:/low", high="percent:/high"),
    ]


SIDES = {
    "north": message("It is weaker to the north: {weak} on average, {strong} to the south."),
    "south": message("It is weaker to the south: {weak} on average, {strong} to the north."),
    "west": message("It is weaker to the west: {weak} on average, {strong} to the east."),
    "east": message("It is weaker to the east: {weak} on average, {strong} to the west."),
}
OPPOSITE = {"north": "south", "south": "north", "west": "east", "east": "west"}
ONE_SIDED = 2.0
"""Halves of a grid whose mean ranks lie closer together are not told apart."""


def local_grid(teller: Teller) -> list[Sentence]:
    """Say how a grid stands, and on which side it is weak."""
    found: wire.LocalGrid = teller.reading
    if not found.now.points or found.now.mean is None:
        return [teller.tell("No point was looked up in the last seven days of the window.")]
    named = {} if found.own else {"domain": "text:/domain"}
    text = message("Over {points} points the mean rank is {mean}; {top3} of them have the site among the first three.")
    if not found.own:
        text = message(
            "Over {points} points the mean rank of {domain} is {mean}; {top3} have it among the first three."
        )
    figures = {"points": "count:/now/points", "mean": "figure:/now/mean", "top3": "percent:/now/top3"}
    said = [teller.tell(text, **figures, **named)]
    means = {side: getattr(found, side) for side in OPPOSITE}
    apart = {
        side: means[side] - means[other]
        for side, other in OPPOSITE.items()
        if means[side] is not None and means[other] is not None
    }
    weak = max(apart, key=lambda side: apart[side], default=None)
    if weak is not None and apart[weak] >= ONE_SIDED:
        said.append(teller.tell(SIDES[weak], weak=f"figure:/{weak}", strong=f"figure:/{OPPOSITE[weak]}"))
    if found.before is not None and found.before.mean is not None and abs(found.now.mean - found.before.mean) >= 0.5:
        text = message("The mean was {before} before, better.")
        if found.now.mean < found.before.mean:
            text = message("The mean was {before} before, worse.")
        said.append(teller.tell(text, before="figure:/before/mean"))
    return said


def device_ranks(teller: Teller) -> list[Sentence]:
    """Say whether mobile is far behind desktop."""
    found: wire.DeviceRanks = teller.reading
    if not found.both or found.behind is None:
        return [teller.tell("No keyword was found on both desktop and mobile.")]
    if found.far:
        return [
            teller.tell(
                "Mobile is far behind desktop: {behind} places in the median, lower at {lower} of {both} keywords.",
                behind="figure:/behind",
                lower="count:/lower",
                both="count:/both",
            )
        ]
    return [
        teller.tell(
            "Of {both} keywords found on both devices {lower} stand lower on mobile; that is not far apart.",
            lower="count:/lower",
            both="count:/both",
        )
    ]
