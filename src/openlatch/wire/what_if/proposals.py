"""What-if: proposals, and what each version of one would change."""

from datetime import datetime
from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import Field

from openlatch.wire.base import Page, PageQuery, Ref, Search, Sent, Taken
from openlatch.words import Power, Severity, Subject

__all__ = [
    "Ability",
    "ApplyWish",
    "CompareQuery",
    "ComparedLine",
    "OfferPreview",
    "OutcomeFlag",
    "OutcomeRisk",
    "Proposal",
    "ProposalBody",
    "ProposalList",
    "ProposalOutcome",
    "ProposalQuery",
    "ProposalRun",
    "ReadAt",
    "ShareQuery",
    "Shares",
    "Shift",
    "Versions",
]


class ProposalBody(Taken):
    """A proposal in its own format; docs/reference/proposal.schema.json describes it."""

    body: dict[str, Any]


class ShareQuery(Taken):
    """Which part of an account is wanted; left out, all of them."""

    part: Search | None = None


class Shares(Sent):
    """What shares the parts of an account, each as a `share` of a proposal; docs/reference/proposal.schema.json."""

    items: list[dict[str, Any]]


class Ability(Sent):
    """Powers that hold at the same times from the same networks; empty is without a limit.

    `but`: from anywhere except these networks. `in_part`: at some of these hours only from some of these networks.
    With `witness` the answer is a summary: the powers hold at least then.
    """

    powers: list[Power]
    hours: str
    networks: list[str]
    in_part: bool = False
    witness: str = ""
    but: list[str] = Field(default=[])


class Shift(Sent):
    """What changes for someone on an account, or on some parts of it; `party` is empty where nobody known is meant."""

    who: str
    party: str
    outside: bool
    account: Ref
    resources: list[str]
    gained: list[Ability]
    lost: list[Ability]


class OutcomeFlag(Sent):
    """A flag that would be raised, cleared or changed."""

    rule: str
    title: str
    severity: Severity
    subject: Subject
    about: str
    reason: str


class OutcomeRisk(Sent):
    """How the risk of an account or a party would move."""

    subject: Literal["account", "party"]
    about: str
    before: int
    after: int


class ReadAt(Sent):
    """How old what is known of a provider was."""

    provider: str
    read_at: datetime | None
    stale: bool


class ProposalOutcome(Sent):
    """What a proposal would change; those outside the circle come first. `more_shifts` were left out."""

    sentences: list[str]
    outsiders_gain: bool
    anyone_gains: bool
    shifts: list[Shift]
    more_shifts: int
    flags_raised: list[OutcomeFlag]
    flags_cleared: list[OutcomeFlag]
    flags_changed: list[OutcomeFlag]
    limits: list[str]
    risks: list[OutcomeRisk]
    policy: list[str]
    read_at: list[ReadAt]


class OfferPreview(Sent):
    """What an offer would change once it is accepted, as if that were now; `proposal` says the same as one."""

    outcome: ProposalOutcome
    proposal: dict[str, Any]


class ProposalRun(Sent):
    """One version of a proposal; `outcome` is there once it is worked out, or else `trouble` says why it cannot be."""

    number: int
    body: dict[str, Any]
    asked_by: str
    asked_at: datetime
    finished_at: datetime | None
    outcome: ProposalOutcome | None
    trouble: str


class Proposal(Sent):
    """Changes that someone has in mind. `state` is that of its latest version, or `applied`."""

    id: UUID
    ref: str
    title: str
    state: Literal["working", "done", "failed", "applied"]
    made_by: str
    made_at: datetime
    applied_by: str
    applied_at: datetime | None
    batch: str | None
    runs: list[ProposalRun]


class ProposalQuery(PageQuery):
    """Which part of the proposals is wanted."""


class ProposalList(Page[Proposal]):
    """Proposals, the latest first."""


class CompareQuery(Taken):
    """Which two versions of a proposal are compared, by their numbers."""

    first: Annotated[int, Field(ge=1)]
    second: Annotated[int, Field(ge=1)]


class ComparedLine(Sent):
    """One thing that only one of two versions would bring about, in words."""

    kind: Literal["gain", "loss", "limit", "raised", "cleared", "severity", "risk", "policy"]
    text: str
    outside: bool


class Versions(Sent):
    """What only the first of two versions would bring about, and what only the second.

    Gains of those outside the circle come first. `partly`: there was too much to tell all of it exactly, and what is
    only summed up is compared as it is told.
    """

    first: int
    second: int
    only_first: list[ComparedLine]
    only_second: list[ComparedLine]
    partly: bool


class ApplyWish(Taken):
    """That a version of a proposal is to be carried out; it has to be the latest, and worked out."""

    run: Annotated[int, Field(ge=1)]
