"""Webhooks: addresses that are told what happens."""

from datetime import datetime
from typing import Annotated
from uuid import UUID

from pydantic import Field, StringConstraints

from openlatch.wire.base import Said, Sent, Taken
from openlatch.words import HookForm

__all__ = ["NewWebhook", "PauseWish", "Webhook", "WebhookList", "WebhookSecret"]

Act = Annotated[str, StringConstraints(pattern=r"^[a-z][a-z-]*(\.[a-z][a-z-]*)?\.?$", max_length=60)]


class NewWebhook(Taken):
    """An address to be told of events whose act is one of these, or begins with it, such as `offer`; or of all.

    Of the form `security-events` it is told what ended, in tokens (RFC 8417, sent as RFC 8935 has it) that are for an
    `audience`: without one, for the server of the address.
    """

    url: Annotated[str, StringConstraints(min_length=1, max_length=2000, pattern=r"^[^\x00]*$")]
    acts: list[Act] = Field(default=[], max_length=50)
    form: HookForm = HookForm.NEWS
    audience: Said = ""


class Webhook(Sent):
    """An address that is told what happens; `waits` counts the sealed events that it has not been told of.

    Of the form `security-events`, it is sent tokens for its `audience`, signed by one of the keys at `keys_url`.
    """

    id: UUID
    ref: str
    url: str
    acts: list[str]
    paused: bool
    waits: int
    attempts: int
    again_at: datetime | None
    trouble: str
    sent_at: datetime | None
    made_by: str
    made_at: datetime
    form: HookForm
    audience: str
    keys_url: str


class WebhookSecret(Webhook):
    """A webhook that was just added, with the secret that it is signed with; it is shown this once."""

    secret: str


class WebhookList(Sent):
    """Every webhook."""

    items: list[Webhook]


class PauseWish(Taken):
    """Whether a webhook is to be told nothing for a while."""

    paused: bool
