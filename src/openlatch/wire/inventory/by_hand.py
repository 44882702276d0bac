"""What is recorded by hand: entries, and secrets that someone was told."""

from __future__ import annotations

from datetime import date
from typing import Annotated

from pydantic import AwareDatetime, Field, StringConstraints

from openlatch.wire.base import Search, Taken, Text
from openlatch.words import Kind, PartyKind, PartyStatus, Power

__all__ = ["GoneWish", "KeptEntry", "NewSecret"]


class KeptEntry(Taken):
    """An entry to keep by hand; one of the same key, or of the same kind, account and party, is corrected by it.

    An address that comes close to a known one is refused, unless `somebody_else` says that it is not theirs.
    """

    account: Text
    party: Search = ""
    addresses: list[Text] = Field(default_factory=list)
    party_kind: PartyKind = PartyKind.PERSON
    party_status: PartyStatus = PartyStatus.UNKNOWN
    kind: Kind = Kind.DELEGATE
    level: Search = ""
    powers: list[Power] | None = None
    permissions: list[Text] = Field(default_factory=list)
    resources: list[Text] = Field(default_factory=list)
    given_at: AwareDatetime | None = None
    given_by: Search = ""
    last_used: AwareDatetime | None = None
    ends_at: AwareDatetime | date | None = None
    """an instant, or the last day in the workspace's zone"""
    basis: Annotated[str, StringConstraints(strip_whitespace=True, max_length=1000, pattern=r"^[^\x00]*$")] = ""
    key: Search = ""
    somebody_else: bool = False


class GoneWish(Taken):
    """Why an entry that is recorded by hand is known to have ended."""

    reason: Annotated[str, StringConstraints(strip_whitespace=True, max_length=1000, pattern=r"^[^\x00]*$")] = ""


class NewSecret(Taken):
    """That someone was told a password, key or code of an account: a known party, or a name, an address, or both.

    Without `powers`, whoever knows it is taken to be able to do all that anyone can who is let in. An address that
    comes close to a known one is refused, unless `somebody_else` says that it is not theirs.
    """

    account: Text
    who: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=320, pattern=r"^[^\x00]*$")]
    what: Annotated[str, StringConstraints(strip_whitespace=True, max_length=200, pattern=r"^[^\x00]*$")] = ""
    powers: list[Power] = Field(default=[], max_length=len(Power))
    reason: Annotated[str, StringConstraints(strip_whitespace=True, max_length=1000, pattern=r"^[^\x00]*$")] = ""
    somebody_else: bool = False
