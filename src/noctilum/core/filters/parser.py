"""Reading a filter from text."""

from __future__ import annotations

import difflib
import re
from dataclasses import dataclass
from typing import NoReturn

from noctilum.core.errors import Nonsense, worded
from noctilum.core.filters.fields import CHANGE, FIELDS, Field, Fields
from noctilum.core.filters.periods import period
from noctilum.core.filters.tree import Node, Not, SetTest, Test, both, either

MOST_CHARACTERS = 4000
MOST_DEPTH = 40
_TOKEN = re.compile(
    r"""\s*(?:(?P<string>"(?:[^"\\]|\\.)*")|(?P<pattern>/(?:[^/\\]|\\.)*/)"""
    r"""|(?P<day>\d{4}-\d{2}(?:-\d{2})?(?![\w-]))|(?P<number>-?\d+(?:\.\d+)?%?)"""
    r"""|(?P<word>[^\W\d]\w*(?:-\w+)*)|(?P<sign>\.\.|!=|<=|>=|[()=<>,]))""",
    re.DOTALL,
)
_ESCAPED = re.compile(r"\\(.)", re.DOTALL)
BESIDE = {
    name: f"{name} is asked beside the filter: {name}= in HTTP and Python, --{name} on the command line"
    for name in ("engine", "source")
}
"""Names that narrow a reading, but are no fields: they choose which sources are read."""
_COMPARISONS = ("=", "!=", "<", "<=", ">", ">=")


class FilterFault(Nonsense):
    """A filter that cannot be read. column counts from 1; length is how much of the text is at fault."""

    def __init__(self, text: str, column: int, length: int = 1, remedy: str = "") -> None:
        place = f"column {column}" if length == 1 else f"columns {column} to {column + length - 1}"
        super().__init__("filter-unusable", text, where=f"filter, {place}", remedy=remedy)
        self.column, self.length = column, length


@dataclass(frozen=True)
class _Token:
    sort: str
    text: str
    at: int
    end: int


def parse(text: str, fields: Fields = FIELDS) -> Node:
    """Read a filter. fields: those that it may name.

    Raises FilterFault, naming the column and what was expected there.

    >>> parse("words >= 4")
    Test(field='words', op='>=', values=(4.0,), exactly=False)
    """
    if len(text) > MOST_CHARACTERS:
        raise FilterFault(
            worded("The filter is longer than {most_characters} characters.", most_characters=MOST_CHARACTERS),
            MOST_CHARACTERS,
            remedy="save a set",
        )
    reader = _Reader(text, fields)
    node = reader.either()
    if reader.token.sort != "end":
        reader.fail("Here the filter should end, or go on with and, or.")
    return node


class _Reader:
    """Descend through the text, one token in hand."""

    def __init__(self, text: str, fields: Fields) -> None:
        self.text, self.fields = text, fields
        self.tokens = _tokens(text)
        self.place = 0
        self.depth = 0

    @property
    def token(self) -> _Token:
        return self.tokens[self.place]

    def fail(self, said: str, remedy: str = "") -> NoReturn:
        token = self.token
        raise FilterFault(said, token.at + 1, max(1, token.end - token.at), remedy)

    def take(self) -> _Token:
        token = self.token
        self.place += 1
        return token

    def word(self, *wanted: str) -> bool:
        """Take the next token when it is one of these words."""
        if self.token.sort == "word" and self.token.text.casefold() in wanted:
            self.place += 1
            return True
        return False

    def sign(self, wanted: str) -> bool:
        """Take the next token when it is this sign."""
        if self.token.sort == "sign" and self.token.text == wanted:
            self.place += 1
            return True
        return False

    def either(self) -> Node:
        parts = [self.both()]
        while self.word("or"):
            parts.append(self.both())
        return either(*parts)

    def both(self) -> Node:
        parts = [self.turned()]
        while self.word("and"):
            parts.append(self.turned())
        return both(*parts)

    def turned(self) -> Node:
        self.depth += 1
        if self.depth > MOST_DEPTH:
            self.fail(worded("Brackets and nots go deeper than {most_depth}.", most_depth=MOST_DEPTH))
        try:
            return Not(self.turned()) if self.word("not") else self.one()
        finally:
            self.depth -= 1

    def one(self) -> Node:
        if self.sign("("):
            node = self.either()
            if not self.sign(")"):
                self.fail("A closing bracket is missing here.")
            return node
        if self.word("set"):
            return SetTest(self.text_value("the set's name"))
        field = self.field()
        if field.kind == "flag":
            return Test(field.name, "holds")
        tests = {"number": self.number_test, "day": self.day_test, "text": self.text_test}
        return tests[field.kind](field)

    def field(self) -> Field:
        if self.token.sort != "word":
            self.fail("A field is expected here.", worded("one of {fields}", fields=", ".join(self.fields)))
        name = self.token.text.casefold()
        if name == "change" and name not in self.fields:
            return self.change()
        if name == "first" and "first seen" in self.fields:
            self.place += 1
            return self.first_seen("")
        if name not in self.fields:
            near = difflib.get_close_matches(name, [*self.fields, "set", "not"], n=1, cutoff=0.65)
            remedy = f"did you mean {near[0]}?" if near else f"one of {', '.join(self.fields)}"
            self.fail(worded("There is no field {text!r}.", text=self.token.text), BESIDE.get(name, remedy))
        self.place += 1
        if name in ("query", "page") and self.word("first"):
            return self.first_seen("page " if name == "page" else "")
        return self.fields[name]

    def first_seen(self, of: str) -> Field:
        if not self.word("seen"):
            self.fail("After first comes seen.", "like first seen >= 2026-01-01")
        return self.fields[f"{of}first seen"]

    def change(self) -> Field:
        self.place += 1
        if not self.word("in"):
            self.fail("After change comes in.", "like change in clicks < 0")
        known = [name.removeprefix(CHANGE) for name in self.fields if name.startswith(CHANGE)]
        if self.token.sort != "word" or self.token.text.casefold() not in known:
            self.fail("Change in what?", worded("one of {known}", known=", ".join(known)))
        return self.fields[f"{CHANGE}{self.take().text.casefold()}"]

    def number_test(self, field: Field) -> Node:
        turned = self.word("not")
        if self.word("in"):
            test = Test(field.name, *self.numbers())
            return Not(test) if turned else test
        if turned:
            self.fail("After not comes in.")
        if self.word("is"):
            return Test(field.name, "!=" if self.word("not") else "=", (self.number(),))
        if self.token.sort != "sign" or self.token.text not in _COMPARISONS:
            self.fail(
                worded("{name} is a number: a comparison is expected here.", name=field.name),
                "one of = != < <= > >= in",
            )
        return Test(field.name, self.take().text, (self.number(),))

    def day_test(self, field: Field) -> Node:
        if self.word("not"):
            if not self.word("in"):
                self.fail("After not comes in.")
            return Not(self.in_days(field))
        if self.word("in"):
            return self.in_days(field)
        if self.word("is"):
            return Test(field.name, "!=" if self.word("not") else "=", (self.period(),))
        if self.token.sort != "sign" or self.token.text not in _COMPARISONS:
            self.fail(
                worded("{name} is a day: a comparison is expected here.", name=field.name), "one of = != < <= > >= in"
            )
        return Test(field.name, self.take().text, (self.period(),))

    def in_days(self, field: Field) -> Test:
        low = self.period()
        if not self.sign(".."):
            return Test(field.name, "=", (low,))
        high = self.period()
        if period(high)[1] < period(low)[0]:
            self.place -= 1
            self.fail("The range ends before it begins.", "write the earlier day first")
        return Test(field.name, "between", (low, high))

    def period(self) -> str:
        text = self.token.text
        try:
            period(text)
        except ValueError:
            self.fail("A day, a month or a year is expected here.", "like 2026-03-20, 2026-03 or 2026")
        self.take()
        return text

    def numbers(self) -> tuple[str, tuple[float, ...]]:
        if self.sign("("):
            return "in", tuple(self.number_list())
        low = self.number()
        if not self.sign(".."):
            self.fail("A range is written with two dots.", "like in 4..10")
        high = self.number()
        if high < low:
            self.place -= 1
            self.fail("The range ends before it begins.", "write the smaller number first")
        return "between", (low, high)

    def number_list(self) -> list[float]:
        found = [self.number()]
        while self.sign(","):
            found.append(self.number())
        if not self.sign(")"):
            self.fail("A comma or a closing bracket is expected here.")
        return found

    def number(self) -> float:
        if self.token.sort != "number":
            self.fail("A number is expected here.")
        text = self.take().text
        return float(text[:-1]) / 100 if text.endswith("%") else float(text)

    def text_test(self, field: Field) -> Node:
        if self.word("not"):
            if not self.word("in", "has", "starts", "ends", "matches"):
                self.fail("After not comes in, has, starts, ends or matches.")
            self.place -= 1
            return Not(self.text_test(field))
        if self.word("is"):
            op = "is not" if self.word("not") else "is"
        elif self.sign("="):
            op = "is"
        elif self.sign("!="):
            op = "is not"
        elif self.token.sort == "word" and self.token.text.casefold() in ("has", "starts", "ends", "matches", "in"):
            op = self.take().text.casefold()
        else:
            self.fail(
                worded("{name} is text: a test is expected here.", name=field.name),
                "is, is not, has, starts, ends, matches, in",
            )
        exactly = self.word("exactly")
        return Test(field.name, op, self.text_values(op), exactly)

    def text_values(self, op: str) -> tuple[str, ...]:
        if op == "in":
            if not self.sign("("):
                self.fail("A list in brackets is expected here.", "like in (NO, SE, DK)")
            return tuple(self.texts())
        if op == "matches":
            return (self.pattern(),)
        return (self.text_value("a text"),)

    def texts(self) -> list[str]:
        found = [self.text_value("a text")]
        while self.sign(","):
            found.append(self.text_value("a text"))
        if not self.sign(")"):
            self.fail("A comma or a closing bracket is expected here.")
        return found

    def text_value(self, wanted: str) -> str:
        sort = self.token.sort
        if sort == "string":
            return _unescaped(self.take().text[1:-1])
        if sort not in ("word", "number", "day"):
            remedy = 'texts with blanks or signs go in double quotes, like "to sea"'
            self.fail(worded("{capitalize} is expected here.", capitalize=wanted.capitalize()), remedy)
        return self.take().text

    def pattern(self) -> str:
        if self.token.sort != "pattern":
            self.fail("A pattern between slashes is expected here.", "like matches /fer(ry|ries)/")
        return self.take().text[1:-1].replace("\\/", "/")


def _unescaped(text: str) -> str:
    return _ESCAPED.sub(lambda found: "\n" if found[1] == "n" else found[1], text)


def _tokens(text: str) -> list[_Token]:
    found: list[_Token] = []
    at = 0
    while text[at:].strip():
        match = _TOKEN.match(text, at)
        if match is None:
            start = at + len(text[at:]) - len(text[at:].lstrip())
            raise _unreadable(text, start)
        sort = str(match.lastgroup)
        found.append(_Token(sort, match[sort], match.start(sort), match.end(sort)))
        at = match.end()
    return [*found, _Token("end", "", len(text), len(text))]


def _unreadable(text: str, at: int) -> FilterFault:
    if text[at] == '"':
        return FilterFault("The text that begins here has no closing quote.", at + 1, len(text) - at)
    if text[at] == "/":
        return FilterFault(
            "The pattern that begins here has no closing slash.",
            at + 1,
            len(text) - at,
            'a path goes in double quotes, like page starts "/islands/"',
        )
    return FilterFault(
        worded("{text!r} means nothing here.", text=text[at]), at + 1, remedy="texts with signs go in double quotes"
    )
