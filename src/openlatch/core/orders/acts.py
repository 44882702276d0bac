"""What can be ordered about an entry, and what of it its provider can be asked for from here.

A plan can still be stopped, such as by the last administrator who would go, or refuse what it is asked for in
particular; but what is not among these is refused whatever is asked for.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from openlatch.core.model import Abilities, Entry, made_here
from openlatch.core.orders.handover import below_owning
from openlatch.words import Action, Kind, PartyKind, Power, State

__all__ = ["Around", "Possible", "possible"]

_ACCESS = (Kind.DELEGATE, Kind.GRANT, Kind.APP)
_GIVEN = (Kind.DELEGATE, Kind.GRANT)


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
class Possible:
    """An act that can be ordered; `here` if its provider is asked for it, and not a person who sees to it there."""

    action: Action
    here: bool


def possible(entry: Entry, around: Around) -> tuple[Possible, ...]:
    """Return what can be ordered about an entry, the usual first."""
    found = _ended(entry, around) if not entry.stands else _standing(entry, around)
    return tuple(Possible(action, here) for action, here in found)


def _ended(entry: Entry, around: Around) -> Iterable[tuple[Action, bool]]:
    able = not entry.by_hand and entry.kind in around.abilities.gives and entry.hours is None
    return [(Action.GIVE_BACK, True)] if able else []


def _standing(entry: Entry, around: Around) -> Iterator[tuple[Action, bool]]:
    a, kind, ours = around.abilities, entry.kind, not entry.by_hand
    if kind is Kind.SECRET:
        yield Action.CHANGE_SECRET, False
        return
    ends = ours and kind in a.ends
    if kind is Kind.OFFER or not ends or around.party is not PartyKind.TEAM or a.ends_teams:
        yield Action.END, ends or made_here(entry)
        if kind in _ACCESS:
            yield Action.END_ON, ends or (ours and kind in a.dates)
    elif kind in _ACCESS and kind in a.dates:
        yield Action.END_ON, True
    if kind in _ACCESS and _less(entry, around):
        yield Action.NARROW, ours and kind in a.narrows
    if kind in _GIVEN and entry.state is not State.OFFERED and (more := _more(entry, around)):
        yield Action.EXTEND, ours and any(kind in able for able in more)
    if ours and kind in _ACCESS and kind in a.pauses and entry.state in (State.LIVE, State.PAUSED):
        yield (Action.PAUSE if entry.state is State.LIVE else Action.RESUME), True
    if ours and kind in _ACCESS and around.sessions and Kind.SESSION in a.ends:
        yield Action.CLOSE_SESSIONS, True
    if ours and Power.OWN in entry.powers and kind in _GIVEN:
        # Whoever follows may have either kind of access, and is raised first.
        raised = set(_GIVEN) <= a.raises
        yield Action.HAND_OVER, raised and (kind in a.narrows or not below_owning(entry.powers, around.levels))


def _less(entry: Entry, around: Around) -> bool:
    """Whether there is anything less to give: a level, or fewer of the parts."""
    has = set(entry.powers)
    levels = any(gives and set(gives) < has and name != entry.level for name, gives in around.levels.items())
    return levels or len(entry.resources) > 1 or (not entry.resources and bool(around.parts))


def _more(entry: Entry, around: Around) -> list[frozenset[Kind]]:
    """What more there is to give: for each, the kinds for which the provider can be asked for it."""
    a, has = around.abilities, set(entry.powers)
    found = [
        (entry.ends_at is not None, a.prolongs),
        (entry.hours is not None or bool(entry.resources), a.widens),
        (any(set(gives) > has for gives in around.levels.values()), a.raises),
    ]
    return [able for there, able in found if there]
