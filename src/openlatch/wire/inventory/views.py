"""Saved views of the inventory."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID

from pydantic import StringConstraints

from openlatch.wire.base import Page, Sent, Taken, Text

__all__ = ["NewView", "View", "ViewList"]


class View(Sent):
    """A view of the inventory that someone saved: a search, filters and an order, as the query of an address."""

    id: UUID
    name: str
    query: str


class NewView(Taken):
    """A view to save; one of the same name is replaced."""

    name: Text
    query: Annotated[str, StringConstraints(max_length=2000, pattern=r"^[^\x00]*$")]


class ViewList(Page[View]):
    """Views of one person, by name."""
