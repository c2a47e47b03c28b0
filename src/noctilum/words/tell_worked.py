"""What the reading of the worklist says of itself."""

from __future__ import annotations

from noctilum.wire import work
from noctilum.wire.readings import Sentence
from noctilum.words.teller import Teller, message


def worked(teller: Teller) -> list[Sentence]:
    """Say how much was done, what came of it, and what is still to be done."""
    found: work.Worked = teller.reading
    if not found.done:
        said = [teller.tell("Nothing on the worklist was done in this window.")]
    else:
        said = [teller.tell_many("{n} item was done.", "{n} items were done.", "count:/done")]
        if found.done > found.waits:
            said.append(_came(teller))
        if found.waits:
            said.append(
                teller.tell_many(
                    "{n} was done too lately to be read.", "{n} were done too lately to be read.", "count:/waits"
                )
            )
    refreshed = next((n for n, each in enumerate(found.kinds) if each.kind == "refresh"), None)
    if refreshed is not None and found.kinds[refreshed].done > found.kinds[refreshed].waits:
        said.append(
            teller.tell(
                "Of {done} refreshed, {better} came back.",
                done=f"count:/kinds/{refreshed}/done",
                better=f"count:/kinds/{refreshed}/better",
            )
        )
    if found.open:
        said.append(teller.tell_many("{n} more is planned.", "{n} more are planned.", "count:/open"))
    return said


def _came(teller: Teller) -> Sentence:
    text = message("Better {better}, worse {worse}, no effect can be shown {unclear}, too few to tell {few}.")
    named = {name: f"count:/{name}" for name in ("better", "worse", "unclear", "few")}
    return teller.tell(text, **named)
