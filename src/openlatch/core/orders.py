"""Taking access back: what it would do, the steps that do it, the states of an order, and what proves it.

A plan is a value: it is shown, confirmed, recorded and carried out from the same object. Its digest tells
whether what is about to be carried out is still what the person saw.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from datetime import datetime, timedelta
from enum import StrEnum
from types import MappingProxyType
from typing import Any
from uuid import UUID

from openlatch.core.ids import ref_of
from openlatch.core.ledger import canonical
from openlatch.core.model import Abilities, Account, Entry, Kind, Party, PartyKind, Severity, Side, State
from openlatch.core.observation import Observation
from openlatch.core.powers import Power
from openlatch.errors import Conflict

__all__ = [
    "ATTEMPTS",
    "FINAL",
    "TABLE",
    "Action",
    "Consequence",
    "Done",
    "Move",
    "Order",
    "OrderState",
    "Plan",
    "Step",
    "Verdict",
    "again_after",
    "move",
    "plan_end",
    "verify",
]

ATTEMPTS = 8
"""How often a provider is asked before an order is handed to a person."""

_REDO = {
    Side.HOLDER: "you can give it again at any time",
    Side.PARTY: "only the other side can bring it back",
    Side.EITHER: "you or the other side can bring it back at any time",
}


class Action(StrEnum):
    """What an order does."""

    END = "end"
    """the holder takes the access back"""
    GIVE_UP = "give-up"
    """the party no longer wants it"""


class OrderState(StrEnum):
    """Where an order stands."""

    DRAFTED = "drafted"
    WAITING = "waiting"
    RUNNING = "running"
    TOLD = "told"
    PROVED = "proved"
    STUCK = "stuck"
    CANCELLED = "cancelled"


class Move(StrEnum):
    """What can happen to an order."""

    CONFIRM = "confirm"
    WAIT = "wait"
    RESUME = "resume"
    TELL = "tell"
    PROVE = "prove"
    STICK = "stick"
    TRY_AGAIN = "try-again"
    CANCEL = "cancel"


TABLE: MappingProxyType[tuple[OrderState, Move], OrderState] = MappingProxyType(
    {
        (OrderState.DRAFTED, Move.CONFIRM): OrderState.RUNNING,
        (OrderState.DRAFTED, Move.CANCEL): OrderState.CANCELLED,
        (OrderState.WAITING, Move.RESUME): OrderState.RUNNING,
        (OrderState.WAITING, Move.PROVE): OrderState.PROVED,
        (OrderState.WAITING, Move.CANCEL): OrderState.CANCELLED,
        (OrderState.RUNNING, Move.WAIT): OrderState.WAITING,
        (OrderState.RUNNING, Move.TELL): OrderState.TOLD,
        (OrderState.RUNNING, Move.PROVE): OrderState.PROVED,
        (OrderState.RUNNING, Move.STICK): OrderState.STUCK,
        (OrderState.TOLD, Move.PROVE): OrderState.PROVED,
        (OrderState.TOLD, Move.STICK): OrderState.STUCK,
        (OrderState.STUCK, Move.TRY_AGAIN): OrderState.RUNNING,
        (OrderState.STUCK, Move.PROVE): OrderState.PROVED,
        (OrderState.STUCK, Move.CANCEL): OrderState.CANCELLED,
    }
)
"""Every move that is possible; whatever is not in here is refused."""

FINAL = frozenset({OrderState.PROVED, OrderState.CANCELLED})


def move(state: OrderState, how: Move) -> OrderState:
    """Return the state that follows, or raise Conflict for a pair that is not in the table."""
    try:
        return TABLE[state, how]
    except KeyError:
        possible = ", ".join(m for (s, m) in TABLE if s is state) or "nothing more"
        raise Conflict(
            f"An order that is {state} cannot {how}. Nothing was changed.",
            next_step=f"Possible from here: {possible}.",
            state=str(state),
            move=str(how),
        ) from None


@dataclass(frozen=True, slots=True)
class Consequence:
    """One thing that happens if the plan is carried out; `kind` is stable, `text` is for people."""

    kind: str
    severity: Severity
    text: str


@dataclass(frozen=True, slots=True)
class Step:
    """One step of a plan: `end` asks the provider, `read` looks again, `receipt` writes the proof down."""

    call: str
    text: str


@dataclass(frozen=True, slots=True)
class Plan:
    """How one entry is ended: what happens, gravest first, and how it is done."""

    action: str
    entry: str
    consequences: tuple[Consequence, ...]
    steps: tuple[Step, ...]

    @property
    def digest(self) -> str:
        """64 hex digits that differ whenever anything in the plan differs."""
        return hashlib.sha256(canonical(asdict(self))).hexdigest()

    def as_dict(self) -> dict[str, Any]:
        return {**asdict(self), "digest": self.digest}


@dataclass(frozen=True, slots=True)
class Done:
    """A step as it went: `at` is None while it is still to be done."""

    call: str
    text: str
    at: datetime | None = None
    said: str = ""


@dataclass(frozen=True, slots=True)
class Order:
    """A commanded change at a provider, with what became of it.

    `why` says why it waits or is stuck; `again_at` when it is tried again by itself. `receipt` is there once
    it is proved: what a fresh reading showed, and when.
    """

    id: UUID
    entry_id: UUID
    action: str
    state: OrderState
    plan: Mapping[str, Any]
    steps: tuple[Done, ...]
    reason: str
    ordered_by: str
    ordered_at: datetime
    idempotency_key: str
    entry_state: State = State.LIVE
    attempts: int = 0
    why: str = ""
    again_at: datetime | None = None
    finished_at: datetime | None = None
    receipt: Mapping[str, Any] | None = None
    version: int = 1

    @property
    def ref(self) -> str:
        return ref_of(self.id)

    def moved(self, how: Move, **changes: Any) -> Order:
        """Return the order after a move, one version on; refuses what the table does not have."""
        return replace(self, state=move(self.state, how), version=self.version + 1, **changes)

    def step_done(self, call: str, now: datetime, said: str) -> tuple[Done, ...]:
        """Return the steps with one of them marked as done."""
        return tuple(replace(s, at=now, said=said) if s.call == call else s for s in self.steps)


@dataclass(frozen=True, slots=True)
class Verdict:
    """What a fresh observation says about an order: whether the entry is gone, and what was seen instead."""

    gone: bool
    evidence: str


def plan_end(
    entry: Entry,
    party: Party,
    account: Account,
    *,
    provider: str,
    abilities: Abilities,
    neighbours: Sequence[Entry],
    places: Mapping[UUID, str],
    action: Action = Action.END,
) -> Plan:
    """Plan the end of an entry.

    `neighbours` are all other standing entries that are the party's, or on the same account; `places` names the
    accounts that these are on. Refuses (Conflict) what has ended already, and what this provider does not let
    anyone end from outside.
    """
    if not entry.stands:
        raise Conflict(
            f"The access of {party.name} to {account.name} has already ended ({entry.end_reason}).",
            next_step="There is nothing left to take back.",
            entry=entry.ref,
            end_reason=str(entry.end_reason),
        )
    if entry.by_hand:
        raise Conflict(
            f"This access to {account.name} is kept by hand: nothing here can reach it. Nothing was changed.",
            next_step=f"End it at {provider} itself, then say that it is gone.",
            entry=entry.ref,
        )
    if entry.kind not in abilities.ends:
        raise Conflict(
            f"{provider} does not let anyone end entries of the kind “{entry.kind}” from outside. Nothing was changed.",
            next_step=f"End it at {provider} itself, then read {provider} again.",
            entry=entry.ref,
        )
    if party.kind is PartyKind.TEAM and not abilities.ends_teams:
        raise Conflict(
            f"{provider} does not let anyone take from the team {party.name} what it was given. Nothing was changed.",
            next_step=f"Take members out of the team at {provider}, then read {provider} again.",
            entry=entry.ref,
        )
    consequences = sorted(
        _consequences(entry, party, account, provider, abilities, neighbours, places, action),
        key=lambda c: c.severity.rank,
        reverse=True,
    )
    steps = (
        Step("end", f"Ask {provider} to {_verb(entry)}."),
        Step("read", f"Read {provider} again and see that it is gone."),
        Step("receipt", "Write the receipt, with what that reading showed, into the log."),
    )
    return Plan(action.value, entry.ref, tuple(consequences), steps)


def verify(observation: Observation, entry: Entry) -> Verdict:
    """Return what a complete observation of the entry's party says; anything less proves nothing."""
    from_them = [e for e in observation.entries if e.key == entry.key]
    if from_them:
        return Verdict(gone=False, evidence=f"{entry.key} is still listed with the level {from_them[0].level!r}")
    others = len(observation.entries)
    rest = "nothing else of this party" if not others else f"{others} other of this party"
    return Verdict(gone=True, evidence=f"{entry.key} is no longer listed; the reading shows {rest}")


def again_after(attempts: int) -> timedelta | None:
    """Return how long to wait after that many failed attempts, or None when a person has to look."""
    return None if attempts >= ATTEMPTS else timedelta(seconds=min(2 ** (attempts - 1), 300))


def _verb(entry: Entry) -> str:
    if entry.kind is Kind.SESSION:
        return "close the session"
    if entry.kind is Kind.OFFER:
        return "withdraw the offer"
    return f"remove the {entry.kind} “{entry.level}”"


def _consequences(
    entry: Entry,
    party: Party,
    account: Account,
    provider: str,
    abilities: Abilities,
    neighbours: Sequence[Entry],
    places: Mapping[UUID, str],
    action: Action,
) -> Iterable[Consequence]:
    for one in entry.dependencies:
        when = f" It fails from {_day(one.next_at)} unless someone else takes it over." if one.next_at else ""
        text = f"One {one.kind} hangs on it: {one.what}, through {party.name}.{when}"
        yield Consequence("dependency", Severity.HIGH, text)
    standing = [n for n in neighbours if n.stands and n.id != entry.id]
    if Power.ADMIT in entry.powers and entry.kind is not Kind.SESSION:
        others = {
            n.party_id
            for n in standing
            if n.account_id == account.id and n.party_id != party.id and Power.ADMIT in n.powers
        }
        if not others:
            text = f"{party.name} is the last one who can let others in or out of {account.name}."
            yield Consequence("last-administrator", Severity.CRITICAL, text)
    theirs = [n for n in standing if n.party_id == party.id]
    falling = _hanging(entry, theirs)
    sessions = [n for n in falling if n.kind is Kind.SESSION]
    if sessions:
        text = f"{_count(len(sessions), 'open session')} of {party.name} will be closed at once."
        yield Consequence("sessions-closed", Severity.LOW, text)
    access = [n for n in falling if n.kind is not Kind.SESSION]
    if access:
        text = f"{_count(len(access), 'other entry', 'other entries')} cannot be used without it and will go with it: "
        yield Consequence("goes-with-it", Severity.MEDIUM, text + _names(access, places) + ".")
    left = [n for n in theirs if n not in falling and n.kind is not Kind.SESSION]
    if left:
        here = [n for n in left if n.account_id == account.id]
        where = f", {len(here)} of them on {account.name} itself" if here else ""
        whose = "You" if action is Action.GIVE_UP else "They"
        ways = _count(len(left), "other way in", "other ways in").lower()
        text = f"{whose} keep {ways}{where}: {_names(left, places)}."
        yield Consequence("other-ways-in", Severity.MEDIUM if here else Severity.LOW, text)
    outliving = [n for n in theirs if n not in falling and n.kind is Kind.SESSION and n.account_id == account.id]
    if outliving:
        text = f"{_count(len(outliving), 'open session')} may last until it is closed or signs in again."
        yield Consequence("session-outlives", Severity.MEDIUM, text)
    concerned = not abilities.consent_for or abilities.consent_for & set(entry.powers)
    if abilities.consent and concerned and entry.kind in (Kind.DELEGATE, Kind.GRANT):
        yield Consequence("consent", Severity.MEDIUM, f"{provider} may ask for the consent of {abilities.consent}.")
    effect = "It takes effect at once" if abilities.at_once else "It takes effect when their device next connects"
    undo = "they can sign in again at any time" if entry.kind is Kind.SESSION else _undo(abilities, action)
    yield Consequence("effect", Severity.LOW, f"{effect}; {undo}.")


def _undo(abilities: Abilities, action: Action) -> str:
    if action is Action.GIVE_UP:
        return "only the holder can let you in again"
    return _REDO[abilities.redone_by]


def _hanging(entry: Entry, candidates: Sequence[Entry]) -> list[Entry]:
    """The entries that cannot be used without this one, however indirectly."""
    falling: list[Entry] = []
    keys = {entry.key}
    while more := [
        n for n in candidates if n.hangs_on in keys and n.provider_id == entry.provider_id and n not in falling
    ]:
        falling += more
        keys = {n.key for n in more}
    return falling


def _count(number: int, one: str, many: str = "") -> str:
    if number == 1:
        return f"One {one}"
    return f"{number} {many or one + 's'}"


def _names(entries: Sequence[Entry], places: Mapping[UUID, str]) -> str:
    shown = [f"“{e.level}” on {places[e.account_id]}" for e in entries[:3]]
    return ", ".join(shown) + (f" and {len(entries) - 3} more" if len(entries) > 3 else "")


def _day(instant: datetime) -> str:
    return f"{instant.day} {instant:%B %Y}"
