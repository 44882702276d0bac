"""What someone would be offered: from what the holder says to exact terms, with all that is worth knowing first."""

from __future__ import annotations

import hashlib
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from uuid import UUID
from zoneinfo import ZoneInfo

from openlatch.core.addresses import Near
from openlatch.core.hours import as_good_as_none, day_before, end_of
from openlatch.core.letting_in import offers as core
from openlatch.core.letting_in.offers import Part
from openlatch.core.letting_in.requests import Compared, Request, compare
from openlatch.core.limits import Taken
from openlatch.core.model import Account, Entry, Party, Provider, is_mailbox, made_here
from openlatch.core.orders.remarks import Remark
from openlatch.core.orders.remarks import remarks as worth_knowing
from openlatch.core.powers import in_order
from openlatch.core.record.ledger import canonical
from openlatch.core.rules.tasks import Choice, Fit
from openlatch.errors import Conflict, Invalid
from openlatch.operations.call import Call, operation
from openlatch.operations.people.doors import readable_address
from openlatch.operations.providers import choices
from openlatch.operations.providers.lookups import Finding, Findings, Lookup
from openlatch.operations.rules import circles, policies
from openlatch.wire.letting_in.offers import OfferPartWish, OfferWish
from openlatch.words import Kind, PartyKind, PartyStatus, RequestState, Severity

__all__ = [
    "PartSight",
    "Terms",
    "compared",
    "completed",
    "lookups",
    "refused",
    "terms",
]

_MOST_DAYS = 90
"""So long an offer can be answered at most."""


@dataclass(frozen=True, slots=True)
class PartSight:
    """A part of an offer with what it is about, and how it fits what it is for."""

    part: Part
    account: Account
    provider: Provider
    sentence: str
    fit: Fit | None = None


@dataclass(frozen=True, slots=True)
class Terms:
    """An offer before it is made: to whom exactly, what, and what is worth knowing.

    `ascii` is how the address is written on the wire, where that differs. `digest` differs whenever anything does.
    """

    address: str
    ascii: str
    name: str
    near: Near | None
    party: Party | None
    outside: bool
    parts: tuple[PartSight, ...]
    remarks: tuple[Remark, ...]
    starts_at: datetime | None
    lapses_at: datetime
    basis: str
    replaces: UUID | None = None
    request_id: UUID | None = None

    @property
    def stops(self) -> tuple[Remark, ...]:
        return tuple(remark for remark in self.remarks if remark.stops)

    @property
    def sentences(self) -> tuple[str, ...]:
        """What whoever makes it confirms: what is given, and what is grave about it."""
        return (
            *(part.sentence for part in self.parts),
            *(remark.text for remark in self.remarks if remark.severity.rank >= Severity.HIGH.rank),
        )

    @property
    def digest(self) -> str:
        said = {
            "to": self.address,
            "sentences": list(self.sentences),
            "remarks": [remark.text for remark in self.remarks],
        }
        return hashlib.sha256(canonical(said)).hexdigest()


# What is not said


def completed(call: Call, wish: OfferWish) -> OfferWish:
    """Return a wish in which what is not said is as was asked in its request, or as with the secret it replaces."""
    if wish.request:
        asked = call.tx.requests.find(wish.request)
        until = day_before(asked.ends_at, call.tx.workspace.zone) if asked.ends_at and not wish.endless else None
        said = {
            "to": wish.to or asked.address,
            "name": wish.name or asked.name,
            "basis": wish.basis or asked.reason,
            "until": wish.until or until,
            "parts": [_as_asked(part_wish, asked) for part_wish in wish.parts or [OfferPartWish()]],
        }
        wish = wish.model_copy(update=said)
    elif wish.replaces:
        secret = call.tx.entries.find(wish.replaces)
        account = str(secret.account.id)
        parts = [part_wish.model_copy(update={"account": part_wish.account or account}) for part_wish in wish.parts]
        reachable = next(filter(is_mailbox, secret.party.addresses), "")
        wish = wish.model_copy(update={"to": wish.to or reachable, "parts": parts or [OfferPartWish(account=account)]})
    if not all(part.account for part in wish.parts):
        raise _wrong("account", "the account is missing", "Name it.")
    return wish


def _as_asked(part: OfferPartWish, asked: Request) -> OfferPartWish:
    part = part.model_copy(update={"account": part.account or str(asked.account_id or asked.account)})
    if part.level or part.task or part.needs or part.permissions:
        return part
    return part.model_copy(update={"level": asked.level, "needs": [] if asked.level else list(asked.needs)})


# Terms


@operation("offers.look_up")
def lookups(call: Call, wish: OfferWish) -> list[Lookup]:
    """Return whom to ask about at which provider, before the terms are worked out."""
    the_lookups = {}
    wish = completed(call, wish)
    for part in wish.parts:
        account = call.tx.accounts.find(part.account)
        provider = call.tx.providers.get(account.provider_id)
        who = _who(wish, part)
        if provider.abilities.gives and not provider.by_hand and (provider.id, who) not in the_lookups:
            the_lookups[provider.id, who] = Lookup(provider.id, call.connect(provider), who)
    return list(the_lookups.values())


def _who(wish: OfferWish, part: OfferPartWish) -> str:
    """Under what a provider is to know someone."""
    return (part.handle or wish.to).strip()


def terms(call: Call, wish: OfferWish, findings: Findings, *, but: UUID | None = None) -> Terms:
    """Return the exact terms of an offer, with everything that is worth knowing before it is made.

    Refuses (Invalid) what makes no sense. What would pass a limit, or cannot be given, is a remark that stops it.
    `but` is an offer that these terms take the place of.
    """
    wish = completed(call, wish)
    if not wish.parts:
        raise _wrong("parts", "nothing is offered", "Name at least one account.")
    typed, handle = _addressed(call, wish)
    address, ascii_form = readable_address(typed, "to", "Nothing was offered.")
    party = _party(call, address, handle, wish, findings)
    told = next((finding.found.name for finding in findings.values() if finding.found.name), "")
    name = wish.name.strip() or (party.name if party else told) or address
    stranger = party or Party(call.services.new_id(), PartyKind.PERSON, name, (typed.strip(),))
    lapse = policies.current(call).policy.lapse
    met = circles.acquaint(call, call.tx.workspace.circle, [replace(stranger, addresses=(typed.strip(),))])
    seen = next(iter(met.values()))
    outside = not call.tx.workspace.circle.holds(stranger)
    near = Near(seen.near, seen.near_how or "") if seen.near else circles.resembled(call, typed, name)
    starts_at, until = _span(call, wish)
    lapses_at = _lapses(call, wish, lapse, until)
    remarks: list[Remark] = [*_about(stranger, address, near)]
    parts: list[PartSight] = []
    mine = {part.entry_id for part in call.tx.offers.find(str(but)).parts if part.entry_id} if but else set()
    who = Taken(str(stranger.id), name, outside)
    for wanted in wish.parts:
        sight, said = _part(
            call=call, wish=wish, wanted=wanted, who=who, starts_at=starts_at, until=until, findings=findings
        )
        parts.append(sight)
        remarks += [*said, *_limited(call, sight, who, starts_at, mine), *_already(call, sight, party, mine)]
    if len({(sight.account.id, sight.part.level, sight.part.resources) for sight in parts}) < len(parts):
        raise _wrong("parts", "the same is offered twice", "Leave one of the two out.")
    replaces = _secret(call, wish.replaces)
    request = call.tx.requests.find(wish.request) if wish.request else None
    if request is not None:
        remarks += _beside_request(call, request, wish, address, [sight.part for sight in parts], starts_at)
    every = {remark.text: remark for remark in remarks}.values()
    ordered = sorted(every, key=lambda remark: (not remark.stops, -remark.severity.rank))
    return Terms(
        address=address,
        ascii=ascii_form if ascii_form != address else "",
        name=name,
        near=near,
        party=party,
        outside=outside,
        parts=tuple(parts),
        remarks=tuple(ordered),
        starts_at=starts_at,
        lapses_at=lapses_at,
        basis=wish.basis.strip(),
        replaces=replaces,
        request_id=request.id if request is not None else None,
    )


def _addressed(call: Call, wish: OfferWish) -> tuple[str, str]:
    """Where the letter goes, as it was typed, and the handle, if whoever it is for was named by one."""
    to = wish.to.strip()
    if is_mailbox(to):
        return wish.write_to.strip() or to, ""
    party_id = call.tx.parties.of_address(to)
    party = call.tx.parties.some([party_id]).get(party_id) if party_id else None
    reachable = [address for address in party.addresses if is_mailbox(address)] if party else []
    if not wish.write_to.strip() and not reachable:
        raise _wrong(
            "write_to",
            f"no address of {to or 'nobody'} is known",
            "Give the address that the letter goes to; the handle stays as it is.",
        )
    return wish.write_to.strip() or reachable[0], to


def _party(call: Call, address: str, handle: str, wish: OfferWish, findings: Findings) -> Party | None:
    """Who it is, if they are known: by the address, by the handle, or as a provider knows them."""
    meant = call.tx.parties.of_address(address)
    several = call.tx.parties.carrying(address)
    if meant is None and several:
        names = ", ".join(sorted(f"{party.name} ({party.ref})" for party in call.tx.parties.some(several).values()))
        raise _wrong(
            "to",
            f"{address} is carried by {len(several)} parties: {names}. Whoever opens a letter there may be any of them",
            "Give an address that is one person's alone.",
        )
    some_id = meant or (call.tx.parties.of_address(handle) if handle else None)
    if some_id is None:
        for (provider_id, _), finding in findings.items():
            keys = call.tx.parties.keys_at(provider_id) if finding.found.key else {}
            some_id = some_id or (keys[finding.found.key][0] if finding.found.key in keys else None)
    party = call.tx.parties.some([some_id]).get(some_id) if some_id else None
    if party is not None and party.kind is not PartyKind.PERSON:
        raise _wrong("to", f"{party.name} is a {party.kind}, and only a person can take an offer up", "Name a person.")
    return party


def _span(call: Call, wish: OfferWish) -> tuple[datetime | None, datetime | None]:
    zone = call.tx.workspace.zone
    today = call.now.astimezone(ZoneInfo(zone)).date()
    if wish.starts is not None and wish.starts < today:
        raise _wrong(
            "starts", f"{wish.starts.isoformat()} is over already", "Leave it out to begin once it is accepted."
        )
    starts_at = None
    if wish.starts is not None and wish.starts > today:
        starts_at = end_of(wish.starts - timedelta(days=1), zone)
    return starts_at, _until(call, wish.until, starts_at)


def _until(call: Call, day: date | None, starts_at: datetime | None) -> datetime | None:
    if day is None:
        return None
    until = end_of(day, call.tx.workspace.zone)
    if until <= call.now:
        raise _wrong("until", f"{day.isoformat()} is over already", "Give a later last day.")
    if starts_at is not None and until <= starts_at:
        raise _wrong("until", f"{day.isoformat()} is before it begins", "Give a last day after the first.")
    if as_good_as_none(until, call.now):
        text = f"{day.isoformat()} is so far away that it is as good as no end"
        raise _wrong("until", text, "Give a nearer day; or say that it has no end.")
    return until


def _lapses(call: Call, wish: OfferWish, lapse: timedelta, until: datetime | None) -> datetime:
    if wish.lapse_hours is not None:
        if not 1 <= wish.lapse_hours <= _MOST_DAYS * 24:
            raise _wrong("lapse_hours", f"it is not between 1 and {_MOST_DAYS * 24}", "Give a number of hours.")
        lapse = timedelta(hours=wish.lapse_hours)
    return call.now + lapse if until is None else min(call.now + lapse, until)


def _secret(call: Call, text: str) -> UUID | None:
    if not text:
        return None
    entry = call.tx.entries.find(text).entry
    if entry.kind is not Kind.SECRET or not entry.stands:
        raise _wrong("replaces", f"{entry.ref} is not a secret that someone knows now", "Name the entry of one.")
    return entry.id


def _about(party: Party, address: str, near: Near | None) -> Iterable[Remark]:
    if near is not None:
        text = f"{address}: {near.how} {near.known}, which is known. It may be someone else's."
        yield Remark("near-miss", Severity.HIGH, text, "Compare it letter by letter; correct it if it is a slip.")
    if party.status is PartyStatus.LEFT:
        yield Remark("left", Severity.HIGH, f"{party.name} is known to have left.")


def compared(call: Call, request: Request, parts: Sequence[Part], starts_at: datetime | None) -> Compared:
    """Return how what is offered compares with what was asked for."""
    accounts = call.tx.accounts.some({part.account_id for part in parts})
    about = accounts.get(request.account_id) if request.account_id is not None else None
    about = about or next(iter(accounts.values()))
    levels = choices.levels_of(call, call.tx.providers.get(about.provider_id))
    places = {account_id: account.name for account_id, account in accounts.items()}
    return compare(request, levels, parts, starts_at, places)


def _beside_request(
    call: Call, request: Request, wish: OfferWish, address: str, parts: Sequence[Part], starts_at: datetime | None
) -> Iterable[Remark]:
    """How what is offered compares with what was asked for."""
    if request.state not in (RequestState.WAITING, RequestState.OFFERED):
        yield Remark("request-over", Severity.HIGH, f"That request is {request.state}.", "Leave it out.", stops=True)
    if address != request.address:
        text = f"{request.name} asked with another address: {request.address}."
        yield Remark("other-address", Severity.HIGH, text, "See that it is the same person.")
    comparison = compared(call, request, parts, starts_at)
    if comparison.less:
        why = "" if wish.answer.strip() else "Give a reason: they read it with the offer."
        yield Remark("less", Severity.LOW, comparison.less_than(request.name), why)
    if comparison.more:
        yield Remark("more", Severity.MEDIUM, comparison.more_than(request.name))


def _part(
    call: Call,
    wish: OfferWish,
    wanted: OfferPartWish,
    who: Taken,
    starts_at: datetime | None,
    until: datetime | None,
    findings: Findings,
) -> tuple[PartSight, list[Remark]]:
    name = who.name
    account = call.tx.accounts.find(wanted.account)
    provider = call.tx.providers.get(account.provider_id)
    needs = choices.needed(call, wanted.task, tuple(wanted.needs))
    found = choices.narrowest(call, provider, needs) if needs else None
    chosen = _chosen(call, provider, wanted, found)
    choices.known_parts(account, provider, choices.parts_of(call, account), wanted.resources)
    ends_at = _until(call, wanted.until, starts_at) or until
    if ends_at is None and not wish.endless:
        raise _wrong(
            "until", f"it is not said when {name}'s access ends", "Give a last day; or say that it has no end."
        )
    hours = choices.hours_of(call, wanted.hours)
    able = provider.abilities
    grants = Kind.GRANT in able.gives or not able.gives
    kind = Kind.GRANT if (ends_at is not None or hours is not None) and grants else Kind.DELEGATE
    levels = choices.levels_of(call, provider)
    later: tuple[core.Stage, ...] = ()
    if wanted.power_until:
        ends = {power: _until(call, day, starts_at) for power, day in wanted.power_until.items()}
        extra = in_order(set(ends) - set(chosen.powers))
        if extra:
            raise _wrong("power_until", f"{', '.join(extra)} is not offered", "Give ends only to what is offered.")
        late = [power for power, at in ends.items() if at is not None and ends_at is not None and at > ends_at]
        if late:
            text = f"{', '.join(in_order(late))} would end after all of it has ended"
            raise _wrong("power_until", text, "Give single powers a day before the last one of all.")
        later = core.stages({p: at for p, at in ends.items() if at is not None}, chosen, ends_at, levels)
    finding = findings.get((provider.id, _who(wish, wanted)), Finding())
    key = finding.found.key or _who(wish, wanted)
    part = Part(
        id=call.services.new_id(),
        account_id=account.id,
        kind=kind,
        level=chosen.level,
        permissions=chosen.permissions,
        resources=tuple(sorted(wanted.resources)),
        powers=chosen.powers,
        ends_at=ends_at,
        hours=hours,
        key=key,
        later=later,
    )
    said = core.sentence(name, account.name, part, starts_at, call.tx.workspace.zone)
    remarks = [*_hindrances(provider, finding, name), *_unable(provider, part)]
    remarks += worth_knowing(
        name=name, where=account.name, outside=who.outside, powers=part.powers, beyond=chosen.beyond, ends_at=ends_at
    )
    return PartSight(part, account, provider, said, found), remarks


def _chosen(call: Call, provider: Provider, wanted: OfferPartWish, found: Fit | None) -> Choice:
    """What was chosen: a level, permissions, or else the narrowest for what it is for."""
    needs = set(found.needs) if found is not None else set()
    levels = choices.levels_of(call, provider)
    if wanted.level:
        if wanted.level not in levels and provider.by_hand and needs:
            return Choice(wanted.level, (), in_order(needs), ())
        if wanted.level not in levels:
            raise _wrong(
                "level",
                f"{provider.name} has no level “{wanted.level}”, as far as is known",
                f"Choose one of: {', '.join(sorted(levels)) or 'none is known; say which powers it gives'}.",
            )
        gives = levels[wanted.level]
        return Choice(wanted.level, (), in_order(gives), in_order(set(gives) - needs) if needs else ())
    if wanted.permissions:
        able = choices.permissions_of(call, provider)
        unknown = [word for word in wanted.permissions if word not in able]
        if unknown:
            known_words = ", ".join(able) or "none there can"
            raise _wrong(
                "permissions", f"“{unknown[0]}” cannot be given on its own there", f"Choose from: {known_words}."
            )
        words = tuple(word for word in able if word in wanted.permissions)
        gives = in_order(power for word in words for power in able[word])
        if not provider.abilities.single:
            return Choice("".join(words), (), gives, in_order(set(gives) - needs) if needs else ())
        return Choice(provider.abilities.single, words, gives, in_order(set(gives) - needs) if needs else ())
    if found is None:
        raise _wrong(
            "level", f"it is not said what is offered at {provider.name}", "Give a level, permissions or a task."
        )
    if not found.choices:
        if provider.by_hand:
            raise _wrong("level", f"no level of {provider.name} is known that covers it", "Name the level yourself.")
        raise _wrong("task", found.text.rstrip("."), "Choose another task, or name a level.")
    return found.choices[0]


def _limited(
    call: Call, sight: PartSight, who: Taken, starts_at: datetime | None, mine: Collection[UUID]
) -> Iterable[Remark]:
    """The limits that would be passed."""
    for broken_link in choices.passed(
        call=call,
        account=sight.account,
        provider=sight.provider,
        who=who,
        part=sight.part,
        starts_at=starts_at,
        but=mine,
    ):
        yield Remark(broken_link.limit, Severity.HIGH, broken_link.text, broken_link.next_step, stops=True)


def _hindrances(provider: Provider, finding: Finding, name: str) -> Iterable[Remark]:
    if finding.trouble:
        text = f"{provider.name} could not be asked about {name}: {finding.trouble}"
        yield Remark(
            "not-asked", Severity.MEDIUM, text, "It can be offered all the same; it may turn out to be impossible."
        )
    for hindrance in finding.found.hindrances:
        yield Remark(
            hindrance.kind, Severity.HIGH, f"{provider.name} cannot let {name} in yet. {hindrance.text}", stops=True
        )


def _unable(provider: Provider, part: Part) -> Iterable[Remark]:
    """What the provider cannot do of it from here."""
    able = provider.abilities
    gives = part.kind in able.gives and not provider.by_hand
    if not gives:
        text = (
            f"Open Latch cannot give this at {provider.name} itself; once the offer is accepted, someone is asked to "
            "do it there."
        )
        yield Remark("by-a-person", Severity.LOW, text)
    if gives and part.hours is not None and part.kind not in able.gives_hours:
        text = f"{provider.name} has no weekly hours: the access would be valid at any time."
        yield Remark("hours", Severity.HIGH, text, "Leave the hours out, or give it another end.", stops=True)
    if gives and part.ends_at is not None and part.kind not in able.gives_until:
        text = f"{provider.name} keeps no end itself: it is ended from here when the day is over."
        yield Remark("ended-from-here", Severity.LOW, text)


def _already(call: Call, sight: PartSight, party: Party | None, mine: Collection[UUID]) -> Iterable[Remark]:
    """What someone has on the account already, or was offered."""
    if party is None:
        return
    theirs: Sequence[Entry] = [
        entry
        for entry in call.tx.entries.held_by([party.id])
        if entry.account_id == sight.account.id
        and entry.kind in (Kind.DELEGATE, Kind.GRANT, Kind.OFFER)
        and entry.id not in mine
    ]
    offered = [entry for entry in theirs if made_here(entry)]
    if offered:
        text = f"{party.name} holds an offer of {sight.account.name} already, and has not answered it."
        yield Remark("offered-already", Severity.HIGH, text, "Correct that one, or withdraw it.", stops=True)
    for entry in theirs:
        if entry in offered or entry.kind is Kind.OFFER:
            continue
        has = f"{party.name} has “{entry.level}” on {sight.account.name} already"
        if sight.provider.abilities.one_each and not sight.provider.by_hand:
            text = f"{has}, and {sight.provider.name} keeps one access for each party: a second one would not be kept."
            then = f"Extend it: openlatch entry extend {entry.ref}"
            yield Remark("has-already", Severity.HIGH, text, then, stops=True)
        else:
            yield Remark("has-already", Severity.MEDIUM, f"{has}; that stays beside what is offered.")


def _wrong(at: str, problem: str, next_step: str) -> Invalid:
    return Invalid(
        f"{problem[:1].upper()}{problem[1:]}. Nothing was offered.",
        next_step=next_step,
        errors=[{"at": at, "problem": problem}],
    )


def refused(the_terms: Terms) -> Conflict | None:
    """Return the error for terms that something stops."""
    if not the_terms.stops:
        return None
    first = the_terms.stops[0]
    return Conflict(
        f"{first.text} Nothing was offered.",
        next_step=first.next_step or "See to that first, then offer it.",
        stops=[stop.text for stop in the_terms.stops],
    )
