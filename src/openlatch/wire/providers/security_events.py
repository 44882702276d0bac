"""Security events (RFC 8417): from whom they come, and what was reported."""

from datetime import datetime
from typing import Annotated
from uuid import UUID

from pydantic import StringConstraints

from openlatch.wire.base import Page, Ref, Said, Sent, Taken
from openlatch.words import Reported

__all__ = [
    "EventStream",
    "EventStreamSecret",
    "NewEventStream",
    "SecurityEvent",
    "SecurityEventList",
    "SecurityEventRefusal",
]

Address = Annotated[str, StringConstraints(strip_whitespace=True, max_length=2000, pattern=r"^[^\x00]*$")]
Needed = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=1000, pattern=r"^[^\x00]*$")]


class NewEventStream(Taken):
    """From whom the security events of a provider are to come: `issuer` as it calls itself, `keys` where its keys are.

    With the address `poll` they are fetched from there, with `secret` (RFC 8936); without it they are sent to us, with
    a secret that is made here (RFC 8935). They have to be for `audience`, or without one for the address that is
    made here.
    """

    issuer: Needed
    keys: Annotated[Address, StringConstraints(min_length=1)]
    audience: Said = ""
    poll: Address = ""
    secret: Annotated[str, StringConstraints(max_length=10000)] | None = None


class EventStream(Sent):
    """From whom the security events of a provider come; `address` is where they are sent, empty where they are fetched.

    `heard_at` is when something came last, or was fetched without trouble.
    """

    issuer: str
    keys: str
    audience: str
    poll: str
    address: str
    made_by: str
    made_at: datetime
    heard_at: datetime | None
    trouble: str


class EventStreamSecret(EventStream):
    """A stream that was just set up, with the secret that its events are to be sent with; it is shown this once."""

    secret: str


class SecurityEvent(Sent):
    """What a provider has reported of someone: `named` is who that is in its words, `party` whom it means here.

    `came_to` says what came of it, empty until that is done; `token` is the id of the token that it came in.
    """

    id: UUID
    ref: str
    token: str
    reported: Reported
    says: str
    named: str
    party: Ref | None
    at: datetime
    received_at: datetime
    came_to: str
    done_at: datetime | None


class SecurityEventList(Page[SecurityEvent]):
    """What a provider has reported, the latest first."""


class SecurityEventRefusal(Sent):
    """Why a token is not taken, as RFC 8935 (2.3) has it."""

    err: str
    description: str
