"""Webhooks: telling other programs what happens, in the order of the log, each event at least once."""

from __future__ import annotations

import secrets
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any
from urllib.parse import urlsplit
from uuid import UUID

import orjson

from openlatch.core.ids import ref_of
from openlatch.core.record.secrecy import without_secrets
from openlatch.core.telling.notices import Notice
from openlatch.core.waits import doubling
from openlatch.errors import Conflict, Invalid
from openlatch.operations.call import Call, operation
from openlatch.operations.record import signing
from openlatch.operations.telling import notices, tokens
from openlatch.store.record.events import LoggedEvent
from openlatch.store.telling.webhooks import Webhook
from openlatch.wire.telling.signed_news import TYPE, signed
from openlatch.words import HookForm

__all__ = ["Delivery", "add", "browse", "due", "not_told", "pause", "remove", "told"]

MOST = 20
AT_ONCE = 50
GIVES_UP_AFTER = 30
"""After so many attempts in vain, about a day, a webhook is paused, and someone told."""
_LONGEST = timedelta(hours=1)
_TOKEN = {"Content-Type": "application/secevent+jwt", "Accept": "application/json"}


@dataclass(frozen=True, slots=True)
class Delivery:
    """What a webhook is to be sent next: one POST after the other, and how far it has been told after each."""

    webhook: Webhook
    url: str
    """the whole address; that of the webhook is as it is shown"""
    posts: tuple[tuple[int, bytes, Mapping[str, str]], ...]
    seen: int
    """how far it has been told once all are sent, with what is none of its concern"""


@operation("webhooks.browse")
def browse(call: Call) -> tuple[Webhook, ...]:
    """Every webhook."""
    return call.tx.webhooks.all()


@operation("webhooks.add")
def add(
    call: Call, url: str, acts: Sequence[str], form: HookForm = HookForm.NEWS, audience: str = ""
) -> tuple[Webhook, str]:
    """Have an address told of what happens from now on; returns the secret that it is signed with, this once.

    Tokens are signed with the workspace's own key, and sent with the secret.
    """
    if audience and form is HookForm.NEWS:
        raise Invalid(
            "An audience is for security events, and news has none. Nothing was added.",
            next_step="Leave it out, or have security events sent.",
            errors=[{"at": "audience", "problem": "not for news"}],
        )
    if len(call.tx.webhooks.all()) >= MOST:
        raise Conflict(f"There are {MOST} webhooks already. Nothing was added.", next_step="Remove one first.")
    address = _checked(url)
    shown = without_secrets(address)
    secret = f"latch-hook-{secrets.token_urlsafe(32)}"
    made = Webhook(
        call.services.new_id(),
        shown,
        tuple(dict.fromkeys(acts)),
        call.tx.events.head().size,
        call.actor.name,
        call.now,
        form=form,
        audience=(audience or _origin(address)) if form is HookForm.SECURITY_EVENTS else "",
    )
    if form is HookForm.SECURITY_EVENTS:
        signing.signer(call)  # so that there is a key, for whoever looks before the first token
    call.tx.webhooks.add(made, call.close(address), call.close(secret))
    call.log("webhook.added", "webhook", made.id, url=shown, acts=list(made.acts), form=made.form.value)
    return made, secret


@operation("webhooks.pause")
def pause(call: Call, text: str, *, paused: bool) -> Webhook:
    """Tell a webhook nothing for a while, or go on where it was left."""
    webhook = call.tx.webhooks.find(text)
    call.tx.webhooks.pause(webhook.id, paused=paused)
    call.log("webhook.paused" if paused else "webhook.resumed", "webhook", webhook.id, url=webhook.url)
    return call.tx.webhooks.find(text)


@operation("webhooks.remove")
def remove(call: Call, text: str) -> None:
    """Tell a webhook nothing any more."""
    webhook = call.tx.webhooks.find(text)
    call.tx.webhooks.remove(webhook.id)
    call.log("webhook.removed", "webhook", webhook.id, url=webhook.url)


def _origin(address: str) -> str:
    """The server of an address, without what stands behind it, which may be secret."""
    parts = urlsplit(address)
    return f"{parts.scheme}://{parts.netloc}"


def _checked(url: str) -> str:
    parts = urlsplit(url.strip())
    here = parts.hostname in ("127.0.0.1", "::1", "localhost")
    if parts.scheme not in ("https", "http") or not parts.hostname or parts.username or parts.fragment:
        problem, next_step = (
            "is not an address to send to",
            "Give one such as https://desk.example/latch.",
        )
    elif parts.scheme == "http" and not here:
        problem, next_step = "is not encrypted", "Give one that begins with https."
    else:
        return url.strip()
    raise Invalid(
        f"“{without_secrets(url)}” {problem}. Nothing was added.",
        next_step=next_step,
        errors=[{"at": "url", "problem": problem}],
    )


# As the worker sends them


def due(call: Call, done: set[UUID]) -> Delivery | None:
    """Return what some webhook is to be sent now, if there is anything; those in `done` have had their turn."""
    for webhook in call.tx.webhooks.all():
        if webhook.id in done or webhook.paused or (webhook.again_at is not None and webhook.again_at > call.now):
            continue
        events = call.tx.events.after(webhook.seen, AT_ONCE)
        if not events:
            continue
        address, closed = call.tx.webhooks.closed(webhook.id)
        url, secret = call.open(address) if address is not None else webhook.url, call.open(closed)
        posts = []
        for event in events:
            post = _post(call, webhook, event, url, secret) if _concerns(webhook, event) else None
            if post is not None:
                posts.append((event.number or 0, *post))
        return Delivery(webhook, url, tuple(posts), events[-1].number or 0)
    return None


def _post(
    call: Call, webhook: Webhook, event: LoggedEvent, url: str, secret: str
) -> tuple[bytes, Mapping[str, str]] | None:
    """What an event is sent as, and with which headers; None if it is none of a webhook's form."""
    if webhook.form is HookForm.SECURITY_EVENTS:
        token = tokens.token_of(call, event, webhook.audience)
        return None if token is None else (token.encode(), {**_TOKEN, "Authorization": f"Bearer {secret}"})
    body = orjson.dumps(_cloud_event(call, event))
    return body, signed(url, body, webhook.ref, secret, call.now)


def _concerns(webhook: Webhook, event: LoggedEvent) -> bool:
    said = str(event.content["act"])
    return not webhook.acts or any(said == act or said.startswith(act.rstrip(".") + ".") for act in webhook.acts)


def _cloud_event(call: Call, event: LoggedEvent) -> dict[str, Any]:
    """An event as CloudEvents 1.0 has it; whoever wants to know more asks for it by its id."""
    told = event.content
    act, subject = str(told["act"]), str(told["subject"])
    return {
        "specversion": "1.0",
        "id": str(event.id),
        "source": f"urn:openlatch:workspace:{call.tx.workspace.slug}",
        "type": f"{TYPE}{act}",
        "subject": f"{subject}/{ref_of(event.subject_id)}",
        "time": told["at"],
        "datacontenttype": "application/json",
        "sequence": f"{event.number:020}",
        "data": {
            "act": act,
            "subject": subject,
            "id": str(event.subject_id),
            "by": told["actor"],
            "by_id": told.get("actor_id", ""),
        },
    }


def told(call: Call, delivery: Delivery, seen: int, *, sent: bool) -> None:
    """A webhook has taken all up to a place in the log."""
    call.tx.webhooks.told(delivery.webhook.id, seen, call.now, sent=sent)


def not_told(call: Call, delivery: Delivery, why: str) -> datetime | None:
    """A webhook has not taken what it was sent: it is tried again later and later, and after very long paused."""
    webhook = delivery.webhook
    attempts = webhook.attempts + 1
    if attempts >= GIVES_UP_AFTER:
        call.tx.webhooks.pause(webhook.id, paused=True, why=why)
        call.log("webhook.paused", "webhook", webhook.id, url=webhook.url, why=why)
        title = "A webhook has not answered for a long time, and was paused"
        notices.tell(
            call, notices.managers(call), Notice(f"webhook:{webhook.id}:{webhook.seen}", title, why, "/webhooks")
        )
        return None
    again_at = call.now + doubling(attempts, timedelta(seconds=2), _LONGEST)
    call.tx.webhooks.not_told(webhook.id, attempts, again_at, why)
    return again_at
