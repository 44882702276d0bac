"""The log: events in one canonical form, each linked to the one before, so that no change goes unnoticed.

An event's canonical form is JSON as in RFC 8785 (ASCII keys, no floats, integers below 2^53). Its link is
SHA-256 over the link before it and the canonical form; whoever has kept one link can check everything up to it.
"""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any, NamedTuple
from uuid import UUID

import orjson

from openlatch.errors import Invalid

__all__ = ["START", "Break", "Event", "Sealed", "canonical", "form_of", "link", "linked"]

START = "0" * 64
"""The link before the first event."""

_LARGEST = 2**53 - 1


@dataclass(frozen=True, slots=True)
class Event:
    """Something that happened: who did what to which subject, on whose behalf, with the facts before and after.

    `actor_id` and `on_behalf_of_id` are those of people of the workspace: names alone do not tell two people apart.
    `subject` is such as `entry` or `order`, with the subject's id; `facts` hold only what JSON can hold exactly.
    """

    id: UUID
    at: datetime
    actor: str
    act: str
    subject: str
    subject_id: UUID
    facts: Mapping[str, Any]
    on_behalf_of: str = ""
    actor_id: UUID | None = None
    on_behalf_of_id: UUID | None = None

    def content(self) -> dict[str, Any]:
        """Return what is sealed of the event: all of it."""
        return {
            "id": str(self.id),
            "at": self.at.isoformat(timespec="microseconds"),
            "actor": self.actor,
            "actor_id": str(self.actor_id or ""),
            "on_behalf_of": self.on_behalf_of,
            "on_behalf_of_id": str(self.on_behalf_of_id or ""),
            "act": self.act,
            "subject": self.subject,
            "subject_id": str(self.subject_id),
            "facts": dict(self.facts),
        }


class Sealed(NamedTuple):
    """A sealed event: its place in the log (from 1), its content and its link, 64 hex digits."""

    number: int
    content: Mapping[str, Any]
    link: str


@dataclass(frozen=True, slots=True)
class Break:
    """The first place at which a log does not hold together, and why."""

    number: int
    why: str


def canonical(content: Mapping[str, Any]) -> bytes:
    """Return an event's one canonical form (RFC 8785); refuses what has no exact form there."""
    _check(content, "event")
    return form_of(content)


def link(before: str, content: Mapping[str, Any]) -> str:
    """Return the link of an event that follows the link `before`."""
    return linked(before, canonical(content))


def linked(before: str, form: bytes) -> str:
    """Return the link of an event with this canonical form that follows the link `before`."""
    return hashlib.sha256(bytes.fromhex(before) + form).hexdigest()


def form_of(content: Mapping[str, Any]) -> bytes:
    """Return the canonical form of what was sealed already: whether it has one was looked at then.

    Two contents never have the same one, whatever they hold.
    """
    return orjson.dumps(content, option=orjson.OPT_SORT_KEYS)


def _check(value: object, where: str) -> None:
    if value is None or isinstance(value, str | bool):
        return
    if isinstance(value, int):
        if abs(value) > _LARGEST:
            raise Invalid(f"{where} holds {value}, which is too large to be exact in the log.")
    elif isinstance(value, float):
        raise Invalid(f"{where} holds the fraction {value}, which has no exact form in the log.")
    elif isinstance(value, dict | Mapping):
        for key, inner in value.items():
            if not isinstance(key, str) or not key.isascii():
                raise Invalid(f"{where} has the key {key!r}; keys in the log are plain ASCII words.")
            if type(inner) is not str:
                _check(inner, f"{where}.{key}")
    elif isinstance(value, list | tuple):
        for place, inner in enumerate(value):
            _check(inner, f"{where}[{place}]")
