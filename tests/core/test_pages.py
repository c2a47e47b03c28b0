"""A page has one name, whichever way a file or feed writes it."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from noctilum.core.batch import Coded
from noctilum.core.pages import by_path, path_on
from noctilum.testing.batches import search_day

HOST = "skerryferries.example"
DAY = __import__("datetime").date(2026, 3, 1)


@pytest.mark.parametrize(
    ("host", "page", "named"),
    [
        (HOST, "/fares", "/fares"),
        (HOST, "https://skerryferries.example/fares", "/fares"),
        (HOST, "HTTP://SKERRYFERRIES.example:80/fares?a=1", "/fares?a=1"),
        (HOST, "https://skerryferries.example:443", "/"),
        (HOST, "https://skerryferries.example./fares", "/fares"),
        (HOST, "https://skerryferries.example:8443/fares", "https://skerryferries.example:8443/fares"),
        (HOST, "http://skerryferries.example:443/fares", "http://skerryferries.example:443/fares"),
        (HOST, "https://www.skerryferries.example/fares", "https://www.skerryferries.example/fares"),
        (HOST, "ftp://skerryferries.example/fares", "ftp://skerryferries.example/fares"),
        (HOST, "https://skerryferries.example:port/", "https://skerryferries.example:port/"),
        ("fähre.example", "https://xn--fhre-loa.example/preise", "/preise"),
        ("xn--fhre-loa.example", "https://FÄHRE.example/preise", "/preise"),
        ("skerryferries.example/de", "https://skerryferries.example/de/preise", "/de/preise"),
    ],
)
def test_a_page_is_its_path_on_its_own_host_only(host, page, named):
    assert path_on(host, page) == named
    assert path_on(host, named) == named


rows = st.lists(
    st.tuples(
        st.sampled_from(["/a", "https://skerryferries.example/a", "http://skerryferries.example/a", "/b"]),
        st.sampled_from(["ferry", "boat"]),
        st.integers(0, 9),
        st.integers(10, 99),
    ),
    max_size=12,
)


@given(rows)
def test_rows_that_come_to_be_of_one_page_are_added_up(given_rows):
    pages, queries, clicks, shown = (list(part) for part in zip(*given_rows, strict=True)) if given_rows else ([],) * 4
    dims = {"query": Coded.of(queries), "page": Coded.of(pages)}
    whole = np.array(clicks, dtype=np.int64), np.array(shown, dtype=np.int64)
    found = by_path(search_day("pair", DAY, dims, *whole, whole[1] * 3), HOST)
    named = dict.fromkeys((path_on(HOST, page), query) for page, query, _, _ in given_rows)
    told = list(zip(found.dims["page"].decoded(), found.dims["query"].decoded(), strict=True))
    changed = any(page.startswith("http") for page in pages)
    if changed and len(named) < len(given_rows):
        assert set(told) == set(named)
    for page, query in named:
        of = [n for n, each in enumerate(told) if each == (page, query)]
        plain = [row for row in given_rows if (path_on(HOST, row[0]), row[1]) == (page, query)]
        assert int(found.values["clicks"][of].sum()) == sum(row[2] for row in plain)
        assert int(found.values["position_sum"][of].sum()) == 3 * sum(row[3] for row in plain)
    assert found.sums.clicks == sum(clicks)
