"""Sets, dated notes and what came of them, asked of the running service."""

from datetime import date, timedelta

import pytest
from tests.conftest import TODAY
from tests.running import Live

from noctilum.client.errors import ProblemFault
from noctilum.demo.agency import NOTES
from noctilum.wire.noted import AskNotes, NewNote, NewSet

SITE, HIVE = "skerryferries.example", "hivewright.example"


@pytest.fixture
def client(live: Live):
    with live.client() as found:
        yield found


@pytest.fixture
def saved(client):
    """Save sets for one test; they are gone after it."""
    made = []

    def save(name, **given):
        made.append(client.save_set(NewSet(name=name, **given)))
        return made[-1]

    yield save
    for each in reversed(made):
        client.drop_set(each.id)


def note_of(client, site, text):
    return next(note for note in client.notes(site) if note.text.startswith(text))


def test_a_set_is_what_its_rule_says_in_every_reading(client):
    rule = client.timeline(SITE, filter='path starts "/timetables/"')
    named = client.timeline(SITE, filter="set timetables")
    assert (named.now, named.before) == (rule.now, rule.before)
    inside = client.breakdown(SITE, "page", filter="set Timetables").total.now
    outside = client.breakdown(SITE, "page", filter="not set Timetables").total.now
    assert inside.clicks + outside.clicks == client.breakdown(SITE, "page").total.now.clicks


def test_a_set_by_list_and_a_set_of_sets(client, saved):
    saved("Two", item="page", members=["/timetables/ronsay", "/fares", "/nowhere"])
    saved("More", item="page", rule='set Two or page is "/"')
    found = client.breakdown(SITE, "page", filter="set More")
    assert {row.key for row in found.rows} == {"/timetables/ronsay", "/fares", "/"}
    with pytest.raises(ProblemFault) as caught:
        client.drop_set(next(each.id for each in client.sets() if each.name == "Two"))
    assert (caught.value.code, "More" in str(caught.value)) == ("set-in-use", True)


def test_sets_in_a_circle_are_told_not_followed(client, saved):
    first = saved("One side", item="page", rule='page is "/"')
    saved("Other side", item="page", rule='set "One side"')
    with pytest.raises(ProblemFault) as caught:
        client.save_set(NewSet(name="One side", item="page", rule='set "Other side"'))
    assert caught.value.code == "set-circle"
    assert client.timeline(SITE, filter='set "Other side"').now.clicks > 0
    assert first.id in {each.id for each in client.sets()}


def test_another_clients_set_cannot_be_named(client):
    with pytest.raises(ProblemFault) as caught:
        client.timeline(SITE, filter='set "Refreshed guides"')
    assert caught.value.code == "no-such-set"


@pytest.mark.parametrize(
    ("given", "code"),
    [
        ({"item": "page", "rule": "clicks > 3"}, "set-unusable"),
        ({"item": "page", "rule": "query has x"}, "set-unusable"),
        ({"item": "page", "rule": "page has"}, "filter-unusable"),
        ({"item": "page", "rule": "page has x", "client": "nobody"}, "no-such-client"),
    ],
)
def test_a_set_that_cannot_be_is_not_saved(client, given, code):
    with pytest.raises(ProblemFault) as caught:
        client.save_set(NewSet(name="Never", **given))
    assert caught.value.code == code
    assert "Never" not in {each.name for each in client.sets()}


def test_a_rule_is_tried_before_it_is_saved(client):
    found = client.try_filter(SITE, 'QUERY has "skery" or brand')
    assert found.text == "query has skery or brand"
    assert found.form == {
        "or": [{"field": "query", "test": "has", "values": ["skery"]}, {"field": "brand", "test": "holds"}]
    }
    assert 0 < found.matching < found.known
    assert all("skerry" in text or "skery" in text for text in found.samples)
    with pytest.raises(ProblemFault, match="not-to-be-tried"):
        client.try_filter(SITE, "device is mobile")


def test_notes_of_a_site_come_with_its_clients_and_the_agencys(client):
    skerry, hive = ({note.text for note in client.notes(site)} for site in (SITE, HIVE))
    agency = {note.text for note in NOTES if note.site is None}
    assert agency <= skerry and agency <= hive
    assert not {note.text for note in NOTES if note.site == HIVE} & skerry


def test_the_refresh_reads_better_beside_the_rest_of_the_site(client):
    found = client.note_effect(HIVE, note_of(client, HIVE, "Swarm, varroa").id)
    assert (found.verdict, found.of) == ("better", "set Refreshed guides")
    assert found.now.clicks > 2 * found.before.clicks
    whole = client.timeline(HIVE, window=f"{found.window.first}/{found.window.last}", against="none")
    assert found.rest_now + found.now.clicks == pytest.approx(whole.now.clicks, rel=0.15)
    assert "Spring catalogue mailed" in {note.text for note in found.others}


def test_another_sites_note_has_no_effect_here(client):
    with pytest.raises(ProblemFault, match="no-such-note"):
        client.note_effect(SITE, note_of(client, HIVE, "Swarm").id)


def test_a_note_of_yesterday_is_too_early_to_tell(client):
    note = client.add_note(NewNote(first=TODAY - timedelta(6), text="New menu", site=SITE))
    try:
        found = client.note_effect(SITE, note.id)
        assert (found.verdict, found.now) == ("too early to tell", None)
        assert str(note.last + timedelta(7)) == str(found.ready)
    finally:
        client.drop_note(note.id)


def test_notes_are_taken_once_from_a_file_and_bad_lines_are_told(client):
    text = (
        "day,to,kind,text,page\n2026-01-05,,content,Fares rewritten,/fares\n2026-01-06,2026-01-02,other,Backwards,\n"
        "soon,,other,When?,\n2026-01-07,,holiday,Odd kind,\n2026-01-08,2026-01-09,outage,Down,\n"
    )
    asked = AskNotes(format="csv", text=text, site=SITE, origin="work.csv")
    taken = client.take_notes(asked)
    assert (taken.added, taken.repeated) == (2, 0)
    assert [line.split(":")[0] for line in taken.refused] == ["line 3", "line 4", "line 5"]
    again = client.take_notes(asked)
    assert (again.added, again.repeated) == (0, 2)
    made = [note for note in client.notes(SITE) if note.origin == "work.csv"]
    assert {(note.first, note.last, note.page) for note in made} == {
        (date(2026, 1, 5), date(2026, 1, 5), "/fares"),
        (date(2026, 1, 8), date(2026, 1, 9), None),
    }
    for note in made:
        client.drop_note(note.id)


@pytest.mark.parametrize("mark", [";", "\t"])
def test_a_spreadsheets_own_marks_between_columns_are_seen(client, mark):
    rows = (("Day", "Kind", "Text"), ("2026-01-05", "content", "Fares, and times, rewritten"))
    text = "\ufeff" + "".join(mark.join(row) + "\r\n" for row in rows)
    taken = client.take_notes(AskNotes(format="csv", text=text, site=SITE, origin="marks.csv"))
    (made,) = [note for note in client.notes(SITE) if note.origin == "marks.csv"]
    client.drop_note(made.id)
    assert (taken.added, taken.refused) == (1, [])
    assert (made.first, made.kind, made.text) == (date(2026, 1, 5), "content", "Fares, and times, rewritten")


CALENDAR = """BEGIN:VCALENDAR
VERSION:2.0
PRODID:-//Tallow Lane//EN
BEGIN:VEVENT
UID:1
DTSTART;VALUE=DATE:20260110
DTEND;VALUE=DATE:20260113
SUMMARY:Quillon update Fenlight
CATEGORIES:Engine update
END:VEVENT
BEGIN:VEVENT
UID:2
DTSTART:20260115T220000Z
DTEND:20260116T030000Z
SUMMARY:Server moved
END:VEVENT
END:VCALENDAR
"""


def test_a_calendar_of_the_agency_gives_days_without_the_end_day(client):
    taken = client.take_notes(AskNotes(format="icalendar", text=CALENDAR, kind="outage", origin="updates.ics"))
    assert (taken.added, taken.refused) == (2, [])
    made = [note for note in client.notes(SITE) if note.origin == "updates.ics"]
    assert [(note.first, note.last, note.kind, note.site) for note in made] == [
        (date(2026, 1, 15), date(2026, 1, 16), "outage", None),
        (date(2026, 1, 10), date(2026, 1, 12), "engine update", None),
    ]
    for note in made:
        client.drop_note(note.id)
    with pytest.raises(ProblemFault, match="notes-unreadable"):
        client.take_notes(AskNotes(format="icalendar", text="BEGIN:VCALENDAR\nnothing"))
    with pytest.raises(ProblemFault, match="notes-unreadable"):
        client.take_notes(AskNotes(format="csv", text="a,b\n1,2\n"))


def test_the_commands_keep_try_and_drop(live: Live, tmp_path):
    file = tmp_path / "pages.txt"
    file.write_text("/fares\n/offers/winter\n")

    def said(*words, code=0):
        done = live.cli(*words)
        assert done.returncode == code, done.stderr
        return done.stdout + done.stderr

    made = said("sets", "--save", "From a list", "--item", "page", "--list", str(file))
    number = next(line.split()[0] for line in made.splitlines() if "From a list" in line)
    assert "2 of" in said("sets", "--item", "page", "--rule", 'set "From a list"', "--try", SITE)
    assert "/fares" in said("breakdown", SITE, "page", "--filter", 'set "From a list"')
    assert "From a list" not in said("sets", "--drop", number)
    assert "^^^^" in said("sets", "--save", "X", "--rule", "page foul x", "--item", "page", code=2)
    assert "\nBetter: " in said("notes", HIVE, "--effect", str(_number(said("notes", HIVE), "Swarm")))
    kept = said("notes", SITE, "--add", "Logo changed", "--on", "2026-02-01", "--kind", "site change")
    assert "2026-02-01" in kept
    assert "Logo changed" not in said("notes", SITE, "--drop", str(_number(kept, "Logo changed")))
    assert "day-missing" in said("notes", SITE, "--add", "When", code=2)


def _number(table: str, text: str) -> int:
    return int(next(line.split()[0] for line in table.splitlines() if text in line))


def test_brand_terms_and_what_is_kept_can_be_changed(live: Live, client):
    site = next(each for each in client.sites() if each.key == SITE)
    before = client.breakdown(SITE, "query", filter="brand").total.now.clicks
    try:
        assert live.cli("sites", "--change", SITE, "--brand", "skerry ferries, -skerry ferries login").returncode == 0
        assert client.breakdown(SITE, "query", filter="brand").total.now.clicks < before
    finally:
        live.cli("sites", "--change", SITE, "--brand", site.brand_terms)
    assert client.breakdown(SITE, "query", filter="brand").total.now.clicks == before
    assert live.cli("clients", "--change", "skerry-ferries", "--keep-months", "0").returncode == 0
