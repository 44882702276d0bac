"""What whoever acts may see: everything, or only what is their own."""

from __future__ import annotations

from uuid import UUID

from openlatch.operations.call import Call
from openlatch.words import Role

__all__ = ["own_party", "within_sight"]

_NOBODY = UUID(int=0)


def own_party(call: Call) -> UUID:
    """Return the party that whoever acts is; one that holds nothing, if they are none."""
    address = call.actor.person.address if call.actor.person else ""
    return call.tx.parties.of_address(address) or _NOBODY


def within_sight(call: Call) -> UUID | None:
    """Return the only party whose entries whoever acts may see, or None if all."""
    person = call.actor.person
    return own_party(call) if person is not None and person.role is Role.MEMBER else None
