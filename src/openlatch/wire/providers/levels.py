"""The words of a provider, and what they mean."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import StringConstraints

from openlatch.wire.base import Page, Sent, Taken
from openlatch.words import Origin, Power

__all__ = ["Level", "LevelCorrection", "LevelList"]


class Level(Sent):
    """A level or permission in a provider's words, and what it means in plain powers.

    `origin` says who says so: `corrected` the holder, `stated` the provider with each entry, `built-in` the
    connector; `unknown` words have no meaning yet. `entries` counts the standing ones that carry it.
    """

    word: str
    kind: Literal["level", "permission"]
    powers: list[Power]
    origin: Origin
    entries: int
    corrected_by: str
    corrected_at: datetime | None


class LevelCorrection(Taken):
    """What a word means at a provider; `powers` null takes a correction back."""

    word: Annotated[str, StringConstraints(min_length=1, max_length=2000, pattern=r"^[^\x00]*$")]
    powers: list[Power] | None


class LevelList(Page[Level]):
    """Words of one provider, the unknown ones first."""
