"""Offers: from a task to what it takes, terms before they are sent, and what becomes of them."""

from datetime import date, datetime
from typing import Annotated, Literal
from uuid import UUID

from pydantic import Field, StringConstraints

from openlatch.wire.base import Page, PageQuery, Ref, Said, Search, Sent, Taken, Text, Word
from openlatch.words import OfferState, OrderState, Power, Severity

__all__ = [
    "AccountChoices",
    "Address",
    "ChoicesQuery",
    "Day",
    "Fit",
    "FitQuery",
    "LevelChoice",
    "LevelPowers",
    "NewOffer",
    "Offer",
    "OfferAnswer",
    "OfferCorrection",
    "OfferList",
    "OfferPart",
    "OfferPartWish",
    "OfferQuery",
    "OfferTerms",
    "OfferWish",
    "Remark",
    "Task",
    "TaskList",
    "TermsPart",
    "WithdrawWish",
]

Address = Annotated[str, StringConstraints(max_length=320, pattern=r"^[^\x00]*$")]
Day = Annotated[date, Field(ge=date(1900, 1, 1), le=date(2500, 1, 1))]


class Task(Sent):
    """Something that people are let in for, and the powers that it takes; `own` if the holder has named it."""

    id: str
    title: str
    needs: list[Power]
    own: bool


class TaskList(Sent):
    """Every task."""

    items: list[Task]


class FitQuery(Taken):
    """For what someone is to be let in: a task, or powers separated by commas, or both."""

    task: Search = ""
    needs: Search = ""


class LevelChoice(Sent):
    """A level, or permissions, that covers what is needed; `beyond` is what it hands over that is not.

    `money` and `admitting` are those of what is beyond that move money, and that decide who else gets in.
    """

    level: str
    permissions: list[str]
    powers: list[Power]
    beyond: list[Power]
    money: list[Power]
    admitting: list[Power]


class Fit(Sent):
    """What covers a need at an account's provider, the narrowest first; `text` says what is proposed and why."""

    account: Ref
    provider: str
    needs: list[Power]
    choices: list[LevelChoice]
    lacks: list[Power]
    text: str


class ChoicesQuery(Taken):
    """Which parts of an account are wanted: those with `part` in their names, and how many of them."""

    part: Search = ""
    limit: Annotated[int, Field(ge=1, le=500)] = 50


class LevelPowers(Sent):
    """A level of a provider, with the powers that it gives."""

    level: str
    powers: list[Power]


class AccountChoices(Sent):
    """What can be given on an account: levels, those that give least first, and parts, of which there are `more_parts`.

    `parts` are those that readings have shown; there are none where access is always to the whole account.
    """

    levels: list[LevelPowers]
    parts: list[str]
    more_parts: int


class OfferPartWish(Taken):
    """Access to one account: by a level, by permissions, or else the narrowest for a task or for powers.

    `until` is a last day, left out that of the whole offer. `hours` are such as `tue,fri 19:00-04:00`, in the zone of
    the workspace unless one is named. `handle` is the provider's own name for the party. Where the offer answers a
    request or replaces a secret, `account`, and what it is for, can be left out.
    """

    account: Word = ""
    level: Word = ""
    permissions: list[Text] = Field(default=[], max_length=100)
    task: Word = ""
    needs: list[Power] = Field(default=[], max_length=len(Power))
    resources: list[Text] = Field(default=[], max_length=1000)
    until: Day | None = None
    hours: Word = ""
    power_until: dict[Power, Day] = Field(default={})
    handle: Word = ""


class OfferWish(Taken):
    """Access that is to be offered to whoever has an address; without `until`, it is said to be `endless`.

    What is left out is as was asked in the `request`, or as with the secret (an entry) that it `replaces`. `answer` is
    what whoever made the request is told of what is less than they asked for.
    """

    to: Address = ""
    name: Word = ""
    parts: list[OfferPartWish] = Field(default=[], max_length=50)
    basis: Said = ""
    starts: Day | None = None
    until: Day | None = None
    endless: bool = False
    lapse_hours: int | None = None
    write_to: Address = ""
    replaces: Word = ""
    request: Word = ""
    answer: Said = ""


class NewOffer(OfferWish):
    """An offer to be made; `digest` is that of the terms that were looked at and are confirmed."""

    digest: Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")]


class OfferCorrection(NewOffer):
    """Other terms for an offer that waits; with `version`, only if nobody changed it since."""

    version: int | None = None


class Remark(Sent):
    """Something to know before an offer is sent, gravest first; one that `stops` keeps it from being sent."""

    kind: str
    severity: Severity
    text: str
    next_step: str
    stops: bool


class TermsPart(Sent):
    """A part of an offer before it is made, and how it fits what it is for."""

    account: Ref
    provider: str
    kind: Literal["delegate", "grant"]
    level: str
    permissions: list[str]
    resources: list[str]
    powers: list[Power]
    ends_at: datetime | None
    hours: str | None
    sentence: str
    fit: Fit | None


class OfferTerms(Sent):
    """What would be offered to whom exactly; `digest` names just these terms.

    `near` is a known address or domain that the address comes close to, and `near_how` how; `ascii` is how it is
    written on the wire, where that differs. `sentences` are what is confirmed by making it.
    """

    address: str
    ascii: str
    name: str
    near: str | None
    near_how: str | None
    known: Ref | None
    outside: bool
    parts: list[TermsPart]
    remarks: list[Remark]
    sentences: list[str]
    starts_at: datetime | None
    lapses_at: datetime
    digest: str


class OfferPart(Sent):
    """A part of an offer: `entry` shows it while it is offered, `order` gives it, and `live` is what it has become.

    `written_hours` are its hours as one writes them in a wish, and `power_ends` says when single powers end, where they
    do before the rest does.
    """

    account: Ref
    provider: str
    kind: Literal["delegate", "grant"]
    level: str
    permissions: list[str]
    resources: list[str]
    powers: list[Power]
    ends_at: datetime | None
    hours: str | None
    written_hours: str
    power_ends: dict[Power, datetime]
    entry: UUID | None
    live: UUID | None
    order: str | None
    order_state: OrderState | None
    why: str


class Offer(Sent):
    """Access held out to whoever has an address, all parts together; `moves` are what can be done with it now."""

    id: UUID
    ref: str
    address: str
    name: str
    party: Ref
    outside: bool
    parts: list[OfferPart]
    basis: str
    state: OfferState
    starts_at: datetime | None
    made_by: str
    made_by_id: UUID | None
    made_at: datetime
    lapses_at: datetime
    left_at: datetime | None
    answered_at: datetime | None
    confirmed: list[str]
    replaces: UUID | None
    version: int
    moves: list[str]


class OfferQuery(PageQuery):
    """Which offers are wanted; states separated by commas."""

    state: Search = ""


class OfferList(Page[Offer]):
    """Offers, the latest first."""


class OfferAnswer(Taken):
    """What whoever an offer is to says about it."""

    answer: Literal["take-up", "decline", "later"]
    reason: Said = ""


class WithdrawWish(Taken):
    """Why an offer is withdrawn."""

    reason: Said = ""
