"""Signing in, tokens, and the people of a workspace, as the client asks for them."""

from __future__ import annotations

from uuid import UUID

from openlatch.client.transport import Transport
from openlatch.wire import messages as wire

__all__ = ["PeopleCalls"]


class PeopleCalls(Transport):
    """Signing in."""

    def me(self) -> wire.Me:
        """Return who is signed in, where, and what they may do."""
        return self._send(wire.Me, "GET", "/me")

    def waiting(self) -> wire.Holder:
        """Return what waits for whoever is signed in, and in which holder's name."""
        return self._send(wire.Holder, "GET", "/me/waiting")

    def confirm(self, password: str) -> wire.Me:
        """Give one's own password again, which dangerous acts ask for."""
        return self._send(wire.Me, "POST", "/session/confirmation", json={"password": password})

    def tokens(self) -> list[wire.Token]:
        """Return one's own tokens, without their secrets."""
        return self._send(wire.TokenList, "GET", "/tokens").items

    def revoke_token(self, token_id: UUID) -> None:
        """Revoke a token."""
        self._request("DELETE", f"/tokens/{token_id}")

    def workspace(self) -> wire.Workspace:
        """Return the workspace that one is signed in to."""
        return self._send(wire.Workspace, "GET", "/workspace")

    def change_workspace(self, *, name: str | None = None, zone: str | None = None) -> wire.Workspace:
        """Call the workspace something else, or have its days in another zone (IANA); None leaves as it is."""
        return self._send(wire.Workspace, "PUT", "/workspace", json={"name": name, "zone": zone})

    def people(self) -> list[wire.Person]:
        """Return everyone who signs in to the workspace."""
        return self._send(wire.PersonList, "GET", "/people").items

    def add_person(self, name: str, address: str, role: str, password: str) -> wire.Person:
        """Let someone sign in to the workspace."""
        body = {"name": name, "address": address, "role": role, "password": password}
        return self._send(wire.Person, "POST", "/people", json=body)
