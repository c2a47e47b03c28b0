"""Pulling from the stand-in: to the unit, once, whatever happens on the way."""

import random
import signal
import subprocess
import sys
import threading
from datetime import date, timedelta

import pytest
from tests.conftest import NOW, SMALL, TODAY, credential

from noctilum.actions import presenters, setup
from noctilum.actions.imports import import_files
from noctilum.actions.pull import PullResult, pull
from noctilum.core.days import DayState
from noctilum.core.errors import Clash, FeedFault, Nonsense, NotThere
from noctilum.datasets import DATASETS
from noctilum.demo.files import write_month_files
from noctilum.history import Question
from noctilum.sources import http_feed
from noctilum.standins.search_model import model_of
from noctilum.wire import setup as wire


def run_pull(install, source, report=lambda _: True) -> PullResult:
    return pull(install, source, origin="pull 1", clock=lambda: NOW, report=report)


def test_every_sum_of_sixty_days_equals_the_feeds_to_the_unit(install, source):
    run_pull(install, source)
    history, model = install.history(1), model_of(SMALL, TODAY)
    for offset in random.Random(4).sample(range(5, 70), 60):
        day = TODAY - timedelta(offset)
        truth = model.day(day)
        for grain in [kept.name for kept in DATASETS.of_kind("search")]:
            found = history.read(Question(grain, day, day)).sums
            expected = truth[grain]
            assert (found.clicks, found.impressions, found.position_milli) == (
                sum(expected.clicks), sum(expected.impressions), 1000 * sum(expected.position_sum),
            )  # fmt: skip


def test_pulling_again_fetches_nothing_and_changes_nothing(install, source, feed):
    first = run_pull(install, source)
    history = install.history(1)
    digest, generation = history.digest(), history.generation
    again = run_pull(install, source)
    assert (first.days, again.days) == (68, 0)
    assert (history.digest(), history.generation) == (digest, generation)


def test_faults_on_the_way_do_not_change_the_end(install, source, feed):
    feed.control(error_every=11, cut_every=7, limit_every=13, retry_after=0.01)
    assert run_pull(install, source).failed == ()
    assert install.history(1).digest() == calm_digest(install, feed)


def calm_digest(install, feed) -> str:
    """The digest of a history pulled without any fault."""
    from noctilum.actions.install import Install, Settings

    feed.calm()
    other = Install(Settings(install.settings.data.parent / "calm", inside_hosts="127.0.0.1"))
    other.prepare()
    client = setup.add_client(other, wire.NewClient(name="Calm"), NOW)
    key = setup.add_site(other, client, wire.NewSite(host="blog.hivewright.example"), NOW)
    asked = wire.NewSource.model_validate(credential(feed, property=SMALL))
    number = setup.add_source(other, key, asked, NOW)
    run_pull(other, number)
    digest = other.history(1).digest()
    other.close()
    return digest


def test_two_pulls_at_once_end_in_the_same_content(install, source, feed):
    install.history(1, create=True)
    both = [threading.Thread(target=run_pull, args=(install, source)) for _ in range(2)]
    for thread in both:
        thread.start()
    for thread in both:
        thread.join()
    assert install.history(1).digest() == calm_digest(install, feed)


KILLED = """
import sys
from datetime import UTC, datetime
from pathlib import Path
from noctilum.actions.install import Install, Settings
from noctilum.actions.pull import pull
install = Install(Settings(Path(sys.argv[1]), inside_hosts="127.0.0.1"))
def report(progress):
    print(progress.done, flush=True)
    return True
pull(install, int(sys.argv[2]), origin="pull 1", clock=lambda: datetime.now(UTC), report=report)
"""


def test_a_pull_killed_in_the_middle_is_taken_up_and_ends_the_same(install, source, feed):
    feed.control(slow_ms=12)
    command = [sys.executable, "-c", KILLED, str(install.settings.data), str(source)]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    for line in process.stdout:
        if int(line) >= 10:
            break
    process.send_signal(signal.SIGKILL)
    process.wait()
    process.stdout.close()
    held = {row.day for row in install.history(1, create=True).ledger(dataset="pair")}
    assert 0 < len(held) < 68
    feed.calm()
    assert run_pull(install, source).days == 68 - len(held)
    assert install.history(1).digest() == calm_digest(install, feed)


def test_days_whose_revision_changed_are_read_again_and_settle(install, source, feed):
    run_pull(install, source)
    history = install.history(1)
    fresh = TODAY - timedelta(2)
    before = history.read(Question("site", fresh, fresh)).sums
    assert history.states([source], "site")[fresh] is DayState.PROVISIONAL
    feed.control(today=(TODAY + timedelta(4)).isoformat())
    assert run_pull(install, source).days == 7
    after = history.read(Question("site", fresh, fresh)).sums
    assert history.states([source], "site")[fresh] is DayState.FINAL
    assert after.impressions > before.impressions


def test_a_pull_can_be_stopped_and_keeps_what_it_has(install, source):
    told = []
    result = run_pull(install, source, lambda progress: told.append(progress) or len(told) < 2)
    assert 0 < result.days < 68
    assert run_pull(install, source).days == 68 - result.days


def test_a_day_that_cannot_be_had_is_named_and_the_rest_is_kept(install, source, feed, monkeypatch):
    monkeypatch.setattr(http_feed, "ATTEMPTS", 1)
    feed.control(error_every=40)
    result = run_pull(install, source)
    assert result.failed and result.days + len(result.failed) == 68
    assert "could not be had" in (presenters.source(install, source).fault or "")
    feed.calm()
    assert run_pull(install, source).days == len(result.failed)
    assert presenters.source(install, source).fault is None


def test_a_credential_withdrawn_breaks_the_source_with_its_reason(install, source, feed):
    with install.records.begin() as db:
        setup.find_source(db, source).sealed_secret = install.seal("withdrawn")
    with pytest.raises(FeedFault, match="refuses the credential"):
        run_pull(install, source)
    found = presenters.source(install, source)
    assert found.state == "broken"
    assert "enter the secret again" in (found.fault or "")


def test_a_kept_secret_is_encrypted_and_never_shown(install, source):
    assert b"lamp-oil" not in (install.settings.data / "records.db").read_bytes()
    assert "lamp-oil" not in presenters.source(install, source).model_dump_json()


@pytest.mark.parametrize(
    ("changes", "kind", "said"),
    [
        ({"secret": "wrong"}, FeedFault, "refuses the credential"),
        ({"account": "blind"}, NotThere, "can see no property"),
        ({"account": "narrow", "property": "quillon-skerry"}, NotThere, "cannot see"),
        ({"url": "http://127.0.0.1:9"}, FeedFault, "cannot be reached"),
        ({"url": "ftp://x"}, FeedFault, "not an http address"),
        ({"connector": "no-such"}, NotThere, "no connector"),
    ],
)
def test_mistakes_in_connecting_answer_well_and_keep_nothing(install, site, feed, monkeypatch, changes, kind, said):
    monkeypatch.setattr(http_feed, "ATTEMPTS", 1)
    asked = wire.NewSource.model_validate(credential(feed, property=SMALL) | changes)
    with pytest.raises(kind, match=said):
        setup.add_source(install, site, asked, NOW)
    assert presenters.sources(install) == []


def test_one_property_is_connected_once(install, site, source, feed):
    asked = wire.NewSource.model_validate(credential(feed, property=SMALL))
    with pytest.raises(Clash, match="connected to blog"):
        setup.add_source(install, site, asked, NOW)
    listed = setup.list_properties(install, wire.Credential.model_validate(credential(feed)))
    assert {p.id: p.connected_to for p in listed}[SMALL] == "blog.hivewright.example"


def test_monthly_files_add_older_days_and_never_overwrite(install, source, tmp_path):
    run_pull(install, source)
    paths = [p for p in write_month_files(tmp_path / "files", SMALL, TODAY) if "2024-11" in p.name]
    for path in paths:
        first = import_files(install, source, [path], lambda: NOW)
        again = import_files(install, source, [path], lambda: NOW)
        assert first.days == again.already == 18
        assert again.days == 0
    day = date(2024, 11, 10)
    truth = model_of(SMALL, TODAY).day(day)["pair"]
    assert install.history(1).read(Question("pair", day, day)).sums.position_milli == 1000 * sum(truth.position_sum)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("day,clicks\n", "known to be the impressions"),
        ("colour,weight\n", "no line that names columns"),
    ],
)
def test_a_file_that_cannot_be_used_says_why_and_keeps_nothing(install, source, tmp_path, text, said):
    path = tmp_path / "bad.csv"
    path.write_text(text)
    with pytest.raises(Nonsense) as caught:
        import_files(install, source, [path], lambda: NOW)
    assert said in str(caught.value)
    assert presenters.source(install, source).days_held == 0


def test_progress_tells_days_rows_rate_and_time_left(install, source, feed):
    feed.control(slow_ms=10)
    told = []
    run_pull(install, source, lambda progress: told.append(progress) or True)
    assert told[0].due == 68 and told[-1].done == 68
    middle = told[len(told) // 2]
    assert middle.rows and middle.rows_per_second and middle.seconds_left is not None


def test_a_feed_that_begins_to_count_looks_is_asked_for_nothing_but_those(install, source, feed):
    feed.control(looks=False)
    assert run_pull(install, source).days == 68
    history = install.history(1)
    before = {(row.dataset, row.day): row.digest for row in history.ledger()}
    feed.control(looks=True)
    again = run_pull(install, source)
    rows = [row for row in history.ledger() if row.dataset == "look"]
    assert (again.days, len(rows), again.rows) == (68, 68, sum(row.rows for row in rows))
    assert {(row.dataset, row.day): row.digest for row in history.ledger() if row.dataset != "look"} == before
    assert run_pull(install, source).days == 0


def test_a_feed_that_stops_counting_looks_loses_none_of_those_held(install, source, feed):
    run_pull(install, source)
    looks = [row for row in install.history(1).ledger() if row.dataset == "look"]
    feed.control(looks=False)
    assert run_pull(install, source).days == 0
    assert [row for row in install.history(1).ledger() if row.dataset == "look"] == looks
