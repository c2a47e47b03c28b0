"""Readings as plain rows and as data frames."""

from __future__ import annotations

from typing import TYPE_CHECKING

from pydantic import BaseModel

from noctilum.wire.plain import Plain, to_rows

if TYPE_CHECKING:
    import pandas as pd

__all__ = ["Plain", "to_pandas", "to_rows"]


def to_pandas(reading: BaseModel) -> pd.DataFrame:
    """Give a reading as a data frame; raises ImportError saying what to install without pandas."""
    try:
        import pandas as pd
    except ImportError as why:
        raise ImportError("to_pandas needs pandas: pip install 'noctilum[pandas]'") from why
    return pd.DataFrame(to_rows(reading))
