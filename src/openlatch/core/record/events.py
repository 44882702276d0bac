"""The events of the log in words; an act that has none is not logged."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from datetime import datetime
from typing import Any

from openlatch.core.hours import moment

__all__ = ["ABOUT", "SAID", "acts_of", "detail"]

SAID = {
    "account.described": "Account described",
    "batch.cancelled": "Batch cancelled",
    "batch.done-by-hand": "Done by a person, in a batch",
    "batch.given": "Batch ordered",
    "batch.grown": "Batch taken further",
    "batch.left-open": "Left open in a batch",
    "batch.over": "Batch over",
    "calendar.made": "Calendar made",
    "entry.changed": "Access changed at the provider",
    "entry.ended": "Access ended",
    "entry.ending": "Access is being ended",
    "entry.found": "Access found",
    "entry.let-go": "Not watched any more: its provider was removed",
    "entry.offered": "Access offered",
    "entry.vouched": "Access vouched for",
    "factor.added": "Second factor added",
    "factor.recovery-made": "Recovery codes made",
    "factor.recovery-used": "Recovery code used",
    "factor.removed": "Second factor removed",
    "factor.reset": "Second factors taken away by an owner",
    "flag.accepted": "Flag accepted",
    "flag.back": "Accepted flag is back",
    "flag.changed": "Flag changed",
    "flag.cleared": "Flag cleared",
    "flag.raised": "Flag raised",
    "import.asked": "Import of a list begun",
    "level.corrected": "Meaning of a level corrected",
    "log.head-signed": "Head of the log signed",
    "member.joined": "Joined a team",
    "member.left": "Left a team",
    "offer.corrected": "Offer corrected",
    "offer.declined": "Offer declined",
    "offer.lapsed": "Offer lapsed",
    "offer.left": "Offer left for later",
    "offer.made": "Offer made",
    "offer.sent-again": "Offer sent again",
    "offer.taken-up": "Offer accepted",
    "offer.withdrawn": "Offer withdrawn",
    "order.agreed": "Hand-over agreed to",
    "order.cancelled": "Order cancelled",
    "order.declined": "Hand-over declined",
    "order.done-by-hand": "Order done by a person",
    "order.given": "Order given",
    "order.proved": "Order proved",
    "order.stuck": "Order is stuck",
    "order.told": "Provider asked",
    "order.tried-again": "Order tried again",
    "order.waits": "Order waits",
    "party.joined": "Two parties joined into one",
    "party.kept-apart": "Two parties kept apart",
    "party.left": "Party has left",
    "party.parted": "A party parted into two",
    "party.sponsored": "Sponsor set",
    "party.undone": "A decision about two parties undone",
    "person.accepted": "Took up the invitation to sign in",
    "person.added": "Person added",
    "person.address-changed": "Address for signing in changed",
    "person.changed": "Name or dates changed",
    "person.confirmed": "Proved again who they are",
    "person.disabled": "Sign-in disabled",
    "person.enabled": "Sign-in enabled again",
    "person.invited": "Invited to sign in",
    "person.locked-out": "No more passwords are taken for a while",
    "person.password-asked": "Asked for another password by letter",
    "person.password-changed": "Password changed",
    "person.removed": "Person removed",
    "person.role-changed": "Role changed",
    "person.sessions-ended": "Sessions ended",
    "person.sign-in-failed": "Wrong password or code",
    "person.signed-in": "Signed in",
    "person.signed-out": "Signed out",
    "policy.adopted": "Policy adopted",
    "proposal.applied": "Proposal carried out",
    "proposal.asked": "What-if asked",
    "provider.added": "Provider added",
    "provider.breach-reported": "Breach of a provider reported",
    "provider.changed": "Provider changed",
    "provider.heard": "Listening to security events",
    "provider.imported": "List imported",
    "provider.not-heard": "Stopped listening to security events",
    "provider.paused": "Provider paused",
    "provider.removed": "Provider removed",
    "provider.reported": "Security event received",
    "provider.resumed": "Provider resumed",
    "reading.asked": "Reading asked for",
    "reading.complete": "Reading complete",
    "reading.failed": "Reading failed",
    "reading.partial": "Reading broke off",
    "request.confirmed": "Request confirmed",
    "request.lapsed": "Request lapsed",
    "request.made": "Request made",
    "request.offered": "Request answered with an offer",
    "request.turned-down": "Request declined",
    "request.withdrawn": "Request withdrawn",
    "review.added": "Review added",
    "review.changed": "Review changed",
    "review.paused": "Review paused",
    "review.removed": "Review removed",
    "review.resumed": "Review resumed",
    "round.assigned": "Items of a round given to others",
    "round.cancelled": "Round cancelled",
    "round.closed": "Round closed",
    "round.decided": "Items of a round decided",
    "round.finished": "Answering of a round ended",
    "round.left-open": "Left open in a round",
    "round.missed": "Round missed",
    "round.not-opened": "Round not opened",
    "round.opened": "Round opened",
    "round.paused": "Round paused",
    "round.reassigned": "Items of a round passed on",
    "round.resumed": "Round resumed",
    "sign-on.added": "Single sign-on added",
    "sign-on.changed": "Single sign-on changed",
    "sign-on.linked": "Known at a single sign-on from now on",
    "sign-on.removed": "Single sign-on removed",
    "token.made": "Token made",
    "token.revoked": "Token revoked",
    "webhook.added": "Webhook added",
    "webhook.paused": "Webhook paused",
    "webhook.removed": "Webhook removed",
    "webhook.resumed": "Webhook resumed",
    "workspace.changed": "Workspace changed",
    "workspace.founded": "Workspace founded",
    "workspace.keys-changed": "Keys that close secrets changed",
}
"""Every act that the log can have, in words."""
ABOUT = tuple(dict.fromkeys(act.partition(".")[0] for act in SAID))
"""What acts are about, such as order or review."""


def acts_of(word: str) -> tuple[str, ...]:
    """Return the acts that a word means: the one of that name, or all that are about it; none for any other word."""
    return tuple(act for act in SAID if word in (act, act.partition(".")[0]))


_MEANT_FOR_PROGRAMS = re.compile(
    r"[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}"  # an id
    r"|[0-9a-f]{64}"  # a link, or a digest
    r"|[\w-]{20,}\.[\w-]*\.[\w-]{20,}"  # something signed
)
_INSTANT = re.compile(r"\d{4}-\d\d-\d\dT\d\d:\d\d.*")


def detail(facts: Mapping[str, Any], zone: str) -> str:
    """Return an event's facts in a line: without ids, links, empty words and zeros, and with what is nested laid flat.

    Of a list of things, how many they are is said. Instants are told in a zone.
    """
    return " · ".join(_told(facts, zone))


def _told(facts: Mapping[str, Any], zone: str) -> Iterator[str]:
    for name, value in facts.items():
        words = name.replace("_", " ")
        if not value or (isinstance(value, str) and _MEANT_FOR_PROGRAMS.fullmatch(value)):
            continue
        if isinstance(value, Mapping):
            inner = detail(value, zone)
            if inner:
                yield inner if name == "facts" else f"{words}: {inner}"
        elif isinstance(value, list):
            plain = [each_value for each_value in value if not isinstance(each_value, Mapping | list)]
            yield f"{words} {', '.join(map(str, plain)) if len(plain) == len(value) else len(value)}"
        else:
            yield f"{words} {_instant(value, zone) if isinstance(value, str) else 'yes' if value is True else value}"


def _instant(text: str, zone: str) -> str:
    if not _INSTANT.fullmatch(text):
        return text
    return moment(datetime.fromisoformat(text), zone)
