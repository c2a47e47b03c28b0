"""Records of a site as somebody would type them, to go along when it is handed over."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import Any

from pydantic import BaseModel
from sqlalchemy import select
from sqlalchemy.orm import Session

from noctilum.records.models import Site


def of_site(db: Session, model: Any, site: Site) -> Sequence[Any]:
    """Give a site's records of a kind, in the order they were made."""
    return db.scalars(select(model).where(model.site_id == site.id).order_by(model.id)).all()


def typed(found: Any, model: type[BaseModel]) -> dict[str, Any]:
    """Tell a record by the fields of what would make it; days as texts, what is not set left out."""
    given = {name: getattr(found, name) for name in model.model_fields if hasattr(found, name) and name != "site"}
    return {
        name: value.isoformat() if isinstance(value, date) else value
        for name, value in given.items()
        if value is not None
    }
