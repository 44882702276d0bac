"""The log: reading it, sealing what was added, and the proofs with which a stranger is convinced of it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import timedelta
from difflib import get_close_matches
from typing import Any
from uuid import UUID

from openlatch.core.hours import end_of
from openlatch.core.ids import ref_of
from openlatch.core.phrases import counted
from openlatch.core.record import tree
from openlatch.core.record.events import ABOUT, SAID, acts_of
from openlatch.core.record.ledger import link
from openlatch.errors import Conflict, Invalid, NotFound
from openlatch.operations.call import Call, operation
from openlatch.operations.record.signing import signed
from openlatch.store.inventory.entries import Listed
from openlatch.store.noun import missing
from openlatch.store.pages import Page
from openlatch.store.record.events import EventFilter, Head, LoggedEvent
from openlatch.wire.record.log import LogQuery

__all__ = [
    "EventSight",
    "Inclusion",
    "SignedHead",
    "browse",
    "consistency",
    "copy",
    "head",
    "included",
    "proof",
    "publish",
    "seal",
]

KIND = "log-head"


@dataclass(frozen=True, slots=True)
class SignedHead:
    """The end of the sealed log, and that signed: how many events, and the root over them."""

    head: Head
    signed: str


@dataclass(frozen=True, slots=True)
class Inclusion:
    """The proof that an event is in the log that a head stands for; `path` are hashes as in RFC 9162, 2.1.3."""

    number: int
    content: Mapping[str, Any]
    path: tuple[str, ...]
    head: SignedHead


@dataclass(frozen=True, slots=True)
class EventSight:
    """An event with the entry that it tells of, what it is about in words, and its facts with parties by name."""

    event: LoggedEvent
    entry: Listed | None
    it: str
    facts: Mapping[str, Any]


@operation("log.browse")
def browse(call: Call, wanted: LogQuery) -> Page[EventSight]:
    """Events of the log, with what each is about."""
    zone = call.tx.workspace.zone
    chosen = EventFilter(
        subject_id=wanted.subject,
        account_id=call.tx.accounts.find(wanted.account, ever=True).id if wanted.account else None,
        party_id=call.tx.parties.find(wanted.party).id if wanted.party else None,
        entry_id=call.tx.entries.find(wanted.entry).entry.id if wanted.entry else None,
        actor=wanted.actor,
        acts=_acts(wanted.what),
        since=end_of(wanted.since - timedelta(days=1), zone) if wanted.since is not None else None,
        until=end_of(wanted.until, zone) if wanted.until is not None else None,
    )
    page = call.tx.events.browse(
        chosen,
        sealed_only=wanted.sealed,
        oldest_first=wanted.oldest,
        limit=wanted.limit,
        cursor=wanted.cursor,
    )
    return Page(tuple(_seen(call, page.items)), page.next)


_PARTIES = ("team", "member", "other")
"""The facts that name a party by its id."""


def _seen(call: Call, events: Sequence[LoggedEvent]) -> Iterator[EventSight]:
    entries = call.tx.entries.about({event.subject_id for event in events})
    parties = call.tx.parties.names(set(_named_parties(events)))
    names = parties | _names(call, events)
    for event in events:
        said = event.content["facts"]
        ids = {name: _id(said.get(name)) for name in _PARTIES}
        facts = {**said, **{name: parties[some] for name, some in ids.items() if some is not None and some in parties}}
        entry = entries.get(event.subject_id)
        if entry is not None:
            it = f"{entry.party.name} on {entry.account.name}"
        elif "team" in facts and "member" in facts:
            it = f"{facts['member']} in {facts['team']}"
        else:
            it = names.get(event.subject_id) or str(said.get("name") or ref_of(event.subject_id))
        yield EventSight(event, entry, it, facts)


def _named_parties(events: Iterable[LoggedEvent]) -> Iterator[UUID]:
    for event in events:
        values = (event.content["facts"].get(name) for name in _PARTIES)
        yield from (party_id for value in values if (party_id := _id(value)) is not None)
        if event.content["subject"] == "party":
            yield event.subject_id


def _id(value: object) -> UUID | None:
    try:
        return UUID(value) if isinstance(value, str) else None
    except ValueError:
        return None


def _names(call: Call, events: Iterable[LoggedEvent]) -> dict[UUID, str]:
    """What the things that events are about are called, as far as they still have a name."""
    ids: dict[str, set[UUID]] = {}
    for event in events:
        ids.setdefault(event.content["subject"], set()).add(event.subject_id)
    tx = call.tx
    lookups: dict[str, Callable[[set[UUID]], dict[UUID, str]]] = {
        "account": tx.accounts.names,
        "offer": tx.offers.names,
        "person": tx.people.names,
        "provider": lambda _: tx.providers.names(),
        "request": tx.requests.names,
        "round": tx.reviews.names_of_rounds,
        "sign-on": tx.sign_ons.names,
    }
    found = (look_up(ids[kind]) for kind, look_up in lookups.items() if kind in ids)
    return {some_id: name for names in found for some_id, name in names.items()}


def _acts(text: str) -> tuple[str, ...]:
    """The acts that a comma-separated text means: each by itself, or all that are about something."""
    said = [word.strip().lower() for word in text.split(",") if word.strip()]
    for word in said:
        if not acts_of(word):
            near = get_close_matches(word, [*SAID, *ABOUT], 1)
            raise Invalid(
                f"“{word}” is nothing that the log tells of.",
                next_step=f"Did you mean “{near[0]}”?" if near else f"Use some of: {', '.join(ABOUT)}.",
                errors=[{"at": "what", "problem": f"“{word}” is not known"}],
            )
    return tuple(act for word in said for act in acts_of(word))


@operation("log.copy")
def copy(call: Call) -> Iterator[str]:
    """The sealed log, an event a line, for whoever keeps or checks it; without events that were archived."""
    return call.tx.events.copy()


@operation("log.head")
def head(call: Call) -> SignedHead:
    """The end of the sealed log, signed; whoever keeps it can check any later copy of the log against it."""
    return _signed(call)


def _signed(call: Call) -> SignedHead:
    the_head = call.tx.events.head()
    said = {
        "workspace": str(call.tx.workspace.id),
        "size": the_head.grown,
        "root": the_head.root,
        "at": the_head.sealed_at.isoformat() if the_head.sealed_at is not None else "",
    }
    return SignedHead(the_head, signed(call, said, KIND))


@operation("log.proof")
def proof(call: Call, event_id: UUID) -> Inclusion:
    """The proof that an event is in the log, against its present head."""
    event = call.tx.events.sealed(event_id)
    if event is None:
        away = call.tx.events.head().archived
        if away:
            raise NotFound(
                f"There is no sealed event {event_id} at hand; the oldest {counted(away, 'event')} were archived.",
                next_step="Look for it in the files that whoever runs the service keeps.",
            )
        raise missing("sealed event", event_id)
    inclusion = included(call, event)
    if inclusion is None:
        raise Conflict(
            f"Event {event.number} was sealed just now, and its proof is not made yet.",
            next_step="Ask again in a few seconds.",
        )
    return inclusion


def included(call: Call, event: LoggedEvent) -> Inclusion | None:
    """Return the proof that an event is in the log; None while it is not sealed."""
    there = _signed(call)
    if event.number is None or event.number > there.head.grown:
        return None
    path = tree.inclusion(call.tx.events.nodes(), event.number - 1, there.head.grown)
    return Inclusion(event.number, event.content, tuple(piece.hex() for piece in path), there)


@operation("log.consistency")
def consistency(call: Call, before: int, size: int | None = None) -> tuple[tuple[str, ...], SignedHead]:
    """The proof that the log only added to what it was with `before` events (RFC 9162, 2.1.4), and its head.

    The log as it is, or as it was with `size` events.
    """
    there = _signed(call)
    size = there.head.grown if size is None else size
    if size > there.head.grown:
        raise Invalid(
            f"The log has {there.head.grown} sealed events, and not {size}.",
            next_step="Leave the size out, for the log as it is.",
            errors=[{"at": "size", "problem": "larger than the log"}],
        )
    if before > size:
        raise Invalid(
            f"The log has {size} sealed events, and you have kept a head of {before}.",
            next_step="If that head was signed by this workspace, the log was cut off: keep both as evidence.",
            errors=[{"at": "before", "problem": "larger than the log"}],
        )
    path = tree.consistency(call.tx.events.nodes(), before, size)
    return tuple(piece.hex() for piece in path), there


def publish(call: Call) -> SignedHead | None:
    """Sign the head of the log and log that: whoever is told of what happens is told of it; None if nothing is new."""
    before = call.tx.events.last_of(call.tx.workspace.id, "log.head-signed")
    there = _signed(call)
    # The event of the last head is itself in the log, and nothing to publish.
    if not there.head.grown or (before is not None and before.number in (None, there.head.grown)):
        return None
    the_head = there.head
    call.log(
        "log.head-signed", "log", call.tx.workspace.id, size=the_head.grown, root=the_head.root, signed=there.signed
    )
    return there


def seal(call: Call) -> int:
    """Number and link the events that were committed since the last time; returns how many."""
    return call.tx.events.seal(link, call.now)
