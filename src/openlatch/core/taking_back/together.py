"""Many acts at once: what becomes of each entry, who would be locked out by all of them, and what happens together.

An act is looked at as if all others were done already: someone who keeps another way in that ends in the same batch
keeps nothing, and the last administrator can go in ten steps of one.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from uuid import UUID

from openlatch.core.model import Entry, Party
from openlatch.core.orders.impact import Consequence, Situation, administers
from openlatch.core.orders.plans import make_plan
from openlatch.core.orders.steps import Ask
from openlatch.core.powers import in_order
from openlatch.errors import OpenLatchError
from openlatch.words import Action, Power, Severity, State

__all__ = ["Act", "Foreseen", "Shared", "becomes", "foresee", "locked_out", "locked_out_text"]

_ENDS = (Action.END, Action.GIVE_UP, Action.END_ON, Action.CHANGE_SECRET)


@dataclass(frozen=True, slots=True)
class Act:
    """One act on an entry, with what there is around it."""

    situation: Situation
    ask: Ask


@dataclass(frozen=True, slots=True)
class Shared:
    """One kind of consequence of several acts: as grave as the worst, with the entries and what is said of each."""

    kind: str
    severity: Severity
    entries: tuple[tuple[UUID, str], ...]


@dataclass(frozen=True, slots=True)
class Foreseen:
    """What acts do together: each kind of consequence once, gravest first, and why some entries cannot be acted on."""

    consequences: tuple[Shared, ...]
    refused: Mapping[UUID, str]


def becomes(entry: Entry, ask: Ask, levels: Mapping[str, Sequence[Power]]) -> Entry | None:
    """Return what an entry is once an act on it is done; None where it does not stand any more."""
    if ask.action in _ENDS:
        return None
    if ask.action is Action.PAUSE:
        return replace(entry, state=State.PAUSED)
    if ask.action in (Action.NARROW, Action.EXTEND) and ask.level:
        return replace(entry, level=ask.level, powers=in_order(levels.get(ask.level, entry.powers)))
    return entry


def locked_out(
    after: Mapping[UUID, Entry | None], on: Iterable[Entry], holders: Mapping[UUID, Party], going: Collection[UUID] = ()
) -> dict[UUID, tuple[Entry, ...]]:
    """Return the accounts on which nobody could let others in any more, with the entries whose acts bring that about.

    `on` are the standing entries on the accounts, `after` what becomes of those that are acted on, and `going` those
    that orders in progress take that power from already.
    """
    before: dict[UUID, list[Entry]] = {}
    left: set[UUID] = set()
    for entry in on:
        holder, then = holders[entry.party_id], after.get(entry.id, entry)
        if entry.id in going:
            continue
        if then is not None and administers(then, holder):
            left.add(entry.account_id)
        elif administers(entry, holder):
            before.setdefault(entry.account_id, []).append(entry)
    return {account: tuple(entries) for account, entries in before.items() if account not in left}


def locked_out_text(account: str, names: Sequence[str]) -> str:
    """Return what is said of an account that all of its administrators would lose."""
    some = list(dict.fromkeys(names))
    if len(some) == 1:
        return f"{some[0]} is the last one who can let others in or out of {account}."
    shown = ", ".join(some[:5]) + (f" and {len(some) - 5} more" if len(some) > 5 else "")
    return f"Together this takes away everyone who can let others in or out of {account}: {shown}. Keep one of them."


def foresee(acts: Sequence[Act], after: Mapping[UUID, Entry | None], now: datetime) -> Foreseen:
    """Return what acts do together; `after` is what becomes of all entries that are acted on, these and others.

    What cannot be done as things stand is refused with its reason. Who would be locked out by all of it together is
    for `locked_out` to say.
    """
    refused: dict[UUID, str] = {}
    told: dict[str, list[tuple[Consequence, UUID]]] = {}
    for act in acts:
        s = act.situation
        try:
            plan = make_plan(_others_done(s, after), act.ask, now)
        except OpenLatchError as error:
            refused[s.entry.id] = error.message
            continue
        if plan.stop and all(consequence.kind != "last-administrator" for consequence in plan.consequences):
            refused[s.entry.id] = plan.stop
            continue
        for each_consequence in plan.consequences:
            if each_consequence.kind != "last-administrator":
                told.setdefault(each_consequence.kind, []).append((each_consequence, s.entry.id))
    shared_secrets = []
    for kind, theirs in told.items():
        theirs.sort(key=lambda pair: -pair[0].severity.rank)
        entries = tuple((entry, one.text) for one, entry in theirs)
        shared_secrets.append(Shared(kind, theirs[0][0].severity, entries))
    return Foreseen(
        tuple(sorted(shared_secrets, key=lambda shared_secret: (-shared_secret.severity.rank, shared_secret.kind))),
        refused,
    )


def _others_done(s: Situation, after: Mapping[UUID, Entry | None]) -> Situation:
    """A situation in which all other acts are done already."""
    neighbours = [then for neighbour in s.neighbours if (then := after.get(neighbour.id, neighbour)) is not None]
    return replace(s, neighbours=neighbours)
