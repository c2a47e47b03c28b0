"""Readings of ranks against plain loops over what was looked up."""

import random
from collections import defaultdict
from datetime import UTC, date, datetime, timedelta
from itertools import pairwise
from pathlib import Path

import openpyxl
import pyarrow.parquet as pq
import pytest
from tests.kept import copied
from tests.tracking import SITE, Desk, Desked, tracked_site

from noctilum.actions import checks, export_jobs, keywords, portfolio, queue
from noctilum.actions.install import Install, Settings
from noctilum.actions.read import open_for, read
from noctilum.core.curve import reference_rates
from noctilum.core.errors import NotThere
from noctilum.core.found import Feature, Found, Result
from noctilum.core.windows import Window
from noctilum.readings.portfolio import SiteOf, waiting
from noctilum.readings.portfolio_ranks import of_all, of_clients
from noctilum.readings.rank_days import daily_ranks
from noctilum.wire import keywords as wire
from noctilum.wire import operating
from noctilum.wire.catalogue import READINGS
from noctilum.wire.portfolio import RanksAtAGlance

FIRST = datetime(2026, 1, 5, 5, tzinfo=UTC)
DAYS = 66
RIVALS = [f"rival{n}.example" for n in range(7)]
RATES = [0.0, *reference_rates(20).tolist()]


class Truth:
    """What the desk answers: a page for each term and day, some failing."""

    def __init__(self) -> None:
        draw = random.Random(21)
        self.pages: dict[tuple[str, date], Found | None] = {}
        for n in range(DAYS):
            day = (FIRST + timedelta(days=n)).date()
            for term in (f"term {k}" for k in range(9)):
                hosts = draw.sample([*RIVALS, *([SITE] if draw.random() < 0.8 else []), *"abcdefgh"], 12)
                results = tuple(
                    Result(rank, f"https://{host if '.' in host else host + '.example'}/{draw.randrange(2)}")
                    for rank, host in enumerate(hosts, 1)
                )
                features = tuple(
                    Feature(kind, 1, (f"https://{draw.choice((SITE, RIVALS[0]))}/",))
                    for kind in ("video", "snippet")
                    if draw.random() < 0.5
                )
                self.pages[term, day] = None if draw.random() < 0.08 else Found(results, features)

    def rank(self, term: str, day: date, domain: str = SITE) -> int | None:
        page = self.pages[term, day]
        return next((r.rank for r in page.results if r.url.split("/")[2] == domain), None) if page else None


@pytest.fixture(scope="module")
def truth() -> Truth:
    return Truth()


@pytest.fixture
def tracked(truth, tmp_path):
    folder = copied("tracked", lambda to: fill(to / "install", truth), tmp_path / "begun") / "install"
    install = Install(Settings(folder))
    install.prepare()
    yield install
    install.close()


def fill(folder: Path, truth: Truth) -> None:
    """Track nine terms and look them up every day, as the desk answers; the last day nobody answers."""
    install = Install(Settings(folder))
    install.prepare()
    desk = Desk(lambda look, day: truth.pages[look.term, day])
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(checks, "connect", lambda _install, _source: Desked(desk))
        look_up(install, desk)
    install.close()


def look_up(install: Install, desk: Desk) -> None:
    source = tracked_site(install, FIRST, [f"term {k}" for k in range(9)])
    numbers = [each.id for each in keywords.keywords_of(install, SITE)]
    for at, number in enumerate(numbers):
        given = {"weight": 1 + at % 5, "add_tags": ["odd"] if at % 2 else []}
        asked = wire.ChangeKeywords.model_validate({"site": SITE, "numbers": [number], **given})
        keywords.change_many(install, asked, FIRST)
    for n in range(DAYS):
        now = FIRST + timedelta(days=n)
        desk.day = now.date()
        checks.check(install, source, origin="checks", clock=lambda at=now: at, report=lambda _: True)
    last = FIRST + timedelta(days=DAYS)
    truth_last = last.date()
    desk.page = lambda look, day: None
    desk.day = truth_last
    checks.check(install, source, origin="checks", clock=lambda: last, report=lambda _: True)


def ask(install, name, **params):
    question = READINGS[name].question(**params)
    return read(open_for(install, SITE, question, date(2026, 3, 20)), name, question)


def weights(install) -> dict[str, int]:
    return {each.term: each.weight for each in keywords.keywords_of(install, SITE)}


def days_between(first: date, last: date) -> list[date]:
    return [first + timedelta(n) for n in range((last - first).days + 1)]


def latest(truth: Truth, term: str, last: date) -> tuple[bool, int | None]:
    for day in reversed(days_between(last - timedelta(6), last)):
        if truth.pages.get((term, day)):
            return True, truth.rank(term, day)
    return False, None


def test_parts_put_together_are_the_whole_and_a_changed_weight_is_seen_at_once(tracked):
    whole = ask(tracked, "rank-summary")
    parts = ask(tracked, "rank-summary", by="tag").rows
    sites = [
        RanksAtAGlance(
            **{name: getattr(part, name) for name in ("tracked", "now", "before", "moved")},
            currency="EUR", verdict=None, weeks=[], last_day=whole.window.last,
        )
        for part in parts
    ]  # fmt: skip
    rows = [waiting(SiteOf("a", "a", "one", "One"), "", site) for site in sites]
    together = of_all(rows, whole.window.last)
    assert (together.tracked, together.moved) == (whole.tracked, whole.moved)
    for side in ("now", "before"):
        for name, value in getattr(whole, side).model_dump().items():
            assert getattr(getattr(together, side), name) == pytest.approx(value, abs=2e-3), (side, name)
    assert of_all(rows, whole.window.last + timedelta(36)) is None
    (client,) = of_clients(rows, whole.window.last)
    assert (client.sites, client.now) == (len(parts), together.now)
    mixed = [rows[0], rows[1].model_copy(update={"ranks": sites[1].model_copy(update={"currency": "GBP"})})]
    assert (of_all(mixed, whole.window.last).now.value, of_all(mixed, whole.window.last).currency) == (None, "")
    (before,) = portfolio.portfolio(tracked, whole.window.last).rows
    asked = wire.ChangeKeywords.model_validate({"site": SITE, "numbers": [1], "weight": 5})
    keywords.change_many(tracked, asked, FIRST)
    (after,) = portfolio.portfolio(tracked, whole.window.last).rows
    assert before.ranks.now == whole.now
    assert after.ranks.now.weight == sum(weights(tracked).values())
    assert after.ranks.now.weight != before.ranks.now.weight


def test_the_summary_is_what_each_keywords_latest_checks_say(tracked, truth):
    found = ask(tracked, "rank-summary", window="P14D")
    weight = weights(tracked)
    now = {term: latest(truth, term, found.window.last) for term in weight}
    before = {term: latest(truth, term, found.against.last) for term in weight}
    moves = defaultdict(int)
    for term in weight:
        (looked, is_), (was_looked, was) = now[term], before[term]
        if not (looked and was_looked):
            moves["unknown"] += 1
        elif is_ is None:
            moves["absent" if was is None else "lost"] += 1
        else:
            moves["entered" if was is None else "up" if is_ < was else "down" if is_ > was else "same"] += 1
    assert {name: count for name, count in found.moved.model_dump().items() if count} == dict(moves)
    checked = [term for term, (looked, _) in now.items() if looked]
    worth = sum(weight[term] * RATES[now[term][1] or 0] for term in checked)
    assert found.now.visibility == pytest.approx(100 * worth / (RATES[1] * sum(weight[t] for t in checked)), abs=1e-3)
    assert found.now.top3 == sum(1 for term in checked if (now[term][1] or 99) <= 3)
    assert sum(row.tracked for row in found.rows) == 9


def shares(truth: Truth, weight: dict[str, int], first: date, last: date) -> dict[str, float]:
    earned: dict[str, float] = defaultdict(float)
    for term, counts in weight.items():
        for day in days_between(first, last):
            page = truth.pages.get((term, day))
            for domain in {r.url.split("/")[2] for r in page.results} if page else ():
                earned[domain] += counts * RATES[truth.rank(term, day, domain) or 0]
    return {domain: value / sum(earned.values()) for domain, value in earned.items()}


def test_shares_of_voice_are_plain_sums_over_every_result_of_every_day(tracked, truth):
    for params in ({"window": "P21D", "step": "week"}, {"window": "all", "step": "month"}):
        found = ask(tracked, "share-of-voice", limit=1000, **params)
        weight = weights(tracked)
        whole = shares(truth, weight, found.window.first, found.window.last)
        assert {row.domain: row.share for row in found.rows if row.share} == {
            domain: pytest.approx(share, abs=2e-5) for domain, share in whole.items()
        }
        for n, step in enumerate(found.steps):
            part = shares(truth, weight, step.first, step.last)
            assert {row.domain: row.shares[n] for row in found.rows if row.shares[n]} == {
                domain: pytest.approx(share, abs=2e-5) for domain, share in part.items()
            }


def test_a_domain_and_features_are_plain_counts(tracked, truth):
    found = ask(tracked, "domain", domain=RIVALS[0], window="P21D", limit=1000)
    days = days_between(found.window.first, found.window.last)
    for row in found.rows:
        ranks = [rank for day in days if (rank := truth.rank(row.term, day, RIVALS[0]))]
        assert row.rank == pytest.approx(sum(ranks) / len(ranks), abs=0.01)
    shown = ask(tracked, "result-features", window="P21D")
    pages = [page for (term, day), page in truth.pages.items() if page and day in days]
    assert shown.checks == len(pages)
    for row in shown.rows:
        having = [f for page in pages for f in page.features if f.kind == row.feature]
        assert row.present == pytest.approx(len(having) / len(pages), abs=1e-4)
        assert row.owned == pytest.approx(sum(SITE in f.owners[0] for f in having) / len(having), abs=1e-4)


@pytest.mark.parametrize("choice", ["last", "best", "average"])
def test_every_cell_of_a_ladder_is_what_its_weeks_checks_say(tracked, truth, choice):
    found = ask(tracked, "ladder", choice=choice, window="P56D", limit=100)
    for row in found.rows:
        for step, cell in zip(found.steps, row.cells, strict=True):
            looked = [day for day in days_between(step.first, step.last) if truth.pages.get((row.term, day))]
            ranks = [rank for day in looked if (rank := truth.rank(row.term, day))]
            wanted = {
                "last": (truth.rank(row.term, looked[-1]) or 0) if looked else None,
                "best": min(ranks, default=0) if looked else None,
                "average": round(sum(ranks) / len(ranks), 1) if ranks else 0 if looked else None,
            }[choice]
            assert cell == (None if wanted is None else pytest.approx(wanted, abs=0.051))
        every = [rank for day in {d for _, d in truth.pages} if (rank := truth.rank(row.term, day))]
        assert row.best == min(every)


def exported(install, what, form, **where):
    given = operating.AskExport(what=what, by="", format=form, where={k: str(v) for k, v in where.items()})
    job = export_jobs.queue_export(install, SITE, given, FIRST)
    export_jobs.run(install, job, queue.get(install, job).arguments, lambda _: True, FIRST)
    return export_jobs.product(install, job)


def test_a_ladder_in_a_sheet_is_on_the_colours_of_its_bands_and_read_by_others(tracked):
    book = openpyxl.load_workbook(exported(tracked, "ladder", "xlsx"))
    sheet = book.worksheets[0]
    head = [cell.value for cell in sheet[1]]
    days = [n for n, name in enumerate(head) if str(name)[:4] == "2026"]
    assert len(days) >= 8 and sheet.max_row == 10
    rules = [rule for each in sheet.conditional_formatting for rule in each.rules]
    grounds = {rule.dxf.fill.bgColor.rgb[-6:] for rule in rules}
    assert {"1E2A52", "35477D", "5A6CA3"} <= grounds
    table = pq.read_table(exported(tracked, "ladder", "parquet")).to_pylist()
    assert [row["term"] for row in table] == [sheet.cell(n, head.index("term") + 1).value for n in range(2, 11)]


def test_whom_a_feature_leads_to_is_what_plain_loops_say(tracked, truth):
    found = ask(tracked, "feature-owners", feature="Video", window="P21D")
    pages = {
        (term, day): truth.pages.get((term, day))
        for term in weights(tracked)
        for day in days_between(found.window.first, found.window.last)
    }
    led = {
        at: {u.split("/")[2] for f in page.features if f.kind == "video" for u in f.owners}
        for at, page in pages.items()
        if page and any(f.kind == "video" for f in page.features)
    }
    assert found.lookups == len(led)
    assert found.owned == pytest.approx(sum(SITE in each for each in led.values()) / len(led), abs=1e-4)
    assert {row.domain: row.share for row in found.rows} == pytest.approx(
        {d: sum(d in each for each in led.values()) / len(led) for d in (SITE, RIVALS[0])}, abs=1e-4
    )
    shorter = ask(tracked, "feature-owners", feature="Video", window="P14D")
    for reading in (found, shorter, ask(tracked, "share-of-voice")):
        compared = [row for row in reading.rows if row.change is not None]
        assert len(compared) == sum(row.share_before is not None for row in reading.rows)
        gone = [row.share - row.share_before for row in compared]
        assert [row.change for row in compared] == pytest.approx(gone, abs=2e-4)
    for row in found.keywords:
        mine = {day: each for (term, day), each in led.items() if term == row.term}
        looked = sum(1 for (term, _), page in pages.items() if term == row.term and page)
        order = [mine[day] for day in sorted(mine)]
        apart = [1 - len(a & b) / len(a | b) for a, b in pairwise(order)]
        assert row.page in ("/", "")
        assert row.present == pytest.approx(len(mine) / looked, abs=1e-4)
        assert row.owned == pytest.approx(sum(SITE in each for each in mine.values()) / len(mine), abs=1e-4)
        assert row.volatility == pytest.approx(sum(apart) / len(apart), abs=1e-4)
    assert sum(step.checks for step in found.steps) <= found.lookups
    with pytest.raises(NotThere, match="No result page"):
        ask(tracked, "feature-owners", feature="fireworks")


def test_a_keyword_before_and_after_is_the_mean_of_its_days(tracked, truth):
    day = (FIRST + timedelta(days=33)).date()
    before, after = Window(day - timedelta(28), day - timedelta(1)), Window(day + timedelta(1), day + timedelta(28))
    question = READINGS["worked"].question()
    found = daily_ranks(open_for(tracked, SITE, question, date(2026, 3, 20))).moved("term 4", before, after)
    every = [rank for each in truth.pages if (rank := truth.rank(*each)) is not None]
    for window, told in ((before, found.before), (after, found.now)):
        looked = [each for each in days_between(window.first, window.last) if truth.pages["term 4", each]]
        ranks = [truth.rank("term 4", each) or max(every) + 1 for each in looked]
        assert told == pytest.approx(sum(ranks) / len(ranks))
    assert found.verdict is None and found.p is None
