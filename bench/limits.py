"""Say for each question of the large bench how many bytes must be read and decoded, and what that alone takes.

The limit is the time to take exactly those columns out of their frames on one core, nothing else done. Half of it is
what two cores could do at best. Prints a table, and writes bench/limits.json.
"""

from __future__ import annotations

import json
import sys
import time
from dataclasses import replace
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).parents[1]))

from bench.engines import Store
from bench.questions import LAST, QUESTIONS, Ask
from sqlalchemy import select

from noctilum.datasets import DATASETS
from noctilum.datasets.declaring import Dataset
from noctilum.history import Question, codec, long_rollups, scan, schema
from noctilum.history import segments as seg
from noctilum.history.rows import MEASURES

HERE = Path(__file__).parent


def main() -> None:
    """Measure every question."""
    folder = HERE / ".data-large"
    written = json.loads((folder / "written.json").read_text())
    side = Store(folder)
    figures = {}
    print(f"{'':42}{'MB read':>9}{'MB decoded':>12}{'limit ms':>10}{'ours ms':>9}{'×':>6}")
    for name, question in QUESTIONS.items():
        where = tuple((n, written["page"] if t == "?" else t) for n, t in question.where)
        asked = replace(question, where=where, query=written["query"] if question.query else None)
        read, decoded, limit = _limit(side, asked)
        ours = _ours(side, asked)
        figures[name] = {"read_mb": read, "decoded_mb": decoded, "limit_ms": limit, "ours_ms": ours}
        print(f"{name:42}{read:>9.1f}{decoded:>12.1f}{limit:>10.1f}{ours:>9.1f}{ours / limit:>6.1f}", flush=True)
    (HERE / "limits.json").write_text(json.dumps(figures, indent=1) + "\n")
    side.close()


def _ours(side: Store, asked: Ask) -> float:
    times = []
    for _ in range(3):
        began = time.perf_counter()
        side.ask(asked)
        times.append((time.perf_counter() - began) * 1e3)
    return min(times)


def _limit(side: Store, asked: Ask) -> tuple[float, float, float]:
    """Give (MB read, MB decoded, milliseconds to decode) of the frames a question needs."""
    packets = [packet for question in _questions(side, asked) for packet in _packets(side, question)]
    frames = [frame for packet, places in packets for frame in codec.unpack(packet, places).values()]
    began = time.perf_counter()
    decoded = sum(_decoded(frame) for frame in frames)
    took = (time.perf_counter() - began) * 1e3
    return sum(len(frame) for frame in frames) / 1e6, decoded / 1e6, took


def _decoded(frame: Any) -> int:
    try:
        return codec.decode_narrow(frame)[0].nbytes
    except Exception:
        return sum(part.nbytes for part in codec.decode_runs(frame))


def _questions(side: Store, asked: Ask) -> list[Question]:
    where = {name: (side.history.term_id(name, text) or 0,) for name, text in asked.where}
    if asked.query:
        where["query"] = (side.history.term_id("query", asked.query) or 0,)
    if asked.contains:
        where["query"] = side.history.find_terms("query", asked.contains)
    found = [Question(asked.grain, asked.first, LAST, (asked.by,), where)]
    if asked.against:
        shift = LAST - asked.first
        found.append(Question(asked.grain, asked.first - shift, LAST - shift, (asked.by,), where))
    return found


def _packets(side: Store, question: Question) -> list[tuple[bytes, dict[str, int]]]:
    first, last = question.first.toordinal(), question.last.toordinal()
    with side.history._reading() as db:
        kept = DATASETS[question.dataset]
        found = seg.find(db, kept.name, None, first, last)
        name = scan._rollup_for(kept, question)
        whole = [s for s in found if name and s.level == seg.MONTH and first <= s.first_day and s.last_day <= last]
        packets = _rolled(db, kept, name, whole) if name and whole else []
        cut = [s for s in found if s not in whole]
        return packets + _blocks(db, kept, question, cut)


def _rolled(db: Any, kept: Dataset, name: str, months: list[seg.Segment]) -> list[tuple[bytes, dict[str, int]]]:
    places = {key: n for n, key in enumerate((*kept.rollups[name], *MEASURES))}
    chosen = long_rollups.find(db, kept, name, months) if name in long_rollups.spanned(kept) else []
    rest = [s.id for s in months if not any(long_rollups.covers(span, s) for span in chosen)]
    r, s = schema.rollup, schema.span
    rolled = db.execute(select(r.c.data).where(r.c.segment_id.in_(rest), r.c.name == name)).scalars()
    spanned = db.execute(select(s.c.data).where(s.c.id.in_([span.id for span in chosen]))).scalars()
    return [(data, places) for data in (*rolled, *spanned)]


def _blocks(db: Any, kept: Dataset, question: Question, found: list[seg.Segment]) -> list[tuple[bytes, dict[str, int]]]:
    order = seg.column_order(kept)
    needed = {*question.by, *question.where, *MEASURES, "day"}
    places = {name: order.index(name) for name in needed}
    t = schema.block
    asked = select(t.c.data).where(t.c.segment_id.in_([s.id for s in found]))
    if keys := question.where.get(kept.dims[0]):
        asked = asked.where(t.c.key_min <= max(keys), t.c.key_max >= min(keys))
    return [(data, places) for data in db.execute(asked).scalars()]


if __name__ == "__main__":
    main()
