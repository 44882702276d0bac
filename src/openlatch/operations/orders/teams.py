"""Who is in which team: looking at it, and ordering that someone is added to a team or removed from one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from uuid import UUID

from openlatch.core.inventory.matching import openings
from openlatch.core.inventory.reach import Graph, Link
from openlatch.core.inventory.reconcile import Changes
from openlatch.core.model import Entry, Membership, Party, Provider
from openlatch.core.orders.orders import Order
from openlatch.core.orders.steps import Plan
from openlatch.core.orders.teams import Belonging, TeamSituation, plan_membership
from openlatch.errors import Changed, Invalid
from openlatch.operations.call import Call, operation
from openlatch.operations.orders import orders
from openlatch.operations.orders.orders import OrderSight
from openlatch.operations.providers import readings
from openlatch.store.pages import Page
from openlatch.words import Action, Power

__all__ = [
    "MembershipSight",
    "TeamPlanSight",
    "belonging",
    "given_by",
    "left_by_word",
    "memberships",
    "order",
    "plan",
    "planned",
    "standing",
]


@dataclass(frozen=True, slots=True)
class MembershipSight:
    """A membership with both parties and its provider, and the order that is in progress about it."""

    membership: Membership
    team: Party
    member: Party
    provider: Provider
    order: Order | None = None


@dataclass(frozen=True, slots=True)
class TeamPlanSight:
    """A plan with what it is about."""

    plan: Plan
    team: Party
    member: Party
    provider: Provider


@operation("teams.memberships")
def memberships(call: Call, text: str, q: str, limit: int, cursor: str | None) -> tuple[Party, Page[MembershipSight]]:
    """The teams that a party is in, and if it is a team, who is in it: by itself, not through other teams."""
    party = call.tx.parties.find(text)
    page = call.tx.memberships.browse(party.id, q=q, limit=limit, cursor=cursor)
    membership = page.items
    parties = call.tx.parties.some({each_id for m in membership for each_id in (m.team_id, m.member_id)})
    providers = {provider_id: call.tx.providers.get(provider_id) for provider_id in {m.provider_id for m in membership}}
    open_ = call.tx.orders.open_of_members(belonging(m) for m in membership)
    sights = [
        MembershipSight(m, parties[m.team_id], parties[m.member_id], providers[m.provider_id], open_.get(belonging(m)))
        for m in membership
    ]
    return party, Page(tuple(sights), page.next)


@operation("teams.plan")
def plan(call: Call, action: Action, team: str, member: str, provider: str) -> TeamPlanSight:
    """What adding someone to a team, or removing them from it, would do, and how; changes nothing."""
    return planned(call, action, _meant(call, team, member, provider))


@operation("teams.order")
def order(
    call: Call, action: Action, team: str, member: str, provider: str, reason: str, digest: str | None
) -> OrderSight:
    """Order what a plan says. If that is in progress already, that order is returned: there is never a second.

    With `digest`, refuses (Changed) if the plan is no longer the one that was shown.
    """
    about = _meant(call, team, member, provider)
    orders.hold(call, given_by(call, about))
    there = call.tx.orders.open_for(about)
    if there is not None:
        return replace(orders.same(call, there, action), already=True)
    sight = planned(call, action, about)
    if digest is not None and digest != sight.plan.digest:
        raise Changed(
            f"What this would do to {sight.member.name} in {sight.team.name} has changed since it was shown. "
            "Nothing was ordered.",
            next_step="Look at the plan again, then decide.",
            team=sight.team.ref,
        )
    given, new = orders.given(call, orders.drafted(call, sight.plan, about, reason))
    return replace(orders.sight(call, given), already=not new)


def belonging(membership: Membership) -> Belonging:
    """Return who is in what, of a membership."""
    return Belonging(membership.provider_id, membership.team_id, membership.member_id)


def standing(call: Call, about: Belonging) -> Membership | None:
    """Return the membership of a member of a team, if it stands."""
    theirs = call.tx.memberships.standing(about.provider_id, [about.member_id])
    return next((m for m in theirs if m.team_id == about.team_id and m.how == "member"), None)


def left_by_word(call: Call, order: Order) -> None:
    """End the membership of which someone said that it is no more, where no reading can see it."""
    assert isinstance(order.about, Belonging)  # noqa: S101 - only called for these
    there = standing(call, order.about)
    if there is not None:
        ended = replace(there, ended_at=call.now)
        call.tx.memberships.end([ended])
        call.log("member.left", "party", there.member_id, team=str(there.team_id), evidence=f"order {order.ref}")
        readings.evaluate(call, Changes(gone_memberships=(ended,)))


def _meant(call: Call, team: str, member: str, provider: str) -> Belonging:
    """Who is meant, and at which provider: the one that is named, or else the only one that there can be."""
    a, b = call.tx.parties.find(team), call.tx.parties.find(member)
    if provider:
        return Belonging(call.tx.providers.find(provider).id, a.id, b.id)
    joined = {m.provider_id for m in call.tx.memberships.of(b.id) if m.team_id == a.id}
    known = call.tx.parties.with_keys([a.id])[a.id]
    at = joined or {key.provider_id for key in known.keys}
    if len(at) != 1:
        names = ", ".join(sorted(call.tx.providers.get(each_id).name for each_id in at))
        raise Invalid(
            f"{a.name} is a team at {names}. Nothing was changed."
            if at
            else f"No provider knows {a.name} as a team of its own. Nothing was changed.",
            next_step="Name the provider that is meant." if at else "Name another team.",
            errors=[{"at": "provider", "problem": "several" if at else "none"}],
        )
    return Belonging(at.pop(), a.id, b.id)


def planned(call: Call, action: Action, about: Belonging) -> TeamPlanSight:
    """Return what would be done about a member of a team."""
    s, provider = _situation(call, about)
    return TeamPlanSight(plan_membership(s, action), s.team, s.member, provider)


def given_by(call: Call, about: Belonging) -> Sequence[Entry]:
    """Return the entries that a team gives its members, by itself and by the teams that it is in."""
    above = call.tx.memberships.above([about.team_id]).get(about.team_id, ())
    return call.tx.entries.held_by({about.team_id, *above})


def _situation(call: Call, about: Belonging) -> tuple[TeamSituation, Provider]:
    """A team, a party, and all around both that bears on what it means that the one is in the other."""
    tx = call.tx
    provider = tx.providers.get(about.provider_id)
    there = standing(call, about)
    link = Link(there.id if there else call.services.new_id(), about.member_id, about.team_id, "member")
    around = {m.id: m for each_id in (about.member_id, about.team_id) for m in tx.memberships.around(each_id)}
    graph, parties = _graph(call, about, list(around.values()), link)
    keys = tx.parties.keys_of([about.team_id, about.member_id], provider.id)
    team_key, member_key = (
        "" if keys.get(each_id, str(each_id)) == str(each_id) else keys[each_id]
        for each_id in (about.team_id, about.member_id)
    )
    accounts = {entry.account_id for held in graph.held.values() for entry in held}
    member = parties[about.member_id]
    situation = TeamSituation(
        parties[about.team_id],
        member,
        provider.name,
        provider.abilities,
        graph,
        link=link.id,
        stands=there is not None,
        team_key=team_key,
        member_key=member_key,
        by_hand=provider.by_hand,
        outside=not tx.workspace.circle.holds(member),
        parties=parties,
        places=tx.accounts.names(accounts),
        names=tx.parties.names_at(provider.id, {team_key, member_key} - {""}),
    )
    return situation, provider


def _graph(call: Call, about: Belonging, around: Sequence[Membership], link: Link) -> tuple[Graph, dict[UUID, Party]]:
    """All that hangs together with both, with the membership; and whoever else can let others in where they can."""
    tx = call.tx
    parties = {about.team_id, about.member_id} | {each_id for m in around for each_id in (m.team_id, m.member_id)}
    held = tx.entries.held_by(parties)
    administered = {entry.account_id for entry in held if Power.ADMIT in entry.powers}
    others = [
        entry for entry in tx.entries.on(administered) if Power.ADMIT in entry.powers and entry.party_id not in parties
    ]
    beneath = tx.memberships.beneath({entry.party_id for entry in others})
    parties |= {entry.party_id for entry in others} | {each_id for m in beneath for each_id in (m.team_id, m.member_id)}
    known = tx.parties.some(parties)
    many = [party for party in tx.parties.of_many() if party.id not in parties]
    opened = tx.entries.held_by([party.id for party in many], {entry.account_id for entry in held})
    joined = {m.id: m for m in (*around, *beneath)}
    links = {link.id: link} | {
        m.id: Link(m.id, m.member_id, m.team_id, m.how) for m in joined.values() if m.id != link.id
    }
    graph = Graph(
        {entry.id: entry for entry in (*held, *others, *opened)}.values(),
        [*links.values(), *openings(known.values(), many)],
    )
    return graph, known | {party.id: party for party in many}
