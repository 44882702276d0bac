"""Signing in, tokens, and the people of a workspace, as the client asks for them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any
from uuid import UUID

from openlatch.client.transport import Transport, part
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

    def confirm(self, password: str | None = None, *, code: str | None = None) -> wire.Me:
        """Prove again who one is, which dangerous acts ask for: by one's password, or by a code of a second factor."""
        given = {"password": password} if code is None else {"code": code}
        return self._send(wire.Me, "POST", "/session/confirmation", json=given)

    def tokens(self) -> list[wire.Token]:
        """Return one's own tokens, without their secrets."""
        return self._send(wire.TokenList, "GET", "/tokens").items

    def revoke_token(self, token_id: UUID) -> None:
        """Revoke a token."""
        self._request("DELETE", f"/tokens/{token_id}")

    def sign_out(self) -> None:
        """Have the token that this client uses refused from now on."""
        self._request("DELETE", "/session")

    def workspace(self) -> wire.Workspace:
        """Return the workspace that one is signed in to."""
        return self._send(wire.Workspace, "GET", "/workspace")

    def change_workspace(
        self,
        *,
        name: str | None = None,
        zone: str | None = None,
        second_factor: Sequence[str] | None = None,
        keep_events_days: int | None = None,
        keep_activity_days: int | None = None,
        keep_readings_days: int | None = None,
    ) -> wire.Workspace:
        """Call the workspace something else, have its days in another zone (IANA), demand a second factor of whoever
        has one of some roles, or keep what happened for so many days (0: for ever); None leaves as it is.
        """
        body = {
            "name": name,
            "zone": zone,
            "second_factor": None if second_factor is None else list(second_factor),
            "keep_events_days": keep_events_days,
            "keep_activity_days": keep_activity_days,
            "keep_readings_days": keep_readings_days,
        }
        return self._send(wire.Workspace, "PUT", "/workspace", json=body)

    def people(self) -> list[wire.Person]:
        """Return everyone who signs in to the workspace."""
        return self._send(wire.PersonList, "GET", "/people").items

    def with_second_factor(self) -> frozenset[UUID]:
        """Return the ids of everyone who has a second factor."""
        return frozenset(self._send(wire.PersonList, "GET", "/people").second_factor)

    def reset_factors(self, person: str) -> wire.Person:
        """Take away all second factors of someone who has lost theirs: their sessions and tokens end."""
        return self._send(wire.Person, "DELETE", f"/people/{part(person)}/factors")

    def factors(self) -> wire.FactorList:
        """Return one's own second factors, and how many recovery codes are left."""
        return self._send(wire.FactorList, "GET", "/me/factors")

    def begin_codes(self, name: str) -> wire.CodesBegun:
        """Begin with codes from an app; they count once a first one was right, see `prove_codes`."""
        return self._send(wire.CodesBegun, "POST", "/me/factors/codes", json={"name": name})

    def prove_codes(self, factor_id: UUID, code: str) -> list[str]:
        """Prove by a first code that an app is set up; returns recovery codes, if there were none left."""
        sent = self._send(wire.RecoveryCodes, "POST", f"/me/factors/{factor_id}/proof", json={"code": code})
        return sent.codes

    def begin_passkey(self) -> wire.PasskeyAsked:
        """Return what a browser has to have a new passkey made for."""
        return self._send(wire.PasskeyAsked, "POST", "/me/factors/passkey/asked")

    def add_passkey(self, asked: UUID, credential: dict[str, Any], name: str) -> list[str]:
        """Add a passkey that a browser has made; returns recovery codes, if there were none left."""
        body = {"asked": str(asked), "credential": credential, "name": name}
        return self._send(wire.RecoveryCodes, "POST", "/me/factors/passkey", json=body).codes

    def remove_factor(self, factor_id: UUID) -> None:
        """Remove a second factor of one's own."""
        self._request("DELETE", f"/me/factors/{factor_id}")

    def make_recovery_codes(self) -> list[str]:
        """Make new recovery codes; those of before hold no more."""
        return self._send(wire.RecoveryCodes, "POST", "/me/recovery-codes").codes

    def ask_for_passkey(self, workspace: str) -> wire.PasskeyAsked:
        """Return what a passkey is asked to sign, to sign in to a workspace with it."""
        return self._send(wire.PasskeyAsked, "POST", "/session/passkey/asked", json={"workspace": workspace})

    def sign_ons(self) -> wire.SignOnList:
        """Return every single sign-on of the workspace, and the address that each has to send people back to."""
        return self._send(wire.SignOnList, "GET", "/sign-ons")

    def add_sign_on(self, wish: wire.SignOnWish) -> wire.SignOn:
        """Let people sign in at a service (OpenID Connect), once what it says of itself can be read."""
        return self._send(wire.SignOn, "POST", "/sign-ons", json=wish.model_dump(mode="json"))

    def change_sign_on(self, sign_on: str, wish: wire.SignOnWish) -> wire.SignOn:
        """Set a single sign-on up in another way; without a secret, it keeps the one that it has."""
        return self._send(wire.SignOn, "PUT", f"/sign-ons/{part(sign_on)}", json=wish.model_dump(mode="json"))

    def remove_sign_on(self, sign_on: str) -> None:
        """Let nobody sign in there any more; sessions that are open stay until they end."""
        self._request("DELETE", f"/sign-ons/{part(sign_on)}")

    def sign_on_names(self, workspace: str) -> list[wire.SignOnName]:
        """Return the single sign-ons at which people may sign in to a workspace."""
        return self._send(wire.SignOnNames, "GET", "/session/sign-on", params={"workspace": workspace}).items

    def leave_for_sign_on(self, workspace: str, sign_on: UUID, *, fresh: bool = False) -> wire.SignOnLeaving:
        """Return where someone goes to sign in, and what is kept until they are back."""
        body = {"workspace": workspace, "sign_on": str(sign_on), "fresh": fresh}
        return self._send(wire.SignOnLeaving, "POST", "/session/sign-on/asked", json=body)

    def make_own_token(self, name: str, *, scope: str = "change", days: int = 30) -> wire.TokenSecret:
        """Make a token for oneself, for a program; its secret is returned this once."""
        return self._send(wire.TokenSecret, "POST", "/me/tokens", json={"name": name, "scope": scope, "days": days})

    def person(self, person: str) -> wire.Person:
        """Return someone of the workspace, by id or address."""
        return self._send(wire.Person, "GET", f"/people/{part(person)}")

    def invite(self, address: str, role: str, name: str | None = None) -> wire.Person:
        """Invite someone by letter to sign in; they choose their own name and password."""
        return self._send(wire.Person, "POST", "/people", json={"address": address, "role": role, "name": name})

    def invite_again(self, person: str) -> wire.Person:
        """Send an invitation once more; the former link leads nowhere from then on."""
        return self._send(wire.Person, "POST", f"/people/{part(person)}/invitation")

    def change_role(self, person: str, role: str) -> wire.Person:
        """Give someone another role."""
        return self._send(wire.Person, "PUT", f"/people/{part(person)}/role", json={"role": role})

    def disable_person(self, person: str) -> wire.Person:
        """Take back someone's sign-in: their sessions, tokens and links end at once."""
        return self._send(wire.Person, "POST", f"/people/{part(person)}/disable")

    def enable_person(self, person: str) -> wire.Person:
        """Let someone sign in again who was disabled."""
        return self._send(wire.Person, "POST", f"/people/{part(person)}/enable")

    def remove_person(self, person: str) -> None:
        """Remove someone from the workspace for good; what they did keeps their name."""
        self._request("DELETE", f"/people/{part(person)}")

    def change_me(self, *, name: str | None = None, zone: str | None = None, dates: str | None = None) -> wire.Person:
        """Change one's own name, zone (IANA) or language of dates (a language tag); None leaves as it is."""
        return self._send(wire.Person, "PUT", "/me", json={"name": name, "zone": zone, "dates": dates})

    def change_password(self, password: str) -> int:
        """Choose another password; every session but the present one ends. Returns how many did."""
        return self._send(wire.Ended, "PUT", "/me/password", json={"password": password}).sessions

    def change_address(self, address: str) -> str:
        """Have a link go to another address of one's own, by which it is confirmed; returns that address."""
        return self._send(wire.Sending, "POST", "/me/address", json={"address": address}).address

    def sessions(self) -> list[wire.Session]:
        """Return where one is signed in to the console, the latest first."""
        return self._send(wire.SessionList, "GET", "/me/sessions").items

    def end_session(self, session_id: UUID) -> None:
        """End one of one's own sessions."""
        self._request("DELETE", f"/me/sessions/{session_id}")

    def end_other_sessions(self) -> int:
        """End every session of one's own but the present one; returns how many."""
        return self._send(wire.Ended, "DELETE", "/me/sessions").sessions

    def forgot_password(self, workspace: str, address: str) -> None:
        """Send a link to choose a new password to whoever signs in with an address."""
        self._request("POST", "/session/forgotten", json={"workspace": workspace, "address": address})

    def look_at_sign_in_link(self, link: str) -> wire.SignInLink:
        """Return what a link of a letter about signing in leads to; `link` is what stands behind the # in it."""
        return self._send(wire.SignInLink, "POST", "/session/link", json={"link": link})

    def use_sign_in_link(self, link: str, *, name: str | None = None, password: str | None = None) -> wire.SignInLink:
        """Use a link of a letter about signing in, once, with the name and the password that are chosen by it."""
        body = {"link": link, "name": name, "password": password}
        return self._send(wire.SignInLink, "POST", "/session/link/use", json=body)
