"""How values are kept as jsonb, and read again."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import orjson

__all__ = [
    "authored",
    "plain",
]


def plain(value: object) -> Any:
    """Return a value as jsonb takes it: ids and instants as text, sets in order."""
    return orjson.loads(orjson.dumps(value, default=_sorted, option=orjson.OPT_NON_STR_KEYS))


def _sorted(value: object) -> object:
    if isinstance(value, frozenset):
        return sorted(value)
    raise TypeError(type(value))


def authored(stored: Mapping[str, Any], *names: str) -> dict[str, Any]:
    """Return a structure with whoever acted under these names as it is kept now: once that was the name alone."""
    texts = {name: {"name": stored[name], "id": None} for name in names if isinstance(stored.get(name), str)}
    return {**stored, **texts}
