"""What kinds of blocks there are, told to whoever puts a report together."""

from __future__ import annotations

from noctilum.reports.blocks import FRAMED, NOTES, OWN, kinds, wanted
from noctilum.wire.about import BlockAbout, ParameterAbout
from noctilum.wire.catalogue import READINGS
from noctilum.wire.reports import BlockSpec
from noctilum.words.describe import described
from noctilum.words.speech import Speech

UNSAID = (*FRAMED, "limit", "offset")
"""Parameters that a block says in a way of its own, or not at all."""


def every_kind(language: str) -> list[BlockAbout]:
    """Describe every kind of block in a language, those drawn in a way of their own first."""
    return [_about(kind, Speech(language)) for kind in kinds()]


def _about(kind: str, speech: Speech) -> BlockAbout:
    block = wanted(BlockSpec(kind=kind)).block
    asked = [ask.reading for ask in block.readings.values() if ask.reading != NOTES]
    told = [described(READINGS[name], speech.language) for name in asked]
    options: dict[str, ParameterAbout] = {}
    for reading in told:
        options |= {each.name: each for each in reading.parameters if each.name not in UNSAID}
    has_table = kind not in OWN and bool(told)
    return BlockAbout(
        kind=kind,
        title=speech.text(block.title) or kind,
        about=told[0].about if told and kind not in OWN else "",
        options=list(options.values()),
        columns=list(told[0].tables[0].columns) if has_table and told[0].tables else [],
    )
