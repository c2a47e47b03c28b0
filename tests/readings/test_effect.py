"""What came of a dated note, on sites whose season and truth are known."""

from contextlib import closing
from datetime import date, timedelta
from math import cos, pi

import numpy as np
import pytest
from bench.notes import share_judged, share_learnt
from tests.readings.oracle import SITE

from noctilum.core.batch import Coded
from noctilum.core.days import DayState
from noctilum.core.windows import Window
from noctilum.history import DayEntry, History, Question
from noctilum.readings.around_sums import ReadByDay, ReadByWindow
from noctilum.readings.effect import Happened, around, effect
from noctilum.readings.frame import Asked, frame
from noctilum.readings.holding import holding
from noctilum.readings.narrow import Words
from noctilum.testing.batches import search_day
from noctilum.wire.noted import NoteOut
from noctilum.words import tell
from noctilum.words.tell import told

FIRST = date(2024, 1, 1)
PAGES = ("/a", "/b")


def season(day: date) -> float:
    """A summer three times as strong as the winter."""
    return 1.0 - 0.5 * cos(2 * pi * (day - date(day.year, 1, 20)).days / 365.25)


def make(folder, days, moved=lambda _page, _day: 1.0, mean=60.0, seed=5, steady=False, lost=(), pages=PAGES):
    """A site of two pages, or more, with twice the noise of counts; moved multiplies a page's clicks on a day."""
    rng = np.random.default_rng(seed)
    history = History(folder / "1.db", create=True)
    entries = []
    for day in (FIRST + timedelta(n) for n in range(days)):
        if day in lost:
            continue
        expected = np.array([mean * (1.0 if steady else season(day)) * moved(page, day) for page in pages])
        clicks = rng.negative_binomial(np.maximum(expected, 0.01), 0.5)
        entries += [_entry("page", day, {"page": Coded.of(list(pages))}, clicks), _entry("site", day, {}, clicks.sum())]
    history.put_days(1, entries)
    return history


def _entry(grain, day, dims, clicks):
    clicks = np.atleast_1d(np.asarray(clicks, dtype=np.int64))
    small = {name: Coded.of([text] * clicks.size) for name, text in (("country", "NO"), ("device", "mobile"))}
    kinds = {"kind": Coded.of(["web"] * clicks.size)}
    batch = search_day(grain, day, dims | small | kinds, clicks, clicks * 10 + 50, (clicks * 10 + 50) * 4)
    return DayEntry(grain, day, DayState.FINAL, "1", batch, "2026-03-20T09:00:00+00:00", "test")


def note(day, page=None):
    return NoteOut(
        id=1, first=day, last=day, kind="content", text="Rewritten", site=SITE, page=page,
        client="skerry-ferries", set=None, origin="typed",
    )  # fmt: skip


SPRING = date(2025, 4, 20)


def test_a_rising_season_is_not_taken_for_what_a_note_did(tmp_path):
    with closing(make(tmp_path, 700)) as history:
        found = effect(holding(history, (1,)), SITE, note(SPRING), ())
    assert found.change.clicks_ratio > 0.15
    assert (found.verdict, found.beside) == ("no clear change", "a year before")
    assert found.expected == pytest.approx(found.before.clicks * found.rest_now / found.rest_before, abs=0.001)
    assert "a year before" in told(found, "en", tell.note_effect).sentences[1].text


@pytest.mark.parametrize(("times", "verdict"), [(0.6, "worse"), (1.5, "better")])
def test_what_a_note_did_is_found_beside_the_season(tmp_path, times, verdict):
    with closing(make(tmp_path, 700, lambda _page, day: times if day > SPRING else 1.0)) as history:
        found = effect(holding(history, (1,)), SITE, note(SPRING), ())
    assert (found.verdict, found.beside) == (verdict, "a year before")
    assert found.moved == pytest.approx(times - 1, abs=0.15)


def test_without_a_year_before_the_season_is_said_not_to_be_taken_out(tmp_path):
    with closing(make(tmp_path, 300)) as history:
        found = effect(holding(history, (1,)), SITE, note(date(2024, 4, 20)), ())
    assert (found.beside, found.rest_now) == (None, None)
    assert "The season is not taken out" in told(found, "en", tell.note_effect).sentences[-1].text


def test_a_page_is_set_beside_the_rest_of_the_site(tmp_path):
    with closing(make(tmp_path, 700, lambda page, day: 0.6 if page == "/a" and day > SPRING else 1.0)) as history:
        held = holding(history, (1,))
        fell, other = (effect(held, SITE, note(SPRING, page), ()) for page in PAGES)
        whole = effect(held, SITE, note(SPRING), ())
    assert (fell.verdict, fell.beside) == ("worse", "rest of the site")
    assert fell.rest_now == other.now.clicks and fell.rest_before == other.before.clicks
    assert whole.now.clicks == fell.now.clicks + other.now.clicks


def test_where_nothing_happened_few_notes_are_said_to_have_done_something(tmp_path):
    with closing(make(tmp_path, 1000, mean=40.0)) as history:
        held = holding(history, (1,))
        found = [effect(held, SITE, note(FIRST + timedelta(430 + 9 * n)), ()) for n in range(58)]
    assert {each.beside for each in found} <= {"a year before", "earlier years"}
    assert sum(each.verdict != "no clear change" for each in found) <= 6


def test_a_page_with_a_season_of_its_own_is_read_net_of_it(tmp_path):
    """Every spring page /a falls by 40% where the rest of the site rises; one year tells it, and a true loss stays."""

    def its_own(page, day, extra=1.0):
        fallen = page == "/a" and (4, 20) < (day.month, day.day) < (6, 1)
        return (0.6 if fallen else 1.0) * (extra if page == "/a" and day > SPRING else 1.0)

    (tmp_path / "quiet").mkdir()
    with closing(make(tmp_path / "quiet", 700, its_own, mean=200.0)) as history:
        found = effect(holding(history, (1,)), SITE, note(SPRING, "/a"), ())
    assert found.change.clicks_ratio < 0
    assert (found.verdict, found.years, found.beside) == ("no clear change", 1, "rest of the site")
    assert found.expected == pytest.approx(
        found.before.clicks * found.rest_now / found.rest_before * (1 + found.own_season), abs=0.01
    )
    assert "In earlier years it moved −" in told(found, "en", tell.note_effect).sentences[-1].text
    (tmp_path / "lost").mkdir()
    with closing(make(tmp_path / "lost", 700, lambda p, d: its_own(p, d, 0.5), mean=200.0)) as history:
        assert effect(holding(history, (1,)), SITE, note(SPRING, "/a"), ()).verdict == "worse"


@pytest.mark.parametrize(("years", "size"), [(1, 400), (2, 1500)])
def test_quiet_notes_on_pages_with_seasons_of_their_own_are_rarely_news(years, size):
    assert share_judged("own", size, 0, 0.0) < 0.06
    assert share_judged("own", size, years, 0.0) < 0.06
    assert share_judged("own", size, years, 0.3) > 0.6


@pytest.mark.parametrize("span", [4, 12])
@pytest.mark.parametrize("years", [0, 1, 3])
def test_work_that_did_nothing_is_rarely_called_better_or_worse(span, years):
    """Read after 28 and 84 days; a gain of 15% is found after 84 in three of five cases where two years are held."""
    assert all(share_judged(shape, 1000, years, 0.0, span=span) <= 0.05 for shape in ("none", "shared", "own"))
    if years == 3 and span == 12:
        assert share_judged("own", 1000, years, -0.15, span=span) > 0.6


@pytest.mark.parametrize("shape", ["shared", "own"])
@pytest.mark.parametrize("years", [0, 2])
def test_beside_pages_like_it_work_that_did_nothing_is_rarely_called_better_or_worse(shape, years):
    assert share_learnt((shape, years, 0.0, 4, 250)) <= 0.05 + 2 * (0.05 * 0.95 / 250) ** 0.5


def test_pages_that_move_alike_let_a_gain_be_found_without_an_earlier_year():
    assert share_learnt(("shared", 0, 0.15, 12, 120)) >= 0.6


MANY = tuple(f"/p{n:02}" for n in range(70))
WORKED = date(2024, 5, 20)


@pytest.fixture(scope="module")
def of_many(tmp_path_factory):
    """Seventy pages with one season, of which /p03 gains a quarter and /p04 nothing; less than a year of them."""

    def moved(page, day):
        return 1.25 if page == "/p03" and day > WORKED else 1.0

    with closing(make(tmp_path_factory.mktemp("many"), 240, moved, pages=MANY)) as history:
        yield holding(history, (1,))


def test_beside_pages_like_it_a_gain_is_found_in_the_first_year_and_nothing_where_nothing_was_done(of_many):
    read = [around(of_many, SITE, Happened(WORKED, WORKED, page, {"page": page}), 84) for page in MANY[3:20]]
    assert read[0].verdict == "better" and read[0].moved == pytest.approx(0.25, abs=0.12)
    assert sum(each.verdict in ("better", "worse") for each in read[1:]) <= 2
    assert {each.beside.years for each in read} == {0}


@pytest.mark.parametrize("days", [28, 84])
def test_what_is_read_by_day_for_many_is_what_is_read_by_window_for_one(of_many, days):
    alike = {"page": MANY[:5]}
    by_day = ReadByDay(of_many, alike)
    for page in MANY[:7]:
        what = Happened(WORKED, WORKED, page, {"page": page})
        one, many = (around(of_many, SITE, what, days, sums) for sums in (ReadByWindow(), by_day))
        assert (one.mine, one.beside, one.z, one.p, one.verdict) == (
            many.mine,
            many.beside,
            many.z,
            many.p,
            many.verdict,
        )
    for rule in ('page starts "/p1"', 'page is "/p01" or page is "/p02"'):
        one, many = (around(of_many, SITE, Happened(WORKED, WORKED, rule, {}, rule), days, s) for s in (None, by_day))
        assert (one.mine, one.z, one.verdict) == (many.mine, many.z, many.verdict)


def test_the_tables_by_day_are_sums_of_plain_rows(of_many):
    of = frame(of_many, Asked(SITE, "2024-06-03/2024-06-16", "2024-05-06/2024-05-19", {"page": "/p05"}))
    rows = of_many.history.rows

    def summed(window, page=None):
        asked = Question("page", window.first, window.last, sources=of_many.sources)
        number = page and of_many.history.term_id("page", page)
        found = [(part, part.columns["page"] == number if page else slice(None)) for part in rows(asked, ("page",))]
        return [int(sum(part.columns[name][mine].sum() for part, mine in found)) for name in ("clicks", "impressions")]

    windows = Window(date(2024, 6, 3), date(2024, 6, 16)), Window(date(2024, 5, 6), date(2024, 5, 19))
    for reader in (ReadByDay(of_many), ReadByWindow()):
        for sums, page in ((reader.mine(of), "/p05"), (reader.whole(of), None)):
            assert [[side.clicks, side.impressions] for side in sums] == [summed(window, page) for window in windows]
        beside = reader.beside(of)
        assert of_many.history.term_id("page", "/p05") not in beside.ids
        texts = of_many.history.texts("page", beside.ids.tolist())
        assert beside.over(windows[0].days()).tolist() == [summed(windows[0], text)[0] for text in texts]


def test_a_holiday_that_moves_is_not_taken_for_what_a_note_did(tmp_path):
    """The site doubles around Easter; a note the day before it would be "better" beside the same dates."""
    easters = (date(2024, 3, 31), date(2025, 4, 20))

    def around(_page, day):
        return 2.0 if any(abs((day - easter).days) <= 4 for easter in easters) else 1.0

    with closing(make(tmp_path, 520, around, mean=120.0, steady=True)) as history:
        on, days = note(date(2025, 4, 14)), 14
        unaware = effect(holding(history, (1,)), SITE, on, (), days)
        aware = effect(holding(history, (1,), Words(holidays={"Easter": easters})), SITE, on, (), days)
    assert (unaware.verdict, unaware.beside) == ("better", "a year before")
    assert (aware.verdict, aware.beside) == ("no clear change", "a year before")
