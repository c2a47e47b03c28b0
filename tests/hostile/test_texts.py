"""Texts that cannot be kept, years that are none, names that are too long: clear refusals in every place."""

from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError
from tests.conftest import NOW

from noctilum.actions import files, setup
from noctilum.actions.find import file_name
from noctilum.core.errors import FeedFault, Nonsense
from noctilum.core.windows import EARLIEST, LATEST, parse_window
from noctilum.records.models import FileMapping
from noctilum.sources.http_feed import checked_url
from noctilum.wire import base
from noctilum.wire.imports import Mapping
from noctilum.wire.noted import NewNote, NewSet
from noctilum.wire.plain_text import cleaned, keepable, unkeepable
from noctilum.wire.setup import Credential, NewClient, NewSite

BAD = ["\ud800", "a\x00b", "a\x1bb", "a\x85b", "\udfff", "a\x07"]


@pytest.mark.parametrize("text", BAD)
@pytest.mark.parametrize(
    "make",
    [
        lambda text: NewClient(name=text),
        lambda text: NewSite(host=f"a{text}.example"),
        lambda text: NewSet(name="n", item="query", members=["fine", text]),
        lambda text: NewNote(first=date(2026, 3, 1), text=text),
        lambda text: Mapping(columns={text: "day"}),
        lambda text: Mapping(fixed={"country": text}),
        lambda text: Credential(url=f"http://a.example/{text}", account="a"),
    ],
)
def test_a_text_that_cannot_be_kept_is_refused_by_every_model(make, text):
    with pytest.raises(ValidationError):
        make(text)


@pytest.mark.parametrize("name", ["two\nlines", "a\r\nX: y", "a\tb", "a\u2028b"])
def test_names_are_one_line(name):
    with pytest.raises(ValidationError, match="one line"):
        NewClient(name=name)


def test_texts_of_several_lines_are_kept():
    assert NewNote(first=date(2026, 3, 1), text="one\n\ttwo").text == "one\n\ttwo"


@given(st.text(st.characters(min_codepoint=0, max_codepoint=0x3000), max_size=20))
def test_what_is_cleaned_is_one_line_and_what_is_keepable_is_kept(text):
    assert unkeepable(cleaned(text), line=True) is None
    assert unkeepable(keepable(text)) is None
    keepable(text).encode()


def test_a_mapping_that_an_older_version_kept_takes_no_list_away(install):
    files.keep_mapping(install, "good", Mapping(), NOW)
    with install.records.begin() as db:
        db.add(FileMapping(name="bad", mapping={"columns": {"T\ud800g": "day"}}, created_at=NOW))
        db.add(FileMapping(name="worse", mapping={"columns": 7}, created_at=NOW))
    assert [each.name for each in files.mappings(install)] == ["bad", "good", "worse"]


@pytest.mark.parametrize("text", ["0001-01", "9999-12", "0001", "9999", "0001-01-01/P3M", "9999-12-01/9999-12-31"])
def test_windows_at_the_calendars_ends_are_refused(text):
    with pytest.raises(Nonsense):
        parse_window(text, ends_on=date(2026, 3, 17))


def test_wire_and_core_mean_the_same_years():
    assert (EARLIEST.year, LATEST.year) == (base.FIRST_YEAR, base.LAST_YEAR)


@pytest.mark.parametrize("day", ["0001-01-01", "9999-12-31"])
def test_notes_are_of_days_that_can_be(day):
    with pytest.raises(ValidationError, match="years"):
        NewNote.model_validate({"first": day, "text": "x"})


@pytest.mark.parametrize(
    "url", ["http://a\x00b", "http://a\nb/", "http://", "ftp://a.example", "http://a b/", "http://u:p@a/", "http://[::"]
)
def test_an_address_that_is_none_is_refused_with_words(url):
    with pytest.raises(FeedFault) as caught:
        checked_url(url)
    assert "\x00" not in str(caught.value)
    assert "\n" not in caught.value.what


def test_a_time_zone_from_a_feed_that_does_not_exist_is_refused(install, site, villain):
    url, feed = villain
    feed.time_zone = "Moon/Sea_of_Rains"
    from noctilum.wire.setup import NewSource

    asked = NewSource.model_validate({"url": url, "account": "a", "secret": "lamp-oil", "property": "p"})
    with pytest.raises(Nonsense, match="time zone"):
        setup.add_source(install, site, asked, NOW)


def test_long_names_fit_into_the_file_system(install, tmp_path):
    import io

    with pytest.raises(Nonsense, match="longer"):
        files.keep_upload(install, "ä" * 120 + ".csv", io.BytesIO(b"x"))
    (tmp_path / f"{file_name('x' * 300)}-breakdown-query.parquet.zip").write_text("fits")
