"""Saved views of lists."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID

from pydantic import StringConstraints

from openlatch.wire.base import Page, Sent, Taken, Text
from openlatch.words import Listable

__all__ = ["NewView", "View", "ViewList"]


class View(Sent):
    """A view of a list that someone saved: a search, filters and an order, as the query of an address."""

    id: UUID
    of: Listable
    name: str
    query: str


class NewView(Taken):
    """A view to save; one of the same list and name is replaced."""

    of: Listable = Listable.ENTRIES
    name: Text
    query: Annotated[str, StringConstraints(max_length=2000, pattern=r"^[^\x00]*$")]


class ViewList(Page[View]):
    """Views of one person, by name."""
