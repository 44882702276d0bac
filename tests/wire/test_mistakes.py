"""What is wrong with a request is told by the field that people know, and never by how the reader of messages works."""

from __future__ import annotations

import re

import pytest
from pydantic import BaseModel, ValidationError

from openlatch.web.routes import ALL
from openlatch.wire.base import mistakes

TAKEN = sorted(
    {one for routes in ALL for route in routes.all for one in (route.body, route.query) if one is not None},
    key=lambda one: one.__name__,
)
NONSENSE: tuple[object, ...] = ("\x00 no such word", -7, [["no"]], {"no": ["such"]}, None, True)


@pytest.mark.parametrize("message", TAKEN, ids=lambda value: value.__name__)
def test_a_mistake_is_told_once_at_a_place_that_can_be_written(message: type[BaseModel]) -> None:
    for field in message.model_fields:
        for value in NONSENSE:
            try:
                message.model_validate({field: value})
            except ValidationError as error:
                told = [mistake for mistake in mistakes(error) if mistake["at"].split(".")[0] == field]
            else:
                continue
            places = [texts["at"] for texts in told]
            assert all(not re.search(r"[\[\]()]|literal|enum", place) for place in places), places
            assert len(set(places)) == len(places), places
