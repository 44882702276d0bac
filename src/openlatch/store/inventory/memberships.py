"""Memberships in teams, and the part of an inventory that hangs together through them."""

from __future__ import annotations

from collections.abc import Iterable
from uuid import UUID

from sqlalchemy import and_, case, func, literal, or_, select, text, union

from openlatch.core.model import Membership
from openlatch.store.bulk import change_rows
from openlatch.store.codec import Codec
from openlatch.store.inventory.rows import MembershipRow, PartyRow
from openlatch.store.noun import Noun
from openlatch.store.pages import Page, Sort, folded, page

__all__ = ["Memberships"]


_MEMBERSHIP = Codec(MembershipRow, Membership)


# `union` leaves out what was found before, so that teams in circles come to an end.
_ABOVE = text("""
    with recursive up (member, team) as (
        select member_id, team_id from memberships
        where workspace_id = :workspace and ended_at is null and how = 'member' and member_id = any(:ids)
        union
        select up.member, m.team_id from up join memberships m on m.workspace_id = :workspace
        and m.member_id = up.team and m.ended_at is null and m.how = 'member'
    )
    select member, team from up
""")
_BELOW = text("""
    with recursive down (member) as (
        select member_id from memberships
        where workspace_id = :workspace and ended_at is null and how = 'member' and team_id = any(:ids)
        union
        select m.member_id from down join memberships m on m.workspace_id = :workspace
        and m.team_id = down.member and m.ended_at is null and m.how = 'member'
    )
    select member from down
""")


class Memberships(Noun):
    """Queries over memberships."""

    def add(self, memberships: Iterable[Membership]) -> None:
        self._add(_MEMBERSHIP, memberships)

    def end(self, memberships: Iterable[Membership]) -> None:
        rows = [{"workspace_id": self._workspace_id, "id": m.id, "ended_at": m.ended_at} for m in memberships]
        change_rows(self._session, MembershipRow, rows, versioned=False)

    def standing(self, provider_id: UUID, members: Iterable[UUID] | None = None) -> tuple[Membership, ...]:
        """Return a provider's memberships: all, or those of some members."""
        query = select(MembershipRow).where(MembershipRow.provider_id == provider_id, MembershipRow.ended_at.is_(None))
        if members is not None:
            query = query.where(MembershipRow.member_id == func.any(list(members)))
        return tuple(map(_MEMBERSHIP.read, self._session.scalars(query)))

    def above(self, party_ids: Iterable[UUID]) -> dict[UUID, set[UUID]]:
        """Return the teams that each of these parties is in, however deep."""
        document: dict[UUID, set[UUID]] = {}
        for row in self._session.execute(_ABOVE, {"ids": list(party_ids), "workspace": self._workspace_id}):
            document.setdefault(row.member, set()).add(row.team)
        return document

    def beneath(self, team_ids: Iterable[UUID]) -> tuple[Membership, ...]:
        """Return every membership in one of these teams, and in the teams in these, however deep."""
        teams = list(team_ids)
        inside = {*teams, *self.below(teams)}
        query = select(MembershipRow).where(
            MembershipRow.team_id == func.any(list(inside)),
            MembershipRow.ended_at.is_(None),
            MembershipRow.how == "member",
        )
        return tuple(map(_MEMBERSHIP.read, self._session.scalars(query)))

    def of(self, party_id: UUID) -> tuple[Membership, ...]:
        """Return the memberships that a party has or, as a team, that others have in it; only those in themselves."""
        mine = or_(MembershipRow.member_id == party_id, MembershipRow.team_id == party_id)
        query = select(MembershipRow).where(mine, MembershipRow.ended_at.is_(None), MembershipRow.how == "member")
        return tuple(map(_MEMBERSHIP.read, self._session.scalars(query)))

    def browse(self, party_id: UUID, *, q: str, limit: int, cursor: str | None) -> Page[Membership]:
        """Return the memberships that a party has, by the team's name, then as a team those that others have in it.

        With `q` those in which the other one is called so.
        """
        mine, its = MembershipRow.member_id == party_id, MembershipRow.team_id == party_id
        other = case((its, MembershipRow.member_id), else_=MembershipRow.team_id)
        query = (
            select(*_MEMBERSHIP.columns)
            .join(PartyRow, and_(PartyRow.workspace_id == MembershipRow.workspace_id, PartyRow.id == other))
            .where(or_(mine, its), MembershipRow.ended_at.is_(None), MembershipRow.how == "member")
        )
        if q:
            query = query.where(PartyRow.name.icontains(q, autoescape=True))
        sort = Sort("name", (case((its, 1), else_=0), folded(PartyRow.name), MembershipRow.id))
        return page(self._session, query, sort, limit=limit, cursor=cursor, read=_MEMBERSHIP.of)

    def below(self, team_ids: Iterable[UUID]) -> set[UUID]:
        """Return everyone who is in one of these teams, however deep."""
        return {
            row.member
            for row in self._session.execute(_BELOW, {"ids": list(team_ids), "workspace": self._workspace_id})
        }

    def get(self, membership_id: UUID) -> Membership:
        """Return one membership, whether it stands or not."""
        return _MEMBERSHIP.read(
            self._session.scalars(select(MembershipRow).where(MembershipRow.id == membership_id)).one()
        )

    def around(self, party_id: UUID) -> tuple[Membership, ...]:
        """Return every membership that hangs together with a party, upwards and downwards, however far."""
        stands = MembershipRow.ended_at.is_(None)
        near = select(literal(party_id, MembershipRow.member_id.type).label("party")).cte("near", recursive=True)
        edges = union(
            select(MembershipRow.member_id.label("one"), MembershipRow.team_id.label("other")).where(stands),
            select(MembershipRow.team_id.label("one"), MembershipRow.member_id.label("other")).where(stands),
        ).subquery()
        near = near.union(select(edges.c.other).join(near, edges.c.one == near.c.party))
        query = select(MembershipRow).where(stands, MembershipRow.member_id.in_(select(near.c.party)))
        return tuple(map(_MEMBERSHIP.read, self._session.scalars(query)))
