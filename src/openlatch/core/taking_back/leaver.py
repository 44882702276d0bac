"""Someone goes: all that they hold, in the order in which it is taken back, and what only people can do.

First what others have to take over, then access, then sessions, then secrets: a session that is closed too early
could be opened again, and whoever still has access could learn a new secret.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from enum import IntEnum
from uuid import UUID

from openlatch.core.model import Membership, Party
from openlatch.core.orders.impact import Situation, mends
from openlatch.words import Action, Kind, Role

__all__ = ["DISABLE_SIGN_IN", "Item", "Phase", "SignIn", "leaver_items"]

DISABLE_SIGN_IN = "disable-sign-in"
"""the action of what ends someone's sign-in to this very workspace"""


class Phase(IntEnum):
    """When something comes, when someone goes; a phase begins once all orders of those before it rest."""

    HAND_OVER = 0
    ACCESS = 1
    SESSIONS = 2
    SECRETS = 3
    BY_HAND = 4

    @property
    def says(self) -> str:
        return ("Hand over first", "Access", "Open sessions", "Secrets they know", "What only people can do")[self]


@dataclass(frozen=True, slots=True)
class Item:
    """One thing to be done: an action on an entry, or where there is none, something that a person does.

    With `membership_id` it is about a membership: what a person does about one is done once a reading shows it no
    more, whatever anyone says.
    """

    phase: Phase
    action: str
    text: str
    entry_id: UUID | None = None
    membership_id: UUID | None = None


@dataclass(frozen=True, slots=True)
class SignIn:
    """A leaver’s sign-in to this workspace: its role, and whether an owner orders, who alone can disable it."""

    name: str
    role: Role
    by_owner: bool
    only_owner: bool = False

    def item(self) -> Item:
        """Return what is to be done about it."""
        if self.only_owner:
            text = f"Make someone else an owner of this workspace, then disable {self.name}’s sign-in here."
            return Item(Phase.HAND_OVER, "ask", text)
        what = f"{self.name}’s sign-in to this workspace, as {self.role}"
        if self.by_owner:
            return Item(Phase.ACCESS, DISABLE_SIGN_IN, f"Disable {what}.")
        return Item(Phase.HAND_OVER, "ask", f"Have an owner disable {what}.")


def leaver_items(
    party: Party,
    held: Sequence[Situation],
    memberships: Sequence[Membership],
    names: Mapping[UUID, str],
    able: Collection[UUID] = (),
    sign_in: SignIn | None = None,
) -> tuple[Item, ...]:
    """Return all that is to be done when a party goes, in order.

    `held` are their standing entries, each with what is around it; `memberships` those in which they are the member,
    and `names` the teams and apps in these. `able` are the providers that remove someone from a team when asked.
    `sign_in` is theirs to this very workspace, if they have one.
    """
    items = [] if sign_in is None else [sign_in.item()]
    secrets: set[tuple[UUID, str]] = set()
    hanging = {entry.id for s in held for entry in s.falling}
    for s in held:
        entry, what = s.entry, f"“{s.entry.level}” on {s.account.name}"
        for dependency in entry.dependencies:
            text = (
                f"Have the {dependency.kind} “{dependency.what}” run through someone else than {party.name} ({what})."
            )
            items.append(Item(Phase.HAND_OVER, "ask", text))
        if not mends(s, entry.powers):
            text = f"Name someone who can let others in or out of {s.account.name}: {party.name} is the last one."
            items.append(Item(Phase.HAND_OVER, "ask", text))
        if entry.kind is Kind.SECRET:
            if (entry.account_id, entry.level) not in secrets:
                secrets.add((entry.account_id, entry.level))
                items.append(Item(Phase.SECRETS, Action.CHANGE_SECRET, f"Change {what}.", entry.id))
        elif entry.kind is Kind.SESSION:
            if entry.id not in hanging:
                items.append(Item(Phase.SESSIONS, Action.END, f"Close the session {what}.", entry.id))
        elif entry.id not in hanging:
            items.append(Item(Phase.ACCESS, Action.END, f"End {what}.", entry.id))
    items += [_out_of(party, membership, names[membership.team_id], able) for membership in memberships]
    return tuple(sorted(items, key=lambda item: item.phase))


def _out_of(party: Party, membership: Membership, name: str, able: Collection[UUID]) -> Item:
    """How someone leaves a team, or an app that they connected is left to others."""
    if membership.how == "app":
        text = f"Have {name}, which {party.name} connected, disconnected or connected by someone else."
        return Item(Phase.BY_HAND, "ask", text, membership_id=membership.id)
    text = f"Remove {party.name} from the team {name}."
    if membership.provider_id in able:
        return Item(Phase.ACCESS, Action.REMOVE_MEMBER, text, membership_id=membership.id)
    return Item(Phase.BY_HAND, "ask", text, membership_id=membership.id)
