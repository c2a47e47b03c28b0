"""Mapped lookups: any interface that looks terms up and answers in JSON, described by a TOML mapping."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import jmespath

from noctilum import machine_time
from noctilum.core.errors import FeedFault
from noctilum.datasets.lookups import KIND
from noctilum.sources.contract import FeedSettings, Property
from noctilum.sources.expressions import value_of
from noctilum.sources.lookups import Answer, Look, LookupConnector, settled
from noctilum.sources.mapped_asking import MappedConnector, short
from noctilum.sources.mapping import FeatureFields, LookupMapping, read_lookup_mapping
from noctilum.wire.plain_text import cleaned

AT_ONCE = 4
MOST_READ = 1000
"""So many results and features of one answer are looked at; what may be kept of them is fewer."""
DESK = "lookups"


class MappedLookups(MappedConnector, LookupConnector):
    """Look terms up one by one as a mapping says, a few at once. Safe to share between threads."""

    name = "mapped-lookups"

    def __init__(self, settings: FeedSettings) -> None:
        self.mapping: LookupMapping = read_lookup_mapping(settings.mapping)
        super().__init__(settings, self.mapping.auth)

    def properties(self) -> list[Property]:
        """Name the one desk there is: whether the credential is good shows with the first lookup."""
        today = machine_time.moment().date()
        return [Property(DESK, self.mapping.name, "", self.mapping.engine, "UTC", today, today, KIND)]

    def look_up(self, looks: Sequence[Look]) -> list[Answer]:
        """Look terms up. Raises FeedFault where the service says no to all, or will not be asked again for now."""
        with ThreadPoolExecutor(AT_ONCE, thread_name_prefix="lookup") as pool:
            found = list(pool.map(self._one, looks))
        faults = [each for each in found if isinstance(each, FeedFault)]
        grave = [each for each in faults if each.lasting or each.retry_after]
        if grave or (faults and len(faults) == len(looks)):
            raise (grave or faults)[0]
        return [
            Answer(look, None, cleaned(str(each), 200)) if isinstance(each, FeedFault) else each
            for look, each in zip(looks, found, strict=True)
        ]

    def _one(self, look: Look) -> Answer | FeedFault:
        try:
            return settled(look, self.told(look))
        except FeedFault as fault:
            return fault

    def told(self, look: Look) -> dict[str, Any]:
        """Ask for one lookup, and put what came in the terms of the open protocol. Raises FeedFault."""
        asked, path = self.mapping.lookup, ["lookup"]
        whole = self._whole(asked, path, self._filling(look))
        if why := self._maybe(asked.failed, whole, [*path, "failed"]):
            return {"state": "failed", "why": why if isinstance(why, str) else short(why)}
        rows = self._picked(asked.rows, whole, [*path, "rows"]) if asked.rows else whole
        if not isinstance(rows, list):
            raise self._mismatch([*path, "rows"], f"{asked.rows or 'the answer'!r} is no list")
        results = [self._result(row, at) for at, row in enumerate(rows[:MOST_READ], 1)]
        found = {"state": "found", "results": results, "features": self._features(whole)}
        term = self._maybe(asked.term, whole, [*path, "term"])
        return found if term is None else found | {"term": term}

    def _filling(self, look: Look) -> dict[str, str | int]:
        asked = self.mapping.lookup
        latitude, _, longitude = look.place.partition(",") if "," in look.place else ("", "", "")
        return {
            "term": look.term,
            "engine": asked.engines.get(look.engine, look.engine),
            "language": look.language,
            "country": look.country,
            "place": look.place,
            "latitude": latitude.strip(),
            "longitude": longitude.strip(),
            "device": asked.devices.get(look.device, look.device),
            "depth": look.depth,
        }

    def _result(self, row: Any, at: int) -> dict[str, Any]:
        fields, path = self.mapping.lookup.result, ["lookup", "result"]
        found = {name: self._maybe(text, row, [*path, name]) for name, text in fields if name != "rank"}
        return found | {"rank": self._maybe(fields.rank, row, [*path, "rank"]) if fields.rank else at}

    def _features(self, whole: Any) -> list[dict[str, Any]]:
        asked = self.mapping.lookup.features
        rows = self._maybe(asked.rows, whole, ["lookup", "features", "rows"]) if asked else None
        if asked is None or rows is None:
            return []
        if not isinstance(rows, list):
            raise self._mismatch(["lookup", "features", "rows"], f"{asked.rows!r} is no list")
        return [self._feature(asked, row) for row in rows[:MOST_READ]]

    def _feature(self, asked: FeatureFields, row: Any) -> dict[str, Any]:
        path = ["lookup", "features"]
        told = {
            name: self._maybe(getattr(asked, name), row, [*path, name]) for name in ("kind", "above", "owners", "text")
        }
        kind, owners = str(told["kind"] or ""), told["owners"]
        return {
            "kind": asked.kinds.get(kind, kind),
            "above": 1 if told["above"] is None else told["above"],
            "owners": owners if isinstance(owners, list) else [owners] if isinstance(owners, str) else [],
            "text": told["text"],
        }

    def _maybe(self, expression: str, found: Any, path: Sequence[str]) -> Any:
        """Give what an expression finds; None for nothing, and where the mapping says none."""
        if not expression:
            return None
        try:
            return value_of(expression, found)
        except jmespath.exceptions.JMESPathError as why:
            raise self._mismatch(path, " ".join(str(why).split())[:200]) from why
