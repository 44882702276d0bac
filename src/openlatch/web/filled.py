"""From the core's values to the API's messages: a field is taken from whatever has one of its name."""

from __future__ import annotations

from typing import TypeVar

from pydantic import BaseModel

__all__ = ["filled"]

M = TypeVar("M", bound=BaseModel)
_NONE = object()


def filled(message: type[M], *sources: object, **more: object) -> M:
    """Return a message: each of its fields as given, or else as the first of the sources that has it.

    What is taken is brought to the message's form: enums, tuples and values within values are. Raises TypeError for a
    field that nothing has, so that none keeps its default by mistake.
    """
    for name in message.model_fields:
        if name not in more:
            each_value = next(
                (value for source in sources if (value := getattr(source, name, _NONE)) is not _NONE), _NONE
            )
            if each_value is _NONE:
                raise TypeError(f"nothing has the field “{name}” of {message.__name__}")
            more[name] = each_value
    return message.model_validate(more, from_attributes=True)
