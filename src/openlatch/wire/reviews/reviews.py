"""Reviews: what takes place, the rounds, their items, and decisions."""

from datetime import date, datetime
from typing import Annotated, Any
from uuid import UUID

from pydantic import Field, StringConstraints

from openlatch.wire.base import Page, PageQuery, Ref, Search, Sent, Taken, Text
from openlatch.wire.inventory.entries import Entry, EntryFilter
from openlatch.wire.taking_back.batches import LeftOpen
from openlatch.words import Choice, Occasion, Outcome, Reviewers, RoundState, Severity, Unanswered

__all__ = [
    "AskedAlready",
    "CancelWish",
    "Comparison",
    "Decided",
    "Decision",
    "DecisionFileQuery",
    "DecisionLine",
    "DecisionList",
    "DecisionWish",
    "FinishWish",
    "FlagThen",
    "ItemAssignment",
    "ItemFacts",
    "LeftOpenWish",
    "NewReview",
    "PastDecision",
    "Place",
    "Review",
    "ReviewChange",
    "ReviewList",
    "ReviewText",
    "ReviewerProgress",
    "Round",
    "RoundItem",
    "RoundItemQuery",
    "RoundItems",
    "RoundList",
    "RoundPlanWish",
    "RoundQuery",
    "ThenNow",
]

Clock = Annotated[str, StringConstraints(pattern=r"^([01]\d|2[0-3]):[0-5]\d$")]
"""A time of day without a zone, such as 08:00."""
Words = Annotated[str, StringConstraints(strip_whitespace=True, max_length=1000, pattern=r"^[^\x00]*$")]


class NewReview(Taken):
    """A review: what is looked at, when it takes place, who is asked, and what becomes of what nobody answers.

    `recurs` is a recurrence rule of RFC 5545 without a time of day, such as `FREQ=MONTHLY;BYDAY=1MO`, from `begins` on,
    `at` a time in the workspace's zone. People are named by their addresses.
    """

    name: Text
    where: EntryFilter = EntryFilter()
    recurs: Search = ""
    begins: date | None = None
    at: Clock = "08:00"
    on: tuple[Occasion, ...] = ()
    reviewers: Reviewers = Reviewers.NAMED
    named: Annotated[tuple[Text, ...], Field(max_length=100)] = ()
    substitutes: dict[str, str] = Field(default_factory=dict, description="address of who is away: of who stands in")
    otherwise: Search = ""
    answer_days: Annotated[int, Field(ge=1, le=366)] = 14
    remind_days: Annotated[int, Field(ge=0, le=60)] = 3
    unanswered: Unanswered = Unanswered.KEEP
    most: Annotated[int, Field(ge=0, le=1000, description="so many are changed at most since nobody answered")] = 20
    risk_limit: Annotated[int, Field(ge=1, le=101, description="keeping this risk or more needs a reason")] = 60


class ReviewChange(NewReview):
    """A review as it is to be; with `version`, only if nobody changed it since."""

    version: int | None = None


class ReviewText(Sent):
    """What a review would mean: in words, when it would come round next, how many entries, how many for nobody.

    `left_out` are too many for one round, which asks about those on the accounts with the most risk.
    """

    says: str
    coming: list[datetime]
    entries: int
    left_out: int
    unasked: int


class AskedAlready(Sent):
    """An open round that asks about entries in the scope of a review, and about how many of them."""

    ref: str
    review: str
    due_at: datetime
    entries: int


class Review(Sent):
    """A review that takes place, with when it does next and how much is in it now.

    `silence` says what becomes of what nobody answers. `asked_already` are the open rounds about the same entries; it
    is only there for one review by itself.
    """

    id: UUID
    ref: str
    name: str
    where: dict[str, Any]
    looks_at: str
    recurs: str
    begins: date
    at: str
    on: list[Occasion]
    reviewers: Reviewers
    named: list[str]
    substitutes: dict[str, str]
    otherwise: str
    answer_days: int
    remind_days: int
    unanswered: Unanswered
    silence: str
    most: int
    risk_limit: int
    paused: bool
    next_at: datetime | None
    created_by: str
    version: int
    says: str
    coming: list[datetime]
    entries: int
    left_out: int
    asked_already: list[AskedAlready] = Field(default=[])


class ReviewList(Page[Review]):
    """All reviews."""


class ReviewerProgress(Sent):
    """How many items of a round someone is asked about, and how many are decided; nobody has no name.

    `by_others` says how many of these someone else has decided.
    """

    id: UUID | None
    name: str
    address: str
    items: int
    decided: int
    by_others: int


class ThenNow(Sent):
    """A number when a round was opened, and when it was closed."""

    then: int
    now: int


class Comparison(Sent):
    """The same entries looked at again when a round was closed; `risk` is that of all of them together.

    `joined` are others that came into the scope since the round was opened; they count nowhere else.
    """

    entries: ThenNow
    flagged: ThenNow
    severe: ThenNow
    outside: ThenNow
    risk: ThenNow
    gone: list[str]
    joined: list[str]
    cleared: dict[str, int]
    raised: dict[str, int]


class Round(Sent):
    """One occurrence of a review. `outcomes` counts its items by what came of them; `mine` wait for whoever asks.

    `silence` says what becomes of what nobody answers.

    It `rests` while nothing in it goes on by itself, whatever people have to do.
    """

    id: UUID
    ref: str
    review: Ref
    why: str
    occurrence: datetime
    opened_at: datetime
    due_at: datetime
    policy: int
    state: RoundState
    paused_at: datetime | None
    settled_by: str
    settled_at: datetime | None
    closed_at: datetime | None
    where: dict[str, Any]
    looks_at: str
    unanswered: Unanswered
    silence: str
    most: int
    risk_limit: int
    count: int
    outcomes: dict[str, int]
    progress: list[ReviewerProgress]
    mine: int
    rests: bool
    joined: int
    left_out: int
    compared: Comparison | None


class RoundList(Page[Round]):
    """Rounds, the latest first."""


class RoundQuery(PageQuery):
    """Which rounds are wanted; states separated by commas."""

    state: Search = ""
    review: Search = ""


class RoundItemQuery(PageQuery):
    """Which items are wanted: one's own to answer, or those that came to something."""

    mine: bool = False
    outcome: Outcome | None = None


class FlagThen(Sent):
    """A flag as it stood when a round was opened."""

    rule: str
    severity: Severity
    reason: str


class ItemFacts(Sent):
    """What was known of an entry when its round was opened."""

    party: str
    account: str
    provider: str
    kind: str
    level: str
    powers: list[str]
    outside: bool
    risk: int
    flags: list[FlagThen]
    given_at: datetime | None
    given_by: str
    last_used: datetime | None
    use_known: bool
    ends_at: datetime | None
    resources: list[str]


class Decision(Sent):
    """What was decided; `unanswered` if nobody did, and the review said what becomes of it then.

    `instead_of` is who was asked, where someone else has decided.
    """

    choice: Choice
    by: str
    by_id: UUID | None
    at: datetime
    reason: str
    level: str
    until: date | None
    unanswered: bool
    instead_of: str


class PastDecision(Sent):
    """What was decided last time, with what has changed since."""

    decision: Decision
    changed: list[str]


class RoundItem(Sent):
    """One question of a round. `outcome` is undecided, kept, to come, gone, refused, left open, or an order's state.

    Items with the same `group` are the same question. `needs_reason` says why keeping it needs one.
    """

    place: int
    version: int
    outcome: Outcome
    facts: ItemFacts
    entry: Entry
    advice: Choice
    advice_why: str
    narrower: str
    needs_reason: str
    choices: list[Choice]
    group: str
    reviewer: str
    reviewer_id: UUID | None
    own: bool
    decision: Decision | None
    last: PastDecision | None
    order: str
    trouble: str
    left_open: LeftOpen | None


class RoundItems(Page[RoundItem]):
    """Items of a round in their order."""


class DecisionWish(Taken):
    """A decision about items of a round by their places, from 1 on; `versions` are those that were seen, by place."""

    places: Annotated[list[Annotated[int, Field(ge=1, le=100_000)]], Field(min_length=1, max_length=1000)]
    choice: Choice
    reason: Words = ""
    level: Search = ""
    until: date | None = None
    to: Search = ""
    versions: dict[int, int] = Field(default_factory=dict)


class DecisionLine(Taken):
    """A line of a list of decisions: the item at a place, the entry (short form or id) that it is about, and what."""

    place: Annotated[int, Field(ge=1, le=100_000)]
    entry: Text
    choice: Choice
    reason: Words = ""
    level: Search = ""
    until: date | None = None
    to: Search = ""


class DecisionList(Taken):
    """Decisions about items of a round, which are taken all or not at all."""

    lines: Annotated[list[DecisionLine], Field(min_length=1, max_length=10_000)]


class DecisionFileQuery(Taken):
    """Which items are to be written down: all that are not decided yet, or one's own."""

    mine: bool = False


class Decided(Sent):
    """How many items were decided; `instead_of` are the names of those who were asked about some of them."""

    decided: int
    instead_of: list[str]


class ItemAssignment(Taken):
    """Items of a round that others are to answer, by their addresses; among several they are split by account."""

    places: Annotated[list[Annotated[int, Field(ge=1, le=100_000)]], Field(min_length=1, max_length=100_000)]
    to: Annotated[list[Text], Field(min_length=1, max_length=50)]


class RoundPlanWish(Taken):
    """What is to be foreseen: a decision about these items beside those taken so far; without places, those alone."""

    places: Annotated[list[Annotated[int, Field(ge=1, le=100_000)]], Field(default=[], max_length=1000)]
    choice: Choice = Choice.END_NOW
    level: Search = ""
    until: date | None = None


class CancelWish(Taken):
    """Why something is cancelled."""

    reason: Words


class FinishWish(Taken):
    """With `count`, only if the decisions become so many orders."""

    count: Annotated[int, Field(ge=0)] | None = None


class Place(Taken):
    """An item of a round, by its place, counted from 1."""

    place: Annotated[int, Field(ge=1, le=100_000)]


class LeftOpenWish(Place):
    """Something that is left open in a round or a batch, why, and the address of who sees to it."""

    reason: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=1000)]
    owner: Text
