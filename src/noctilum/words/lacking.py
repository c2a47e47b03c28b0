"""Why a reading could not be taken, in the words of a report; faults themselves are in English."""

from __future__ import annotations

from noctilum.core.errors import Fault
from noctilum.words.speech import Speech
from noctilum.words.teller import message

NOT_TOLD = message("not told")
"""What stands in place of a key that the source leaves empty, as a city it does not know."""

LACKING = {
    "no-source": message("no feed is connected."),
    "no-searches": message("no search feed is connected."),
    "nothing-held": message("no complete day is held yet."),
    "no-looks": message("no source tells what its results looked like."),
    "grain-not-held": message("no source lists these rows."),
    "no-keywords": message("no keyword is tracked yet."),
    "no-checks": message("no keyword was looked up yet."),
    "nothing-compared": message("it needs a window to compare with."),
    "window-not-full": message("too few days of the window list their queries."),
    "never-seen": message("it was never shown."),
    "no-such-grid": message("the local grid is there no longer."),
    "no-such-keyword": message("the keyword is tracked no longer."),
}
"""Code of a fault → its reason; others stay as they are."""


def lacking(why: Fault, speech: Speech) -> str:
    """Say why a reading could not be taken: as the fault says in English, else in the report's language."""
    if speech.language != "en" and why.code in LACKING:
        return speech.text(LACKING[why.code])
    return f"{why.what[0].lower()}{why.what[1:]}"
