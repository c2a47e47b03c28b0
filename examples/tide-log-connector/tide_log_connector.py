"""An example of a connector: daily files of one's own form in a folder, one a day, as `2026-03-01.log`.

Each line is `device|country|clicks|impressions|sum of places`. The folder is the feed's url, a property
is a sub-folder; a file's size and time stand for its revision. No account is needed.
"""

from __future__ import annotations

from datetime import date
from hashlib import blake2b
from pathlib import Path

from noctilum.core.batch import DayBatch, batch_of
from noctilum.core.days import DayState
from noctilum.core.errors import FeedFault
from noctilum.datasets import DATASETS
from noctilum.sources.contract import Connector, OfferedDay, Page, Property


class TideLog(Connector):
    """Read daily logs from a folder."""

    name = "tide-log"
    grains = ("site",)

    @property
    def _root(self) -> Path:
        root = Path(self.settings.url.removeprefix("file://"))
        if not root.is_dir():
            raise FeedFault("no-such-folder", f"There is no folder {root}.", remedy="check the path", lasting=True)
        return root

    def properties(self) -> list[Property]:
        """Every sub-folder with logs is a property."""
        return [self._property(folder) for folder in sorted(self._root.iterdir()) if self._logs(folder)]

    def _property(self, folder: Path) -> Property:
        days = [date.fromisoformat(path.stem) for path in self._logs(folder)]
        return Property(folder.name, folder.name, folder.name, "Tide log", "UTC", min(days), max(days))

    def _logs(self, folder: Path) -> list[Path]:
        return sorted(folder.glob("????-??-??.log")) if folder.is_dir() else []

    def days(self, first: date | None, last: date | None) -> list[OfferedDay]:
        """Every file is a final day; its revision is its digest."""
        logs = self._logs(self._root / self.settings.property)
        found = [OfferedDay(date.fromisoformat(path.stem), DayState.FINAL, _revision(path)) for path in logs]
        return [day for day in found if (first is None or day.day >= first) and (last is None or day.day <= last)]

    def fetch(self, day: date, grain: str) -> Page:
        """Read one file."""
        path = self._root / self.settings.property / f"{day}.log"
        try:
            return Page(day, grain, path.read_bytes(), _revision(path))
        except FileNotFoundError as why:
            raise FeedFault("no-such-day", f"There is no log of {day}.", where=str(path)) from why

    def parse(self, page: Page) -> DayBatch:
        """Take the lines apart; a line that is not of this form is named."""
        rows = []
        for number, line in enumerate(page.body.decode().splitlines(), start=1):
            try:
                device, country, clicks, shown, places = line.split("|")
                rows.append((country, device, int(clicks), int(shown), int(places) / int(shown)))
            except (ValueError, ZeroDivisionError) as why:
                where = f"{page.day}.log line {number}"
                raise FeedFault("feed-unreadable", f"A line is not of the log's form: {line!r}.", where=where) from why
        country, device, clicks, shown, position = zip(*rows, strict=True) if rows else ((),) * 5
        dims = {"country": country, "device": device, "kind": ["web"] * len(rows)}
        told = {"clicks": clicks, "impressions": shown, "position": position}
        return batch_of(DATASETS[page.grain], page.day, dims, told)


def _revision(path: Path) -> str:
    return blake2b(path.read_bytes(), digest_size=8).hexdigest()
