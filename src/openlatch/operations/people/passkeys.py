"""Passkeys (WebAuthn, Level 3): adding one, and signing in with it alone, since the device checks who holds it.

A passkey belongs to the host of the console's address, and to no other: a page elsewhere that looks like the console
gets nothing that could be used here.
"""

from __future__ import annotations

import ipaddress
from dataclasses import dataclass, replace
from datetime import timedelta
from typing import TYPE_CHECKING, Any
from urllib.parse import urlsplit
from uuid import UUID

from openlatch.core.model import Person
from openlatch.core.people.factors import Factor
from openlatch.deferred import deferred
from openlatch.errors import Conflict, Invalid, NotSignedIn
from openlatch.operations.call import Call, Services, operation
from openlatch.operations.people import factors
from openlatch.words import FactorKind

if TYPE_CHECKING:
    import webauthn
    from webauthn.helpers import exceptions, structs
else:
    webauthn = deferred("webauthn")
    exceptions, structs = deferred("webauthn.helpers.exceptions"), deferred("webauthn.helpers.structs")

__all__ = ["Asked", "add", "ask", "ask_in_vain", "begin", "used"]

ANSWERED_WITHIN = timedelta(minutes=5)


@dataclass(frozen=True, slots=True)
class Asked:
    """What a passkey is asked: under which id the answer comes back, and what the browser is given (as JSON)."""

    id: UUID
    options: str


@dataclass(frozen=True, slots=True)
class _Place:
    """Where passkeys belong: the console's host, and its whole origin."""

    host: str
    origin: str


def _place(services: Services) -> _Place:
    where = urlsplit(services.console)
    host = where.hostname or ""
    try:
        ipaddress.ip_address(host)
        host = ""
    except ValueError:
        pass
    if not host or (where.scheme != "https" and host != "localhost"):
        raise Conflict(
            "Passkeys need the console to be reached by a name over https, and it is not. Nothing was changed.",
            next_step="Have whoever runs the service set OPENLATCH_CONSOLE_URL, or use codes from an app.",
        )
    return _Place(host, f"{where.scheme}://{where.netloc}")


@operation("factors.begin_passkey")
def begin(call: Call) -> Asked:
    """Begin to add a passkey: what the browser has to have one made for."""
    place = _place(call.services)
    person = call.person
    options = webauthn.generate_registration_options(
        rp_id=place.host,
        rp_name=f"Open Latch, {call.tx.workspace.name}",
        user_id=person.id.bytes,
        user_name=person.address,
        user_display_name=person.name,
        authenticator_selection=structs.AuthenticatorSelectionCriteria(
            resident_key=structs.ResidentKeyRequirement.REQUIRED,
            user_verification=structs.UserVerificationRequirement.REQUIRED,
        ),
        exclude_credentials=[
            structs.PublicKeyCredentialDescriptor(id=key) for key in call.tx.factors.keys_of(person.id)
        ],
    )
    return _asked(call, person.id, options)


@operation("factors.add_passkey")
def add(call: Call, asked: UUID, credential: dict[str, Any], name: str) -> tuple[str, ...]:
    """Add the passkey that was made; returns recovery codes, if there were none left."""
    place = _place(call.services)
    challenge = _challenge(call, asked, call.person.id)
    try:
        made = webauthn.verify_registration_response(
            credential=credential,
            expected_challenge=challenge,
            expected_rp_id=place.host,
            expected_origin=place.origin,
            require_user_verification=True,
        )
    except (exceptions.WebAuthnException, ValueError, TypeError, KeyError) as error:
        raise _unusable() from error
    if call.tx.factors.by_key(made.credential_id) is not None:
        raise Conflict("This passkey is known here already. Nothing was changed.", next_step="Use another device.")
    factor = replace(factors.new_factor(call, FactorKind.PASSKEY, name), uses=made.sign_count, proved_at=call.now)
    call.tx.factors.add(factor, made.credential_public_key, made.credential_id)
    return factors.added(call, factor)


def ask(call: Call) -> Asked:
    """What any passkey of this workspace is asked to sign, by which someone signs in or confirms."""
    return _asked(call, None, _question(call.services))


def ask_in_vain(services: Services) -> Asked:
    """The same for a workspace that is not here, so that nobody can tell; no answer to it is taken."""
    return Asked(services.new_id(), webauthn.options_to_json(_question(services)))


def _question(services: Services) -> structs.PublicKeyCredentialRequestOptions:
    required = structs.UserVerificationRequirement.REQUIRED
    return webauthn.generate_authentication_options(rp_id=_place(services).host, user_verification=required)


def used(call: Call, asked: UUID, credential: dict[str, Any]) -> tuple[Person, Factor]:
    """Return who has signed what was asked, with which passkey; raises NotSignedIn for anything else."""
    place = _place(call.services)
    challenge = _challenge(call, asked, None)
    try:
        key_id = webauthn.base64url_to_bytes(str(credential.get("rawId", "")))
        pair = call.tx.factors.by_key(key_id)
        if pair is None:
            raise _unknown()
        factor, public_key = pair
        answer = webauthn.verify_authentication_response(
            credential=credential,
            expected_challenge=challenge,
            expected_rp_id=place.host,
            expected_origin=place.origin,
            credential_public_key=public_key,
            credential_current_sign_count=factor.uses,
            require_user_verification=True,
        )
    except (exceptions.WebAuthnException, ValueError, TypeError, KeyError) as error:
        raise _unknown() from error
    call.tx.factors.used(factor.id, answer.new_sign_count, call.now)
    return call.tx.people.get(factor.person_id), factor


def _asked(call: Call, person_id: UUID | None, options: Any) -> Asked:
    asked = Asked(call.services.new_id(), webauthn.options_to_json(options))
    call.tx.factors.challenge(asked.id, person_id, options.challenge, call.now + ANSWERED_WITHIN)
    return asked


def _challenge(call: Call, asked: UUID, person_id: UUID | None) -> bytes:
    challenge = call.tx.factors.answer(asked, person_id, call.now)
    if challenge is None:
        raise Conflict(
            "That was answered before, or too late. Nothing was changed.", next_step="Begin again; it takes a moment."
        )
    return challenge


def _unusable() -> Invalid:
    return Invalid(
        "What the browser sent is not a passkey for this console. Nothing was changed.",
        next_step="Try again, with a passkey of this device or of a key that you have with you.",
        errors=[{"at": "credential", "problem": "cannot be used"}],
    )


def _unknown() -> NotSignedIn:
    return NotSignedIn("This passkey is not known in this workspace.", next_step="Use another one, or your password.")
