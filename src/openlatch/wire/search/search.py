"""Finding anything: what is looked for, and what was found."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID

from pydantic import Field

from openlatch.wire.base import Search, Sent, Taken
from openlatch.words import Findable

__all__ = ["FindQuery", "Found", "FoundList"]


class FindQuery(Taken):
    """What is looked for: a part of a name or an address, or a short form; and how many of each kind at most."""

    q: Search
    limit: Annotated[int, Field(ge=1, le=50)] = 5


class Found(Sent):
    """Something that was found: its kind, its name, and what tells it apart from others of that name."""

    kind: Findable
    id: UUID
    ref: str
    name: str
    says: str


class FoundList(Sent):
    """What was found: what has that short form first, then kind by kind."""

    items: list[Found]
