"""Who has access, who is who, and who is in which team, as the client asks for it."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Unpack

from openlatch.client.transport import Transport, part, plain
from openlatch.client.wanted import PartyFile
from openlatch.wire import messages as wire
from openlatch.words import PartyOrder, PartyStatus

__all__ = ["PartiesCalls"]


class PartiesCalls(Transport):
    """Who has access."""

    def parties(
        self,
        q: str = "",
        *,
        kind: str = "",
        status: PartyStatus | None = None,
        outside: bool | None = None,
        risk: int = 0,
        sort: PartyOrder | str = PartyOrder.NAME,
    ) -> Iterator[wire.PartyOverview]:
        """Return the parties that have part of a name or an address, any of these kinds, and at least this risk."""
        wanted = {"q": q, "kind": kind, "status": status, "outside": outside, "risk": risk, "sort": sort}
        return self._pages(wire.PartyList, "/parties", wanted)

    def parties_export(self, file_format: str = "csv", **wanted: Unpack[PartyFile]) -> Iterator[bytes]:
        """Return them as a file, piece by piece: `csv`, `jsonl` or `xlsx`; `wanted` as for `parties`."""
        return self._pieces("/parties/export", params=plain(wanted) | {"format": file_format})

    def party(self, party: str) -> wire.PartyOverview:
        """Return one party, by id, short form or address."""
        return self._send(wire.PartyOverview, "GET", f"/parties/{part(party)}")

    def sponsor(self, party: str, address: str) -> wire.PartyOverview:
        """Say who of the workspace answers for a party, by address; nobody, if it is empty."""
        return self._send(wire.PartyOverview, "PUT", f"/parties/{part(party)}/sponsor", json={"address": address})

    def mark_service(self, party: str, *, service: bool = True) -> wire.PartyOverview:
        """Say whether a program signs in with a party, and no person: rules about people leave it alone then."""
        return self._send(wire.PartyOverview, "PUT", f"/parties/{part(party)}/service", json={"service": service})

    def reach(self, party: str) -> wire.Reach:
        """Return everything that a party can do, and through which chains."""
        return self._send(wire.Reach, "GET", f"/parties/{part(party)}/reach")

    def smallest_cut(self, party: str, account: str, power: str) -> wire.Cut:
        """Return the smallest set to end so that a party loses a power on an account, and nobody else anything."""
        wanted = {"account": account, "power": power}
        return self._send(wire.Cut, "GET", f"/parties/{part(party)}/cut", params=wanted)

    def perhaps_the_same(self, party: str = "") -> list[wire.Alike]:
        """Return the parties that are perhaps the same, two by two, the strongest reasons first; or those of one."""
        return self._send(wire.PerhapsTheSame, "GET", "/perhaps-the-same", params={"party": party}).items

    def known_as(self, party: str) -> list[wire.KnownAs]:
        """Return what providers know a party by."""
        return self._send(wire.KeyList, "GET", f"/parties/{part(party)}/keys").items

    def join(self, party: str, other: str, *, reason: str = "") -> wire.SamenessDecision:
        """Have two parties be one: all that `other` has is the first's, until that is undone.

        Refused (Conflict) for two that one provider knows by two keys.
        """
        body = {"other": other, "reason": reason}
        return self._send(wire.SamenessDecision, "POST", f"/parties/{part(party)}/join", json=body)

    def keep_apart(self, party: str, other: str, *, reason: str = "") -> wire.SamenessDecision:
        """Keep two parties apart: it is not asked again whether they are the same."""
        body = {"other": other, "reason": reason}
        return self._send(wire.SamenessDecision, "POST", f"/parties/{part(party)}/keep-apart", json=body)

    def part(self, party: str, provider: str, key: str, *, reason: str = "") -> wire.SamenessDecision:
        """Part what a provider knows by a key from a party: it becomes a party of its own."""
        body = {"provider": provider, "key": key, "reason": reason}
        return self._send(wire.SamenessDecision, "POST", f"/parties/{part(party)}/part", json=body)

    def sameness_decisions(self) -> Iterator[wire.SamenessDecision]:
        """Return what people said of who is the same as whom, the latest first."""
        return self._pages(wire.SamenessDecisionList, "/sameness-decisions", {})

    def undo_sameness(self, decision: str) -> wire.SamenessDecision:
        """Undo what was said of two parties, by the id or short form of the decision."""
        return self._send(wire.SamenessDecision, "POST", f"/sameness-decisions/{part(decision)}/undo")

    def memberships(self, party: str, q: str = "") -> wire.MembershipList:
        """Return the teams that a party is in, and who is in it if it is a team; by themselves only.

        With `q` those whose names have that in them.
        """
        path = f"/parties/{part(party)}/memberships"
        found = self._send(wire.MembershipList, "GET", path, params=plain({"q": q, "limit": 500}))
        while found.next is not None:
            params = plain({"q": q, "limit": 500, "cursor": found.next})
            more = self._send(wire.MembershipList, "GET", path, params=params)
            teams, members = found.teams + more.teams, found.members + more.members
            found = wire.MembershipList(teams=teams, members=members, next=more.next)
        return found

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
