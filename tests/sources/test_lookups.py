"""Answers of lookups, honest and hostile: what may be kept is kept, what may not is told, nothing else is harmed."""

import pytest
from tests.conftest import credential
from tests.opened import opened

from noctilum.core.errors import FeedFault
from noctilum.sources.contract import FeedSettings
from noctilum.sources.lookups import BATCH, Look, OpenLookups, address_of, settled

LOOK = Look("bee smoker", "Quillon", "en", "GB", "", "desktop", 20)


def result(rank: object, url: object = "https://a.example/x", title: object = "A") -> dict[str, object]:
    return {"rank": rank, "url": url, "title": title, "kind": "page"}


def told(results: object, features: object = (), **more: object) -> dict[str, object]:
    return {"state": "found", "term": "bee smoker", "results": results, "features": list(features), **more}


def test_an_honest_answer_is_kept_whole():
    answer = settled(
        LOOK, told([result(1), result(2, "https://b.example/")], [{"kind": "Video", "above": 2, "owners": []}])
    )
    assert answer.found is not None and not answer.doubts
    assert [(each.rank, each.url) for each in answer.found.results] == [
        (1, "https://a.example/x"),
        (2, "https://b.example/"),
    ]
    assert answer.found.features[0].kind == "video"


@pytest.mark.parametrize(
    ("told_", "why"),
    [
        (None, "it was not answered"),
        ({"state": "failed", "why": "The engine\nis <b>down</b>"}, "The engine"),
        (told([result(1)]) | {"term": "honey"}, "another term"),
        (told([result(1)]) | {"term": ["bee smoker"]}, "another term"),
        ({"state": 7}, "failed"),
    ],
)
def test_what_is_no_answer_to_this_lookup_is_refused_whole(told_, why):
    answer = settled(LOOK, told_)
    assert answer.found is None
    assert why in answer.why and "\n" not in answer.why


def test_ten_thousand_results_are_cut_to_what_was_asked_for():
    answer = settled(LOOK, told([result(n, f"https://a{n}.example/") for n in range(1, 10_001)]))
    assert answer.found is not None and len(answer.found.results) == 20
    assert answer.doubts[0].startswith("10000 results where 20 were asked for")


def test_ranks_that_come_twice_or_out_of_order_are_put_right_and_told():
    rows = [
        result(3, "https://c.example/"),
        result(1),
        result(1, "https://d.example/"),
        result(2, "https://b.example/"),
    ]
    answer = settled(LOOK, told(rows))
    assert answer.found is not None
    assert [(each.rank, each.url[8]) for each in answer.found.results] == [(1, "a"), (2, "b"), (3, "c")]
    assert any("rank 1 comes twice" in doubt for doubt in answer.doubts)
    assert any("out of order" in doubt for doubt in answer.doubts)


@pytest.mark.parametrize("rank", [0, -1, 1.5, "1", True, None, 10**30])
def test_a_rank_that_is_none_leaves_its_result_out_and_no_other(rank):
    answer = settled(LOOK, told([result(rank, "https://bad.example/"), result(2, "https://b.example/")]))
    assert answer.found is not None
    assert [each.url for each in answer.found.results] == ["https://b.example/"]


@pytest.mark.parametrize(
    "url",
    [
        "javascript:alert(1)", "data:text/html,x", "//a.example/", "https://", "https://a .example/", "ftp://a.example/",
        "https://a.example/\n", "https://u:p@a.example/", "https://localhost/", "https://[::1", 7, None,
        "https://a." + "x" * 3000,
        "https://a.example/\u202egpj.exe",
    ],
)  # fmt: skip
def test_an_address_that_is_none_is_left_out_and_told(url):
    assert address_of(url) is None
    answer = settled(LOOK, told([result(1, url), result(2, "https://b.example/")]))
    assert answer.found is not None and [each.rank for each in answer.found.results] == [2]
    assert any("left out" in doubt for doubt in answer.doubts)


def test_titles_with_scripts_and_control_signs_are_plain_text_of_one_line():
    answer = settled(LOOK, told([result(1, title="<script>alert(1)</script>\x00\u202e\nnext" * 50)]))
    assert answer.found is not None
    title = answer.found.results[0].title
    assert len(title) <= 200 and not set(title) & {"\x00", "\u202e", "\n"}


@pytest.mark.parametrize("results", [None, "x", {}, 7, [7], ["x"], [None]])
def test_results_that_are_no_list_of_results_are_none_and_told(results):
    answer = settled(LOOK, told(results))
    assert answer.found is not None and answer.found.results == () and answer.doubts


@pytest.mark.parametrize("features", [["x"], [{}], [{"kind": 7, "owners": "x"}], [{"kind": "v", "above": "1"}] * 99])
def test_features_that_are_none_are_left_out_and_harm_no_result(features):
    answer = settled(LOOK, told([result(1)], features))
    assert answer.found is not None and len(answer.found.results) == 1
    assert len(answer.found.features) <= 30


@pytest.fixture
def connector(feed) -> OpenLookups:
    given = credential(feed)
    told = {"url": given["url"], "client_id": given["account"], "client_secret": given["secret"]}
    return opened(OpenLookups(FeedSettings.model_validate(told | {"inside": ("127.0.0.1",)})))


def test_the_desk_is_listed_and_answers_each_lookup_of_a_batch_in_its_place(connector):
    found = connector.properties()
    assert [(each.id, each.kind) for each in found] == [("lookups", "lookups")]
    looks = [Look(f"honey {n}", "Quillon", "en", "GB", "", "desktop", 10) for n in range(BATCH)]
    answers = connector.look_up(looks)
    assert [answer.look for answer in answers] == looks
    assert all(answer.found and len(answer.found.results) == 10 for answer in answers)
    again = connector.look_up(looks[::-1])[::-1]
    assert [each.found for each in again] == [each.found for each in answers]


def test_a_desk_that_says_no_as_a_whole_raises(connector, feed):
    too_many = [Look("x", "Quillon", "en", "GB", "", "desktop")] * (BATCH + 1)
    with pytest.raises(FeedFault, match="At most 100"):
        connector.look_up(too_many)
    assert connector.days(None, None) == []
