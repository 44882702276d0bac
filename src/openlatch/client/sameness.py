"""Who is the same as whom, as the client asks for it."""

from __future__ import annotations

from collections.abc import Iterator

from openlatch.client.transport import Transport, part
from openlatch.wire import messages as wire

__all__ = ["SamenessCalls"]


class SamenessCalls(Transport):
    """Parties that are perhaps the same, and what people say of that."""

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
        """Have what a provider knows by a key be a party of its own."""
        body = {"provider": provider, "key": key, "reason": reason}
        return self._send(wire.SamenessDecision, "POST", f"/parties/{part(party)}/part", json=body)

    def sameness_decisions(self) -> Iterator[wire.SamenessDecision]:
        """Return what people said of who is the same as whom, the latest first."""
        return self._pages(wire.SamenessDecisionList, "/sameness-decisions", {})

    def undo_sameness(self, decision: str) -> wire.SamenessDecision:
        """Undo what was said of two parties, by the id or short form of the decision."""
        return self._send(wire.SamenessDecision, "POST", f"/sameness-decisions/{part(decision)}/undo")
