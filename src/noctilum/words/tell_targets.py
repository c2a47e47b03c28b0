"""What the readings of targets say of themselves."""

from __future__ import annotations

from noctilum.wire import targets as wire
from noctilum.wire.readings import Sentence
from noctilum.words.teller import Teller, message

LACKING: dict[str, str] = {
    "nothing held": message("It cannot be read: nothing of it is held."),
    "its start is not held": message("It cannot be read: the 28 days before its start are not held."),
    "its filter cannot be asked": message("It cannot be read: what its filter names is there no more."),
}
COUNTED: dict[str, str] = {
    "ahead": message("It is ahead: {now} in 28 days where the path has {path} ({gap})."),
    "behind": message("It is behind: {now} in 28 days where the path has {path} ({gap})."),
    "on course": message(
        "It is on course: {now} in 28 days where the path has {path} ({gap}), which chance alone may do."
    ),
    "too few to tell": message("There are too few to tell a course: {now} in 28 days where the path has {path}."),
    "reached": message("It is reached: {now} in 28 days of {value}."),
    "missed": message("It is missed: {now} in 28 days of {value}."),
    "not begun": message("Its way has not begun."),
}
STOOD: dict[str, str] = {
    "ahead": message("It is ahead: {now}, where the path has {path}."),
    "behind": message("It is behind: {now}, where the path has {path}."),
    "on course": message("It is on course: {now}, where the path has {path}."),
    "reached": message("It is reached: {now} of {value}."),
    "missed": message("It is missed: {now} of {value}."),
    "not begun": message("Its way has not begun."),
}


def course(teller: Teller) -> list[Sentence]:
    """Say how many targets there are, and which one is furthest behind."""
    found: wire.CourseRead = teller.reading
    if not found.matching:
        return [teller.tell("No target is set.")]
    said = [teller.tell_many("{n} target is set.", "{n} targets are set.", "count:/matching")]
    if found.reached:
        said.append(teller.tell_many("{n} is reached.", "{n} are reached.", "count:/reached"))
    if found.behind:
        said.append(teller.tell_many("{n} is behind.", "{n} are behind.", "count:/behind"))
    late = [(row.gap, n) for n, row in enumerate(found.rows) if row.course == "behind" and row.gap is not None]
    if late:
        _, at = min(late)
        figures = {"name": f"text:/rows/{at}/name", "gap": f"signed_percent:/rows/{at}/gap"}
        said.append(teller.tell("Furthest off its path: {name} ({gap}).", **figures))
    return said


def target(teller: Teller) -> list[Sentence]:
    """Say how a target stands, what it asks beyond the year, and where it ends if nothing changes."""
    found: wire.TargetRead = teller.reading
    if found.course is None:
        return [teller.tell(LACKING[found.lacks or "nothing held"])]
    standing = found.target.metric in wire.STANDING
    figures = {name: f"count:/{name}" for name in ("now", "path")}
    figures["value"] = "count:/target/value"
    if not standing:
        figures["gap"] = "signed_percent:/gap"
    text = (STOOD if standing else COUNTED)[found.course]
    said = [teller.tell(text, **{name: figure for name, figure in figures.items() if f"{{{name}}}" in text})]
    if standing or found.course in ("reached", "missed"):
        return said
    said.append(_gain(teller, found))
    if found.ends is not None:
        said.append(
            teller.tell(
                "If nothing changes but the year, it ends at {ends} ({low} to {high}).",
                ends="count:/ends",
                low="count:/ends_low",
                high="count:/ends_high",
            )
        )
    return said


def _gain(teller: Teller, found: wire.TargetRead) -> Sentence:
    if not found.years:
        return teller.tell(
            "It asks {gain} over the whole way; no year is held to take a season out.", gain="signed_percent:/gain"
        )
    return teller.tell(
        "Beyond what the year alone brings, it asks {gain} over the whole way.", gain="signed_percent:/gain"
    )
