"""What people have said of who is the same as whom, and how what one party has becomes another's."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import ARRAY, ColumnElement, cast, func, or_, select, text, tuple_, update

from openlatch.core.inventory.reconcile import Identifier
from openlatch.core.inventory.sameness import Decision
from openlatch.core.model import Author
from openlatch.core.providers.observation import WRITTEN
from openlatch.store.codec import Codec
from openlatch.store.inventory.parties import NO_PROVIDER
from openlatch.store.inventory.rows import ActivityRow, EntryRow, IdentifierRow, MembershipRow, PartyRow, SamenessRow
from openlatch.store.letting_in.rows import OfferRow
from openlatch.store.noun import Noun, id_or_ref, missing
from openlatch.store.orders.rows import OrderRow
from openlatch.store.pages import Page, Sort, page
from openlatch.store.taking_back.rows import BatchRow

__all__ = ["Sameness"]

MOST_ALIKE = 50
"""What more parties than this have in common says nothing of any of them."""

_ALIKE = text("""
    with marks as (
        select p.id, p.kind || ' address' as what, lower(trim(a)) as value from parties p, unnest(p.addresses) a
        where p.joined_into is null
        union all
        select id, kind || ' name', lower(regexp_replace(trim(name), '\\s+', ' ', 'g')) from parties
        where joined_into is null and name <> ''
        union all
        select id, 'home', lower(rtrim(trim(home), '/')) from parties
        where joined_into is null and kind = 'app' and home <> ''
        union all
        select id, 'publisher', lower(regexp_replace(trim(publisher), '\\s+', ' ', 'g')) from parties
        where joined_into is null and kind = 'app' and publisher <> ''
        union all
        select p.id, 'key', lower(i.value) from identifiers i
        join parties p on p.workspace_id = i.workspace_id and p.id = i.party_id
        where p.joined_into is null and p.kind = 'app' and i.scheme not in ('address', 'shared', 'anyone')
    ), several as (
        select what, value from marks group by what, value having count(distinct id) between 2 and :most
    )
    select distinct id from marks join several using (what, value)
""")


_DECISION = Codec(SamenessRow, Decision, named={"by": "decided_by", "at": "decided_at"})


class Sameness(Noun):
    """Decisions about parties, and the moves that they mean."""

    def alike(self) -> tuple[UUID, ...]:
        """Return the parties that have anything in common with another."""
        return tuple(self._session.scalars(_ALIKE, {"most": MOST_ALIKE}))

    def add(self, decision: Decision) -> None:
        """Store a new decision."""
        self._add(_DECISION, [decision])

    def undone(self, decision: Decision, by: Author, at: datetime) -> Decision:
        """Keep that a decision holds no more."""
        self._session.execute(
            update(SamenessRow)
            .where(SamenessRow.id == decision.id)
            .values(undone_by=by.name, undone_by_id=by.id, undone_at=at)
        )
        return replace(decision, undone_by=by, undone_at=at)

    def find(self, named: str) -> Decision:
        """Return the decision of an id or a short form."""
        wanted = id_or_ref(named)
        rows = self._session.scalars(select(SamenessRow)) if wanted is not None else ()
        for decision in map(_DECISION.read, rows):
            if wanted in (decision.id, decision.ref):
                return decision
        raise missing("decision", named)

    def browse(self, *, limit: int, cursor: str | None) -> Page[Decision]:
        """Return decisions, the latest first."""
        sort = Sort("decided", (SamenessRow.decided_at, SamenessRow.id), descending=True)
        return page(
            self._session,
            select(SamenessRow),
            sort,
            limit=limit,
            cursor=cursor,
            read=_DECISION.first,
        )

    def standing(self, ids: Iterable[UUID] | None = None) -> tuple[Decision, ...]:
        """Return the decisions that were not undone, about some parties or all, the latest first."""
        query = select(SamenessRow).where(SamenessRow.undone_at.is_(None)).order_by(SamenessRow.decided_at.desc())
        if ids is not None:
            wanted = list(ids)
            query = query.where(or_(SamenessRow.one == func.any(wanted), SamenessRow.other == func.any(wanted)))
        return tuple(map(_DECISION.read, self._session.scalars(query)))

    def identifiers_of(self, party_id: UUID) -> tuple[Identifier, ...]:
        """Return every identifier of a party."""
        rows = self._session.scalars(select(IdentifierRow).where(IdentifierRow.party_id == party_id))
        return tuple(sorted((Identifier(row.scheme, row.value) for row in rows), key=lambda i: (i.scheme, i.value)))

    def nameless_of(self, party_id: UUID) -> dict[str, list[str]]:
        """Return what a party has that no key of a provider tells from what others have, as ids by table."""
        tables: dict[str, Any] = {"entries": EntryRow, "offers": OfferRow, "batches": BatchRow}
        queries = {name: select(row.id).where(row.party_id == party_id) for name, row in tables.items()}
        queries["entries"] = queries["entries"].where(EntryRow.subject == "")
        return {name: sorted(map(str, self._session.scalars(query))) for name, query in queries.items()}

    def becomes(self, was: UUID, party_id: UUID | None) -> None:
        """Keep that a party is another one from now on, or itself again."""
        self._session.execute(update(PartyRow).where(PartyRow.id == was).values(joined_into=party_id))
        if party_id is not None:
            later = PartyRow.joined_into == was
            self._session.execute(update(PartyRow).where(later).values(joined_into=party_id))

    def move_all(self, was: UUID, becomes: UUID) -> None:
        """Have all that one party has be another's."""
        mine = IdentifierRow.party_id == was
        self._session.execute(update(IdentifierRow).where(mine).values(party_id=becomes, digest=None))
        self._move_entries(was, becomes, EntryRow.id.is_not(None))
        self._move_done(was, becomes, None)
        for row in (OfferRow, BatchRow):
            self._session.execute(update(row).where(row.party_id == was).values(party_id=becomes))

    def move_keys(self, was: UUID, becomes: UUID, keys: Sequence[Identifier], nameless: dict[str, list[str]]) -> None:
        """Have what providers know by these keys be another party's, and what else is named."""
        theirs = _one_of(
            [(IdentifierRow.scheme, [k.scheme for k in keys]), (IdentifierRow.value, [k.value for k in keys])]
        )
        mine = IdentifierRow.party_id == was
        self._session.execute(update(IdentifierRow).where(mine, theirs).values(party_id=becomes, digest=None))
        own = [(UUID(key.scheme), key.value) for key in keys if key.scheme not in NO_PROVIDER]
        ids = [UUID(each_text) for each_text in nameless.get("entries", ())]
        by_key = _one_of([(EntryRow.provider_id, [one for one, _ in own]), (EntryRow.subject, [key for _, key in own])])
        self._move_entries(was, becomes, or_(by_key, EntryRow.id == func.any(ids)))
        # Of one provider a party has one key: all that it did there, it did by that.
        self._move_done(was, becomes, [each_id for each_id, value in own if not value.startswith(WRITTEN)])
        for name, row in (("offers", OfferRow), ("batches", BatchRow)):
            some = row.id == func.any([UUID(each_text) for each_text in nameless.get(name, ())])
            self._session.execute(update(row).where(row.party_id == was, some).values(party_id=becomes))

    def _move_entries(self, was: UUID, becomes: UUID, which: Any) -> None:
        moved = {"party_id": becomes, "version": EntryRow.version + 1}
        self._session.execute(update(EntryRow).where(EntryRow.party_id == was, which).values(**moved))
        follow = text(
            "update round_items i set party_id = e.party_id from entries e where e.workspace_id = i.workspace_id "
            "and e.id = i.entry_id and i.party_id = :was and e.party_id = :becomes and i.workspace_id = :workspace"
        )
        values = {"was": was, "becomes": becomes, "workspace": self._workspace_id}
        self._session.execute(follow, values)

    def _move_done(self, was: UUID, becomes: UUID, providers: list[UUID] | None) -> None:
        """Memberships, orders about them, and activity, of some providers or of all."""
        for column in (
            MembershipRow.member_id,
            MembershipRow.team_id,
            OrderRow.member_id,
            OrderRow.team_id,
            ActivityRow.party_id,
            ActivityRow.behalf_of,
        ):
            row: Any = column.class_
            statement = update(row).where(column == was)
            if providers is not None:
                statement = statement.where(row.provider_id == func.any(providers))
            self._session.execute(statement.values({column.key: becomes}))


def _one_of(wanted: Sequence[tuple[Any, Sequence[Any]]]) -> ColumnElement[bool]:
    """Columns that have, together, one of the values that stand beside each other."""
    columns = [column for column, _ in wanted]
    lists = [cast(list(values), ARRAY(column.type)) for column, values in wanted]
    there = func.unnest(*lists).table_valued(*(column.key for column in columns)).render_derived()
    return tuple_(*columns).in_(select(*there.c))
