"""Holidays that come back every year on other days, given as dated notes."""

from datetime import date

from tests.conftest import NOW

from noctilum.actions import dated_notes
from noctilum.actions.site_access import open_site, open_sites
from noctilum.wire.noted import AskNotes, NewNote

CALENDAR = "day,text\n2024-03-31,Easter\n2025-04-20,easter\n2026-04-05, Easter \n2026-06-21,Midsummer\n"


def test_a_holiday_noted_in_several_years_is_known_to_every_site_and_answers_change_with_it(install, site, pulled):
    before = open_site(install, site).stamp
    asked = AskNotes(text=CALENDAR, format="csv", kind="moving holiday")
    assert dated_notes.take_notes(install, asked, NOW).added == 4
    easter = {"Easter": (date(2024, 3, 31), date(2025, 4, 20), date(2026, 4, 5))}
    assert open_site(install, site).words.holidays == easter
    assert [each.access.words.holidays for each in open_sites(install)] == [easter]
    assert open_site(install, site).stamp != before


def test_notes_of_other_kinds_and_on_single_pages_move_nothing(install, site, pulled):
    for year in (2024, 2025):
        on = {"first": date(year, 3, 1), "text": "Spring sale"}
        dated_notes.add_note(install, NewNote.model_validate(on | {"kind": "campaign"}), NOW)
        dated_notes.add_note(
            install, NewNote.model_validate(on | {"kind": "moving holiday", "site": site, "page": "/"}), NOW
        )
    assert open_site(install, site).words.holidays == {}
