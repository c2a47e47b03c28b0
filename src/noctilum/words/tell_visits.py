"""What readings of visits say of themselves."""

from __future__ import annotations

from noctilum.wire import outcomes as wire
from noctilum.wire.readings import Sentence
from noctilum.words.teller import Teller


def outcomes(teller: Teller) -> list[Sentence]:
    """Say what visits from search brought, and what is not known of it."""
    found: wire.Outcomes = teller.reading
    if not found.days:
        return [
            teller.tell(
                "No day of the window has both searches and visits; visits are held since {day}.",
                day="day:/visits_since",
            )
        ]
    said = [
        teller.tell_many(
            "{n} day with both counted: {sessions} sessions came from search.",
            "{n} days with both counted: {sessions} sessions came from search.",
            "count:/days",
            sessions="count:/total/sessions",
        )
    ]
    if found.total.conversions is None:
        return [*said, _no_goals(teller, found)]
    figures = {"conversions": "figure:/total/conversions", "revenue": "figure:/total/revenue"}
    if found.total.revenue:
        said.append(teller.tell("They brought {conversions} conversions and {revenue} of revenue.", **figures))
    else:
        said.append(teller.tell("They brought {conversions} conversions.", conversions=figures["conversions"]))
    if found.goals_since is not None and found.goals_since > found.window.first:
        said.append(teller.tell("Goals are counted since {day}; before that nothing is known.", day="day:/goals_since"))
    if found.rows and found.offset == 0 and found.rows[0].conversions:
        most = {"key": "text:/rows/0/key", "conversions": "figure:/rows/0/conversions"}
        said.append(teller.tell("Most came by {key}: {conversions}.", **most))
    return said


def _no_goals(teller: Teller, found: wire.Outcomes) -> Sentence:
    if found.goals_since is None:
        return teller.tell("No goal was ever counted here, so what they brought is not known.")
    return teller.tell("Goals are counted since {day}, after this window.", day="day:/goals_since")
