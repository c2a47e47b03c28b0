"""The long-history store: one file a site, columnar segments, a ledger of every day.

Law: knows days, terms and sums, never where they came from; every change is one transaction with its ledger row.
"""

from noctilum.history.answers import AnswerCache
from noctilum.history.changes import DayChange
from noctilum.history.columns import ColumnCache
from noctilum.history.integrity import Damage
from noctilum.history.ledger import LedgerRow
from noctilum.history.rebuild import rebuild
from noctilum.history.rows import Rows
from noctilum.history.store import DayEntry, History, Question

__all__ = [
    "AnswerCache",
    "ColumnCache",
    "Damage",
    "DayChange",
    "DayEntry",
    "History",
    "LedgerRow",
    "Question",
    "Rows",
    "rebuild",
]
