"""What is kept in memory is bounded, and never outlives a change."""

from dataclasses import replace
from datetime import date, timedelta
from threading import Thread

import numpy as np

from noctilum.history import AnswerCache, ColumnCache, History, Question
from noctilum.testing.batches import entry, pair_batch

DAY = date(2026, 3, 1)
ASKED = Question("pair", DAY, DAY, ("query",))


def held(history, clicks):
    history.put_days(1, [entry(pair_batch(DAY, [("ferry", "/", "NO", "mobile", clicks, 40, 80)]))])


def test_columns_stay_within_the_bound_and_the_longest_unasked_goes_first():
    cache = ColumnCache(bound=8 * 1000)
    for segment in range(9):
        cache.keep(segment, {"clicks": (np.zeros(120, dtype=np.int64),)})
        cache.find(0, ["clicks"])
    assert cache.nbytes <= 8 * 1000
    assert cache.find(0, ["clicks"])
    assert not cache.find(1, ["clicks"])


def test_a_column_too_large_for_the_bound_is_not_kept():
    cache = ColumnCache(bound=800)
    cache.keep(1, {"clicks": (np.zeros(100, dtype=np.int64),)})
    assert (cache.nbytes, cache.find(1, ["clicks"])) == (0, {})


def test_a_revised_day_is_read_anew(history):
    held(history, 3)
    assert history.read(ASKED).sums.clicks == 3
    held(history, 4)
    assert history.read(ASKED).sums.clicks == 4


def test_a_change_by_another_process_is_seen(history):
    held(history, 3)
    reader = History(history.path)
    assert (reader.read(ASKED).sums.clicks, len(reader.states([1], "pair"))) == (3, 1)
    held(history, 5)
    assert reader.read(ASKED).sums.clicks == 5
    reader.close()


def test_the_same_question_is_answered_from_memory_until_the_next_change(tmp_path):
    history = History(tmp_path / "site.db", create=True, answers=AnswerCache())
    held(history, 3)
    first = history.read(ASKED)
    assert history.read(ASKED) is first
    held(history, 3)
    assert history.read(ASKED) is not first
    history.close()


def test_rollups_kept_in_memory_never_outlive_a_revision(history):
    """A day inside a year that is summed in one piece comes out differently: by here, and by another process."""
    first = date(2024, 1, 1)
    history.put_days(
        1, [entry(pair_batch(first + timedelta(n), [("ferry", "/", "NO", "mobile", 2, 9, 9)])) for n in range(400)]
    )
    asked = Question("pair", first, first + timedelta(365), ("query",))
    reader = History(history.path, answers=AnswerCache(0))
    assert reader.read(asked).sums.clicks == reader.read(asked).sums.clicks == 2 * 366
    for clicks in (7, 11):
        history.put_days(1, [entry(pair_batch(first + timedelta(40), [("ferry", "/", "NO", "mobile", clicks, 19, 9)]))])
        assert history.read(asked).sums.clicks == reader.read(asked).sums.clicks == 2 * 365 + clicks
    reader.close()


def test_an_answer_without_places_is_never_given_to_who_asks_for_them(history):
    held(history, 3)
    assert history.read(replace(ASKED, measures=("clicks", "impressions"))).sums.clicks == 3
    assert history.read(ASKED).sums.position == 2.0


def test_sites_of_one_process_share_what_they_keep_and_never_mix_it(tmp_path):
    answers = AnswerCache(bound=600)
    sites = [History(tmp_path / f"{n}.db", create=True, answers=answers) for n in range(20)]
    for n, site in enumerate(sites):
        held(site, n)
    for _ in range(2):
        assert [site.read(ASKED).sums.clicks for site in sites] == list(range(20))
        assert 0 < answers.nbytes <= 600
    for site in sites:
        site.close()


def test_one_reading_is_answered_alike_throughout_and_the_next_is_of_the_change(history):
    held(history, 3)
    reader = History(history.path, answers=AnswerCache())
    with reader.still():
        first, generation = reader.read(ASKED), reader.generation
        held(history, 5)
        assert reader.read(ASKED) is first
        with reader.still():
            assert reader.generation == generation
        assert reader.generation == generation
    assert reader.generation > generation
    assert reader.read(ASKED).sums.clicks == 5
    reader.close()


def test_terms_that_come_in_during_a_reading_are_known_to_it(history):
    held(history, 3)
    reader = History(history.path)
    with reader.still():
        assert reader.all_texts("query") == ("ferry",)
        history.put_days(1, [entry(pair_batch(DAY, [("boat", "/", "NO", "mobile", 1, 4, 8)]))])
        ids = reader.read(ASKED).keys[0]
        assert [reader.all_texts("query")[number] for number in ids] == ["boat"]
    reader.close()


def test_what_one_thread_reads_at_once_is_its_own(history):
    held(history, 3)
    seen = []
    with history.still():
        held(history, 4)
        thread = Thread(target=lambda: seen.append(history.generation))
        thread.start()
        thread.join()
        assert seen[0] > history.generation
