"""What a reading saw, before it is compared with what is stored, and the entries that follow from sharing documents."""

from __future__ import annotations

import hashlib
from collections import Counter
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

import orjson

from openlatch.core.hours import Hours
from openlatch.core.model import Dependency, normal_address
from openlatch.core.providers.sharing import ANYONE, Covers, Document, Exposure, Selector, exposures
from openlatch.words import Criticality, Kind, PartyKind, PartyStatus, Power, ReadingOutcome, State

__all__ = [
    "SHARED",
    "WRITTEN",
    "Observation",
    "ObservedAccount",
    "ObservedActivity",
    "ObservedEntry",
    "ObservedMembership",
    "ObservedParty",
    "behind",
    "coherent",
    "complaints",
    "digest",
    "in_force",
    "merged",
    "resolved",
    "sifted",
    "spread",
]

WRITTEN = "hand:"
"""What the key of a party begins with that people have written down: no name that its provider knows."""
SHARED = "share:"
"""What the keys of entries begin with that follow from documents."""


@dataclass(frozen=True, slots=True)
class ObservedAccount:
    """An account as its provider shows it; `locked` None means that it has no lock against being open to anyone."""

    key: str
    name: str
    criticality: Criticality = Criticality.NORMAL
    practice: bool = False
    locked: bool | None = None


@dataclass(frozen=True, slots=True)
class ObservedParty:
    """A party as its provider shows it; `key` is the provider's own name for it.

    `service` is a login with which a program signs in, such as the one with which the provider is read. `sponsor` is
    the address of whoever answers for it.
    """

    key: str
    kind: PartyKind
    name: str
    addresses: tuple[str, ...] = ()
    status: PartyStatus = PartyStatus.UNKNOWN
    verified: bool = False
    publisher: str = ""
    home: str = ""
    service: bool = False
    sponsor: str = ""


@dataclass(frozen=True, slots=True)
class ObservedEntry:
    """One access as its provider shows it; `account` and `party` are the provider's keys.

    `powers` is None where the provider speaks in levels and permissions only; what these mean is looked up.
    """

    key: str
    account: str
    party: str
    kind: Kind
    level: str
    powers: tuple[Power, ...] | None = None
    state: State = State.LIVE
    permissions: tuple[str, ...] = ()
    resources: tuple[str, ...] = ()
    given_at: datetime | None = None
    given_by: str = ""
    accepted_at: datetime | None = None
    last_used: datetime | None = None
    use_known: bool = False
    uses: Mapping[Power, datetime] | None = None
    ends_at: datetime | None = None
    end_unknown: bool = False
    hours: Hours | None = None
    reviewed_at: tuple[datetime, ...] = ()
    basis: str = ""
    hangs_on: str | None = None
    dependencies: tuple[Dependency, ...] = ()
    device: str = ""
    network: str = ""
    by_hand: bool = False


@dataclass(frozen=True, slots=True)
class ObservedMembership:
    """A party in a team, by the provider's keys of both; or, with `how` app, whoever connected an app and that app."""

    team: str
    member: str
    since: datetime | None = None
    how: str = "member"


@dataclass(frozen=True, slots=True)
class ObservedActivity:
    """Something that a party did on an account, by the provider's keys; `entry` is the access that it used."""

    key: str
    at: datetime
    account: str
    party: str
    behalf_of: str | None = None
    entry: str | None = None
    power: Power | None = None
    what: str = ""


@dataclass(frozen=True, slots=True)
class Observation:
    """All that one reading saw, and how it ended."""

    outcome: ReadingOutcome
    accounts: tuple[ObservedAccount, ...] = ()
    parties: tuple[ObservedParty, ...] = ()
    entries: tuple[ObservedEntry, ...] = ()
    memberships: tuple[ObservedMembership, ...] = ()
    documents: tuple[Document, ...] = ()
    activity: tuple[ObservedActivity, ...] = ()
    trouble: str = ""
    remarks: tuple[str, ...] = ()
    """what could not be made out of what was seen, each with its place; nothing else suffers from it"""


def merged(observations: Iterable[Observation]) -> Observation:
    """Return complete observations of several parties of one provider as one; what several of them show counts once."""
    several = tuple(observations)
    return Observation(
        outcome=ReadingOutcome.COMPLETE,
        accounts=tuple({a.key: a for observation in several for a in observation.accounts}.values()),
        parties=tuple({p.key: p for observation in several for p in observation.parties}.values()),
        entries=tuple({e.key: e for observation in several for e in observation.entries}.values()),
        memberships=tuple({(m.team, m.member): m for observation in several for m in observation.memberships}.values()),
        documents=tuple({d.key: d for observation in several for d in observation.documents}.values()),
        activity=tuple(a for observation in several for a in observation.activity),
        remarks=tuple(dict.fromkeys(remark for observation in several for remark in observation.remarks)),
    )


def complaints(observation: Observation) -> tuple[str, ...]:
    """Return what is wrong with an observation in itself; one that has complaints must not be reconciled."""
    texts: list[str] = []
    for noun, keys in (
        ("account", [a.key for a in observation.accounts]),
        ("party", [p.key for p in observation.parties]),
        ("entry", [e.key for e in observation.entries]),
        ("document", [d.key for d in observation.documents]),
        ("activity", [a.key for a in observation.activity]),
    ):
        texts += [f"{noun} {key!r} is listed {count} times" for key, count in Counter(keys).items() if count > 1]
        texts += [f"{noun} number {place} has an empty key" for place, key in enumerate(keys, 1) if not key]
    accounts = {a.key for a in observation.accounts}
    parties = {p.key for p in observation.parties}
    for entry in observation.entries:
        if entry.account not in accounts:
            texts.append(f"entry {entry.key!r} is on account {entry.account!r}, which is not listed")
        if entry.party not in parties:
            texts.append(f"entry {entry.key!r} belongs to party {entry.party!r}, which is not listed")
        if entry.state is State.ENDED:
            texts.append(f"entry {entry.key!r} is listed as ended; what has ended must not be listed")
    for act in observation.activity:
        texts += [f"activity {act.key!r} is by party {act.party!r}, which is not listed"] * (act.party not in parties)
        texts += [f"activity {act.key!r} is on account {act.account!r}, which is not listed"] * (
            act.account not in accounts
        )
    teams = _joined_by_others(observation)
    for membership, count in Counter((m.team, m.member) for m in observation.memberships).items():
        team, member = membership
        if count > 1:
            texts.append(f"member {member!r} of team {team!r} is listed {count} times")
        if team not in teams:
            texts.append(f"{team!r}, of which {member!r} is a member, is not listed as a team or an app")
        if member not in parties:
            texts.append(f"member {member!r} of team {team!r} is not listed")
    return tuple(texts)


def _joined_by_others(observation: Observation) -> set[str]:
    """The parties as which others can act: teams and apps."""
    return {p.key for p in observation.parties if p.kind in (PartyKind.TEAM, PartyKind.APP)}


def resolved(observation: Observation) -> Observation:
    """Return an observation in which every member of a team is listed: one that is not is kept as an unknown party.

    Directories keep members that they have deleted long since; a remark says which, and of what they are members.
    """
    teams = {p.key: p.name for p in observation.parties if p.kind in (PartyKind.TEAM, PartyKind.APP)}
    listed = {p.key for p in observation.parties}
    dangling: dict[str, list[str]] = {}
    for membership in observation.memberships:
        if membership.member and membership.member not in listed and membership.team in teams:
            dangling.setdefault(membership.member, []).append(teams[membership.team])
    remarks = [
        f"“{member}”, a member of {', '.join(sorted(set(of)))}, is not among those who are listed."
        for member, of in dangling.items()
    ]
    unknown = tuple(ObservedParty(member, PartyKind.PERSON, member) for member in dangling)
    return replace(observation, parties=(*observation.parties, *unknown), remarks=(*observation.remarks, *remarks))


def sifted(observation: Observation) -> Observation:
    """Return what can be believed of a reading: what contradicts itself is left out, and the rest is partial then.

    What is listed several times alike is one; of what is listed several times with differences, none is believed.
    """
    if observation.outcome is ReadingOutcome.FAILED or not complaints(observation):
        return observation
    once: Observation = _each(observation, _collapsed)
    once = replace(once, memberships=tuple({(m.team, m.member): m for m in once.memberships}.values()))
    wrong = complaints(once)
    if not wrong:
        return once
    left = _each(once, _alone)
    left = coherent(replace(left, entries=tuple(e for e in left.entries if e.state is not State.ENDED)))
    more = f" (and {len(wrong) - 3} more)" if len(wrong) > 3 else ""
    told = f"{'; '.join(wrong[:3])}{more}. What was known of that is kept; everything else was read."
    return replace(left, outcome=ReadingOutcome.PARTIAL, trouble=observation.trouble or told[0].upper() + told[1:])


def _each(observation: Observation, change: Callable[[Sequence[Any]], tuple[Any, ...]]) -> Observation:
    """Change the lines of every noun that has keys."""
    nouns = ("accounts", "parties", "entries", "documents", "activity")
    changed: dict[str, Any] = {noun: change(getattr(observation, noun)) for noun in nouns}
    return replace(observation, **changed)


def _collapsed(lines: Sequence[Any]) -> tuple[Any, ...]:
    """Each line once, if it is listed several times alike."""
    seen: dict[str, list[Any]] = {}
    for line in lines:
        same = seen.setdefault(line.key, [])
        if line not in same:
            same.append(line)
    return tuple(line for same in seen.values() for line in same)


def _alone(lines: Sequence[Any]) -> tuple[Any, ...]:
    """The lines whose key is theirs alone."""
    counts = Counter(line.key for line in lines)
    return tuple(line for line in lines if line.key and counts[line.key] == 1)


def coherent(observation: Observation) -> Observation:
    """Return what holds together of a reading that broke off: nothing whose account or party was not shown yet."""
    accounts = {a.key for a in observation.accounts}
    parties = {p.key for p in observation.parties}
    teams = _joined_by_others(observation)
    return replace(
        observation,
        entries=tuple(e for e in observation.entries if e.account in accounts and e.party in parties),
        memberships=tuple(m for m in observation.memberships if m.team in teams and m.member in parties),
        activity=tuple(a for a in observation.activity if a.account in accounts and a.party in parties),
    )


def digest(observed: ObservedEntry | ObservedParty, salt: bytes = b"") -> bytes:
    """Return 16 bytes that differ whenever anything observed differs, or the salt does."""
    content = orjson.dumps(observed, default=sorted, option=orjson.OPT_NON_STR_KEYS)
    return hashlib.blake2b(content, digest_size=16, key=salt).digest()


def spread(observation: Observation, only: str | None = None) -> Observation:
    """Return a complete observation with the entries and parties that follow from its documents.

    With `only` (a provider's party key), those of that party: its documents are all there, those of others may not be.

    What is open to anyone is an entry for each part of an account; what others were given is one entry for all parts
    on which they have the same.
    """
    if observation.outcome is not ReadingOutcome.COMPLETE or not observation.documents:
        return observation
    document = {key: group for key, group in _found(observation).items() if only in (None, group[0].party)}
    listed = {party.key for party in observation.parties}
    parties = {to.party: _party(to) for to, _, _ in document.values() if to.kind != "party"}
    return replace(
        observation,
        parties=(*observation.parties, *(party for key, party in parties.items() if key not in listed)),
        entries=(*observation.entries, *(_entry(key, *group) for key, group in document.items())),
    )


def in_force(observation: Observation, enforces: Collection[Kind], now: datetime) -> Observation:
    """Return an observation without what lets nobody in any more, though it is still listed.

    `enforces` are the kinds of entry that the provider itself refuses past their end.
    """
    kept = tuple(
        entry
        for entry in observation.entries
        if entry.kind not in enforces or entry.ends_at is None or entry.end_unknown or entry.ends_at > now
    )
    return observation if len(kept) == len(observation.entries) else replace(observation, entries=kept)


def behind(observation: Observation, key: str) -> tuple[Selector, tuple[str, ...]] | None:
    """Return the selector of an entry that follows from documents, and the keys of these; None if it does not."""
    group = _found(observation).get(key)
    return None if group is None else (group[0], tuple(document.key for document in group[2]))


_Group = tuple[Selector, Exposure, list[Document]]


def _found(observation: Observation) -> dict[str, _Group]:
    """The entries that follow from documents, by their keys: each with the documents that it follows from."""
    locked = {account.key: bool(account.locked) for account in observation.accounts}
    covers = _coverage(observation)
    seen: dict[tuple[object, ...], tuple[Exposure, ...]] = {}
    fields: dict[str, _Group] = {}
    for document in observation.documents:
        lock = locked.get(document.account, False)
        # Most parts of an account are shared just like others.
        alike = (lock, document.zone, document.statements)
        if alike not in seen:
            seen[alike] = tuple(exposures(document, locked=lock, covers=covers))
        for exposure in seen[alike]:
            part = f"{document.key}:" if exposure.to == ANYONE else ""
            what = " ".join(filter(None, (",".join(exposure.powers), exposure.limits)))
            key = f"{SHARED}{document.account}:{part}{exposure.to.party}:{what}"
            fields.setdefault(key, (exposure.to, exposure, []))[2].append(document)
    return fields


def _coverage(observation: Observation) -> Covers:
    """Who is matched by what: anyone by all, an address by its domain, a member by its teams and theirs."""
    domains = {p.key: {normal_address(a).rpartition("@")[2] for a in p.addresses} for p in observation.parties}
    teams: dict[str, set[str]] = {}
    for membership in observation.memberships:
        teams.setdefault(membership.member, set()).add(membership.team)

    def above(party: str) -> set[str]:
        reached, ahead = {party}, [party]
        while ahead:
            more = teams.get(ahead.pop(), set()) - reached
            reached |= more
            ahead += more
        return reached

    def covers(wider: Selector, narrower: Selector) -> bool:
        if wider in (ANYONE, narrower):
            return True
        if narrower.kind != "party":
            return False
        if wider.kind == "domain":
            return wider.value.casefold() in domains.get(narrower.value, ())
        return wider.value in above(narrower.value)

    return covers


def _party(to: Selector) -> ObservedParty:
    if to == ANYONE:
        return ObservedParty(to.party, PartyKind.ANYONE, "Anyone")
    return ObservedParty(to.party, PartyKind.TEAM, f"Everyone at {to.value}", (f"@{to.value}",))


def _entry(key: str, to: Selector, exposure: Exposure, documents: list[Document]) -> ObservedEntry:
    origins = [s for d in documents for s in d.statements if s.allow and to in s.to]
    given = [s.given_at for s in origins if s.given_at is not None]
    used = [s.last_used for s in origins if s.last_used is not None]
    return ObservedEntry(
        key=key,
        account=documents[0].account,
        party=to.party,
        kind=Kind.OPEN if to == ANYONE else Kind.DELEGATE,
        level=_joined((s.level for s in origins), " + ") or "shared",
        powers=exposure.powers,
        resources=tuple(sorted({d.resource for d in documents if d.resource})),
        given_at=min(given, default=None),
        given_by=_joined((s.given_by for s in origins), ", "),
        last_used=max(used, default=None),
        use_known=all(s.use_known for s in origins),
        hours=exposure.hours,
        basis=_joined((s.basis for s in origins), "; "),
        network=", ".join(map(str, exposure.networks or ())),
    )


def _joined(words: Iterable[str], by: str) -> str:
    return by.join(dict.fromkeys(word for word in words if word))
