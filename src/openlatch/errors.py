"""Every error that Open Latch raises on purpose, with its stable code and HTTP status.

OpenLatchError
├── Invalid                 422  what was sent cannot be used
│   └── Malformed           400  what was sent cannot even be read
├── NotSignedIn             401  no valid token or session came with the request
│   └── FactorNeeded        401  the password is right, and a second factor is needed beside it
├── NotAllowed              403  the person's role or the token's scope does not reach this far
│   ├── NotConfirmed        403  a dangerous act, and the password was not given lately
│   └── FactorMissing       403  the workspace demands a second factor, and they have none yet
├── NotFound                404  no such thing in this workspace
├── Conflict                409  the thing is in a state that does not allow this
│   ├── Changed             409  it is no longer what was shown when the decision was taken
│   ├── OtherVersion        412  it is no longer the version that If-Match names
│   └── UnderWay            409  the very same request is being carried out; it is answered once that is done
├── TooManyRequests         429  slow down
├── Busy                    503  too much at a time; asking again later helps
├── ProviderTrouble         502  an outside service did not do what was asked
│   ├── ProviderRefused     502  it said no, and asking again will not help
│   ├── ProviderUnreadable  502  it answered something that cannot be trusted
│   └── ProviderDown        503  it did not answer; asking again later may help
├── ServiceUnreachable      503  (client side) Open Latch itself did not answer
└── Misconfigured           500  a setting is missing or wrong

A message says what happened, to which thing, and that nothing was lost; `next_step` says what to do.
The same values are attributes, so that no program has to parse a sentence.
"""

from __future__ import annotations

from typing import Any

__all__ = [
    "BY_CODE",
    "Busy",
    "Changed",
    "Conflict",
    "FactorMissing",
    "FactorNeeded",
    "Invalid",
    "Malformed",
    "Misconfigured",
    "NotAllowed",
    "NotConfirmed",
    "NotFound",
    "NotSignedIn",
    "NotYet",
    "OpenLatchError",
    "OtherVersion",
    "ProviderDown",
    "ProviderRefused",
    "ProviderTrouble",
    "ProviderUnreadable",
    "ServiceUnreachable",
    "TooManyRequests",
    "UnderWay",
]


class OpenLatchError(Exception):
    """Base of the tree; `fields` holds the machine-readable facts of one occurrence."""

    code = "error"
    status = 500
    title = "Something went wrong"

    def __init__(self, message: str, *, next_step: str = "", **fields: Any) -> None:
        super().__init__(message)
        self.message = message
        self.next_step = next_step
        self.fields = fields

    def __str__(self) -> str:
        return f"{self.message} {self.next_step}".strip()


class Invalid(OpenLatchError):
    """What was sent cannot be used; `errors` in the fields lists each place and what is wrong there."""

    code = "invalid"
    status = 422
    title = "The request has a mistake in it"


class Malformed(Invalid):
    """What was sent cannot be read at all."""

    code = "malformed"
    status = 400
    title = "The request cannot be read"


class NotSignedIn(OpenLatchError):
    """No valid token or session came with the request."""

    code = "not-signed-in"
    status = 401
    title = "Not signed in"


class FactorNeeded(NotSignedIn):
    """The password is right, and a code or a passkey is needed beside it; `ways` in the fields says which there are."""

    code = "factor-needed"
    title = "A code is needed"


class NotAllowed(OpenLatchError):
    """The person's role, or the scope of the token, does not reach this far."""

    code = "not-allowed"
    status = 403
    title = "Not allowed"


class NotConfirmed(NotAllowed):
    """A dangerous act, and whoever is signed in has not given their password lately."""

    code = "not-confirmed"
    title = "Your password is needed"


class FactorMissing(NotAllowed):
    """The workspace demands a second factor of whoever is signed in, and they have none yet."""

    code = "factor-missing"
    title = "You need a second factor"


class NotFound(OpenLatchError):
    """No such thing in this workspace."""

    code = "not-found"
    status = 404
    title = "Not found"


class Conflict(OpenLatchError):
    """The thing is in a state that does not allow this."""

    code = "conflict"
    status = 409
    title = "Not possible in this state"


class Changed(Conflict):
    """The thing is no longer what was shown when the decision was taken."""

    code = "changed"
    title = "It has changed since you looked"


class OtherVersion(Changed):
    """A change was wanted only of the version that was looked at, by If-Match, and there is another one by now."""

    status = 412
    code = "other-version"


class UnderWay(Conflict):
    """The very same request is being carried out: whoever waits for it asks again with the same key."""

    code = "under-way"
    title = "Being carried out"


class Busy(OpenLatchError):
    """Too much was asked at a time, or too much to be answered in time."""

    code = "busy"
    status = 503
    title = "Too much at a time"


class TooManyRequests(OpenLatchError):
    """Too many attempts; `retry_after` in the fields is in seconds."""

    code = "too-many-requests"
    status = 429
    title = "Too many attempts"


class ProviderTrouble(OpenLatchError):
    """An outside service did not do what was asked."""

    code = "provider-trouble"
    status = 502
    title = "The provider had trouble"


class ProviderRefused(ProviderTrouble):
    """The provider said no, and asking again will not help."""

    code = "provider-refused"
    title = "The provider refused"


class ProviderUnreadable(ProviderTrouble):
    """The provider answered something that cannot be trusted."""

    code = "provider-unreadable"
    title = "The provider's answer cannot be used"


class ProviderDown(ProviderTrouble):
    """The provider did not answer; asking again later may help."""

    code = "provider-down"
    status = 503
    title = "The provider does not answer"


class ServiceUnreachable(OpenLatchError):
    """Open Latch itself did not answer the client."""

    code = "service-unreachable"
    status = 503
    title = "Open Latch does not answer"


class NotYet(OpenLatchError):
    """What a client waits for was not over within the time that it was given."""

    code = "not-yet"
    status = 504
    title = "Not over yet"


class Misconfigured(OpenLatchError):
    """A setting is missing or wrong."""

    code = "misconfigured"
    title = "A setting is missing or wrong"


def _tree(root: type[OpenLatchError]) -> list[type[OpenLatchError]]:
    return [root, *(c for child in root.__subclasses__() for c in _tree(child))]


BY_CODE: dict[str, type[OpenLatchError]] = {error.code: error for error in _tree(OpenLatchError)}
"""The error class for each stable code, for clients that turn an answer back into an exception."""
