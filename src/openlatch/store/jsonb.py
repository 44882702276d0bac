"""How values are kept as jsonb, and read again."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any
from uuid import UUID

import orjson

from openlatch.core.model import Author

__all__ = [
    "plain",
    "read_author",
]


def plain(value: object) -> Any:
    """Return a value as jsonb takes it: ids and instants as text, sets in order."""
    return orjson.loads(orjson.dumps(value, default=_sorted, option=orjson.OPT_NON_STR_KEYS))


def _sorted(value: object) -> object:
    if isinstance(value, frozenset):
        return sorted(value)
    raise TypeError(type(value))


def read_author(stored: str | Mapping[str, Any]) -> Author:
    """Return whoever did something, as it was stored: by name alone before ids were kept."""
    if isinstance(stored, str):
        return Author(stored)
    return Author(stored["name"], UUID(stored["id"]) if stored["id"] else None)
