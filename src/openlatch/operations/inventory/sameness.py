"""Who is the same as whom: what is in doubt, joining and parting, and undoing either."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass, replace
from typing import Any
from uuid import UUID

from openlatch.core.inventory.reconcile import Identifier, shared
from openlatch.core.inventory.sameness import Decision, Key, Known, Likeness, perhaps
from openlatch.core.model import Party, normal_address
from openlatch.errors import Conflict, Invalid
from openlatch.operations.call import Call, operation
from openlatch.operations.rules import flags
from openlatch.store.pages import Page
from openlatch.words import PartyKind, PartyStatus, Verdict

__all__ = ["DecisionSight", "KeySight", "LikenessSight", "apart", "browse", "decided", "join", "keys", "part", "undo"]


@dataclass(frozen=True, slots=True)
class KeySight:
    """A party as one provider knows it, with the provider's name."""

    key: Key
    provider: str


@dataclass(frozen=True, slots=True)
class LikenessSight:
    """Two parties that are perhaps the same, with all that providers know each by."""

    likeness: Likeness
    one: Party
    other: Party
    one_keys: tuple[KeySight, ...]
    other_keys: tuple[KeySight, ...]


@dataclass(frozen=True, slots=True)
class DecisionSight:
    """What someone said of two parties."""

    decision: Decision
    one: Party
    other: Party


@operation("parties.perhaps")
def browse(call: Call, text: str) -> tuple[LikenessSight, ...]:
    """The parties that are perhaps the same, two by two, the strongest reasons first; of one party only, if named."""
    about = call.tx.parties.find(text).id if text else None
    known = call.tx.parties.with_keys(call.tx.sameness.alike())
    settled = {
        frozenset((decision.one, decision.other))
        for decision in call.tx.sameness.standing()
        if decision.verdict is not Verdict.JOINED
    }
    likenesses = [
        likeness
        for likeness in perhaps(known.values(), call.tx.workspace.circle, settled)
        if about is None or about in (likeness.one, likeness.other)
    ]
    names = _names(call)
    return tuple(
        LikenessSight(
            likeness,
            known[likeness.one].party,
            known[likeness.other].party,
            _sights(known[likeness.one], names),
            _sights(known[likeness.other], names),
        )
        for likeness in likenesses
    )


@operation("parties.keys")
def keys(call: Call, text: str) -> tuple[KeySight, ...]:
    """What providers know a party by."""
    party = call.tx.parties.find(text)
    return _sights(call.tx.parties.with_keys([party.id])[party.id], _names(call))


@operation("parties.decided")
def decided(call: Call, limit: int, cursor: str | None) -> Page[DecisionSight]:
    """What people have said of who is the same as whom, the latest first, and what of it was undone."""
    page = call.tx.sameness.browse(limit=limit, cursor=cursor)
    return Page(tuple(_decision_sights(call, page.items)), page.next)


@operation("parties.join")
def join(call: Call, text: str, other: str, reason: str) -> DecisionSight:
    """Have two parties be one: all that the second has is the first's, until that is undone."""
    call.tx.facts.take_turns()
    first, second = call.tx.parties.find(text), call.tx.parties.find(other)
    _refuse_joining(call, first, second)
    for each_decision in call.tx.sameness.standing([first.id]):
        if second.id in (each_decision.one, each_decision.other):
            call.tx.sameness.undone(each_decision, call.actor.author, call.now)
    decision = _decide(call, first, second, Verdict.JOINED, reason, _before(call, first, second))
    _joined(call, first, second)
    _log(call, "party.joined", first, second, decision, reason=reason)
    _look_again(call, first.id, second.id)
    return _sight(call, decision)


@operation("parties.apart")
def apart(call: Call, text: str, other: str, reason: str) -> DecisionSight:
    """Keep two parties apart: it is not asked again whether they are the same."""
    call.tx.facts.take_turns()
    first, second = call.tx.parties.find(text), call.tx.parties.find(other)
    if first.id == second.id:
        raise _same(first)
    for each_decision in call.tx.sameness.standing([first.id]):
        if second.id in (each_decision.one, each_decision.other) and each_decision.verdict is not Verdict.JOINED:
            return _sight(call, each_decision)
    decision = _decide(call, first, second, Verdict.APART, reason, {})
    _log(call, "party.kept-apart", first, second, decision, reason=reason)
    return _sight(call, decision)


@operation("parties.part")
def part(call: Call, text: str, provider: str, key: str, reason: str) -> DecisionSight:
    """Have what one provider knows by a key be a party of its own, which it is from then on."""
    call.tx.facts.take_turns()
    party = call.tx.parties.find(text)
    at = call.tx.providers.find(provider)
    known = call.tx.parties.with_keys([party.id])[party.id].keys
    named = next((each_key for each_key in known if (each_key.provider_id, each_key.key) == (at.id, key)), None)
    if named is None:
        theirs = [key.key for key in known if key.provider_id == at.id]
        raise Invalid(
            f"{at.name} does not know {party.name} as “{key}”. Nothing was changed.",
            next_step=f"It knows them as {', '.join(theirs)}." if theirs else f"{at.name} does not know them at all.",
            errors=[{"at": "key", "problem": "not theirs"}],
        )
    rest = [key for key in known if key is not named]
    if party.kind is PartyKind.ANYONE or not rest:
        why = "Anyone is one party everywhere" if rest else f"That is all that {party.name} is known by"
        raise Conflict(
            f"{why}: there is nothing to part. Nothing was changed.",
            next_step=f"See what providers know them by: openlatch party keys {party.ref}",
            party=party.ref,
        )
    parted = Party(call.services.new_id(), party.kind, named.name or key, named.addresses)
    before = _before(call, party, parted)
    call.tx.parties.add([parted], [])
    identifiers = [Identifier(str(at.id), key), *_addresses_of_one(named, rest)]
    call.tx.sameness.move_keys(party.id, parted.id, identifiers, {})
    gone = {identifier.value for identifier in identifiers if identifier.scheme == "address"}
    both = [shared(a) for a in {normal_address(a) for a in named.addresses} - gone]
    call.tx.parties.add([], [(identifier, parted.id) for identifier in set(both) - call.tx.parties.known(both).keys()])
    left = tuple(a for a in party.addresses if normal_address(a) not in gone)
    # What was confirmed may have been so of the other: the next readings tell.
    call.tx.parties.save_all([replace(party, addresses=left, verified=False, version=party.version + 1)])
    decision = _decide(call, party, parted, Verdict.PARTED, reason, before)
    _log(call, "party.parted", party, parted, decision, provider=at.name, key=key, reason=reason)
    _look_again(call, party.id, parted.id)
    return _sight(call, decision)


@operation("parties.undo")
def undo(call: Call, text: str) -> DecisionSight:
    """Undo what was said of two parties: what was joined is two again, what was parted is one, and what was kept apart
    is asked again.
    """
    call.tx.facts.take_turns()
    decision = call.tx.sameness.find(text)
    if decision.undone_at is not None:
        raise Conflict(
            f"That was undone already, by {decision.undone_by}. Nothing was changed.",
            next_step="Decide again: join the two, or keep them apart.",
            decision=decision.ref,
        )
    _refuse_undoing(call, decision)
    parties = call.tx.parties.some([decision.one, decision.other])
    first, second = parties[decision.one], parties[decision.other]
    if decision.verdict is Verdict.JOINED:
        _unjoined(call, decision, first, second)
    elif decision.verdict is Verdict.PARTED:
        _refuse_joining(call, first, second)
        _joined(call, first, second)
    decision = call.tx.sameness.undone(decision, call.actor.author, call.now)
    _log(call, "party.undone", first, second, decision, verdict=decision.verdict.value)
    _look_again(call, first.id, second.id)
    return _sight(call, decision)


def _refuse_joining(call: Call, first: Party, second: Party) -> None:
    """Refuse (Conflict) to join what cannot be one."""
    if first.id == second.id:
        raise _same(first)
    if PartyKind.ANYONE in (first.kind, second.kind) or first.kind is not second.kind:
        raise Conflict(
            f"{first.name} is {_kind(first)}, and {second.name} is {_kind(second)}: these are never the same. "
            "Nothing was changed.",
            next_step="Join two people, two teams or two apps.",
        )
    known = call.tx.parties.with_keys([first.id, second.id])
    at = {key.provider_id: key.key for key in known[first.id].keys}
    both = next((key for key in known[second.id].keys if key.provider_id in at), None)
    if both is not None:
        provider = call.tx.providers.get(both.provider_id).name
        raise Conflict(
            f"{provider} tells them apart: it knows {first.name} as “{at[both.provider_id]}” and {second.name} as "
            f"“{both.key}”. What one provider knows by two keys is never one party here. Nothing was changed.",
            next_step=f"If one person has both, have one of the two removed at {provider}, and read it again.",
        )


def _refuse_undoing(call: Call, decision: Decision) -> None:
    """Refuse (Conflict) to undo what later decisions about the same parties build on: these come first."""
    for later in call.tx.sameness.standing([decision.one, decision.other]):
        about_both = {later.one, later.other} & {decision.one, decision.other}
        moves = Verdict.APART not in (later.verdict, decision.verdict)
        if later.id != decision.id and (later.at, later.id) > (decision.at, decision.id) and about_both and moves:
            raise Conflict(
                f"A later decision about one of them holds ({later.ref}). Nothing was changed.",
                next_step="Undo that one first.",
                decision=later.ref,
            )


def _same(party: Party) -> Conflict:
    return Conflict(
        f"Both are {party.name} ({party.ref}) already. Nothing was changed.",
        next_step="Name another party.",
        party=party.ref,
    )


def _kind(party: Party) -> str:
    return (
        "anyone" if party.kind is PartyKind.ANYONE else f"{'an' if party.kind is PartyKind.APP else 'a'} {party.kind}"
    )


def _log(call: Call, act: str, first: Party, second: Party, decision: Decision, **more: str) -> None:
    """Log what was decided about two parties: at the first one, with the other."""
    pair = {"party": first.name, "other": str(second.id), "other_party": second.name}
    call.log(act, "party", first.id, **pair, **more, decision=str(decision.id))


def _decide(
    call: Call, party: Party, other: Party, verdict: Verdict, reason: str, before: Mapping[str, Any]
) -> Decision:
    decision = Decision(
        id=call.services.new_id(),
        one=party.id,
        other=other.id,
        verdict=verdict,
        reason=reason,
        by=call.actor.author,
        at=call.now,
        before=before,
    )
    call.tx.sameness.add(decision)
    return decision


def _before(call: Call, first: Party, second: Party) -> dict[str, Any]:
    """What has to be known to undo that the second is the first, or that it was taken out of it."""
    row = asdict(first)
    return {
        "one": {name: str(row[name]) if name == "status" else row[name] for name in _SHOWN},
        "sponsored": first.sponsor is not None,
        "own": _written(call.tx.sameness.identifiers_of(first.id)),
        "keys": _written(call.tx.sameness.identifiers_of(second.id)),
        "nameless": call.tx.sameness.nameless_of(second.id),
    }


_SHOWN = ("name", "addresses", "status", "verified", "publisher", "home", "service")


def _written(identifiers: Iterable[Identifier]) -> list[list[str]]:
    return [[identifier.scheme, identifier.value] for identifier in identifiers]


def _read(written: Iterable[Iterable[str]]) -> list[Identifier]:
    return [Identifier(*texts) for texts in written]


def _joined(call: Call, first: Party, second: Party) -> None:
    """All that the second has is the first's."""
    call.tx.sameness.move_all(second.id, first.id)
    call.tx.sameness.becomes(second.id, first.id)
    have = {normal_address(a) for a in first.addresses}
    more = tuple(a for a in second.addresses if normal_address(a) not in have)
    status = first.status if first.status is not PartyStatus.UNKNOWN else second.status
    call.tx.parties.save_all(
        [
            replace(
                first,
                addresses=first.addresses + more,
                status=status,
                verified=first.verified or second.verified,
                publisher=first.publisher or second.publisher,
                home=first.home or second.home,
                # Two of which one is a person are a person.
                service=first.service if first.service == second.service else False,
                version=first.version + 1,
            )
        ]
    )
    if first.sponsor is None and second.sponsor is not None:
        call.tx.parties.sponsored(first.id, second.sponsor)


def _unjoined(call: Call, decision: Decision, first: Party, second: Party) -> None:
    """What was joined is two again; what the one was first known by in between goes to whom its addresses name."""
    before = decision.before
    own, theirs = set(_read(before["own"])), _read(before["keys"])
    shown = {Identifier(str(k.provider_id), k.key): k for k in call.tx.parties.with_keys([first.id])[first.id].keys}
    mine, hers = set(map(normal_address, before["one"]["addresses"])), set(map(normal_address, second.addresses))
    since = [
        name
        for name, key in shown.items()
        if name not in own
        and name not in theirs
        and (a := set(map(normal_address, key.addresses))) & hers
        and not a & mine
    ]
    call.tx.sameness.becomes(second.id, None)
    _take_along(call, second.id)
    call.tx.sameness.move_keys(first.id, second.id, [*theirs, *since], before["nameless"])
    if not before["sponsored"] and first.sponsor == second.sponsor:
        call.tx.parties.sponsored(first.id, None)
    added = hers - mine
    was = before["one"]
    call.tx.parties.save_all(
        [
            replace(
                first,
                name=was["name"],
                addresses=tuple(a for a in first.addresses if normal_address(a) not in added),
                status=PartyStatus(was["status"]),
                verified=was["verified"],
                publisher=was["publisher"],
                home=was["home"],
                # What was joined before there were service accounts keeps what it is.
                service=was.get("service", first.service),
                version=first.version + 1,
            )
        ]
    )


def _take_along(call: Call, party_id: UUID) -> None:
    """Whoever was joined to a party before is it again, now that it is itself again."""
    joined = [decision for decision in call.tx.sameness.standing() if decision.verdict is Verdict.JOINED]
    below: set[UUID] = set()
    ahead = [party_id]
    while ahead:
        at = ahead.pop()
        more = {decision.other for decision in joined if decision.one == at} - below
        below |= more
        ahead += more
    for each_id in below:
        call.tx.sameness.becomes(each_id, party_id)


def _addresses_of_one(named: Key, rest: Iterable[Key]) -> list[Identifier]:
    """The addresses that go with one key of a party and with none of the others."""
    others = {normal_address(a) for key in rest for a in key.addresses}
    return [Identifier("address", a) for a in sorted({normal_address(a) for a in named.addresses} - others)]


def _look_again(call: Call, *parties: UUID) -> None:
    """Bring the flags up to date of what these parties have, and had."""
    entries = call.tx.entries.held_by(parties)
    flags.evaluate(call, entries, {entry.account_id for entry in entries}, parties, parties)


def _names(call: Call) -> dict[UUID, str]:
    return call.tx.providers.names()


def _sights(known: Known, names: Mapping[UUID, str]) -> tuple[KeySight, ...]:
    return tuple(KeySight(key, names[key.provider_id]) for key in known.keys)


def _sight(call: Call, decision: Decision) -> DecisionSight:
    return next(iter(_decision_sights(call, [decision])))


def _decision_sights(call: Call, decisions: Iterable[Decision]) -> Iterable[DecisionSight]:
    every = tuple(decisions)
    parties = call.tx.parties.some({party for decision in every for party in (decision.one, decision.other)})
    return [DecisionSight(decision, parties[decision.one], parties[decision.other]) for decision in every]
