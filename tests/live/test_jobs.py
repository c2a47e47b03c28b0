"""Jobs: leased, taken up again, handed back, one a source."""

from datetime import timedelta

from tests.conftest import NOW

from noctilum.actions import queue
from noctilum.jobs.types import JOB_TYPES, JobType
from noctilum.jobs.worker import Worker
from noctilum.wire.jobs import RESULTS


def test_a_second_pull_of_a_source_is_the_first_one(install, source):
    first = queue.put(install, "pull", {"source": source}, NOW)
    assert queue.put(install, "pull", {"source": source}, NOW).id == first.id
    assert queue.put(install, "pull", {"source": 99}, NOW).id != first.id


def test_a_silent_workers_job_is_taken_up_and_its_late_word_ignored(install, source):
    job = queue.put(install, "pull", {"source": source}, NOW)
    assert queue.take(install, "one", NOW).id == job.id
    assert queue.take(install, "two", NOW) is None
    later = NOW + queue.LEASE + timedelta(seconds=1)
    assert queue.take(install, "two", later).attempts == 2
    assert not queue.report(install, job.id, "one", {}, later)
    queue.end(install, job.id, "one", None, later)
    assert queue.get(install, job.id).state == "running"


def test_a_job_begun_again_and_again_is_given_up(install, source):
    job = queue.put(install, "pull", {"source": source}, NOW)
    moment = NOW
    for _ in range(queue.MOST_ATTEMPTS):
        assert queue.take(install, "w", moment)
        moment += queue.LEASE + timedelta(seconds=1)
    assert queue.take(install, "w", moment) is None
    found = queue.get(install, job.id)
    assert (found.state, found.fault.split(":")[0]) == ("failed", "given-up")


def test_a_worker_does_a_pull_in_place(install, source):
    job = queue.put(install, "pull", {"source": source}, NOW)
    assert Worker(install, lambda: NOW).run_one()
    found = queue.get(install, job.id)
    assert (found.state, found.progress["done"], found.progress["due"]) == ("done", 68, 68)
    assert install.history(1).ledger()[0].origin == f"pull {job.id}"


def test_a_worker_asked_to_stop_hands_its_job_back(install, source, feed):
    feed.control(slow_ms=20)
    job = queue.put(install, "pull", {"source": source}, NOW)
    worker = Worker(install, lambda: NOW)
    kept = queue.report

    def stop_soon(*words):
        worker.stopping.set()
        return kept(*words)

    queue.report = stop_soon
    try:
        worker.run_one()
    finally:
        queue.report = kept
    found = queue.get(install, job.id)
    assert (found.state, found.attempts) == ("queued", 0)


def test_a_pull_that_fails_ends_with_its_fault(install, source, feed):
    with install.records.begin() as db:
        from noctilum.actions.find import find_source

        find_source(db, source).sealed_secret = install.seal("withdrawn")
    job = queue.put(install, "pull", {"source": source}, NOW)
    Worker(install, lambda: NOW).run_one()
    found = queue.get(install, job.id)
    assert (found.state, found.fault.split(":")[0]) == ("failed", "feed-credential-refused")


def test_a_job_that_comes_to_something_else_than_its_model_is_told_as_broken(install, source, monkeypatch):
    monkeypatch.setitem(JOB_TYPES, "pull", JobType(lambda _running: {"days": "many"}))
    job = queue.put(install, "pull", {"source": source}, NOW)
    assert Worker(install, lambda: NOW).run_one()
    found = queue.get(install, job.id)
    assert (found.state, found.result) == ("failed", {})
    assert set(RESULTS) == set(JOB_TYPES)
