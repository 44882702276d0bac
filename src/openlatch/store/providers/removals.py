"""What goes on at a provider, and how much there is of it, across all nouns: asked before it is removed."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from uuid import UUID

from sqlalchemy import text

from openlatch.core.orders.orders import FINAL
from openlatch.store.noun import Noun
from openlatch.words import OfferState, OrderState, RequestState, RoundState

__all__ = ["Removals"]

_GOING_ON = {
    "order": """
        orders o where o.workspace_id = :workspace and o.state = any(:open) and (o.provider_id = :provider or exists (
            select from entries e
            where e.workspace_id = :workspace and e.id = o.entry_id and e.provider_id = :provider))
    """,
    "batch": """
        batches o where o.workspace_id = :workspace and o.over_at is null and o.cancelled_at is null and exists (
            select from batch_items i
            left join entries e on e.workspace_id = :workspace and e.id = i.entry_id
            left join memberships m on m.workspace_id = :workspace and m.id = i.membership_id
            left join orders given on given.workspace_id = :workspace and given.id = i.order_id
            where i.workspace_id = :workspace and i.batch_id = o.id and i.came_to = '' and i.left_open is null
            and (e.provider_id = :provider or (m.provider_id = :provider and m.ended_at is null))
            and (i.done_at is null or i.membership_id is not null)
            and (given.id is null or given.state = any(:open)))
    """,
    "offer": """
        offers o where o.workspace_id = :workspace and o.state = :held_out and exists (
            select from offer_parts p
            join entries e on e.workspace_id = :workspace and e.id = p.entry_id
            where p.workspace_id = :workspace and p.offer_id = o.id and e.provider_id = :provider)
    """,
    "request": """
        requests o where o.workspace_id = :workspace and o.state = any(:asked) and exists (
            select from accounts a
            where a.workspace_id = :workspace and a.id = o.account_id and a.provider_id = :provider)
    """,
    "round": """
        rounds o where o.workspace_id = :workspace and o.state = any(:under_way) and exists (
            select from round_items i
            join entries e on e.workspace_id = :workspace and e.id = i.entry_id
            where i.workspace_id = :workspace and i.round_id = o.id and e.provider_id = :provider)
    """,
    "import": "imports o where o.workspace_id = :workspace and o.provider_id = :provider and o.finished_at is null",
}
_STATES = {
    "open": [state.value for state in OrderState if state not in FINAL],
    "held_out": OfferState.WAITING.value,
    "asked": [RequestState.UNCONFIRMED.value, RequestState.WAITING.value],
    "under_way": [RoundState.OPEN.value, RoundState.SETTLING.value],
}
_COUNTS = """
    select count(*), count(distinct account_id), count(*) filter (where ends_at > :now),
    (select count(*) from memberships m
     where m.workspace_id = :workspace and m.provider_id = :provider and m.ended_at is null),
    (select count(distinct o.party_id) from entries o
     where o.workspace_id = :workspace and o.provider_id = :provider and o.state <> 'ended' and not exists (
        select from entries e where e.workspace_id = :workspace and e.party_id = o.party_id
        and e.provider_id <> :provider and e.state <> 'ended'))
    from entries where workspace_id = :workspace and provider_id = :provider and state <> 'ended'
"""


class Removals(Noun):
    """Queries over all that a provider has to do with."""

    def going_on(self, provider_id: UUID) -> dict[str, tuple[str, ...]]:
        """Return what has not come to its end at a provider, by what it is: short forms, the oldest first."""
        values = {"workspace": self._workspace_id, "provider": provider_id, **_STATES}
        found: dict[str, tuple[str, ...]] = {}
        for matter, where in _GOING_ON.items():
            statement = text(f"select o.ref from {where} order by o.id")
            needed = {name: value for name, value in values.items() if f":{name}" in where}
            found[matter] = tuple(row.ref for row in self._session.execute(statement, needed))
        return found

    def counts(self, provider_id: UUID, now: datetime) -> Mapping[str, int]:
        """Return what stands at a provider: its entries and their accounts, those of them with an end to come, its
        memberships, and the parties that have nothing elsewhere.
        """
        values = {"workspace": self._workspace_id, "provider": provider_id, "now": now}
        row = self._session.execute(text(_COUNTS), values).one()
        names = ("entries", "accounts", "to_end", "memberships", "nowhere_else")
        return dict(zip(names, row, strict=True))
