"""The demo's stories, found by the product's own readings."""

from datetime import date, timedelta

import pytest
from tests.conftest import TODAY
from tests.running import Live

UMBRA, FRETSAW, NORTHLOFT = "umbrapoint.example", "fretsawfern.example", "northloft.example"


@pytest.fixture
def client(live: Live):
    with live.client() as found:
        yield found


def days(first: int, last: int) -> str:
    """Write a window by days before the demo's today."""
    return f"{TODAY + timedelta(first)}/{TODAY + timedelta(last)}"


def effect_of(client, site: str, text: str):
    note = next(note for note in client.notes(site) if note.text.startswith(text))
    return client.note_effect(site, note.id)


def test_written_answers_take_clicks_at_the_same_place(client):
    drivers = client.drivers(
        UMBRA, window=days(-40, -13), against=days(-105, -78), filter="set Explainers and country is GB"
    )
    assert drivers.appeal < 0
    assert abs(drivers.appeal) > 3 * abs(drivers.rank)
    assert drivers.appeal == min(getattr(drivers, name) for name in ("demand", "rank", "appeal", "left", "unlisted"))
    found = effect_of(client, UMBRA, "Quillon writes answers")
    assert found.verdict == "worse", found.sentences


def test_the_burst_of_impressions_without_clicks_is_named_so(client):
    found = client.odd_days(UMBRA, window=days(-20, -6))
    burst = {row.day for row in found.rows if row.kind == "shown, not clicked"}
    assert {TODAY + timedelta(n) for n in (-14, -13, -12)} <= burst
    assert all(row.measure == "impressions" for row in found.rows if row.day in burst)


def test_the_night_of_the_meteors_is_an_odd_day_with_clicks(client):
    found = client.odd_days(UMBRA, window=days(-62, -50), page="/events/meteor-night")
    assert {row.kind for row in found.rows if date.fromisoformat(str(row.day)) == TODAY + timedelta(-57)} == {"high"}
    whole = client.odd_days(UMBRA, window=days(-62, -50))
    assert "shown, not clicked" not in {row.kind for row in whole.rows}, whole.rows


def test_of_small_numbers_most_is_too_few_to_tell(client):
    for item in ("page", "query"):
        counts = {each.verdict: each.rows for each in client.fading(FRETSAW, item).verdicts}
        assert counts["too few to tell"] > 0.6 * sum(counts.values())
        assert counts["fading"] == 0


def test_an_engine_update_hits_and_the_museum_recovers(client):
    hit = effect_of(client, NORTHLOFT, "Quillon update Harbourlight")
    assert (hit.verdict, hit.of) == ("worse", NORTHLOFT)
    fell = client.drivers(NORTHLOFT, window=days(-80, -53), against=days(-125, -98), filter="not brand")
    back = client.drivers(NORTHLOFT, window=days(-27, -6), against=days(-70, -49), filter="not brand")
    assert fell.rank < 0 < back.rank
    assert abs(fell.rank) > abs(fell.demand) and back.rank > abs(back.appeal)
    assert effect_of(client, NORTHLOFT, "All hall texts").verdict == "better"


def test_written_answers_begin_when_explainers_lose_their_clicks(client):
    line = client.timeline("umbrapoint.example", by="week", window="P112D", filter='look is "written answer"')
    begun = next(point.start for point in line.points if point.impressions)
    assert abs((TODAY - begun).days - 75) <= 7
    rows = {row.key: row.now for row in client.breakdown("umbrapoint.example", "look").rows}
    assert rows["written answer"].ctr < rows["event card"].ctr / 2


def test_looks_are_told_on_the_command_line_with_what_looked_like_any_other(live):
    told = live.cli("breakdown", "umbrapoint.example", "look").stdout
    assert "written answer" in told and "unlisted (looked like any other)" in told
    assert "clicks came from results that looked like any other." in told
    refused = live.cli("fading", "umbrapoint.example", "--filter", "look has answer")
    assert (refused.returncode, "look-with-others" in refused.stderr) == (2, True)
