"""Who is perhaps the same as whom, and what people have said of that."""

from datetime import datetime
from typing import Annotated
from uuid import UUID

from pydantic import Field

from openlatch.wire.base import Page, Ref, Search, Sent, Taken
from openlatch.wire.inventory.parties import Party
from openlatch.words import Doubt, Resemblance, Verdict

__all__ = [
    "Alike",
    "AlikeParty",
    "AlikeQuery",
    "AlikeReason",
    "JoinWish",
    "KeyList",
    "KnownAs",
    "Parting",
    "PerhapsTheSame",
    "SamenessDecision",
    "SamenessDecisionList",
]

Why = Annotated[str, Field(max_length=1000, description="why; kept with the decision and in the log")]


class KnownAs(Sent):
    """What one provider knows a party by: its own key, with the name and the addresses that go with it there."""

    provider: Ref
    key: str
    name: str
    addresses: list[str]


class KeyList(Sent):
    """All that providers know a party by."""

    items: list[KnownAs]


class AlikeReason(Sent):
    """Something that two parties have in common; `says` is the sentence."""

    what: Resemblance
    value: str
    doubt: Doubt | None
    says: str


class AlikeParty(Sent):
    """One of two parties that are perhaps the same."""

    party: Party
    keys: list[KnownAs]


class Alike(Sent):
    """Two parties that are perhaps the same, with what they have in common, the strongest reason first."""

    one: AlikeParty
    other: AlikeParty
    reasons: list[AlikeReason]


class PerhapsTheSame(Sent):
    """All parties that are perhaps the same, two by two."""

    items: list[Alike]


class AlikeQuery(Taken):
    """Of which party, by id, short form or address; of all, if it is empty."""

    party: Search = ""


class JoinWish(Taken):
    """The other party, by id, short form or address."""

    other: str = Field(min_length=1, max_length=200)
    reason: Why = ""


class Parting(Taken):
    """What is to be a party of its own: the key by which one provider knows it."""

    provider: str = Field(min_length=1, max_length=200)
    key: str = Field(min_length=1, max_length=1000)
    reason: Why = ""


class SamenessDecision(Sent):
    """What someone said of two parties: that they are one (`joined`, the second became the first), that they are two
    (`apart`), or that what was one are two (`parted`). `undone_at` is null while it holds.
    """

    id: UUID
    ref: str
    verdict: Verdict
    one: Ref
    other: Ref
    reason: str
    decided_by: str
    decided_by_id: UUID | None
    decided_at: datetime
    undone_by: str | None
    undone_by_id: UUID | None
    undone_at: datetime | None


class SamenessDecisionList(Page[SamenessDecision]):
    """Decisions about parties, the latest first."""
