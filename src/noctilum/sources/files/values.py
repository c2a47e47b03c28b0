"""Turning text columns into days, counts and places, many at once; what cannot be turned is marked with why."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import date
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from noctilum.core.cells import meant
from noctilum.core.windows import EARLIEST, LATEST
from noctilum.datasets.declaring import Dimension
from noctilum.sources.files.mapping import DateForm
from noctilum.sources.files.words import DEVICES, countries, months, plain

Ints = npt.NDArray[np.int64]
Floats = npt.NDArray[np.float64]
Mask = npt.NDArray[np.bool_]
EMPTY = ("", "-", "–", "—", "--", "n/a", "na", "null", "none", "nan")
CLEARLY = 20
"""An order of dates is told when so many times more of them speak for it than against it; the others are bad rows."""
_NUMERIC = re.compile(r"(\d{1,4})([./\- ])(\d{1,2})\2(\d{1,4})")
_UNKEEPABLE = r"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f]"
_SPACES = "[\u00a0\u202f\u2009' ’]"


@dataclass
class Faults:
    """Collect which rows of a chunk cannot be used, and why; the first reason of a row stands."""

    size: int
    reasons: dict[int, str] = field(default_factory=dict)

    def note(self, bad: Mask, reason: Callable[[int], str]) -> None:
        """Mark rows; reason is asked only for those not marked yet."""
        for row in np.flatnonzero(bad).tolist():
            if row not in self.reasons:
                self.reasons[row] = reason(row)

    @property
    def good(self) -> Mask:
        """The rows that can be used."""
        keep = np.ones(self.size, dtype=bool)
        keep[list(self.reasons)] = False
        return keep


def trimmed(column: Any) -> Any:
    """Trim blanks."""
    return pc.utf8_trim_whitespace(column)


def _empty(column: Any) -> Mask:
    found: Mask = pc.is_in(pc.utf8_lower(column), pa.array(EMPTY)).to_numpy(zero_copy_only=False)
    return found


def counts(column: Any, name: str, decimal: str, faults: Faults) -> Ints:
    """Read whole numbers with any thousands sign; empty is 0. Out comes shape (rows,)."""
    plainly = _cast(column, pa.int64())
    if plainly is not None:
        return plainly
    column = trimmed(column)
    empty = _empty(column)
    text = _without_thousands(column, decimal)
    text = pc.replace_substring_regex(text, r"\.0+$", "")
    usable = pc.match_substring_regex(text, r"^\d{1,15}$").to_numpy(zero_copy_only=False)
    faults.note(~usable & ~empty, lambda row: f"{name} is {column[row].as_py()!r}, which is no whole number")
    filled = pc.if_else(pa.array(usable), text, "0")
    found: Ints = pc.cast(filled, pa.int64()).to_numpy()
    return found


def decimals(
    column: Any, name: str, decimal: str, faults: Faults, *, share: bool = False, signed: bool = False
) -> tuple[Floats, Mask]:
    """Read numbers with decimals: (values, which are empty). share: 4.5% and 0.045 are the same. signed: below 0."""
    plainly = _cast(column, pa.float64()) if decimal == "." else None
    if plainly is not None:
        return plainly, np.zeros(plainly.size, dtype=bool)
    column = trimmed(column)
    empty = _empty(column)
    text = _without_thousands(column, decimal)
    percent = pc.ends_with(text, "%").to_numpy(zero_copy_only=False)
    text = pc.utf8_rtrim(text, "% ")
    sign = "[-−]?" if signed else ""
    number = rf"^{sign}\d{{1,12}}(\.\d*)?([eE]-?\d{{1,2}})?$"
    usable = pc.match_substring_regex(text, number).to_numpy(zero_copy_only=False)
    text = pc.replace_substring(text, "−", "-") if signed else text
    if not share:
        usable = usable & ~percent
    faults.note(~usable & ~empty, lambda row: f"{name} is {column[row].as_py()!r}, which is no number")
    values: Floats = pc.cast(pc.if_else(pa.array(usable), text, "0"), pa.float64()).to_numpy()
    return np.where(percent, values / 100, values), empty


def _cast(column: Any, kind: Any) -> npt.NDArray[Any] | None:
    """Read a column whose every value is a plain number, the usual case; None for any other."""
    try:
        values: npt.NDArray[Any] = pc.cast(column, kind).to_numpy()
    except pa.ArrowInvalid:
        return None
    usual = bool(np.all(np.isfinite(values)) and np.all(values >= 0) and np.all(values < 1e15))
    return values if usual else None


def _without_thousands(column: Any, decimal: str) -> Any:
    """Bring numbers to digits and a decimal point; a sign in the wrong place stays and is told."""
    text = pc.replace_substring_regex(column, rf"(\d){_SPACES}(\d)", r"\1\2")
    text = pc.replace_substring_regex(text, rf"(\d){_SPACES}(\d)", r"\1\2")
    thousands = "," if decimal == "." else r"\."
    grouped = rf"^\d{{1,3}}({thousands}\d{{3}})+({re.escape(decimal)}\d+)?%?$"
    is_grouped = pc.match_substring_regex(text, grouped)
    text = pc.if_else(is_grouped, pc.replace_substring_regex(text, thousands, ""), text)
    return text if decimal == "." else pc.replace_substring(text, ",", ".")


_WITH_DECIMALS = {
    ".": re.compile(r"\d{1,3}(,\d{3})+\.\d+|\d+\.(\d{1,2}|\d{4,})|0\.\d+"),
    ",": re.compile(r"\d{1,3}(\.\d{3})+,\d+|\d+,(\d{1,2}|\d{4,})|0,\d+"),
}
"""Numbers that tell their decimal sign: no number tells both."""


def decimal_sign(texts: Sequence[str]) -> str | None:
    """Tell the decimal sign from numbers with decimals; None when they do not tell.

    >>> decimal_sign(["4,5%", "12,25"]), decimal_sign(["1,234"]), decimal_sign(["3.7"])
    (',', None, '.')
    """
    votes = {".": 0, ",": 0}
    for text, times in Counter(texts).items():
        bare = text.strip().rstrip("% ")
        for sign, written in _WITH_DECIMALS.items():
            votes[sign] += times * (written.fullmatch(bare) is not None)
    if votes["."] == votes[","]:
        return None
    return max(votes, key=lambda sign: votes[sign])


def date_forms(texts: Sequence[str]) -> set[DateForm]:
    """Tell which orders of day, month and year fit; several when the texts do not tell, none when they contradict.

    >>> sorted(date_forms(["03/04/2026", "25/04/2026"])), sorted(date_forms(["03/04/2026"])), date_forms(["2026-03-04"])
    (['dmy'], ['dmy', 'mdy'], {'iso'})
    """
    votes: Counter[str | None] = Counter()
    for text, times in Counter(texts).items():
        votes[_order(text)] += times
    certain = {form: votes[form] for form in ("dmy", "mdy")}
    if votes["iso"] >= CLEARLY * (sum(certain.values()) + votes["either"]):
        return {"iso"}
    for form, other in (("dmy", "mdy"), ("mdy", "dmy")):
        if certain[form] and certain[form] >= CLEARLY * certain[other]:
            return {form}  # type: ignore[arg-type]
    return {"dmy", "mdy"} if not any(certain.values()) else set()


def _order(text: str) -> str | None:
    """Say which order one numeric date is in: "iso", "dmy", "mdy", "either", or None for no date."""
    found = _NUMERIC.fullmatch(_bare(text))
    if not found:
        return None
    first, sign, second = int(found[1]), found[2], int(found[3])
    if len(found[1]) == 4:
        return "iso"
    if first > 12 and second > 12:
        return None
    if sign == "." or first > 12:
        return "dmy"
    return "mdy" if second > 12 else "either"


def _bare(text: str) -> str:
    """Drop a time of day after a date."""
    return re.split(r"[T ](?=\d{1,2}:\d{2})", text.strip(), maxsplit=1)[0].strip(" .,")


def parse_day(text: str, form: DateForm) -> tuple[date, bool] | None:
    """Read a day, or a month alone (its first day, True); None when it is neither.

    >>> parse_day("3. März 2026", "dmy"), parse_day("2026-03", "iso"), parse_day("31/02/2026", "dmy")
    ((datetime.date(2026, 3, 3), False), (datetime.date(2026, 3, 1), True), None)
    """
    bare = _bare(text)
    try:
        if re.fullmatch(r"\d{8}", bare):
            return date(int(bare[:4]), int(bare[4:6]), int(bare[6:])), False
        if month := re.fullmatch(r"(\d{4})[-/.](\d{1,2})", bare):
            return date(int(month[1]), int(month[2]), 1), True
        if month := re.fullmatch(r"(\d{1,2})[-/.](\d{4})", bare):
            return date(int(month[2]), int(month[1]), 1), True
        if numeric := _NUMERIC.fullmatch(bare):
            return _numeric_day(numeric, form), False
        return _spelled_day(bare)
    except ValueError:
        return None


def _numeric_day(found: re.Match[str], form: DateForm) -> date:
    one, two, three = int(found[1]), int(found[3]), int(found[4])
    if len(found[1]) == 4:
        return date(one, two, three)
    if len(found[4]) == 3 or form == "iso":
        raise ValueError
    year = three if len(found[4]) == 4 else 2000 + three
    return date(year, two, one) if form == "dmy" else date(year, one, two)


def _spelled_day(text: str) -> tuple[date, bool] | None:
    words = plain(text).split()
    named = [months()[word] for word in words if word in months() and not word.isdigit()]
    numbers = [int(word.rstrip("stndrh")) for word in words if re.fullmatch(r"\d+(st|nd|rd|th)?", word)]
    years = [n for n in numbers if n > 1900]
    days = [n for n in numbers if n <= 31]
    if len(named) != 1 or len(years) != 1 or len(days) > 1:
        return None
    return date(years[0], named[0], days[0] if days else 1), not days


def days(column: Any, form: DateForm, monthly: bool, faults: Faults) -> Ints:
    """Read days as proleptic ordinals, shape (rows,). Each distinct text is read once."""
    coded = pc.dictionary_encode(trimmed(column))
    texts = coded.dictionary.to_pylist()
    found = [parse_day(text, form) for text in texts]
    ordinals = np.array([_ordinal(each, monthly) for each in found], dtype=np.int64)
    rows: Ints = ordinals[coded.indices.to_numpy()] if len(texts) else np.zeros(0, dtype=np.int64)
    codes = coded.indices.to_numpy()
    faults.note(rows < 0, lambda row: _day_fault(texts[codes[row]], found[codes[row]], monthly))
    return rows


def _ordinal(found: tuple[date, bool] | None, monthly: bool) -> int:
    if found is None or (found[1] and not monthly) or not EARLIEST <= found[0] <= LATEST:
        return -1
    return found[0].replace(day=1).toordinal() if monthly else found[0].toordinal()


def _day_fault(text: str, found: tuple[date, bool] | None, monthly: bool) -> str:
    if not text:
        return "the day is missing"
    if found and found[1] and not monthly:
        return f"the day is {text!r}, a whole month; import months with --monthly"
    if found:
        return f"the day is {text!r}; days are of the years {EARLIEST.year} to {LATEST.year}"
    return f"the day is {text!r}, which is no day"


def texts_of(column: Any, dimension: Dimension, faults: Faults) -> Any:
    """Bring a text column to the words the history keeps; each distinct text is looked at once."""
    role = dimension.name
    if dimension.form == "text":
        named = trimmed(column)
        lacking = pc.equal(named, "").to_numpy(zero_copy_only=False)
        faults.note(lacking, lambda _row: f"the {role} is missing")
        strange = pc.match_substring_regex(named, _UNKEEPABLE).to_numpy(zero_copy_only=False)
        faults.note(strange, lambda _row: f"the {role} holds control characters, which no text here has")
        return _meant(named)
    coded = pc.dictionary_encode(trimmed(column))
    change = {"country": _country, "device": _device, "word": _kind}[dimension.form]
    known = [change(text) for text in coded.dictionary.to_pylist()]
    codes = coded.indices.to_numpy()
    unknown = np.array([text is None for text in known], dtype=bool)
    if unknown.any():
        spelled = coded.dictionary.to_pylist()
        faults.note(unknown[codes], lambda row: f"the {role} {spelled[codes[row]]!r} is not known")
    return pc.take(pa.array([text or "" for text in known], pa.string()), coded.indices)


def _meant(column: Any) -> Any:
    """Take back what was put in front of texts that a spreadsheet would have run; few texts begin so."""
    quoted = pc.starts_with(column, "'").to_numpy(zero_copy_only=False)
    if not quoted.any():
        return column
    texts = column.to_pylist()
    return pa.array([meant(text) if quote else text for text, quote in zip(texts, quoted, strict=True)], pa.string())


def _country(text: str) -> str | None:
    if text.lower() in EMPTY:
        return ""
    return countries().get(plain(text))


def _device(text: str) -> str | None:
    if text.lower() in EMPTY:
        return ""
    return DEVICES.get(plain(text), plain(text) or None)


def _kind(text: str) -> str | None:
    return "web" if text.lower() in EMPTY else plain(text) or None
