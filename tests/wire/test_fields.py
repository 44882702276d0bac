"""The description of the API: every field and parameter says what it is, and every example is what it is one of."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime
from typing import Any

import pytest
from jsonschema import Draft202012Validator

from openlatch.web.api import Route
from openlatch.web.app import description
from openlatch.wire.fields import lines
from tests.harness.routes import ROUTES

API = description()
SCHEMAS = API["components"]["schemas"]
OPERATIONS = [one for methods in API["paths"].values() for one in methods.values()]
TAKING = [route for route in ROUTES if route.body is not None]
CHECK = Draft202012Validator.FORMAT_CHECKER


@CHECK.checks("date-time", raises=ValueError)
def _instant(value: object) -> bool:
    return not isinstance(value, str) or datetime.fromisoformat(value).tzinfo is not None


def faults(schema: dict[str, Any], example: Any) -> list[str]:
    whole = schema | {"components": API["components"]}
    return [error.message for error in Draft202012Validator(whole, format_checker=CHECK).iter_errors(example)]


def fields() -> Iterator[tuple[str, dict[str, Any]]]:
    for name, schema in SCHEMAS.items():
        for field, said in schema.get("properties", {}).items():
            yield f"{name}.{field}", said


def parameters() -> Iterator[tuple[str, dict[str, Any]]]:
    for operation in OPERATIONS:
        for one in operation["parameters"]:
            yield f"{operation['operationId']}, {one['in']} {one['name']}", one


def test_every_field_and_parameter_says_what_it_is_in_a_sentence() -> None:
    said = {where: field.get("description", "") for where, field in [*fields(), *parameters()]}
    assert len(said) > 1500
    assert [where for where, text in said.items() if len(text.split()) < 2] == []


def test_every_example_of_a_field_is_one() -> None:
    shown = [(where, schema) for where, schema in fields() if "examples" in schema]
    shown += [(where, one["schema"]) for where, one in parameters() if "examples" in one["schema"]]
    wrong = {where: faults(schema, schema["examples"][0]) for where, schema in shown}
    assert len(shown) > 1500
    assert {where: what for where, what in wrong.items() if what} == {}


def test_every_field_has_an_example_or_is_a_message_that_has() -> None:
    bare = [where for where, schema in fields() if "examples" not in schema and "$ref" not in str(schema)]
    bare += [where for where, one in parameters() if "header" not in where and "examples" not in one["schema"]]
    assert bare == []


def test_every_example_of_an_answer_is_one() -> None:
    wrong, seen = {}, 0
    for operation in OPERATIONS:
        for status, answer in operation["responses"].items():
            content = answer.get("content", {}).get("application/json", {})
            if "example" in content:
                seen += 1
                wrong[operation["operationId"], status] = faults(content["schema"], content["example"])
    assert seen > 150
    assert {where: what for where, what in wrong.items() if what} == {}


@pytest.mark.parametrize("route", TAKING, ids=lambda route: route.name)
def test_every_example_of_a_request_is_taken(route: Route) -> None:
    operation = next(one for one in OPERATIONS if one["operationId"] == route.name)
    shown = operation["requestBody"]["content"]["application/json"]["example"]
    assert route.body is not None
    route.body.model_validate(shown)


def test_nothing_is_described_that_there_is_not() -> None:
    names = {where.partition(".")[2] for where, _ in fields()} | {where.rpartition(" ")[2] for where, _ in parameters()}
    exact = {where for where, _ in fields()} | {f"{one['in']}.{one['name']}" for _, one in parameters()}
    assert [line for line in lines() if line not in names | exact] == []
