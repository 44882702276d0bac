"""What becomes of orders and of access that ends is told to whom it concerns: both sides, and nobody else."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import timedelta

from openlatch.core.hours import last_day
from openlatch.core.model import Entry
from openlatch.core.telling.notices import Notice
from openlatch.operations.call import Call
from openlatch.operations.telling import notices
from openlatch.operations.telling.notices import tell_party
from openlatch.store.inventory.entries import Listed
from openlatch.words import Kind, Power

__all__ = [
    "administrators_added",
    "ending",
]

BEFORE = (timedelta(days=7), timedelta(days=1))
"""So long before access ends, both sides are told."""
MOST = 2000
LONGER = "If you need it for longer, ask whoever gave it to you."


def administrators_added(call: Call, entries: Sequence[Entry]) -> None:
    """Tell all other administrators of accounts on which someone new can let others in, and the holder."""
    new = [entry for entry in entries if Power.ADMIT in entry.powers and entry.kind in (Kind.DELEGATE, Kind.GRANT)]
    if not new:
        return
    on = call.tx.entries.on({entry.account_id for entry in new})
    already = [entry for entry in on if Power.ADMIT in entry.powers and entry.kind in (Kind.DELEGATE, Kind.GRANT)]
    parties = call.tx.parties.some({entry.party_id for entry in already})
    for listed in call.tx.entries.about([entry.id for entry in new]).values():
        where = f"{listed.account.name} at {listed.provider.name}"
        title = f"{listed.party.name} is now an administrator of {where}, and can give and end access there"
        news = Notice(f"administrator:{listed.entry.id}", title)
        looks = replace(news, link=f"/inventory?entry={listed.entry.ref}")
        notices.tell(call, notices.managers(call), looks)
        others = {entry.party_id for entry in already if entry.account_id == listed.account.id} - {listed.party.id}
        for other in sorted(others):
            address = notices.reachable_at(call, parties[other])
            if address:
                notices.tell_address(call, address, parties[other].name, news)


def ending(call: Call) -> int:
    """Tell both sides of access that ends soon, a week and a day before; returns how many pieces of news that made."""
    made = 0
    for before in BEFORE:
        ids = call.tx.entries.ending(call.now, call.now + before, limit=MOST)
        for listed in call.tx.entries.about(ids).values():
            entry = listed.entry
            since = entry.accepted_at or entry.given_at or entry.first_seen
            short = entry.ends_at is not None and since is not None and entry.ends_at - since <= before
            if entry.ends_at is not None and not short and entry.kind in (Kind.DELEGATE, Kind.GRANT, Kind.APP):
                made += _ends(call, listed, before)
    return made


def _ends(call: Call, listed: Listed, before: timedelta) -> int:
    entry = listed.entry
    assert entry.ends_at is not None  # noqa: S101 - it was asked for by its end
    day = last_day(entry.ends_at, call.tx.workspace.zone)
    key = f"ends:{entry.id}:{entry.ends_at:%Y%m%d}:{before.days}"
    where = f"{listed.account.name} at {listed.provider.name}"
    made = tell_party(
        call, listed.party, Notice(key, f"Your access to {where} ends soon: you have it until {day}", LONGER)
    )
    title = f"{listed.party.name}'s access to {where} ends soon: they have it until {day}"
    news = Notice(key + ":holder", title, f"“{entry.level}”", f"/inventory?entry={entry.ref}")
    return made + notices.tell(call, notices.manager(call, entry.given_by_id), news)
