"""A proposal carried out only in thought: inside a part of a transaction that is undone at the end.

What is changed there is changed by the same means as in earnest, so that rules and risk see just what they would see.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from uuid import UUID

from openlatch.core.hours import Hours, Window, end_of
from openlatch.core.ids import ref_of
from openlatch.core.inventory.reconcile import Identifier
from openlatch.core.limits import Taken
from openlatch.core.model import Account, Entry, Party, normal_address
from openlatch.core.orders.steps import Extent
from openlatch.core.powers import in_order
from openlatch.core.providers.observation import (
    SHARED,
    Observation,
    ObservedAccount,
    ObservedEntry,
    ObservedMembership,
    ObservedParty,
    spread,
)
from openlatch.core.providers.ports import Change
from openlatch.core.providers.sharing import ANYONE, Document, Selector, Statement
from openlatch.errors import Conflict, Invalid, NotFound
from openlatch.operations.call import Call
from openlatch.operations.letting_in import terms
from openlatch.operations.orders import orders
from openlatch.operations.providers import choices
from openlatch.wire.letting_in.offers import OfferPartWish, OfferWish
from openlatch.wire.what_if import proposal_file as wire
from openlatch.words import Action, EndReason, PartyKind, PartyStatus, Power, ReadingOutcome, State

__all__ = ["Imagined", "as_they_are", "extension", "imagine", "wish_of"]


@dataclass(slots=True)
class Imagined:
    """What a proposal has touched: which entries, accounts and parties, and which documents and locks it has put."""

    entries: set[UUID] = field(default_factory=set)
    accounts: set[UUID] = field(default_factory=set)
    parties: set[UUID] = field(default_factory=set)
    documents: dict[UUID, tuple[Document, ...]] = field(default_factory=dict)
    present: dict[UUID, tuple[Document, ...]] = field(default_factory=dict)
    """the documents of accounts as they are, as far as they were asked for"""
    limits: list[str] = field(default_factory=list)
    policy: str = ""


def imagine(call: Call, body: wire.ProposalFile) -> Imagined:
    """Carry the changes of a proposal out, one after the other; raises Invalid for one that cannot be.

    To be called where everything is undone afterwards.
    """
    made = Imagined()
    for place, change in enumerate(body.changes):
        try:
            _ACTS[change.do](call, change, made)  # type: ignore[operator]
        except (Invalid, Conflict, NotFound) as error:
            raise Invalid(
                f"Change {place + 1} ({change.do}): {error.message}",
                next_step=error.next_step or "Correct it, and run it again.",
                errors=[{"at": f"changes.{place}", "problem": error.message}],
            ) from error
    for account_id in made.accounts & made.documents.keys():
        _share_anew(call, account_id, made)
    return made


def as_they_are(call: Call, account_id: UUID, made: Imagined) -> tuple[Document, ...]:
    """Return the documents of an account, read from the store once."""
    if account_id not in made.present:
        made.present[account_id] = call.tx.documents.of([account_id]).get(account_id, ())
    return made.present[account_id]


def wish_of(change: wire.Give, basis: str) -> OfferWish:
    """Return what is to be given as an offer of it."""
    part = OfferPartWish(**change.model_dump(include=set(OfferPartWish.model_fields)))
    return OfferWish(to=change.to, parts=[part], name=change.name, basis=basis, endless=change.until is None)


# Single changes


def _give(call: Call, change: wire.Give, made: Imagined) -> None:
    wish = wish_of(change, "proposed")
    the_terms = terms.terms(call, wish, {})
    sight, part = the_terms.parts[0], the_terms.parts[0].part
    party = the_terms.party or _stranger(call, the_terms.name, the_terms.address)
    taken = Taken(str(party.id), party.name, not call.tx.workspace.circle.holds(party))
    made.limits += [b.text for b in choices.passed(call, sight.account, sight.provider, taken, part, None)]
    entry = Entry(
        id=call.services.new_id(),
        provider_id=sight.provider.id,
        account_id=sight.account.id,
        party_id=party.id,
        key=f"imagined:{part.id}",
        kind=part.kind,
        level=part.level,
        powers=part.powers,
        state=State.LIVE,
        permissions=part.permissions,
        stated=part.powers,
        resources=part.resources,
        given_at=call.now,
        given_by=call.actor.name,
        ends_at=part.ends_at,
        hours=part.hours,
        basis="proposed",
        first_seen=call.now,
        last_seen=call.now,
    )
    call.tx.entries.add([entry])
    made.entries.add(entry.id)
    made.accounts.add(entry.account_id)
    made.parties.add(party.id)


def _stranger(call: Call, name: str, address: str) -> Party:
    party = Party(call.services.new_id(), PartyKind.PERSON, name, (address,), PartyStatus.UNKNOWN)
    call.tx.parties.add([party], [(Identifier("address", normal_address(address)), party.id)])
    return party


def _changed(call: Call, text: str, made: Imagined, wish: orders.Wish, after: Callable[[Entry], Entry]) -> None:
    """An entry becomes what an order would make of it; refused just as that order would be."""
    entry = call.tx.entries.find(text).entry
    there = call.tx.entries.lock(entry.id)
    plan = orders.planned(call, there, wish).plan
    if plan.stop:
        made.limits.append(plan.stop)
    call.tx.entries.save(replace(after(there), version=there.version + 1))
    made.entries.add(entry.id)
    made.accounts.add(entry.account_id)
    made.parties.add(entry.party_id)


def _end(call: Call, change: wire.End, made: Imagined) -> None:
    def ended(entry: Entry) -> Entry:
        return replace(entry, state=State.ENDED, end_reason=EndReason.REVOKED, ended_at=call.now)

    entry = call.tx.entries.find(change.entry).entry
    falling = orders.situation(call, entry)[0].falling
    _changed(call, change.entry, made, orders.Wish(Action.END), ended)
    for each_entry in falling:
        _fall(call, each_entry, ended, made)


def _fall(call: Call, entry: Entry, ended: Callable[[Entry], Entry], made: Imagined) -> None:
    there = call.tx.entries.lock(entry.id)
    call.tx.entries.save(replace(ended(there), version=there.version + 1))
    made.entries.add(entry.id)


def _narrow(call: Call, change: wire.Narrow, made: Imagined) -> None:
    entry = call.tx.entries.find(change.entry).entry
    levels = orders.situation(call, entry)[0].levels
    resources = None if change.resources is None else tuple(change.resources)

    def less(entry: Entry) -> Entry:
        powers = levels.get(change.level, entry.powers) if change.level else entry.powers
        return replace(
            entry,
            level=change.level or entry.level,
            powers=in_order(powers),
            stated=in_order(powers),
            permissions=() if change.level else entry.permissions,
            resources=entry.resources if resources is None else tuple(sorted(resources)),
        )

    wish = orders.Wish(Action.NARROW, change.level, resources)
    _changed(call, change.entry, made, wish, less)


def _pause(call: Call, change: wire.Pause, made: Imagined) -> None:
    _changed(call, change.entry, made, orders.Wish(Action.PAUSE), lambda entry: replace(entry, state=State.PAUSED))


def _resume(call: Call, change: wire.Resume, made: Imagined) -> None:
    _changed(call, change.entry, made, orders.Wish(Action.RESUME), lambda entry: replace(entry, state=State.LIVE))


def _end_on(call: Call, change: wire.EndOn, made: Imagined) -> None:
    until = end_of(change.until, call.tx.workspace.zone)
    wish = orders.Wish(Action.END_ON, until=change.until)
    _changed(call, change.entry, made, wish, lambda entry: replace(entry, ends_at=until))


def extension(change: wire.Extend) -> orders.Wish:
    """Return what is wanted of an entry that is to be extended."""
    resources = None if change.resources is None else tuple(change.resources)
    return orders.Wish(
        Action.EXTEND, change.level, resources, change.until, hours=change.hours, lifts=tuple(change.lifts)
    )


def _extend(call: Call, change: wire.Extend, made: Imagined) -> None:
    entry = call.tx.entries.find(change.entry).entry
    wish = extension(change)
    step = next(step for step in orders.planned(call, entry, wish).plan.steps if step.change is not None)
    levels = orders.situation(call, entry)[0].levels

    def more(entry: Entry) -> Entry:
        now = Extent.of(entry).after(step.change or Change())
        powers = levels[now.level] if now.level != entry.level else entry.powers
        return replace(
            entry,
            level=now.level,
            powers=in_order(powers),
            stated=in_order(powers),
            resources=now.resources,
            hours=now.hours,
            ends_at=now.ends_at,
        )

    _changed(call, change.entry, made, wish, more)


def _lock(call: Call, change: wire.Lock, made: Imagined) -> None:
    account = call.tx.accounts.find(change.account)
    if account.locked is None:
        raise Conflict(
            f"{account.name} has no lock against being open to anyone.", next_step="Leave it out; change its documents."
        )
    call.tx.accounts.save_all([replace(account, locked=change.locked, version=account.version + 1)])
    made.accounts.add(account.id)
    made.documents.setdefault(account.id, as_they_are(call, account.id, made))


def _share(call: Call, change: wire.Share, made: Imagined) -> None:
    account = call.tx.accounts.find(change.account)
    before = made.documents.get(account.id) or as_they_are(call, account.id, made)
    keys = _keys(call, account, [to.party for statement in change.statements for to in statement.to if to.party])
    statements = tuple(_statement(statement, change.zone, keys) for statement in change.statements)
    same = [document for document in before if document.resource == change.resource]
    key = same[0].key if same else change.resource or account.key
    new = Document(key, str(account.id), change.resource, change.zone, statements)
    made.documents[account.id] = (*(document for document in before if document.resource != change.resource), new)
    made.accounts.add(account.id)


def _keys(call: Call, account: Account, named: Sequence[str]) -> Mapping[str, str]:
    """What the provider of an account calls parties, by how they are named here."""
    meant = call.tx.parties.named(named)
    for name in named:
        fits = meant.get(name.casefold(), ())
        if len(fits) > 1:
            raise Invalid(
                f"“{name}” fits {len(fits)} parties.",
                next_step=f"Name one by its short form: {', '.join(ref_of(fit) for fit in fits)}",
            )
    ids_by_key = {name: ids[0] for name, ids in meant.items()}
    keys = call.tx.parties.keys_of(ids_by_key.values(), account.provider_id)
    # Whom nobody knows yet can be named all the same, by what the provider calls them.
    return {name: keys[ids_by_key[name.casefold()]] if name.casefold() in ids_by_key else name for name in named}


def _statement(statement: wire.Statement, zone: str, keys: Mapping[str, str]) -> Statement:
    return Statement(
        allow=statement.effect == "allow",
        to=frozenset(_selector(to, keys) for to in statement.to),
        powers=frozenset(Power(p) for p in statement.powers),
        networks=None if statement.networks is None else tuple(statement.networks),
        hours=None if statement.hours is None else tuple(w for text in statement.hours for w in _windows(text, zone)),
        level=statement.level,
    )


def _windows(text: str, zone: str) -> Sequence[Window]:
    try:
        return Hours.parse(f"{text} {zone}").windows
    except ValueError as error:
        raise Invalid(f"“{text}” cannot be read as hours.", next_step="Write them as: tue,fri 19:00-04:00") from error


def _selector(to: wire.To, keys: Mapping[str, str]) -> Selector:
    """Whom a statement is about."""
    if to.anyone:
        return ANYONE
    if to.domain is not None:
        return Selector("domain", to.domain.casefold())
    return Selector("party", keys[to.party or ""])


def _policy(call: Call, change: wire.Policy, made: Imagined) -> None:
    made.policy = change.text


_ACTS = {
    "give": _give,
    "end": _end,
    "narrow": _narrow,
    "pause": _pause,
    "resume": _resume,
    "end-on": _end_on,
    "extend": _extend,
    "lock": _lock,
    "share": _share,
    "policy": _policy,
}


# What documents make


def _share_anew(call: Call, account_id: UUID, made: Imagined) -> None:
    """Bring the entries that follow from an account's documents to what the documents are now."""
    account = call.tx.accounts.get(account_id)
    keys = {some_id: key for key, (some_id, _) in call.tx.parties.keys_at(account.provider_id).items()}
    parties = call.tx.parties.some(keys)
    seen = tuple(
        ObservedParty(keys[each_party_id], party.kind, party.name, party.addresses, party.status, party.verified)
        for each_party_id, party in parties.items()
    )
    members = call.tx.memberships.standing(account.provider_id)
    joined = tuple(
        ObservedMembership(keys[m.team_id], keys[m.member_id], m.since, m.how)
        for m in members
        if m.team_id in keys and m.member_id in keys
    )
    documents = tuple(replace(document, account=account.key) for document in made.documents[account_id])
    named = {s.value for d in documents for statement in d.statements for s in statement.to if s.kind == "party"} - {
        party.key for party in seen
    }
    strangers = tuple(ObservedParty(key, PartyKind.PERSON, key) for key in sorted(named))
    shown = ObservedAccount(account.key, account.name, locked=account.locked)
    observed = spread(Observation(ReadingOutcome.COMPLETE, (shown,), (*seen, *strangers), (), joined, documents))
    ids = {key: each_id for each_id, key in keys.items()}
    unknown = {new.key: new for new in observed.parties if new.key not in ids}
    met = [Party(call.services.new_id(), new.kind, new.name, new.addresses) for new in unknown.values()]
    joining = {key: party.id for key, party in zip(unknown, met, strict=True)}
    call.tx.parties.add(met, [(Identifier(str(account.provider_id), key), one) for key, one in joining.items()])
    ids |= joining
    made.parties |= set(joining.values())
    before = {e.key: e for e in call.tx.entries.on([account_id]) if e.key.startswith(SHARED)}
    added: list[Entry] = []
    kept: set[str] = set()
    changed: list[Entry] = []
    for entry in observed.entries:
        powers, party_id = in_order(entry.powers or ()), ids[entry.party]
        was = before.get(entry.key)
        if was is None:
            added.append(_new_share(call, account, party_id, entry, powers))
            continue
        kept.add(entry.key)
        if set(was.resources) != set(entry.resources):
            changed.append(replace(was, resources=entry.resources, version=was.version + 1))
    gone = [e.ended(EndReason.GONE, call.now) for key, e in before.items() if key not in kept]
    call.tx.entries.add(added)
    call.tx.entries.save_all([*changed, *gone])
    made.entries |= {e.id for e in (*added, *changed, *gone)}
    made.parties |= {e.party_id for e in (*added, *changed, *gone)}


def _new_share(call: Call, account: Account, party_id: UUID, entry: ObservedEntry, powers: tuple[Power, ...]) -> Entry:
    return Entry(
        id=call.services.new_id(),
        provider_id=account.provider_id,
        account_id=account.id,
        party_id=party_id,
        key=entry.key,
        kind=entry.kind,
        level=entry.level,
        powers=powers,
        state=State.LIVE,
        stated=powers,
        resources=entry.resources,
        given_at=call.now,
        hours=entry.hours,
        network=entry.network,
        first_seen=call.now,
        last_seen=call.now,
    )
