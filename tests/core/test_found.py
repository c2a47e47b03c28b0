"""What a lookup comes to: the site's own place, everybody's best, features and who they lead to."""

import random
from collections import defaultdict
from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from noctilum.core.curve import reference_rates
from noctilum.core.found import (
    LISTED,
    Feature,
    Found,
    Result,
    day_of,
    domain_of,
    is_own,
    opened,
    own_part,
    page_of,
    placed,
    written,
)

SITE, DAY = "skerryferries.example", date(2026, 3, 20)
RIVALS = ("islehopper.example", "www.soundcrossings.example", "tangandjar.example")


def some_lookups(seed: int, many: int = 40) -> list[tuple[tuple[str, str, str, str, str], Found]]:
    draw = random.Random(seed)
    lookups = []
    for n in range(many):
        hosts = [draw.choice((*RIVALS, SITE, f"www.{SITE}", f"stranger{draw.randrange(9)}.example")) for _ in range(25)]
        results = tuple(Result(rank, f"https://{host}/{draw.randrange(3)}") for rank, host in enumerate(hosts, 1))
        kinds = draw.sample(["snippet", "video", "map"], draw.randrange(4))
        features = tuple(
            Feature(kind, draw.randrange(1, 9), (f"https://{draw.choice((SITE, RIVALS[0]))}/",)) for kind in kinds
        )
        name = f"term {n % 31}", "en-GB", draw.choice(("", "Aldermere")), draw.choice(("desktop", "mobile")), "Quillon"
        lookups.append((name, Found(results if draw.random() > 0.1 else (), features)))
    return lookups


@pytest.mark.parametrize("seed", range(5))
def test_the_rows_of_a_day_add_up_to_what_plain_loops_over_its_results_give(seed):
    lookups = some_lookups(seed)
    made = day_of(SITE, DAY, lookups)
    checks, found, ranks, spots, pages = 0, 0, 0, 0, 0
    domains: dict[str, list[float]] = defaultdict(lambda: [0, 0, 0.0])
    features: dict[str, list[int]] = defaultdict(lambda: [0, 0])
    for _, page in lookups:
        checks += 1
        own = [r for r in page.results if r.url.split("/")[2].removeprefix("www.") == SITE]
        if own:
            found, ranks, pages = found + 1, ranks + own[0].rank, pages + len({r.url for r in own})
            spots += own[0].rank + sum(f.above <= own[0].rank for f in page.features)
        best: dict[str, int] = {}
        for result in page.results[:LISTED]:
            best.setdefault(result.url.split("/")[2].removeprefix("www."), result.rank)
        for domain, rank in best.items():
            sums = domains[domain]
            sums[0], sums[1], sums[2] = sums[0] + 1, sums[1] + rank, sums[2] + reference_rates(LISTED)[rank - 1]
        for feature in page.features:
            features[feature.kind][0] += 1
            features[feature.kind][1] += SITE in feature.owners[0]
    sums = made["ranks"].figures
    assert sums == {
        "checks": checks, "found": found, "rank_milli": 1000 * ranks, "spot_milli": 1000 * spots, "pages": pages,
    }  # fmt: skip
    listed: dict[str, list[float]] = defaultdict(lambda: [0, 0, 0.0])
    batch = made["listings"]
    for n, domain in enumerate(batch.dims["domain"].decoded()):
        listed[domain][0] += int(batch.values["seen"][n])
        listed[domain][1] += int(batch.values["listed_sum"][n])
        listed[domain][2] += int(batch.values["worth"][n]) / 1e6
    assert {k: v[:2] for k, v in listed.items()} == {k: v[:2] for k, v in domains.items()}
    assert all(listed[k][2] == pytest.approx(domains[k][2], abs=1e-4) for k in domains)
    shown: dict[str, list[int]] = defaultdict(lambda: [0, 0])
    for n, kind in enumerate(made["features"].dims["feature"].decoded()):
        shown[kind][0] += int(made["features"].values["present"][n])
        shown[kind][1] += int(made["features"].values["owned"][n])
    assert shown == features
    led: dict[tuple[str, str, str], int] = defaultdict(int)
    for named, found in lookups:
        pairs = {(f.kind, domain_of(url)) for f in found.features for url in f.owners}
        for kind, domain in pairs:
            led[named[0], kind, domain] += 1
    cited: dict[tuple[str, str, str], int] = defaultdict(int)
    names = zip(*(made["citations"].dims[name].decoded() for name in ("keyword", "feature", "domain")), strict=True)
    for n, name in enumerate(names):
        cited[name] += int(made["citations"].values["led"][n])
    assert cited == led


def test_a_site_below_a_path_has_only_what_is_below_it():
    page = Found(
        (Result(1, "https://skerryferries.example/fares"), Result(2, "https://skerryferries.example/de/preise"))
    )
    assert placed("skerryferries.example/de", page).rank == 2
    assert placed("skerryferries.example", page) == placed("skerryferries.example", page)
    assert (placed(SITE, page).rank, placed(SITE, page).pages) == (1, 2)
    assert not is_own("skerryferries.example/de", "https://skerryferries.example/deals")
    assert page_of(SITE, "https://www.skerryferries.example/fares?day=1") == "/fares?day=1"
    assert domain_of("https://notskerryferries.example/") != SITE


TEXTS = st.text(st.characters(exclude_categories=("Cs",)), max_size=30)


@given(
    st.lists(st.tuples(TEXTS, TEXTS), max_size=8), st.lists(st.tuples(TEXTS, st.lists(TEXTS, max_size=3)), max_size=4)
)
def test_an_answer_that_was_written_down_reads_back_as_it_was(results, features):
    found = Found(
        tuple(Result(rank, url, title) for rank, (url, title) in enumerate(results, 1)),
        tuple(Feature(kind, 1, tuple(owners)) for kind, owners in features),
    )
    kept = opened(written(("a", "en-GB", "", "desktop", "Quillon"), found, ("one", "two")))
    assert (kept.found, kept.doubts) == (found, ("one", "two"))


@pytest.mark.parametrize(
    "body", [b"", b"[]", b"{}", b'{"n":[],"r":[],"f":[],"d":[]}', b'{"n":"abcde","r":[[1]],"f":[],"d":[]}']
)
def test_what_is_no_answer_is_refused_and_never_guessed(body):
    with pytest.raises(ValueError, match="no kept answer"):
        opened(body)


def test_the_own_part_changes_with_rank_page_and_what_leads_to_the_site_and_with_nothing_else():
    page = Found((Result(1, "https://a.example/"), Result(2, f"https://{SITE}/x")), (Feature("map", 1, ()),))
    other = Found((Result(1, "https://b.example/"), Result(2, f"https://{SITE}/x")), (Feature("video", 1, ()),))
    assert own_part(SITE, page) == own_part(SITE, other)
    for changed in (
        Found((Result(1, f"https://{SITE}/x"),)),
        Found((Result(1, "https://a.example/"), Result(2, f"https://{SITE}/y"))),
        Found(page.results, (Feature("map", 1, (f"https://{SITE}/",)),)),
        Found(()),
    ):
        assert own_part(SITE, changed) != own_part(SITE, page)
