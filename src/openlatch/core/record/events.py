"""The events of the log as sentences; an act that has none is not logged."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from datetime import datetime
from typing import Any

from openlatch.core.hours import last_day, moment
from openlatch.core.phrases import counted

__all__ = ["ABOUT", "SAID", "acts_of", "detail", "more", "sentence"]

SAID = {
    "account.described": "Described {it}",
    "batch.cancelled": "Cancelled batch {it}",
    "batch.done-by-hand": "Reported an item of batch {it} as done",
    "batch.given": "Ordered “{action}” for {count|entry}[: {reason}]",
    "batch.grown": "Added {count|entry} to batch {it}",
    "batch.left-open": "Left an item of batch {it} open",
    "batch.over": "Completed batch {it}",
    "calendar.made": "Made a private calendar address",
    "entry.changed": "Saw a change of {it}",
    "entry.ended": "Recorded the end of {it}[: {reason}]",
    "entry.ending": "Began to end {it}",
    "entry.found": "Found {it}[ as “{level}”]",
    "entry.let-go": "Stopped watching {it}: {provider} was removed",
    "entry.offered": "Offered {it}[ as “{level}”]",
    "entry.vouched": "Vouched for {it}",
    "factor.added": "Added a second factor[: {name}]",
    "factor.recovery-made": "Made {count|recovery code}",
    "factor.recovery-used": "Used a recovery code[, {left} left]",
    "factor.removed": "Removed a second factor[: {name}]",
    "factor.reset": "Removed {factors|second factor} of {it}",
    "flag.accepted": "Accepted the flag “{title}” on {it}[ until {until}][: {why}]",
    "flag.back": "Brought back the accepted flag “{title}” on {it}",
    "flag.changed": "Changed the flag “{title}” on {it}[, now {severity}]",
    "flag.cleared": "Cleared the flag “{title}” on {it}",
    "flag.raised": "Raised the flag “{title}” on {it}[, {severity}]",
    "import.asked": "Began to import[ “{name}”] at {it}[ ({lines|line})]",
    "level.corrected": "Corrected what “{word}” means at {it}",
    "log.archived": "Archived {events|event}[ into {file}]",
    "log.head-signed": "Signed the head of the log[ ({size|event})]",
    "member.joined": "Saw {it} join {team}",
    "member.left": "Saw {it} leave {team}",
    "offer.corrected": "Changed the offer to {to}[: {basis}]",
    "offer.declined": "Declined the offer to {it}[: {reason}]",
    "offer.lapsed": "Let the offer to {it} lapse, unanswered",
    "offer.left": "Left the offer to {it} for later",
    "offer.made": "Offered access to {to}[: {basis}]",
    "offer.sent-again": "Sent the offer to {it} again",
    "offer.taken-up": "Accepted the offer to {it}",
    "offer.withdrawn": "Withdrew the offer to {it}[: {reason}]",
    "order.agreed": "Agreed to take over {it}",
    "order.cancelled": "Cancelled the order about {it}",
    "order.declined": "Declined to take over {it}",
    "order.done-by-hand": "Reported the order about {it} as done[: {said}]",
    "order.given": "Ordered “{action}” for {it}[: {reason}]",
    "order.proved": "Proved the order about {it}",
    "order.stuck": "Could not carry out the order about {it}[: {why}]",
    "order.told": "Asked the provider to carry out the order about {it}",
    "order.tried-again": "Tried the order about {it} again",
    "order.waits": "Put off the order about {it}[: {why}]",
    "party.joined": "Joined {it} and {other_party} into one[: {reason}]",
    "party.kept-apart": "Kept {it} and {other_party} apart[: {reason}]",
    "party.left": "Noted that {it} has left",
    "party.no-service": "Noted that {it} is no service account",
    "party.parted": "Parted {other_party} from {it}[: {reason}]",
    "party.service": "Noted that {it} is a service account",
    "party.sponsored": "Set the sponsor of {it}[ to {sponsor}]",
    "party.undone": "Undid a decision about {it} and {other_party}",
    "person.accepted": "Accepted the invitation to sign in[ as {role}]",
    "person.added": "Added {name}[ as {role}]",
    "person.address-changed": "Changed the sign-in address of {it}",
    "person.changed": "Changed the name or dates of {it}",
    "person.confirmed": "Confirmed who they are",
    "person.disabled": "Disabled the sign-in of {it}",
    "person.enabled": "Enabled the sign-in of {it} again",
    "person.invited": "Invited {address}[ as {role}]",
    "person.locked-out": "Locked the sign-in of {it}[ for {minutes|minute}]",
    "person.password-asked": "Asked for a letter to set a new password of {it}",
    "person.password-changed": "Changed the password of {it}[, {how}]",
    "person.removed": "Removed {it} from the workspace",
    "person.role-changed": "Changed the role of {it}[ from {before}][ to {after}]",
    "person.sessions-ended": "Ended {sessions|session} of {it}",
    "person.sign-in-failed": "Failed to sign in as {it}: wrong password or code",
    "person.signed-in": "Signed in[ at the {where}][, by {how}]",
    "person.signed-out": "Signed out",
    "policy.adopted": "Adopted policy {number}[: {note}]",
    "proposal.applied": "Carried out the proposal “{title}”",
    "proposal.asked": "Asked what “{title}” would change",
    "provider.added": "Added the provider {name}",
    "provider.breach-reported": "Reported a breach of {name}[: {what}]",
    "provider.changed": "Changed the provider {name}",
    "provider.heard": "Began to listen to security events of {name}",
    "provider.imported": "Imported a list at {it}",
    "provider.not-heard": "Stopped listening to security events of {name}",
    "provider.paused": "Paused the provider {name}",
    "provider.removed": "Removed the provider {name}[ and stopped watching {entries|entry}]",
    "provider.reported": "Received a security event from {it}[: {reported}]",
    "provider.resumed": "Resumed the provider {name}",
    "reading.asked": "Asked for {it} to be read",
    "reading.complete": "Read {it}[, {new} new][, {changed} changed][, {gone} gone]",
    "reading.failed": "Could not read {it}[: {trouble}]",
    "reading.partial": "Read only a part of {it}[: {trouble}]",
    "request.confirmed": "Confirmed the request of {it}",
    "request.lapsed": "Let the request of {it} lapse, unanswered",
    "request.made": "Asked for access to {account}[: {reason}]",
    "request.offered": "Answered the request of {it} with an offer",
    "request.turned-down": "Declined the request of {it}[: {reason}]",
    "request.withdrawn": "Withdrew the request of {it}",
    "review.added": "Added the review “{name}”",
    "review.changed": "Changed the review “{name}”",
    "review.paused": "Paused the review “{name}”",
    "review.removed": "Removed the review “{name}”",
    "review.resumed": "Resumed the review “{name}”",
    "round.assigned": "Assigned items of a round of “{it}”[ to {to}]",
    "round.cancelled": "Cancelled a round of “{it}”[: {reason}]",
    "round.closed": "Closed a round of “{it}”[ ({items|item})]",
    "round.decided": "Decided on {items|item} of a round of “{it}”[: {choice}]",
    "round.finished": "Finished answering a round of “{it}”[, {unanswered} unanswered]",
    "round.left-open": "Left an item of a round of “{it}” open",
    "round.missed": "Missed a round of “{name}”",
    "round.not-opened": "Did not open a round of “{name}”",
    "round.opened": "Opened a round of “{review}”[ ({items|item})]",
    "round.paused": "Paused a round of “{it}”",
    "round.reassigned": "Reassigned items of a round of “{it}”[, which {left} had]",
    "round.resumed": "Resumed a round of “{it}”",
    "sign-on.added": "Added the single sign-on {name}",
    "sign-on.changed": "Changed the single sign-on {it}",
    "sign-on.linked": "Linked {it} to a single sign-on[, {at}]",
    "sign-on.removed": "Removed the single sign-on {name}",
    "token.made": "Made the token “{name}”[ for {person}]",
    "token.revoked": "Revoked the token “{name}”",
    "webhook.added": "Added a webhook to {url}",
    "webhook.paused": "Paused the webhook to {url}[: {why}]",
    "webhook.removed": "Removed the webhook to {url}",
    "webhook.resumed": "Resumed the webhook to {url}",
    "workspace.changed": "Changed the workspace",
    "workspace.founded": "Founded the workspace {name}",
    "workspace.keys-changed": "Replaced the keys that encrypt secrets",
}
"""Every act that the log can have, as a sentence: whoever acted did this.

`{it}` is what the event is about, any other word in braces one of its facts; `{items|item}` is so many items. What is
in brackets is left out where a fact in it is empty.
"""
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


_SLOT = re.compile(r"\{(\w+)(?:\|([\w ]+))?\}")
_OPTIONAL = re.compile(r"\[([^\[\]]*)\]")
_ENDS = {"until", "ends", "lapses"}


def sentence(act: str, it: str, facts: Mapping[str, Any], zone: str) -> str:
    """Return what happened as a sentence without its subject, which is whoever acted; `it` is what it is about.

    An act that this version does not know, in a log that is older or newer, is said by its name; a rule is said by its
    id where a log is older than its title there.
    """
    facts = {"title": facts.get("rule"), **facts}

    def slot(found: re.Match[str]) -> str:
        name, thing = found[1], found[2]
        value = it if name == "it" else facts.get(name)
        if thing is not None:
            return counted(_number(value), thing)
        return _word(name, value, zone)

    def optional(found: re.Match[str]) -> str:
        told = all(_there(facts.get(each_name)) for each_name in _names(found[1]))
        return found[1] if told else ""

    return _SLOT.sub(slot, _OPTIONAL.sub(optional, SAID.get(act, act)))


def _names(template: str) -> tuple[str, ...]:
    return tuple(found[1] for found in _SLOT.finditer(template))


def _there(value: object) -> bool:
    return bool(value) and not isinstance(value, Mapping)


def _number(value: object) -> int:
    if isinstance(value, list):
        return len(value)
    return value if isinstance(value, int) else 0


def _word(name: str, value: object, zone: str) -> str:
    if isinstance(value, list):
        return ", ".join(map(str, value))
    if isinstance(value, str) and name in _ENDS and _INSTANT.fullmatch(value):
        return last_day(datetime.fromisoformat(value), zone)
    return _instant(value, zone) if isinstance(value, str) else str(value or "")


def more(act: str, facts: Mapping[str, Any], zone: str) -> str:
    """Return what was so besides what the sentence says, in a line; see `detail`."""
    told = {name for name in _names(SAID.get(act, act)) if _there(facts.get(name))}
    return detail({name: value for name, value in facts.items() if name not in told}, zone)


def detail(facts: Mapping[str, Any], zone: str) -> str:
    """Return an event's facts in a line: without ids, links, empty words and zeros, and with what is nested laid flat.

    Of a list of things, how many they are is said; of what was before and is after, both. Instants are told in a zone.
    """
    return " · ".join(_told(facts, zone))


def _told(facts: Mapping[str, Any], zone: str) -> Iterator[str]:
    before, after = facts.get("before"), facts.get("after")
    if isinstance(before, Mapping) and isinstance(after, Mapping):
        facts = {name: value for name, value in facts.items() if name not in ("before", "after")}
        yield from _changes(before, after, zone)
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


def _changes(before: Mapping[str, Any], after: Mapping[str, Any], zone: str) -> Iterator[str]:
    for name in dict.fromkeys((*before, *after)):
        was, now = (_plainly(side.get(name), zone) for side in (before, after))
        if was != now:
            yield f"{name.replace('_', ' ')}: {was} → {now}"


def _plainly(value: object, zone: str) -> str:
    """A value as it stands before or after an arrow."""
    if isinstance(value, Mapping):
        return detail(value, zone) or "nothing"
    if isinstance(value, list):
        return ", ".join(str(one) for one in value) or "nothing"
    if isinstance(value, str):
        return _instant(value, zone) or "nothing"
    if isinstance(value, bool):
        return "yes" if value else "no"
    return "nothing" if value is None else str(value)


def _instant(text: str, zone: str) -> str:
    if not _INSTANT.fullmatch(text):
        return text
    return moment(datetime.fromisoformat(text), zone)
