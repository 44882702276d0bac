"""What the queries of every noun share: the session, the workspace, and finding a thing by what people type."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TypeVar
from uuid import UUID

from sqlalchemy.orm import Session

from openlatch.core.ids import normal_ref, ref_of
from openlatch.errors import Invalid, NotFound

__all__ = ["Noun", "id_or_ref", "missing", "the_one"]

T = TypeVar("T")


class Noun:
    """The queries of one noun in one workspace and one transaction."""

    def __init__(self, session: Session, workspace_id: UUID) -> None:
        self._session = session
        self._workspace_id = workspace_id


def id_or_ref(text: str) -> UUID | str | None:
    """Return what a person typed as an id, as a ref in its one spelling, or None if it can be neither."""
    try:
        return UUID(text)
    except ValueError:
        return normal_ref(text)


def the_one(noun: str, text: str, found: Sequence[T], told: Callable[[T], tuple[UUID, str, str]]) -> T:
    """Return the one thing that a person means; `told` gives the id of each, its name, and what tells it apart.

    A short form is meant before a name; a name identifies nothing by itself, and where it fits several, raises Invalid
    with all of them.
    """
    ref = normal_ref(text)
    named = [one for one in found if told(one)[1].casefold() == text.strip().casefold()]
    meant = [one for one in found if ref_of(told(one)[0]) == ref or str(told(one)[0]) == text.strip().lower()] or named
    if not meant:
        raise missing(noun, text)
    if len(meant) > 1:
        each = "; ".join(
            f"{ref_of(one)} ({', '.join(filter(None, [name, more]))})" for one, name, more in map(told, meant)
        )
        raise Invalid(
            f"“{text}” fits {len(meant)} {plural(noun)}. Nothing was changed.",
            next_step=f"Name one by its short form: {each}",
            errors=[{"at": noun, "problem": f"fits {len(meant)}"}],
        )
    return meant[0]


def plural(noun: str) -> str:
    return f"{noun[:-1]}ies" if noun.endswith("y") else f"{noun}s"


def missing(noun: str, what: object) -> NotFound:
    """The error for a thing that is not in this workspace."""
    return NotFound(
        f"There is no {noun} “{what}” in this workspace.",
        next_step=f"List what there is, and use the id or the short form of one {noun}.",
        noun=noun,
        id=str(what),
    )
