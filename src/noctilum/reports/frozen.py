"""Freezing a report: everything it shows as plain JSON, and the same report from it years later."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from datetime import date
from hashlib import blake2b
from typing import Any

import orjson

from noctilum.core.errors import StoreFault
from noctilum.core.windows import Window
from noctilum.reports.blocks import NOTES, wanted
from noctilum.reports.build import head_of
from noctilum.reports.document import Document, Head, LeftOut, Look, Made
from noctilum.wire import readings as wire
from noctilum.wire.catalogue import READINGS
from noctilum.wire.noted import NoteOut
from noctilum.wire.reports import BlockSpec

FORM = 1


def frozen(document: Document) -> bytes:
    """Write everything a report shows, but its summary, as canonical JSON."""
    told = {
        "form": FORM,
        "look": asdict(document.look),
        "host": document.host,
        "title": document.title,
        "made_on": str(document.made_on),
        "paper": document.paper,
        "cover": document.cover,
        "head": _head(document.head),
        "line": document.line.model_dump(mode="json") if document.line is not None else None,
        "blocks": [_block(made) for made in document.blocks],
        "left_out": [asdict(left) for left in document.left_out],
    }
    return orjson.dumps(told, option=orjson.OPT_SORT_KEYS)


def _head(head: Head) -> Mapping[str, Any]:
    against = [str(head.against.first), str(head.against.last)] if head.against is not None else None
    return {
        "window": [str(head.window.first), str(head.window.last)],
        "against": against,
        "held": head.held,
        "settled": head.settled,
        "through": str(head.complete_through) if head.complete_through is not None else None,
        "filter": head.filter_text,
        "cautions": list(head.cautions),
    }


def _thawed_head(told: Mapping[str, Any]) -> Head:
    """Give a head again; of what was frozen before heads were, that of its line."""
    if "head" not in told:
        return head_of(wire.Timeline.model_validate(told["line"]), Window(date.min, date.min))
    head = told["head"]
    return Head(
        _window(head["window"]),
        _window(head["against"]) if head["against"] else None,
        head["held"],
        settled=head["settled"],
        complete_through=date.fromisoformat(head["through"]) if head["through"] else None,
        filter_text=head["filter"],
        cautions=tuple(head["cautions"]),
    )


def _window(days: Sequence[str]) -> Window:
    return Window(date.fromisoformat(days[0]), date.fromisoformat(days[1]))


def _block(made: Made) -> Mapping[str, Any]:
    answers = {name: _answer(made.block.readings[name].reading, found) for name, found in made.answers.items()}
    return {"spec": made.spec.model_dump(mode="json"), "why": made.why, "answers": answers}


def _answer(reading: str, found: Any) -> Any:
    if isinstance(found, str):
        return found
    if reading == NOTES:
        return [note.model_dump(mode="json") for note in found]
    return found.model_dump(mode="json")


def digest_of(body: bytes) -> str:
    """Stand for what a frozen report shows (BLAKE2b, 32 hex digits)."""
    return blake2b(body, digest_size=16).hexdigest()


def thawed(body: bytes, digest: str, summary: tuple[str, ...]) -> Document:
    """Give the report again, with the summary that stands now; raises StoreFault for what is not what was frozen."""
    if digest_of(body) != digest:
        raise StoreFault("edition-damaged", "The edition is not what was frozen.", remedy="restore a backup")
    told = orjson.loads(body)
    return Document(
        look=Look(**told["look"]),
        host=told["host"],
        title=told["title"],
        summary=summary,
        made_on=date.fromisoformat(told["made_on"]),
        head=_thawed_head(told),
        line=wire.Timeline.model_validate(told["line"]) if told["line"] is not None else None,
        blocks=tuple(_made(each) for each in told["blocks"]),
        left_out=tuple(LeftOut(**left) for left in told["left_out"]),
        paper=told["paper"],
        cover=told.get("cover", False),
    )


def days_of(made: Made) -> dict[str, str]:
    """Give the window and the comparison that a block shows, as days: ranks may reach further than search days."""
    for found in made.answers.values():
        window, against = getattr(found, "window", None), getattr(found, "against", None)
        if window is not None:
            told = {"window": f"{window.first}/{window.last}"}
            return told | ({"against": f"{against.first}/{against.last}"} if against is not None else {})
    return {}


def _made(told: Mapping[str, Any]) -> Made:
    want = wanted(BlockSpec.model_validate(told["spec"]))
    answers = {
        name: _thawed_answer(want.block.readings[name].reading, found) for name, found in told["answers"].items()
    }
    return Made(want.block, answers, want.spec, told["why"])


def _thawed_answer(reading: str, found: Any) -> Any:
    if isinstance(found, str):
        return found
    if reading == NOTES:
        return tuple(NoteOut.model_validate(note) for note in found)
    return READINGS[reading].answer.model_validate(found)


def differences(then: bytes, now: bytes) -> list[tuple[int, str, str, str]]:
    """Tell what differs between two frozen reports of the same blocks: (block, what, then, now), −1 for the head."""
    one, other = orjson.loads(then), orjson.loads(now)
    found = [(-1, *each) for each in _apart("title", one["title"], other["title"])]
    found += [(-1, *each) for each in _apart("line", one["line"] or {}, other["line"] or {})]
    for at, (was, is_) in enumerate(zip(one["blocks"], other["blocks"], strict=False)):
        found += [(at, *each) for each in _apart("", was["answers"], is_["answers"])]
    if len(one["blocks"]) != len(other["blocks"]):
        found.append((-1, "blocks", str(len(one["blocks"])), str(len(other["blocks"]))))
    return found


def block_differences(first: bytes, at: int, second: bytes, there: int) -> list[tuple[str, str, str]]:
    """Tell what differs between a block of one frozen report and a block of another: (what, then, now)."""
    one, other = orjson.loads(first)["blocks"][at], orjson.loads(second)["blocks"][there]
    return _apart("", one["answers"], other["answers"])


PASSED_OVER = frozenset(
    {
        *("generation", "text", "tag", "stamp", "sentences", "cautions", "why"),
        *("asked_window", "asked_against", "complete_through", "first_held", "last_held", "best", "best_day"),
    }
)
"""What says nothing of the days that are shown: how they were asked for, how far the history reaches by now, what texts
say again of figures."""


def _apart(path: str, one: Any, other: Any) -> list[tuple[str, str, str]]:
    if isinstance(one, dict) and isinstance(other, dict):
        names = [name for name in {**one, **other} if name not in PASSED_OVER]
        return [each for name in names for each in _apart(f"{path}.{name}".lstrip("."), one.get(name), other.get(name))]
    if isinstance(one, list) and isinstance(other, list):
        rows = [
            each
            for at, (was, is_) in enumerate(zip(one, other, strict=False))
            for each in _apart(f"{path}[{_named(was, at)}]", was, is_)
        ]
        return rows + ([(path, f"{len(one)} rows", f"{len(other)} rows")] if len(one) != len(other) else [])
    return [] if one == other else [(path, _short(one), _short(other))]


def _named(row: Any, at: int) -> str:
    """Name a row by what it is of, else by its place."""
    if isinstance(row, dict):
        for name in ("key", "start", "day", "term", "domain", "feature"):
            if isinstance(row.get(name), str):
                return str(row[name])[:60]
    return str(at)


def _short(value: Any) -> str:
    text = value if isinstance(value, str) else orjson.dumps(value).decode()
    return text if len(text) <= 80 else f"{text[:79]}…"
