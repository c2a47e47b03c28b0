"""The models of the wire, all of them: what asks refuses what it does not know, what answers ignores it."""

import importlib
import json
import pkgutil
from typing import get_args

import pytest
from pydantic import BaseModel, ValidationError

import noctilum.wire
from noctilum.wire import base
from noctilum.wire.questions import Question

for each in pkgutil.iter_modules(noctilum.wire.__path__):
    importlib.import_module(f"noctilum.wire.{each.name}")


def below(model: type[BaseModel]) -> list[type[BaseModel]]:
    """Every model of the wire made from one."""
    found = [model, *(more for child in model.__subclasses__() for more in below(child))]
    return [each for each in dict.fromkeys(found) if each.__module__.startswith("noctilum.wire.")]


BROUGHT = ("noctilum.wire.handed", "noctilum.wire.manifest")
"""Files of newer versions are taken in: what they say besides is passed over."""
REQUESTS = below(base.Asked)
ANSWERS = [model for model in below(base.Wire) if model not in REQUESTS]
QUESTIONS = below(Question)
each_request = pytest.mark.parametrize("model", REQUESTS, ids=lambda model: model.__name__)


def refused(model: type[BaseModel], body: str) -> dict[str, set[str]]:
    """What a model says of each field of a body: the kinds of its errors."""
    found: dict[str, set[str]] = {}
    try:
        model.model_validate_json(body)
    except ValidationError as why:
        for error in why.errors():
            found.setdefault(str(error["loc"][0]) if error["loc"] else "", set()).add(error["type"])
    return found


def kinds(annotation) -> set[type]:
    """The plain types that an annotation is made of."""
    inner = [each for part in get_args(annotation) for each in kinds(part)]
    return {annotation, *inner} if isinstance(annotation, type) else set(inner)


def test_there_are_many():
    assert len(REQUESTS) > 60
    assert len(ANSWERS) > 250
    assert len(QUESTIONS) > 80


@each_request
def test_a_request_refuses_a_field_that_it_does_not_know(model):
    told = refused(model, '{"weather": 1}').get("weather")
    assert told == (None if model.__module__ in BROUGHT else {"extra_forbidden"})


@pytest.mark.parametrize("model", ANSWERS, ids=lambda model: model.__name__)
def test_an_answer_ignores_a_field_that_it_does_not_know(model):
    assert "weather" not in refused(model, '{"weather": 1}')


@each_request
def test_a_request_refuses_numbers_that_cannot_be_kept(model):
    for name, field in model.model_fields.items():
        found = kinds(field.annotation)
        if int in found and not found & {str, list, dict, tuple, frozenset}:
            assert name in refused(model, json.dumps({name: 2**63})), name
            assert name in refused(model, json.dumps({name: "1e3"})), name
        if float in found and not found & {str, list, dict, tuple}:
            for written in ("NaN", "Infinity", "-Infinity", "1e999"):
                assert name in refused(model, f'{{"{name}": {written}}}'), (name, written)


@each_request
def test_a_request_refuses_texts_that_cannot_be_kept(model):
    for name, field in model.model_fields.items():
        found = kinds(field.annotation)
        if str in found and not found & {list, dict, tuple, frozenset} and not issubclass_of_model(found):
            for text in ("a\x00b", "a\ud800b"):
                assert name in refused(model, json.dumps({name: text})) or "" in refused(
                    model, json.dumps({name: text})
                )


def issubclass_of_model(found: set[type]) -> bool:
    return any(issubclass(each, BaseModel) for each in found)


@pytest.mark.parametrize("model", QUESTIONS, ids=lambda model: model.__name__)
def test_a_question_refuses_parameters_that_it_does_not_know_and_numbers_that_cannot_be(model):
    """As they stand in an address: texts."""
    assert refused(model, '{"weather": "1"}')["weather"] == {"extra_forbidden"}
    for name, field in model.model_fields.items():
        found = kinds(field.annotation)
        if int in found and not found & {list, tuple, dict, frozenset}:
            for written in (str(2**63), str(-(2**63) - 1), "1e3", "one"):
                assert name in refused(model, json.dumps({name: written})), (name, written)
