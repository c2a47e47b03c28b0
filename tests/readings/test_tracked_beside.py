"""Tracked ranks beside the provider's averages, on each device, around a shop, and beside features: against loops."""

import random
from collections import defaultdict
from datetime import UTC, date, datetime, timedelta
from statistics import mean, median

import pytest
from scipy.stats import binom
from tests.kept import copied
from tests.tracking import SITE, Desk, Desked, tracked_site

from noctilum.actions import checks, grids
from noctilum.actions.install import Install, Settings
from noctilum.actions.read import open_for, read
from noctilum.core.errors import NotThere
from noctilum.core.found import Feature, Found, Result
from noctilum.core.grid import points
from noctilum.records.models import Source
from noctilum.testing.batches import entry, search_batch
from noctilum.wire.catalogue import READINGS
from noctilum.wire.grids import NewGrid

FIRST = datetime(2026, 1, 5, 5, tzinfo=UTC)
DAYS, TURNS = 70, 60
TERMS = [f"term {n}" for n in range(7)]
DEVICES = ("desktop", "mobile")
RIVALS = [f"rival{n}.example" for n in range(5)]
DEPTH = 20
GRID_TERM, SIZE = "term 0", 3
LATITUDE, LONGITUDE = 52.2, -1.4


class Truth:
    """What every lookup finds on every day, and what the search engine says it showed; the same in every run."""

    def __init__(self) -> None:
        self.pages: dict[tuple[str, str, str, date], Found | None] = {}
        self.shown: dict[tuple[str, str, date], tuple[int, int, int]] = {}
        for n in range(DAYS):
            day = (FIRST + timedelta(days=n)).date()
            for term in TERMS:
                for device in DEVICES:
                    page = self.pages[term, device, "", day] = self.page(term, device, "", day)
                    draw = random.Random(f"shown {term} {device} {day}")
                    if draw.random() < 0.9:
                        self.shown[term, device, day] = self.searched(draw, page)

    @staticmethod
    def page(term: str, device: str, place: str, day: date) -> Found | None:
        """A page of results, some failing; term 5's has a video from a day on, term 6's has lost it."""
        draw = random.Random(f"page {term} {device} {place} {day}")
        hosts = draw.sample([*RIVALS, *(f"other{k}.example" for k in range(30))], DEPTH)
        if draw.random() < 0.9:
            hosts[draw.randrange(3 if device == "desktop" else 9)] = SITE
        kinds = ["snippet"] if draw.random() < 0.5 else []
        since = day >= (FIRST + timedelta(days=TURNS)).date()
        if (term == "term 5" and since) or (term == "term 6" and not since):
            kinds.append("video")
        results = tuple(Result(k, f"https://{host}/{draw.randrange(2)}") for k, host in enumerate(hosts, 1))
        owners = (f"https://{draw.choice((SITE, RIVALS[0]))}/",)
        page = Found(results, tuple(Feature(kind, 1, owners) for kind in kinds))
        return None if draw.random() < 0.06 else page

    def searched(self, draw: random.Random, page: Found | None) -> tuple[int, int, int]:
        """Clicks, impressions and places added up; a snippet takes half of the clicks."""
        shown = draw.randrange(4, 400)
        place = max(1, (self.rank_on(page) or 12) + draw.choice((-2, -1, 0, 0, 0, 1, 2)))
        rate = 0.3 / place * (0.5 if page and any(f.kind == "snippet" for f in page.features) else 1.0)
        return sum(draw.random() < rate for _ in range(shown)), shown, place * shown

    @staticmethod
    def rank_on(page: Found | None, domain: str = SITE) -> int | None:
        """Where a domain stands on a page."""
        return next((r.rank for r in page.results if r.url.split("/")[2] == domain), None) if page else None


@pytest.fixture(scope="module")
def truth() -> Truth:
    return Truth()


@pytest.fixture(scope="module")
def tracked(truth, tmp_path_factory):
    begun = tmp_path_factory.mktemp("beside") / "begun"
    folder = copied("tracked-beside", lambda to: fill(to / "install", truth), begun) / "install"
    install = Install(Settings(folder))
    install.prepare()
    yield install
    install.close()


def fill(folder, truth: Truth) -> None:
    """Look everything up every day, and the points around the shop every week."""
    install = Install(Settings(folder))
    install.prepare()
    desk = Desk(lambda look, day: truth.page(look.term, look.device, look.place, day))
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(checks, "connect", lambda _install, _source: Desked(desk))
        source = tracked_site(install, FIRST, TERMS, devices=list(DEVICES))
        where = {"latitude": LATITUDE, "longitude": LONGITUDE, "spacing": 1.0, "size": SIZE, "interval": "weekly"}
        grids.added(install, NewGrid.model_validate({"site": SITE, "label": "Shop", "term": GRID_TERM, **where}), FIRST)
        for n in range(DAYS):
            now = FIRST + timedelta(days=n)
            desk.day = now.date()
            checks.check(install, source, origin="checks", clock=lambda at=now: at, report=lambda _: True)
    put_searched(install, truth)
    install.close()


def put_searched(install: Install, truth: Truth) -> None:
    with install.records.begin() as db:
        found = Source(
            site_id=1, kind="search", connector="open-feed", label="Search", url="http://feed", account="",
            sealed_secret=install.seal("ink"), property="search", engine="Quillon", time_zone="UTC",
            settings={}, created_at=FIRST,
        )  # fmt: skip
        db.add(found)
        db.flush()
        number = found.id
    entries = []
    for day in {day for *_, day in truth.shown}:
        rows = [(term, device, *sums) for (term, device, on), sums in truth.shown.items() if on == day]
        dims = {
            "query": [row[0] for row in rows],
            "country": ["GB"] * len(rows),
            "device": [row[1] for row in rows],
            "kind": ["web"] * len(rows),
        }
        places = [row[4] / row[3] for row in rows]
        entries.append(
            entry(search_batch("query", day, dims, [row[2] for row in rows], [row[3] for row in rows], places))
        )
    install.history(1, create=True).put_days(number, entries)


def ask(install, name, **params):
    question = READINGS[name].question(**params)
    return read(open_for(install, SITE, question, date(2026, 3, 20)), name, question)


def days_of(window) -> list[date]:
    return [window.first + timedelta(n) for n in range((window.last - window.first).days + 1)]


def compared(truth, window, term, device):
    """Pairs of (rank, average, impressions) of the days that have both."""
    pairs = []
    for day in days_of(window):
        rank = truth.rank_on(truth.pages.get((term, device, "", day)))
        if rank and (term, device, day) in truth.shown:
            _, shown, places = truth.shown[term, device, day]
            pairs.append((rank, places / shown, shown))
    return pairs


@pytest.mark.parametrize("window", ["P14D", "P42D"])
def test_ranks_beside_averages_are_counted_day_by_day(tracked, truth, window):
    found = ask(tracked, "cross-check", window=window, limit=100)
    assert found.matching == len(found.rows) == len(TERMS) * len(DEVICES)
    for row in found.rows:
        pairs = compared(truth, found.window, row.term, row.device)
        apart = [rank - average for rank, average, _ in pairs]
        counted = row.counted
        assert counted.days == len(pairs)
        assert counted.agree == sum(abs(each) <= 1.5 for each in apart)
        assert counted.tracked_better == sum(each < -1.5 for each in apart)
        assert counted.average_better == sum(each > 1.5 for each in apart)
        assert row.tracked == pytest.approx(mean(rank for rank, _, _ in pairs), abs=1e-3)
        assert row.average == pytest.approx(mean(average for _, average, _ in pairs), abs=1e-3)
        assert row.apart == pytest.approx(mean(apart), abs=1e-3)
        assert row.impressions == sum(shown for _, _, shown in pairs)
        few = any(abs(rank - average) > 1.5 and shown < 10 for rank, average, shown in pairs)
        assert ("few" in row.hints) is few
    off = [row.counted.days - row.counted.agree for row in found.rows]
    assert off == sorted(off, reverse=True)
    assert found.counted.days == sum(row.counted.days for row in found.rows)
    assert found.counted.agree + found.counted.tracked_better + found.counted.average_better == found.counted.days


def strata_of(truth, window):
    """Clicks and impressions with and without a snippet: by term on a device, nearest place, and weekend or not."""
    strata = defaultdict(lambda: [0, 0, 0, 0])
    for term in TERMS:
        for device in DEVICES:
            for day in days_of(window):
                page = truth.pages.get((term, device, "", day))
                if page is None or (term, device, day) not in truth.shown:
                    continue
                clicks, shown, places = truth.shown[term, device, day]
                at = 0 if any(each.kind == "snippet" for each in page.features) else 2
                cell = strata[term, device, round(places / shown), day.weekday() >= 5]
                cell[at] += clicks
                cell[at + 1] += shown
    return strata


def test_what_a_feature_does_is_the_ratio_at_equal_places(tracked, truth):
    found = ask(tracked, "feature-effect", feature="snippet", window="P63D")
    both = {key: cell for key, cell in strata_of(truth, found.window).items() if cell[1] and cell[3]}
    above = sum(c1 * n0 / (n1 + n0) for c1, n1, c0, n0 in both.values())
    below = sum(c0 * n1 / (n1 + n0) for c1, n1, c0, n0 in both.values())
    assert found.ratio == pytest.approx(above / below)
    assert (found.strata, found.clicks) == (len(both), sum(cell[0] + cell[2] for cell in both.values()))
    assert found.queries == len({key[:2] for key in both})
    assert found.verdict == "lower"
    assert found.low < 0.5 < found.high or abs(found.ratio - 0.5) < 0.1
    nothing = ask(tracked, "feature-effect", feature="fireworks", window="P63D")
    assert (nothing.verdict, nothing.ratio, nothing.days_with) == ("too few to tell", None, 0)


def test_devices_side_by_side_are_the_latest_checks(tracked, truth):
    found = ask(tracked, "device-ranks", window="P28D", limit=100)
    last = found.window.last
    wanted = {}
    for term in TERMS:
        latest = {}
        for device in DEVICES:
            week = (truth.pages.get((term, device, "", last - timedelta(n))) for n in range(7))
            page = next((page for page in week if page), None)
            latest[device] = page and (truth.rank_on(page) or 0)
        wanted[term] = latest
    told = {row.term: {"desktop": row.desktop, "mobile": row.mobile} for row in found.rows if not row.place}
    assert told == wanted
    gaps = [each["mobile"] - each["desktop"] for each in wanted.values() if each["mobile"] and each["desktop"]]
    assert (found.both, found.lower) == (len(gaps), sum(gap > 0 for gap in gaps))
    assert found.behind == pytest.approx(median(gaps))
    enough = len(gaps) >= 5 and sum(gap > 0 for gap in gaps) >= 0.8 * len(gaps)
    assert found.far is (enough and median(gaps) >= 2)
    behind = [row.behind for row in found.rows if row.behind is not None]
    assert behind == sorted(behind, reverse=True)


def test_a_grid_is_what_its_points_last_answered(tracked, truth):
    found = ask(tracked, "local-grid", window="P28D", against="before")
    last = found.window.last
    places = {(each.row, each.column): each.place for each in points(LATITUDE, LONGITUDE, 1.0, SIZE)}
    pages = {}
    for row in found.rows:
        assert row.checked is (row.day is not None)
        if row.checked:
            assert last - timedelta(6) <= row.day <= last
            page = pages[row.down, row.across] = truth.page(GRID_TERM, "mobile", places[row.down, row.across], row.day)
            assert row.rank == truth.rank_on(page)
            assert row.top == [each.url.split("/")[2] for each in page.results[:3]]
    assert len(found.rows) == SIZE**2 and len(pages) >= 6
    own = {at: truth.rank_on(page) for at, page in pages.items()}
    counted = [rank or DEPTH + 1 for rank in own.values()]
    assert found.now.points == len(pages)
    assert found.now.mean == pytest.approx(mean(counted), abs=1e-3)
    assert found.now.top3 == pytest.approx(sum(rank <= 3 for rank in counted) / len(counted), abs=1e-4)
    north = [rank or DEPTH + 1 for (down, _), rank in own.items() if down == 0]
    assert found.north == (pytest.approx(mean(north), abs=1e-3) if north else None)
    for rival in found.rivals:
        at = [truth.rank_on(page, rival.domain) for page in pages.values()]
        assert rival.won == sum(rank == 1 for rank in at)
        assert rival.mean == pytest.approx(mean(rank or DEPTH + 1 for rank in at), abs=1e-3)
    with pytest.raises(NotThere, match="no local grid 9"):
        ask(tracked, "local-grid", number=9)


def test_a_feature_that_came_and_one_that_left_are_told_with_their_day(tracked, truth):
    found = ask(tracked, "feature-turns", feature="video", window="P28D", limit=100)
    turned = (FIRST + timedelta(days=TURNS)).date()
    assert found.looked_at == len(TERMS) * len(DEVICES)
    told = {(row.term, row.device): row for row in found.rows}
    assert set(told) == {(term, device) for term in ("term 5", "term 6") for device in DEVICES}
    for (term, device), row in told.items():
        asked = [(FIRST + timedelta(days=n)).date() for n in range(DAYS)]
        looked = [day for day in asked if day <= found.window.last and truth.pages[term, device, "", day]]
        assert row.turned == ("came" if term == "term 5" else "left")
        assert row.since == min(day for day in looked if day >= turned)
        since = [day for day in looked if day >= row.since]
        assert row.lookups == len(since)
        assert (row.before, row.now) == ((0, 1) if term == "term 5" else (1, 0))
        before = len(looked) - len(since)
        usual = 0.5 / (min(56, before) + 1)
        places = sum(day >= found.window.first for day in looked) - 2
        assert row.chance == pytest.approx(places * binom.sf(len(since) - 1, len(since), usual), rel=1e-6)
    quiet = ask(tracked, "feature-turns", feature="snippet", window="P28D")
    assert quiet.rows == []
