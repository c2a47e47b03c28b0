"""The worklist: put on it, changed, done and read again; each figure against one made here from plain rows."""

from __future__ import annotations

import re
from datetime import date, datetime, timedelta

import pytest
from tests.conftest import HIVE, NOW, SMALL, TODAY
from tests.served import answered

from noctilum.actions import dated_notes, people, setup, work_calendar, worklist
from noctilum.core.errors import Nonsense, NotThere
from noctilum.standins.search_model import model_of
from noctilum.wire.setup import NewClient, NewSite
from noctilum.wire.work import ManyWork, NewWork, WorkQuery

INES = "ines@tallowlane.example"


def new(key="", of="site", todo="Refresh it", **more) -> NewWork:
    return NewWork(site=HIVE, of=of, key=key, todo=todo, **more)


def rows_of(grain: str, first: date, last: date, name: str, wanted: str) -> list[int]:
    """Clicks and impressions of one thing, from the rows that the search model makes."""
    found = [0, 0]
    for n in range((last - first).days + 1):
        day = model_of(SMALL, TODAY).day(first + timedelta(n))[grain]
        for text, clicks, shown in zip(day.texts[name], day.clicks, day.impressions, strict=True):
            if text == wanted:
                found = [found[0] + int(clicks), found[1] + int(shown)]
    return found


def most_clicked(install, by: str) -> str:
    return answered(install, HIVE, "breakdown", dimension=by, against="none").rows[0].key


@pytest.mark.parametrize("of", ["page", "query", "keyword"])
def test_how_it_stands_is_kept_beside_it_as_of_that_day(install, pulled, of):
    grain = "page" if of == "page" else "query"
    key = most_clicked(install, grain)
    item = worklist.added(install, new(key, of), NOW)
    stood = item.baseline
    assert stood is not None and (stood.last - stood.first).days == 27
    assert [stood.clicks, stood.impressions] == rows_of(grain, stood.first, stood.last, grain, key)
    later = worklist.changed(install, item.id, new(key, of, why="fading"), NOW + timedelta(40))
    assert later.baseline == stood and later.why == "fading" and later.created_at == item.created_at


def test_what_is_done_is_a_dated_note_on_its_day_and_no_more_when_it_is_not(install, pulled):
    page = most_clicked(install, "page")
    item = worklist.added(install, new(f"https://{HIVE}{page}", "page", kind="refresh"), NOW)
    assert item.key == page and item.note is None
    day = TODAY - timedelta(70)
    done = worklist.changed(install, item.id, new(page, "page", kind="refresh", state="done", done_on=day), NOW)
    (note,) = dated_notes.list_notes(install, HIVE)
    assert (note.id, note.first, note.last, note.page, note.kind) == (done.note, day, day, page, "content")
    moved = worklist.changed(install, item.id, new(page, "page", kind="technical", state="done"), NOW)
    (note,) = dated_notes.list_notes(install, HIVE)
    assert (note.id, note.first, note.kind, moved.done_on) == (done.note, TODAY, "site change", TODAY)
    again = worklist.changed(install, item.id, new(page, "page"), NOW)
    assert (again.state, again.done_on, again.note) == ("to do", None, None)
    assert dated_notes.list_notes(install, HIVE) == []
    worklist.changed(install, item.id, new(page, "page", state="done"), NOW)
    worklist.dropped(install, item.id)
    assert dated_notes.list_notes(install, HIVE) == worklist.listed(install, WorkQuery()) == []


def test_what_came_of_it_is_what_its_note_says_and_adds_up(install, pulled):
    page, query = most_clicked(install, "page"), most_clicked(install, "query")
    early = worklist.added(
        install, new(page, "page", kind="refresh", state="done", done_on=TODAY - timedelta(100)), NOW
    )
    middle = worklist.added(install, new(query, "query", state="done", done_on=TODAY - timedelta(36)), NOW)
    late = worklist.added(install, new(state="done", done_on=TODAY - timedelta(10)), NOW)
    worklist.added(install, new("never shown", "query", state="done", done_on=TODAY - timedelta(37)), NOW)
    worklist.added(install, new(todo="Still to do", due=TODAY - timedelta(1)), NOW)
    found = answered(install, HIVE, "worked")
    by_number = {row.number: row for row in found.rows}
    for item, days in ((early, 84), (middle, 28)):
        row = by_number[item.id]
        said = answered(install, HIVE, "note-effect", number=item.note, days=days)
        assert row.days == days
        if item.of == "page":
            assert (row.before, row.now) == (said.before.clicks, said.now.clicks)
            assert row.moved == pytest.approx(said.moved) and row.p == pytest.approx(said.p)
    row = by_number[middle.id]
    after = rows_of("query", middle.done_on + timedelta(1), middle.done_on + timedelta(28), "query", query)
    before = rows_of("query", middle.done_on - timedelta(28), middle.done_on - timedelta(1), "query", query)
    assert (row.before, row.now) == (before[0], after[0])
    assert (row.verdict, by_number[late.id].verdict) != ("waits", "too few to tell")
    assert by_number[late.id].verdict == "waits" and by_number[late.id].ready == late.done_on + timedelta(28)
    assert (found.done, found.waits, found.open, found.overdue) == (4, 1, 1, 1)
    assert found.better + found.worse + found.unclear + found.few + found.waits == found.done
    assert sum(kind.done for kind in found.kinds) == found.done
    assert [row.number for row in answered(install, HIVE, "worked", only="waits").rows] == [late.id]
    assert answered(install, HIVE, "worked", work_kind="refresh").done == 1


def test_many_at_once_are_all_there_or_none_and_none_twice(install, pulled):
    asked = {"site": HIVE, "of": "page", "todo": "Refresh it"}
    taken = worklist.take(install, ManyWork(**asked, keys=["/a", f"https://{HIVE}/b", "/a"]), NOW)
    assert [item.key for item in taken.added] == ["/a", "/b"] and taken.repeated == []
    again = worklist.take(install, ManyWork(**asked, keys=["/b", "/c"]), NOW)
    assert [item.key for item in again.added] == ["/c"] and again.repeated == ["/b"]
    with pytest.raises(NotThere, match="Nobody here"):
        worklist.take(install, ManyWork(**asked | {"todo": "Else"}, keys=["/d"], owner="nobody@x.example"), NOW)
    assert len(worklist.listed(install, WorkQuery(state="open"))) == 3


@pytest.mark.parametrize(
    ("asked", "said"),
    [
        ({"of": "page"}, "what it is on is named"),
        ({"of": "site", "key": "/a"}, "what it is on is named"),
        ({"state": "dropped"}, "dropped with a reason"),
    ],
)
def test_what_makes_no_item_is_refused(asked, said):
    with pytest.raises(ValueError, match=said):
        new(**asked)


def test_nothing_is_done_tomorrow_and_a_set_that_is_not_there_is_said(install, pulled):
    with pytest.raises(Nonsense, match="yet to come"):
        worklist.added(install, new(state="done", done_on=TODAY + timedelta(1)), NOW)
    with pytest.raises(NotThere, match=r"'nothing'|“nothing”|nothing"):
        worklist.added(install, new("nothing", "set"), NOW)
    assert worklist.listed(install, WorkQuery()) == []


def test_a_site_without_searches_has_a_list_without_figures(install):
    setup.add_client(install, NewClient(name="Wickham", time_zone="Europe/London", currency="GBP"), NOW)
    setup.add_site(install, "wickham", NewSite(host="wickhamtools.example"), NOW)
    item = worklist.added(install, NewWork(site="wickhamtools.example", of="site", todo="Connect searches"), NOW)
    assert item.baseline is None


def lines_of(calendar: bytes) -> list[str]:
    """Unfold content lines, as RFC 5545 3.1 has it."""
    assert b"\n" not in calendar.replace(b"\r\n", b"")
    assert all(len(line) <= 75 for line in calendar.split(b"\r\n"))
    return re.sub(r"\r\n[ \t]", "", calendar.decode()).split("\r\n")


def test_a_calendar_reads_to_dos_with_their_states(install, pulled):
    people.add_user(install, "Inés Rother", INES, "lamp-and-log-and-lamp", NOW)
    worklist.added(install, new(todo="Müssen; wir, das" * 8, due=date(2026, 4, 1), owner=INES, why="a\nb"), NOW)
    worklist.added(install, new("/x", "page", state="done", done_on=date(2026, 3, 2)), NOW)
    worklist.added(install, new("/y", "page", state="dropped", reason="no"), NOW)
    lines = lines_of(work_calendar.as_calendar(worklist.listed(install, WorkQuery()), NOW, "https://n.example"))
    assert lines.count("BEGIN:VTODO") == lines.count("END:VTODO") == 3
    assert [line for line in lines if line.startswith("STATUS")] == [
        "STATUS:NEEDS-ACTION", "STATUS:CANCELLED", "STATUS:COMPLETED",
    ]  # fmt: skip
    assert "DUE;VALUE=DATE:20260401" in lines
    assert "SUMMARY:" + r"Müssen\; wir\, das" * 8 + f" ({HIVE})" in lines
    assert len({line for line in lines if line.startswith("UID")}) == 3
    assert {line for line in lines if line.startswith("URL")} == {f"URL:https://n.example/work?site={HIVE}&state=all"}
    assert "COMPLETED:20260302T000000Z" in lines and "DESCRIPTION:blog.hivewright.example\\na\\nb" in lines


def test_the_address_of_a_calendar_shows_ones_own_and_ends_with_the_next(install, pulled):
    user = people.add_user(install, "Inés Rother", INES, "lamp-and-log-and-lamp", NOW)
    worklist.added(install, new(todo="Mine", owner=INES), NOW)
    worklist.added(install, new(todo="Nobody’s"), NOW)
    number = user if isinstance(user, int) else user.id
    first = work_calendar.calendar_address(install, number).address
    token = first.rsplit("/", 1)[1].removesuffix(".ics")
    text = work_calendar.calendar_of(install, token, datetime(2026, 3, 20, tzinfo=NOW.tzinfo)).decode()
    assert "Mine" in text and "Nobody" not in text
    second = work_calendar.calendar_address(install, number).address
    assert second != first
    for wrong in (token, token[:-3] + "abc", "", "WzEsMV0"):
        with pytest.raises(NotThere, match="no calendar"):
            work_calendar.calendar_of(install, wrong, NOW)
