"""Who is in which team."""

from __future__ import annotations

from openlatch.operations.call import Call
from openlatch.operations.orders import teams
from openlatch.operations.orders.teams import MembershipSight
from openlatch.web.api import Answer, Routes
from openlatch.web.filled import filled
from openlatch.web.inventory.render import party_of
from openlatch.web.orders.render import order_of
from openlatch.wire import messages as wire
from openlatch.words import Action

__all__ = ["routes"]

routes = Routes()


@routes.route("GET", "/parties/<party>/memberships", query=wire.MembershipQuery, returns=wire.MembershipList)
def list_memberships(call: Call, party: str, query: wire.MembershipQuery) -> wire.MembershipList:
    """The teams that a party is in, and who is in it if it is a team."""
    whose, page = teams.memberships(call, party, query.q, query.limit, query.cursor)
    return wire.MembershipList(
        teams=[_membership(sight) for sight in page.items if sight.team.id != whose.id],
        members=[_membership(sight) for sight in page.items if sight.team.id == whose.id],
        next=page.next,
    )


@routes.route("GET", "/teams/<team>/members/<member>/plan", query=wire.TeamPlanQuery, returns=wire.TeamPlan)
def plan_membership(call: Call, team: str, member: str, query: wire.TeamPlanQuery) -> wire.TeamPlan:
    """What adding a party to a team, or removing it from it, would do, and how; changes nothing."""
    sight = teams.plan(call, Action(query.action), team, member, query.provider)
    member_of = party_of(sight.member, not call.tx.workspace.circle.holds(sight.member))
    return filled(wire.TeamPlan, sight, sight.plan, provider=sight.provider.name, member=member_of)


@routes.route("POST", "/teams/<team>/members/<member>/orders", body=wire.NewTeamOrder, returns=wire.Order, status=201)
def order_membership(call: Call, team: str, member: str, body: wire.NewTeamOrder) -> Answer:
    """Order what a plan says; 200 with the order there is if that is in progress already."""
    wanted = (Action(body.action), team, member, body.provider)
    sight = teams.order(call, *wanted, reason=body.reason, digest=body.digest)
    return Answer(order_of(sight), 200 if sight.already else 201)


def _membership(sight: MembershipSight) -> wire.Membership:
    provider = sight.provider
    return filled(
        wire.Membership,
        sight,
        sight.membership,
        kind=sight.member.kind,
        order=sight.order.ref if sight.order else "",
        removable=provider.abilities.removes_members and not provider.by_hand,
    )
