"""What was done with an access, by whom, and in whose name.

Someone's own doings, those of others whom the holder let in, and those of apps are told apart.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from openlatch.core.model import Circle, Entry, Membership, Party
from openlatch.core.providers.observation import ObservedActivity
from openlatch.words import How, PartyKind, Power

__all__ = ["Activity", "attribute"]


@dataclass(frozen=True, slots=True)
class Activity:
    """One thing that was done; `behalf_of` is None where it was done for the holder, or for oneself if `own`."""

    id: UUID
    provider_id: UUID
    key: str
    at: datetime
    account_id: UUID
    party_id: UUID
    how: How
    behalf_of: UUID | None
    entry_id: UUID | None
    power: Power | None
    what: str


def attribute(
    seen: Iterable[ObservedActivity],
    *,
    provider_id: UUID,
    accounts: Mapping[str, UUID],
    parties: Mapping[str, UUID],
    known: Mapping[UUID, Party],
    entries: Mapping[str, Entry],
    memberships: Iterable[Membership],
    circle: Circle,
    new_id: Callable[[], UUID],
) -> tuple[Activity, ...]:
    """Return whose doings these were; `accounts`, `parties` and `entries` are by the provider's keys.

    In whose name someone acted is what the provider says; else the party of the entry on which the one used hangs, as
    a session hangs on a delegate's; else, for an app, the one party that connected it. Whoever is outside the circle
    acts for the holder.
    """
    connected: dict[UUID, set[UUID]] = {}
    for membership in memberships:
        if membership.how == "app":
            connected.setdefault(membership.team_id, set()).add(membership.member_id)
    activities = []
    for activity in seen:
        actor = known[parties[activity.party]]
        entry = entries.get(activity.entry or "")
        behalf = parties.get(activity.behalf_of or "") or _hung_on(entry, entries)
        if behalf is None and len(connected.get(actor.id, ())) == 1:
            (behalf,) = connected[actor.id]
        behalf = None if behalf == actor.id else behalf
        if actor.kind is PartyKind.APP:
            how = How.APP
        else:
            how = How.OWN if behalf is None and circle.holds(actor) else How.DELEGATE
        account_id, entry_id = accounts[activity.account], entry.id if entry else None
        activities.append(
            Activity(
                id=new_id(),
                provider_id=provider_id,
                key=activity.key,
                at=activity.at,
                account_id=account_id,
                party_id=actor.id,
                how=how,
                behalf_of=behalf,
                entry_id=entry_id,
                power=activity.power,
                what=activity.what,
            )
        )
    return tuple(activities)


def _hung_on(entry: Entry | None, entries: Mapping[str, Entry]) -> UUID | None:
    """Whose entry it is without which this one could not be used."""
    other = entries.get(entry.hangs_on) if entry is not None and entry.hangs_on else None
    return None if other is None else other.party_id
