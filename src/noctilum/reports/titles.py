"""What blocks of a report are called."""

from __future__ import annotations

from noctilum.reports.document import Made
from noctilum.wire.catalogue import READINGS
from noctilum.wire.readings import Reading
from noctilum.words.describe import title_of
from noctilum.words.speech import Speech


def title_of_block(made: Made, speech: Speech) -> str:
    """Give the title a block stands under: its own with what its rows are by where that is one of several."""
    if made.spec.title:
        return made.spec.title
    title, answer = speech.text(made.block.title), made.answers.get("answer")
    if made.why or not isinstance(answer, Reading):
        return title
    reading = READINGS.of(answer)
    if reading.question.model_fields.keys().isdisjoint(("dimension", "by")) or not reading.columns():
        return title
    key = reading.columns()[0]
    return f"{title}: {title_of(key, speech, answer)}" if key.titled_by else title
