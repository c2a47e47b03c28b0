"""Finding places: the agency's own first, whole names, the largest; names told apart; files at fault by line."""

from concurrent.futures import ThreadPoolExecutor

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import NOW
from tests.tracking import SITE, tracked_site

from noctilum.actions import backup, gazetteer, keywords
from noctilum.core.errors import Nonsense
from noctilum.sources import gazetteer as gazetteer_source
from noctilum.sources.gazetteer import COLUMNS, Place, PlaceNames, folded, is_country, known_places
from noctilum.wire.keywords import NewKeyword
from noctilum.wire.places import PlacesQuery

HEAD = ",".join(COLUMNS)


def found(install, text, **more):
    return gazetteer.places(install, PlacesQuery(find=text, **more))


def own(install, *lines) -> None:
    install.places_path.write_text("\n".join([HEAD, *lines]))


def test_countries_regions_and_towns_are_found_by_the_beginning_of_a_name_in_any_writing(install):
    kinds = {(each.kind, each.country) for each in found(install, "nor", limit=100)}
    assert ("country", "NO") in kinds and {kind for kind, _ in kinds} == {"country", "town"}
    assert ("Norfolk", "region", "GB") in {(each.name, each.kind, each.country) for each in found(install, "norfolk")}
    assert found(install, "norw")[0].country == "NO"
    for text in ("ZÜRICH", "zurich", "Zürich"):
        (first, *_) = [each for each in found(install, text) if each.kind == "town"]
        assert (first.country, first.place) == ("CH", "Zürich")
        assert abs(first.latitude - 47.37) < 0.1 and first.people > 100_000
    assert {each.country for each in found(install, "san", country="ES", limit=100)} == {"ES"}
    assert found(install, "norway")[0].place == ""
    assert found(install, "qqqqq") == []


def test_the_largest_come_first_and_own_places_before_them(install):
    towns = [each for each in found(install, "ber", country="DE", limit=30) if each.kind == "town"]
    plain = [each for each in towns if folded(each.name).startswith("ber")]
    assert (towns[0].name, towns[: len(plain)]) == ("Berlin", plain)
    assert [each.people for each in plain] == sorted((each.people for each in plain), reverse=True)
    own(install, "Aldermere,GB,Brineshire,52.214,-1.482", "Berlow,de,,52.5,13.1")
    first = found(install, "ber", country="DE")[0]
    assert (first.name, first.people, first.place) == ("Berlow", 0, "Berlow")
    assert [each.region for each in found(install, "alderm")] == ["Brineshire"]


def test_a_name_that_two_towns_of_a_country_have_is_told_by_coordinates(install):
    own(install, "Twinham,GB,North,54.0,-1.5", "Twinham,GB,South,51.0,-1.25", "Twinham,NO,,60.0,5.0")
    places = {(each.country, each.region): each.place for each in found(install, "twinham")}
    assert places == {("GB", "North"): "54.0000, -1.5000", ("GB", "South"): "51.0000, -1.2500", ("NO", ""): "Twinham"}


@pytest.mark.parametrize(
    ("text", "where"),
    [
        ("town,land\n", "line 1"),
        (f"{HEAD}\nAldermere,GB,,52.2,-1.4\nHaddow,GB,,north,0\n", "line 3"),
        (f"{HEAD}\nAldermere,ZZ,,52.2,-1.4\n", "line 2"),
        (f"{HEAD}\nAldermere,GB,,91,0\n", "line 2"),
        (f"{HEAD}\nAldermere\n", "line 2"),
        (f"{HEAD}\n,GB,,1,2\n", "line 2"),
    ],
)
def test_a_file_of_own_places_at_fault_names_its_line_and_is_read_again_when_mended(install, text, where):
    install.places_path.write_text(text)
    with pytest.raises(Nonsense) as told:
        found(install, "aldermere")
    assert where in told.value.where
    own(install, "Aldermere,GB,,52.2,-1.4")
    assert [each.name for each in found(install, "aldermere")] == ["Aldermere"]


def test_own_places_come_along_with_a_backup(install, tmp_path):
    own(install, "Aldermere,GB,,52.2,-1.4")
    kept = backup.back_up(install, tmp_path / "backups", NOW, single_file=True)
    backup.restore(kept, tmp_path / "again", NOW)
    assert (tmp_path / "again" / "places.csv").read_text() == install.places_path.read_text()


def test_a_keyword_is_of_a_country_that_there_is(install):
    tracked_site(install, NOW, ["ferry"])
    assert is_country("GB") and not is_country("ZZ")
    with pytest.raises(Nonsense, match="'ZZ' is no country"):
        keywords.added(install, NewKeyword(site=SITE, term="boats", country="ZZ"), NOW)


def test_every_name_of_the_packages_is_found_by_itself():
    known = known_places()
    assert len(known.places) > 35_000
    for names, place in zip(known.names[::997], known.places[::997], strict=True):
        assert folded(place.name) in names.split("\n")
        assert place in known.called(folded(place.name))
        assert place.kind != "town" or (abs(place.latitude) <= 90 and abs(place.longitude) <= 180)


def test_the_list_is_made_once_however_many_ask_at_a_time():
    gazetteer_source._known.cache_clear()
    with ThreadPoolExecutor(8) as hands:
        lists = list(hands.map(lambda _: known_places(), range(16)))
    assert len(set(map(id, lists))) == 1 and gazetteer_source._known.cache_info().misses == 1


NAMES = st.text(st.sampled_from("abÄé -"), max_size=5)


@given(st.lists(st.tuples(NAMES, NAMES, NAMES, st.integers(0, 3)), max_size=8), NAMES)
def test_places_are_held_and_called_as_their_names_say_one_by_one(rows, asked):
    places = [
        Place(name, "town", "GB", people=people, other_names=f"{one}\n{other}") for name, one, other, people in rows
    ]
    names = [[folded(each) for each in (place.name, *place.other_names.split("\n"))] for place in places]
    wanted, known = folded(asked), PlaceNames(places)
    held = [place for place, each in zip(places, names, strict=True) if wanted and any(wanted in name for name in each)]
    assert [place for _, place in known.holding(wanted)] == held
    called = [(each, place) for place, each in zip(places, names, strict=True) if wanted and wanted in each]
    firsts = sorted(called, key=lambda each: (next(filter(None, each[0])) != wanted, -each[1].people))
    assert known.called(wanted) == [place for _, place in firsts]
