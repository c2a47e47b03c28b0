"""The four sides: this store, SQLite rows with a clustered key, DuckDB, polars over Parquet."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterable
from datetime import date, timedelta
from pathlib import Path
from typing import Any

from bench.questions import LAST, Answer, Ask

from noctilum.core.batch import DayBatch


class Store:
    """This store."""

    name = "noctilum"

    def __init__(self, folder: Path) -> None:
        from noctilum.history import AnswerCache, History

        self.path = folder / "noctilum" / "site.db"
        self.history = History(self.path, create=not self.path.exists(), answers=AnswerCache(0))

    def write(self, batches: list[DayBatch]) -> None:
        """Put month by month, as an import does."""
        from itertools import groupby

        from noctilum.core.days import DayState
        from noctilum.history import DayEntry

        for _, month in groupby(batches, key=lambda b: (b.day.year, b.day.month)):
            self.history.put_days(1, [DayEntry(b.dataset, b.day, DayState.FINAL, "1", b, "", "bench") for b in month])

    def close(self) -> None:
        """Let go of the file."""
        self.history.close()

    def ask(self, asked: Ask) -> Answer:
        """Answer a question."""
        import numpy as np

        from noctilum.core.table import side_by_side
        from noctilum.history import Question

        where: dict[str, tuple[int, ...]] = {}
        if asked.query is not None:
            number = self.history.term_id("query", asked.query)
            where = {"query": (-1 if number is None else number,)}
        for name, text in asked.where:
            number = self.history.term_id(name, text)
            where[name] = (-1 if number is None else number,)
        if asked.contains is not None:
            where["query"] = self.history.find_terms("query", asked.contains)
        found = self.history.read(Question(asked.grain, asked.first, LAST, (asked.by,), where))
        clicks = found.clicks
        if asked.against:
            shift = timedelta(asked.days)
            before = self.history.read(Question(asked.grain, asked.first - shift, LAST - shift, (asked.by,)))
            both = side_by_side(found, before)
            found, clicks = both.now, both.now.clicks - both.before.clicks
        rank = clicks if asked.against else -clicks
        if asked.top is not None and len(found) > asked.top:
            edge = np.partition(rank, asked.top - 1)[asked.top - 1]
            keep = rank <= edge
            found, clicks = found.taken(keep), clicks[keep]
        ids = found.keys[0].tolist()
        keys = (
            [date.fromordinal(i).isoformat() for i in ids] if asked.by == "day" else self.history.texts(asked.by, ids)
        )
        columns = (keys, clicks.tolist(), found.impressions.tolist(), (found.position_milli // 1000).tolist())
        return ordered(zip(*columns, strict=True), asked)


class SqlSide:
    """What the three SQL sides share: one statement a question."""

    def rows(self, statement: str) -> Iterable[tuple[Any, ...]]:
        """Run a statement."""
        raise NotImplementedError

    def ask(self, asked: Ask) -> Answer:
        """Answer a question."""
        return ordered(((str(k), int(c), int(i), int(p)) for k, c, i, p in self.rows(self.statement(asked))), asked)

    def statement(self, asked: Ask) -> str:
        """Write the statement, with one more than top so that ties at the edge are told."""
        narrowed = f" and query = '{asked.query}'" if asked.query else ""
        narrowed += "".join(f" and {name} = '{text}'" for name, text in asked.where)
        if asked.contains is not None:
            narrowed += f" and contains(query, '{asked.contains}')"
        sums = "sum(clicks) c, sum(impressions) i, sum(position_sum) p"
        if not asked.against:
            window = f"day between '{asked.first}' and '{LAST}'{narrowed}"
            base = f"select {asked.by} k, {sums} from {asked.grain} where {window} group by 1"
            return f"{base} order by c desc, k limit {asked.top}" if asked.top else base
        start, shift = asked.first - timedelta(asked.days), f"day >= '{asked.first}'"
        parts = ", ".join(
            f"sum(case when {shift} then {m} else {other} end) {name}"
            for m, other, name in (("clicks", "-clicks", "c"), ("impressions", "0", "i"), ("position_sum", "0", "p"))
        )
        window = f"day between '{start}' and '{LAST}'"
        return (
            f"select {asked.by} k, {parts} from {asked.grain} where {window} group by 1 order by c, k limit {asked.top}"
        )


class SqliteRows(SqlSide):
    """Rows in SQLite: texts as ids, clustered by day and query."""

    name = "sqlite rows"

    def __init__(self, folder: Path) -> None:
        self.path = folder / "sqlite" / "rows.db"
        self.path.parent.mkdir(parents=True, exist_ok=True)
        self.db = sqlite3.connect(self.path)

    def write(self, batches: list[DayBatch]) -> None:
        """Insert day by day."""
        self.db.executescript(
            """pragma journal_mode=wal; pragma synchronous=normal;
            create table if not exists term(id integer primary key, text text unique);"""
        )
        dims = _dims(batches)
        self.db.execute(
            f"create table {batches[0].dataset}(day text, {', '.join(f'{name} int' for name in dims)}, clicks int,"
            f" impressions int, position_sum int, primary key (day, {', '.join(dims)})) without rowid"
        )
        ids: dict[str, int] = dict(self.db.execute("select text, id from term"))
        known = len(ids)
        for batch in batches:
            columns = []
            for name in dims:
                coded = batch.dims[name]
                numbers = [ids.setdefault(f"{name}:{t}", len(ids)) for t in coded.texts]
                columns.append([numbers[c] for c in coded.codes.tolist()])
            measures = [column.tolist() for column in batch.values.values()]
            rows = zip([batch.day.isoformat()] * len(batch), *columns, *measures, strict=True)
            marks = ",".join("?" * (len(dims) + 4))
            self.db.executemany(f"insert into {batch.dataset} values ({marks})", rows)
        self.db.executemany("insert into term values (?,?)", ((n, key) for key, n in ids.items() if n >= known))
        self.db.commit()

    def close(self) -> None:
        """Let go of the file."""
        self.db.close()

    def statement(self, asked: Ask) -> str:
        """Group by id and join the names of the few rows that are left."""
        inner = super().statement(asked)
        for name, text in asked.where:
            inner = inner.replace(f"{name} = '{text}'", f"{name} = (select id from term where text = '{name}:{text}')")
        if asked.contains is not None:
            matching = f"select id from term where text like 'query:%' and instr(text, '{asked.contains}') > 6"
            inner = inner.replace(f"contains(query, '{asked.contains}')", f"query in ({matching})")
        if asked.query:
            inner = inner.replace(
                f"query = '{asked.query}'", f"query = (select id from term where text = 'query:{asked.query}')"
            )
        if asked.by == "day":
            return inner
        # The names decide ties, so the edge is fetched with room to spare and cut after.
        inner = inner.replace("order by c desc, k limit 50", "order by c desc limit 200").replace(
            "order by c, k limit 50", "order by c limit 200"
        )
        return f"select substr(t.text, {len(asked.by) + 2}), c, i, p from ({inner}) f join term t on t.id = f.k"

    def rows(self, statement: str) -> Iterable[tuple[Any, ...]]:
        """Run a statement."""
        return self.db.execute(statement)


class Duck(SqlSide):
    """An embedded column database."""

    name = "duckdb"

    def __init__(self, folder: Path) -> None:
        import duckdb

        path = folder / "duckdb" / "rows.duckdb"
        path.parent.mkdir(parents=True, exist_ok=True)
        self.db = duckdb.connect(str(path))

    def write(self, batches: list[DayBatch]) -> None:
        """Insert month by month from Arrow, which is its fast way in."""
        grain = batches[0].dataset
        texts = ", ".join(f"{name} varchar" for name in _dims(batches))
        self.db.execute(f"create table {grain}(day date, {texts}, clicks int, impressions int, position_sum bigint)")
        for table in arrow_months(batches):
            self.db.register("month", table)
            self.db.execute(f"insert into {grain} select * from month")
            self.db.unregister("month")
        self.db.execute("checkpoint")

    def close(self) -> None:
        """Let go of the file."""
        self.db.close()

    def rows(self, statement: str) -> Iterable[tuple[Any, ...]]:
        """Run a statement."""
        return self.db.execute(statement).fetchall()


class Polars(SqlSide):
    """A data frame library over Parquet, one file a month."""

    name = "polars"

    def __init__(self, folder: Path) -> None:
        import polars

        self.folder = folder / "parquet"
        self.folder.mkdir(parents=True, exist_ok=True)
        self.pl = polars

    def write(self, batches: list[DayBatch]) -> None:
        """Write a file a month."""
        import pyarrow.parquet as pq

        for n, table in enumerate(arrow_months(batches)):
            pq.write_table(table, self.folder / f"{batches[0].dataset}-{n:03}.parquet", compression="zstd")

    def close(self) -> None:
        """Nothing is open."""

    def ask(self, asked: Ask) -> Answer:
        """Answer a question lazily, so that only what is needed is read."""
        pl = self.pl
        start = asked.first - timedelta(asked.days if asked.against else 0)
        frame = pl.scan_parquet(self.folder / f"{asked.grain}-*.parquet").filter(pl.col("day").is_between(start, LAST))
        if asked.query:
            frame = frame.filter(pl.col("query") == asked.query)
        for name, text in asked.where:
            frame = frame.filter(pl.col(name) == text)
        if asked.contains is not None:
            frame = frame.filter(pl.col("query").str.contains(asked.contains, literal=True))
        now = pl.col("day") >= asked.first
        parts = [pl.col(m).filter(now).sum().alias(m) for m in ("clicks", "impressions", "position_sum")]
        if asked.against:
            parts[0] = (pl.col("clicks").filter(now).sum() - pl.col("clicks").filter(~now).sum()).alias("clicks")
        frame = frame.group_by(asked.by).agg(parts)
        if asked.top:
            frame = frame.sort(["clicks", asked.by], descending=[not asked.against, False]).head(asked.top)
        return ordered(((str(k), int(c), int(i), int(p)) for k, c, i, p in frame.collect().rows()), asked)


def _dims(batches: list[DayBatch]) -> tuple[str, ...]:
    """Name the columns of a grain that tell rows apart; there is one search kind only."""
    return tuple(name for name in batches[0].dims if name != "kind")


def arrow_months(batches: list[DayBatch]) -> Iterable[Any]:
    """Give Arrow tables of a month each, texts dictionary-coded."""
    from itertools import groupby

    import pyarrow as pa

    for _, month in groupby(batches, key=lambda b: (b.day.year, b.day.month)):
        parts = []
        texts: dict[int, Any] = {}
        for b in month:
            columns: dict[str, Any] = {"day": pa.array([b.day] * len(b), pa.date32())}
            for name in _dims(batches):
                coded = b.dims[name]
                if id(coded.texts) not in texts:
                    texts[id(coded.texts)] = pa.array(coded.texts)
                columns[name] = texts[id(coded.texts)].take(pa.array(coded.codes))
            columns |= {
                "clicks": pa.array(b.values["clicks"], pa.int32()),
                "impressions": pa.array(b.values["impressions"], pa.int32()),
                "position_sum": pa.array(b.values["position_sum"], pa.int64()),
            }
            parts.append(pa.table(columns))
        yield pa.concat_tables(parts).combine_chunks()


def ordered(rows: Iterable[tuple[str, int, int, int]], asked: Ask) -> Answer:
    """Order rows best first, ties by key, and keep the top."""
    sign = 1 if asked.against else -1
    return sorted(rows, key=lambda row: (sign * row[1], row[0]))[: asked.top]


ENGINES = {e.name: e for e in (Store, SqliteRows, Duck, Polars)}
