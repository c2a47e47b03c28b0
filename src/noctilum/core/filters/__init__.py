"""The filter language: one small language wherever rows are narrowed. docs/filters.md describes it."""

from noctilum.core.filters.fields import FIELDS, Field, Fields, fields_of
from noctilum.core.filters.forms import from_form, to_form
from noctilum.core.filters.parser import FilterFault, parse
from noctilum.core.filters.parts import Parts, dimensions, divide
from noctilum.core.filters.text import written
from noctilum.core.filters.tree import And, Node, Not, Or, SetTest, Test, both, either, tests_of

__all__ = [
    "FIELDS",
    "And",
    "Field",
    "Fields",
    "FilterFault",
    "Node",
    "Not",
    "Or",
    "Parts",
    "SetTest",
    "Test",
    "both",
    "dimensions",
    "divide",
    "either",
    "fields_of",
    "from_form",
    "parse",
    "tests_of",
    "to_form",
    "written",
]
