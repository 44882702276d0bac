"""What an act is: when it can be ordered, how it is planned, and what is said of it once it is proved."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from openlatch.core.model import Abilities, Entry
from openlatch.core.orders.impact import Consequence, Situation, mends, successors, takes
from openlatch.core.orders.steps import (
    Ask,
    Extent,
    Plan,
    Step,
    WayOut,
    asked,
    changed,
    key_of,
    known_as,
    read_step,
    receipt_step,
)
from openlatch.core.providers.ports import Change
from openlatch.errors import Conflict, Invalid
from openlatch.words import Action, EndReason, Kind, PartyKind, Power, Severity

__all__ = [
    "ACCESS",
    "GIVEN",
    "Act",
    "Around",
    "Happened",
    "Made",
    "able",
    "closed",
    "gone",
    "lessened",
    "looked_at",
    "named_there",
    "none",
    "proof",
    "standing",
    "unchanged",
]

ACCESS = (Kind.DELEGATE, Kind.GRANT, Kind.APP)
GIVEN = (Kind.DELEGATE, Kind.GRANT)
Made = tuple[tuple[Step, ...], tuple[Power, ...]]
"""The steps that an act takes, and the powers that it takes away."""
Planned = Callable[[Situation, Ask, datetime, Extent | None], Plan]


@dataclass(frozen=True, slots=True)
class Around:
    """What bears on what can be ordered about an entry: what its party is, and what its provider has and can do.

    `levels` are those that access of the entry's kind can have, `parts` those of the account that are known, and
    `sessions` says whether one of the party's is open on the account.
    """

    party: PartyKind
    abilities: Abilities
    levels: Mapping[str, Sequence[Power]]
    parts: Collection[str] = ()
    sessions: bool = False


@dataclass(frozen=True, slots=True)
class Happened:
    """What an act did, to be told: who has it, where, at which level it is now, and with which last day it ends."""

    party: str
    where: str
    level: str
    last_day: str = ""
    offered: bool = False
    """it was an offer that had not been taken up"""


def none(happened: Happened) -> str:
    """Nothing is told."""
    return ""


@dataclass(frozen=True, slots=True)
class Act:
    """One thing that can be done about an entry.

    `possible` says whether it can be ordered: True if its provider is asked for it, False if a person sees to it
    there, None if it cannot. `plan` refuses (Conflict, Invalid) what is not possible as it is asked for. `party` and
    `holder` are the sentences that either side is told once it is proved, empty for none. `why_ended` is why an entry
    has ended that it ends.
    """

    action: Action
    possible: Callable[[Entry, Around], bool | None]
    plan: Planned
    party: Callable[[Happened], str]
    holder: Callable[[Happened], str] = none
    why_ended: EndReason = EndReason.REVOKED


# How acts are planned


def lessened(
    steps: Callable[[Situation, Ask, datetime], Made],
    *,
    ends: bool = False,
    given_up: bool = False,
    dated: bool = False,
    effect: Callable[[Situation, Ask], str] = lambda s, ask: "",
    undo: Callable[[Situation, Ask], str] = lambda s, ask: "",
) -> Planned:
    """Return how an act is planned that takes powers away: what depends on it is told, and someone has to be left.

    An act that is `dated` holds until the last day that is asked for. `effect` says when it takes effect, where that is
    not at once; `undo` how it is undone, where its provider does not.
    """

    def planned(s: Situation, ask: Ask, now: datetime, held: Extent | None) -> Plan:
        standing(s)
        made, taken = steps(s, ask, now)
        until = ask.until if dated else None
        told = {"effect": effect(s, ask), "undo": undo(s, ask)}
        return _with_somebody_left(
            s, ask, made, taken, takes(s, taken, ends=ends, given_up=given_up, until=until, **told)
        )

    return planned


def unchanged(
    steps: Callable[[Situation, Ask, datetime], Made], happens: Callable[[Situation], Consequence]
) -> Planned:
    """Return how an act is planned that takes no power away."""

    def planned(s: Situation, ask: Ask, now: datetime, held: Extent | None) -> Plan:
        standing(s)
        made, taken = steps(s, ask, now)
        return _with_somebody_left(s, ask, made, taken, (happens(s),))

    return planned


def looked_at(s: Situation) -> None:
    """Refuse (Conflict) what is at a provider that was removed."""
    if s.entry.in_doubt:
        raise Conflict(
            f"{s.provider} was removed here: what {s.party.name} has on {s.account.name} is not looked at any more, "
            "and cannot be changed from here. Nothing was changed.",
            next_step=f"Do it at {s.provider} itself, or add the provider again.",
            entry=s.entry.ref,
            end_reason=str(s.entry.end_reason),
        )


def standing(s: Situation) -> None:
    """Refuse (Conflict) what has ended already, and what nobody here can reach any more."""
    looked_at(s)
    if not s.entry.stands:
        raise Conflict(
            f"The access of {s.party.name} to {s.account.name} has already ended ({s.entry.end_reason}).",
            next_step="There is nothing left to take back.",
            entry=s.entry.ref,
            end_reason=str(s.entry.end_reason),
        )


def _with_somebody_left(
    s: Situation, ask: Ask, steps: tuple[Step, ...], taken: tuple[Power, ...], happens: tuple[Consequence, ...]
) -> Plan:
    """A plan that stops where nobody would be left who can let others in, unless someone is named to follow first."""
    stop, ways = "", successors(s)
    if not mends(s, taken):
        if ask.successor is None:
            stop = _stopped(s, bool(ways))
        else:
            named = next((way for way in ways if way.id == ask.successor), None)
            if named is None:
                raise Invalid(
                    f"Nobody can be made an administrator of {s.account.name} by that entry. Nothing was changed.",
                    next_step="Name one of those that the plan offers.",
                    errors=[{"at": "successor", "problem": "not among those who can follow"}],
                )
            steps = (*_name_first(s, named), *steps)
            text = f"{s.holder(named).name} becomes an administrator of {s.account.name} first."
            others = (consequence for consequence in happens if consequence.kind != "last-administrator")
            happens = (Consequence("successor", Severity.LOW, text), *others)
    offered = tuple(WayOut(way.ref, s.holder(way).name, way.level) for way in ways) if stop else ()
    return Plan(ask.action.value, s.entry.ref, known_as(s, s.entry), happens, steps, stop=stop, ways_out=offered)


# Parts of plans


def proof(s: Situation, readable: bool = True) -> tuple[Step, ...]:
    """Return the steps that prove an act: a reading, where one can see it, and the receipt."""
    return (*((read_step(s, s.entry, "see that it is so"),) if readable else ()), receipt_step())


def gone(s: Situation) -> tuple[Step, ...]:
    """The proof of an end; where that takes effect only once a device connects, with the patience that it takes."""
    if s.abilities.at_once:
        return proof(s)
    text = f"Read {s.provider} until it shows that it is so: it takes effect when their device next connects."
    return (replace(read_step(s, s.entry, ""), text=text, patient=True), receipt_step())


def closed(s: Situation, session: Entry) -> Step:
    """Return the step that signs someone out."""
    where = f" on {session.device}" if session.device else ""
    text, before = (
        f"Ask {s.provider} to close the session of {known_as(s, session)}{where}.",
        ((session.key, Extent.of(session)),),
    )
    return Step("end", text, session.key, key_of(s, session), before=before)


def _name_first(s: Situation, successor: Entry) -> tuple[Step, ...]:
    """Steps that make someone an administrator, before the last one goes."""
    level = s.entry.level
    if s.entry.level not in s.levels:
        able = [(len(gives), name) for name, gives in s.levels.items() if Power.ADMIT in gives]
        level = min(able)[1] if able else level
    who = s.holder(successor).name
    change = Change(level=level, wider=True)
    if successor.kind in s.abilities.raises:
        step = changed(s, successor, change, f"Make {who} “{level}” first.")
    else:
        text = f"Have {who} made “{level}” of {s.account.name} at {s.provider} itself, and say here that it is done."
        step = asked(s, successor, text, change)
    return (step, read_step(s, successor, f"see that {who} can let others in"))


def _stopped(s: Situation, ways: bool) -> str:
    out = "Name a new administrator first." if ways else "First let someone else in who can take over."
    return f"{s.party.name} is the last one who can let others in or out of {s.account.name}. {out}"


def able(s: Situation, kind: Kind, kinds: Iterable[Kind], what: str, next_step: str) -> None:
    """Refuse (Conflict) what cannot be done from here with what is of a kind: only these kinds can."""
    if s.entry.by_hand or kind not in kinds:
        raise Conflict(
            f"At {s.provider}, access of the kind “{kind}” cannot {what}. Nothing was changed.",
            next_step=next_step,
            entry=s.entry.ref,
        )


def named_there(s: Situation, entry: Entry) -> str:
    """An entry in the words of its provider: its level, and whom it knows by it."""
    return f"“{entry.level}” of {known_as(s, entry)}"
