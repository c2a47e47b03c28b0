"""What a filter may name on readings of a dataset: each dimension and figure that it tells of, nothing of others."""

from collections.abc import Iterator
from typing import Any
from urllib.parse import quote

import pytest
from tests.running import Live

from noctilum.datasets import DATASETS
from noctilum.wire.catalogue import READINGS

SITE = "hivewright.example"
NARROWED = [name for name in DATASETS if name in READINGS]
OF_PAGES = ("page", "path", "host")


def conditions(kept: dict[str, Any]) -> Iterator[str]:
    """Write a condition on each field, as somebody would who is told of the dataset."""
    for dimension in kept["dimensions"]:
        for name in OF_PAGES if dimension["name"] == "page" else (dimension["name"],):
            yield f'{name} is not "nowhere"'
    for measure in kept["measures"]:
        yield f"{measure['name']} >= 0"
        yield f"change in {measure['name']} > -1000000"


def asked(live: Live, name: str, condition: str) -> Any:
    return live.get(f"/sites/{SITE}/{READINGS[name].address}?window=P84D&filter={quote(condition)}")


@pytest.mark.parametrize("name", NARROWED)
def test_each_dimension_and_figure_that_a_dataset_tells_of_is_a_field(live: Live, name: str):
    (kept,) = [each for each in live.get("/datasets").json() if each["name"] == name]
    found = {condition: asked(live, name, condition) for condition in conditions(kept)}
    assert len(found) > 2
    refused = {condition: answer.json() for condition, answer in found.items() if answer.status_code != 200}
    assert not [each for each in refused.values() if each["code"] != "nothing-held"], refused


@pytest.mark.parametrize("name", NARROWED)
def test_a_field_of_nothing_there_is_refused_where_it_stands(live: Live, name: str):
    answer = asked(live, name, 'nosuch is "x"')
    assert answer.status_code in {400, 422}
    assert "nosuch" in answer.json()["title"]
    assert "column" in answer.json()["where"]
