"""How values are kept as jsonb, and read again."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from datetime import datetime
from typing import Any
from uuid import UUID

import orjson

from openlatch.core.model import Author
from openlatch.core.reviews.plans import LeftOpen

__all__ = ["left_open_values", "plain", "read_author", "read_left_open"]


def read_left_open(stored: Mapping[str, Any] | None) -> LeftOpen | None:
    """Return what is left open, as it was stored."""
    if stored is None:
        return None
    at = datetime.fromisoformat(stored["at"])
    return LeftOpen(stored["reason"], read_author(stored["owner"]), read_author(stored["by"]), at)


def left_open_values(left: LeftOpen) -> dict[str, Any]:
    """Return what is left open, to be stored."""
    return {
        "reason": left.reason,
        "owner": plain(asdict(left.owner)),
        "by": plain(asdict(left.by)),
        "at": left.at.isoformat(),
    }


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
