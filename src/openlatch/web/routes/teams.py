"""Who is in which team."""

from __future__ import annotations

from openlatch.operations.call import Call
from openlatch.operations.orders import teams
from openlatch.operations.orders.teams import MembershipSight
from openlatch.web import render
from openlatch.web.api import Answer, Routes
from openlatch.wire import messages as wire
from openlatch.words import Action

__all__ = ["routes"]

routes = Routes("teams")


@routes.route("GET", "/parties/<party>/memberships", returns=wire.MembershipList)
def list_memberships(call: Call, party: str) -> wire.MembershipList:
    """The teams that a party is in, and who is in it if it is a team."""
    whose, found = teams.memberships(call, party)
    return wire.MembershipList(
        teams=[_membership(one) for one in found if one.team.id != whose.id],
        members=[_membership(one) for one in found if one.team.id == whose.id],
    )


@routes.route("GET", "/teams/<team>/members/<member>/plan", query=wire.TeamPlanQuery, returns=wire.TeamPlan)
def plan_membership(call: Call, team: str, member: str, query: wire.TeamPlanQuery) -> wire.TeamPlan:
    """What adding a party to a team, or removing it from it, would do, and how; changes nothing."""
    sight = teams.plan(call, Action(query.action), team, member, query.provider)
    made = sight.plan
    return wire.TeamPlan(
        action=query.action,
        team=render.named(sight.team),
        member=render.party(sight.member, not call.tx.workspace.circle.holds(sight.member)),
        subject=made.subject,
        provider=sight.provider.name,
        consequences=render.consequences(made),
        steps=[render.step(one) for one in made.steps],
        stop=made.stop,
        digest=made.digest,
    )


@routes.route("POST", "/teams/<team>/members/<member>/orders", body=wire.NewTeamOrder, returns=wire.Order, status=201)
def order_membership(call: Call, team: str, member: str, body: wire.NewTeamOrder) -> Answer:
    """Order what a plan says; 200 with the order there is if that is under way already."""
    wanted = (Action(body.action), team, member, body.provider)
    sight = teams.order(call, *wanted, reason=body.reason, digest=body.digest)
    return Answer(render.order(sight), 200 if sight.already else 201)


def _membership(sight: MembershipSight) -> wire.Membership:
    provider = sight.provider
    return wire.Membership(
        id=sight.membership.id,
        team=render.named(sight.team),
        member=render.named(sight.member),
        kind=sight.member.kind.value,
        provider=wire.Ref(id=provider.id, ref=provider.ref, name=provider.name),
        since=sight.membership.since,
        removable=provider.abilities.removes_members and not provider.by_hand,
        order=sight.order.ref if sight.order else "",
    )
