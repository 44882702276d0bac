"""Activity: what was done with accounts, by whom, and in whose name."""

from __future__ import annotations

from collections.abc import Mapping

from openlatch.operations.call import Call, operation
from openlatch.store.inventory.activity import Done
from openlatch.store.pages import Page
from openlatch.words import How

__all__ = [
    "browse",
]


@operation("activity.browse")
def browse(
    call: Call, account: str, party: str, how: str, limit: int, cursor: str | None
) -> tuple[Page[Done], Mapping[How, int]]:
    """What was done, the latest first: on an account, by or on behalf of a party; and how much of it was done how."""
    account_id = call.tx.accounts.find(account, ever=True).id if account else None
    party_id = call.tx.parties.find(party).id if party else None
    wanted = How(how) if how else None
    page = call.tx.activity.browse(account_id=account_id, party_id=party_id, how=wanted, limit=limit, cursor=cursor)
    return page, call.tx.activity.counts(account_id, party_id)
