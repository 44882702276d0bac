"""Who is in which team, as the client asks for it."""

from __future__ import annotations

from openlatch.client.transport import Transport, part
from openlatch.wire import messages as wire

__all__ = ["TeamCalls"]


class TeamCalls(Transport):
    """Members of teams, and orders about them."""

    def memberships(self, party: str) -> wire.MembershipList:
        """Return the teams that a party is in, and who is in it if it is a team; by themselves only."""
        return self._send(wire.MembershipList, "GET", f"/parties/{part(party)}/memberships")

    def plan_member(
        self, team: str, member: str, action: str = "remove-member", *, provider: str = ""
    ) -> wire.TeamPlan:
        """Return what removing a party from a team would do, or with `add-member` adding it; changes nothing."""
        params = {"action": action, "provider": provider}
        return self._send(wire.TeamPlan, "GET", f"/teams/{part(team)}/members/{part(member)}/plan", params=params)

    def command_member(
        self,
        team: str,
        member: str,
        action: str = "remove-member",
        *,
        provider: str = "",
        reason: str = "",
        digest: str | None = None,
    ) -> wire.Order:
        """Order what `plan_member` says for the same arguments; with `digest`, only if the plan is still that one."""
        body = {"action": action, "provider": provider, "reason": reason, "digest": digest}
        return self._send(wire.Order, "POST", f"/teams/{part(team)}/members/{part(member)}/orders", json=body)
