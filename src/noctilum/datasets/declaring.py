"""What a dataset is: its dimensions, its measures and how each of them adds up. Light: imports nothing but itself."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Literal

Merge = Literal["sum", "weighted", "last", "none"]
Span = Literal["day", "week", "month"]
MILLI = 1000
"""Sums of weighted measures are carried in thousandths, so that fractional providers stay integers."""


@dataclass(frozen=True)
class Dimension:
    """Declare what rows are told apart by. default: where a file or feed does not say. words: as files may head it.

    form: how its texts are written: as they come, as words in small letters, as ISO 3166 codes, or as devices. values:
    those that are known, which people are told in their language; any other may come and stays as it is.
    """

    name: str
    title: str
    meaning: str
    default: str | None = None
    words: tuple[str, ...] = ()
    form: Literal["text", "word", "country", "device"] = "text"
    values: tuple[str, ...] = ()


@dataclass(frozen=True)
class Measure:
    """Declare one figure of a row.

    merge says how rows become one: "sum" adds up over everything; "weighted" is an average, kept as the sum of value ×
    weight and formed last; "last" adds up within a day, and over days that of the last held day stands; "none" never
    adds up, as users, and is given only where one row says it, for a span that the source itself counted.
    scale: kept units to one told, as 100 for money in hundredths; weighted sums are kept whole or in thousandths.
    kind: how it is written, a kind of column. signed: it may be below nothing. least: below
    it, an average is none. most: a measure that it never exceeds. words: as files may head it. set_up: it is counted
    once somebody has set it up at the source: until the first of it, none of it is not nothing but not known.
    """

    name: str
    title: str
    meaning: str
    merge: Merge = "sum"
    weight: str = ""
    scale: int = 1
    kind: str = "count"
    better: Literal["higher", "lower"] | None = None
    signed: bool = False
    least: float | None = None
    most: str = ""
    words: tuple[str, ...] = ()
    set_up: bool = False

    @property
    def stored_as(self) -> str:
        """Its column in a segment."""
        return f"{self.name}_sum" if self.merge == "weighted" else self.name

    @property
    def tallied_as(self) -> str:
        """Its column in sums: weighted ones in thousandths."""
        return f"{self.name}_milli" if self.merge == "weighted" else self.name

    @property
    def told_by(self) -> str:
        """The column of sums that says from how many rows a figure that never adds up came: it stands where 1 did."""
        return f"{self.name}_rows"

    @property
    def has_decimals(self) -> bool:
        """Whether it is told with decimals: averages, and what is kept in parts of its unit."""
        return bool(self.weight) or self.scale > 1

    @property
    def adds(self) -> bool:
        """Whether it adds up over days, and so may be kept in rollups."""
        return self.merge in ("sum", "weighted")


@dataclass(frozen=True)
class Derived:
    """Declare a figure that no feed counts and any row's measures give: one less another, or one over another.

    of, and less or over: names of measures of its dataset, of which the first two add up over days. It is formed last,
    from the sums, so that it is right for any rows together; what is not known of a part is not known of it.
    """

    name: str
    title: str
    meaning: str
    of: str
    less: str = ""
    over: str = ""
    better: Literal["higher", "lower"] | None = None

    @property
    def kind(self) -> str:
        """How it is written, a kind of column."""
        return "rate" if self.over else "count"

    @property
    def parts(self) -> tuple[str, str]:
        """The two measures that it is formed from."""
        return self.of, self.less or self.over


@dataclass(frozen=True)
class Dataset:
    """Declare one grain of what a kind of source counts. dims[0] is the sort key of its segments.

    kind: of the sources that have it. rollups: name → the keys that a compacted month is summed by; "day" may be one.
    stood_in_by: finer datasets whose rows may be summed where this one is not held, best first. part_of: the dataset of
    which this one counts a part, never more. reaches: (dataset, measure) that this one never falls short of.
    differs: (dataset, code, why) of those whose sums differ from these for a reason. span: what its days stand for:
    themselves, or weeks or months by their first days. spans: further spans that sources may count by themselves.
    long_rollups: as rollups, kept for whole years only: those of single months would be nearly as large as their rows.
    in_files: whether files that are imported may hold it. states: the measures that say what began and what ended, of
    what stands from one to the other; what stands on a day is the sum of all that began before, less what ended.
    plural: what its rows are called in a sentence; title: where it is chosen, the plural without.
    judged: the measure, a count that adds up, by which its rows are judged beside the window before and the year.
    derived: the figures that are formed from its measures wherever they are told; they are neither kept nor fed.
    """

    name: str
    dims: tuple[str, ...]
    measures: tuple[Measure, ...]
    rollups: Mapping[str, tuple[str, ...]]
    meaning: str
    kind: str = "search"
    plural: str = ""
    title: str = ""
    stood_in_by: tuple[str, ...] = ()
    part_of: str = ""
    reaches: tuple[str, str] | None = None
    differs: tuple[tuple[str, str, str], ...] = ()
    span: Span = "day"
    spans: tuple[Span, ...] = ("month",)
    long_rollups: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    dimensions: tuple[Dimension, ...] = field(default=(), compare=False)
    in_files: bool = True
    states: tuple[str, str] | None = None
    judged: str = ""
    derived: tuple[Derived, ...] = ()

    def __post_init__(self) -> None:
        if (self.rollups or self.long_rollups) and not self.added:
            raise ValueError(f"{self.name} has nothing that adds up over days, and so no rollups")

    @cached_property
    def stored(self) -> tuple[str, ...]:
        """The columns of its measures in a segment, in their order."""
        return tuple(measure.stored_as for measure in self.measures)

    @cached_property
    def weighted(self) -> frozenset[str]:
        """Those of the stored columns that are sums of value × weight, at a segment's scale."""
        return frozenset(measure.stored_as for measure in self.measures if measure.merge == "weighted")

    @cached_property
    def added(self) -> tuple[Measure, ...]:
        """The measures that add up over days."""
        return tuple(measure for measure in self.measures if measure.adds)

    @cached_property
    def written_down(self) -> tuple[Measure, ...]:
        """The measures whose sum the ledger keeps of a day: all that add up within one."""
        return tuple(measure for measure in self.measures if measure.merge != "none")

    @cached_property
    def told(self) -> tuple[Measure | Derived, ...]:
        """All of its figures as they are told: each derived one behind the later of its parts."""
        at = {measure.name: place for place, measure in enumerate(self.measures)}
        behind: dict[int, list[Derived]] = {}
        for each in self.derived:
            behind.setdefault(max(at[part] for part in each.parts), []).append(each)
        return tuple(one for place, measure in enumerate(self.measures) for one in (measure, *behind.get(place, ())))

    def measure(self, name: str) -> Measure:
        """Find a measure; raises KeyError."""
        found = {measure.name: measure for measure in self.measures}
        return found[name]

    def dimension(self, name: str) -> Dimension:
        """Describe one of its dimensions."""
        return next((each for each in self.dimensions if each.name == name), Dimension(name, name, ""))


def spanning(kept: Dataset, span: Span) -> Dataset:
    """Make the dataset of the same things counted by whole weeks or months; a day of it is the first of its span."""
    return replace(
        kept,
        name=f"{span}-{kept.name}",
        rollups={name: keys for name, keys in kept.rollups.items() if "day" not in keys},
        meaning=f"{kept.meaning} Of whole {span}s, as the source counts them; a day is the first of its {span}.",
        stood_in_by=(),
        part_of="",
        reaches=None,
        differs=(),
        span=span,
    )


class Datasets(Mapping[str, Dataset]):
    """All datasets there are, by name, in the order in which they are listed: those of days, then those of spans."""

    def __init__(self, declared: Sequence[Dataset]) -> None:
        self._declare(declared)

    def _declare(self, declared: Sequence[Dataset]) -> None:
        self._declared = tuple(declared)
        self._known = _with_spans(self._declared)
        self.named_in_files = tuple(kept.name for kept in self.in_files)

    def __getitem__(self, name: str) -> Dataset:
        """Give a dataset; raises KeyError."""
        return self._known[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self._known)

    def __len__(self) -> int:
        return len(self._known)

    def totals_of(self, kept: Dataset) -> Dataset:
        """Give the dataset of the totals of a dataset's kind of source: the first declared of it."""
        return next(each for each in self._declared if each.kind == kept.kind)

    @property
    def daily(self) -> tuple[str, ...]:
        """The names of those whose rows are of days; the others are of whole weeks or months."""
        return tuple(kept.name for kept in self._declared)

    @property
    def in_files(self) -> tuple[Dataset, ...]:
        """Those of days that files may hold."""
        return tuple(kept for kept in self._declared if kept.in_files)

    def of_kind(self, kind: str) -> tuple[Dataset, ...]:
        """Give the datasets of days that a kind of source counts."""
        return tuple(kept for kept in self._declared if kept.kind == kind)

    @property
    def kinds(self) -> tuple[str, ...]:
        """The kinds of sources there are."""
        return tuple(dict.fromkeys(kept.kind for kept in self._declared))

    @contextmanager
    def with_also(self, *declared: Dataset) -> Iterator[None]:
        """Know more datasets for a while."""
        before = self._declared
        self._declare((*before, *declared))
        try:
            yield
        finally:
            self._declare(before)


def _with_spans(declared: Sequence[Dataset]) -> dict[str, Dataset]:
    spans = (spanning(kept, span) for kept in declared for span in kept.spans)
    return {kept.name: kept for kept in (*declared, *spans)}
