"""The inventory as people look at it. A member reaches their own entries only."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from datetime import timedelta
from enum import StrEnum
from typing import TypeVar
from uuid import UUID

from openlatch.core.model import Entry
from openlatch.core.orders.acts import Around, Possible, possible
from openlatch.core.orders.orders import Order
from openlatch.core.rules.advise import Advice
from openlatch.core.rules.risk import Line
from openlatch.errors import Invalid, NotAllowed
from openlatch.operations.call import Call, operation
from openlatch.operations.people.sight import own_party, within_sight
from openlatch.operations.rules import flags as flags_of
from openlatch.operations.rules import policies
from openlatch.operations.rules.advice import advice, known_levels
from openlatch.operations.rules.flags import FlagSight
from openlatch.operations.rules.risks import risk_lines
from openlatch.store.inventory.entries import EntryFilter, Listed
from openlatch.store.inventory.tallies import Summary
from openlatch.store.pages import Page, every
from openlatch.wire.inventory.entries import EntryFilter as Wanted
from openlatch.words import Action, Kind, Power, Severity, State

__all__ = [
    "STANDING",
    "Sight",
    "browse",
    "export",
    "flags_on",
    "selection",
    "show",
    "sight",
    "summary",
    "words",
]

Word = TypeVar("Word", bound=StrEnum)
STANDING = tuple(state for state in State if state is not State.ENDED)


@dataclass(frozen=True, slots=True)
class Sight:
    """An entry with what a person sees beside it: its standing flags, and the latest order on it."""

    listed: Listed
    flags: tuple[FlagSight, ...]
    order: Order | None = None
    used: tuple[Power, ...] | None = None
    """the powers that were used within the limit for unused access; None where the provider does not tell"""
    worn_off: bool = False
    """whether it is recorded by hand, and nobody has vouched for it lately"""
    advice: Advice | None = None
    lines: tuple[Line, ...] = ()
    """what its risk is made of"""
    acts: tuple[Possible, ...] = ()
    """what can be ordered about it; of one entry by itself"""


def sight(call: Call, listed: Listed, flags: tuple[FlagSight, ...] = (), order: Order | None = None) -> Sight:
    """Return an entry with what a person sees beside it now."""
    worn_off = listed.entry.worn_off(listed.provider, call.now)
    return Sight(listed, flags, order, _used_lately(call, listed.entry), worn_off)


def _used_lately(call: Call, entry: Entry) -> tuple[Power, ...] | None:
    """Return the powers of an entry that were used within the holder's limit."""
    return entry.used_since(call.now - timedelta(days=call.tx.workspace.unused_days))


@operation("entries.browse")
def browse(call: Call, wanted: Wanted, sort: str, limit: int, cursor: str | None) -> Page[Sight]:
    """A page of the inventory."""
    return _page(call, wanted, sort, limit, cursor)


def _page(call: Call, wanted: Wanted, sort: str, limit: int, cursor: str | None) -> Page[Sight]:
    return _chosen(call, selection(call, wanted), sort, limit, cursor)


def _chosen(call: Call, chosen: EntryFilter, sort: str, limit: int, cursor: str | None) -> Page[Sight]:
    page = call.tx.entries.browse(chosen, sort=sort, limit=limit, cursor=cursor)
    flags = flags_on(call, page.items)
    return Page(tuple(sight(call, item, flags[item.entry.id]) for item in page.items), page.next)


def flags_on(call: Call, entries: Iterable[Listed]) -> dict[UUID, tuple[FlagSight, ...]]:
    """Return the standing flags on each of these entries and on its party: the worst first, accepted ones last.

    A member sees those alone of which the rule says that its party does.
    """
    every = list(entries)
    member = within_sight(call) is not None
    known = {listed_entry.entry.id: listed_entry for listed_entry in every}
    ids = known.keys() | {listed_entry.party.id for listed_entry in every}
    on: dict[UUID, list[FlagSight]] = {}
    for flag in flags_of.sights(call, call.tx.flags.standing(ids), known):
        if not member or (flag.rule is not None and flag.rule.party_sees):
            on.setdefault(flag.flag.subject_id, []).append(flag)
    return {
        listed_entry.entry.id: tuple(
            sorted(
                (*on.get(listed_entry.entry.id, ()), *on.get(listed_entry.party.id, ())),
                key=lambda flag: (flag.accepted, -flag.flag.severity.rank, flag.flag.rule),
            )
        )
        for listed_entry in every
    }


@operation("entries.export")
def export(call: Call, wanted: Wanted, sort: str) -> Iterator[Sight]:
    """Every entry that a filter leaves, page by page, for whoever writes them down; what cannot be asked is refused
    before the first.
    """
    chosen = selection(call, wanted)
    return every(lambda size, cursor: _chosen(call, chosen, sort, size, cursor))


@operation("entries.summary")
def summary(call: Call, wanted: Wanted) -> Summary:
    """How many entries a filter leaves, and how many of them have a flag."""
    chosen = selection(call, wanted)
    if chosen == EntryFilter(states=STANDING):
        return call.tx.tallies.standing()
    the_summary = call.tx.entries.summary(chosen)
    if within_sight(call) is None:
        return the_summary
    flags = [each_sight.flags for each_sight in export(call, wanted, "party")]
    severe = sum(any(flag.flag.severity.rank >= Severity.HIGH.rank for flag in each) for each in flags)
    return replace(the_summary, flagged=sum(bool(each) for each in flags), severe=severe)


@operation("entries.show")
def show(call: Call, text: str) -> Sight:
    """One entry, by id or short form, with its flags and its latest order."""
    listed = call.tx.entries.find(text, within_sight(call))
    flags, order = flags_on(call, [listed])[listed.entry.id], call.tx.orders.latest_for(listed.entry.id)
    seen = sight(call, listed, flags, order)
    if within_sight(call) is not None:
        return seen
    acts = possible(listed.entry, _around(call, listed))
    less = any(act.action is Action.NARROW for act in acts)
    advised = advice(call, listed)
    # A level that nobody could be narrowed to is no advice.
    advised = advised if advised is None or less or not advised.level else None
    return replace(seen, advice=advised, lines=risk_lines(call, listed), acts=acts)


def _around(call: Call, listed: Listed) -> Around:
    entry = listed.entry
    theirs = call.tx.entries.held_by([entry.party_id], [entry.account_id])
    sessions = any(entry.kind is Kind.SESSION for entry in theirs)
    levels = known_levels(call, listed.provider, entry.kind)
    parts = call.tx.accounts.parts(entry.account_id)
    return Around(listed.party.kind, listed.provider.abilities, levels, parts, sessions)


def selection(call: Call, wanted: Wanted) -> EntryFilter:
    """Return what a person asked the inventory for, as the store takes it; a member sees their own only."""
    policies.checked_rule(call, wanted.rule)
    if within_sight(call) is not None and (wanted.flagged is not None or wanted.rule or wanted.risk):
        raise NotAllowed(
            "As member you do not see what the holder's rules say of access, and cannot choose by that.",
            next_step="Leave out flagged, rule and risk; what you may see is shown with each entry.",
        )
    plain = EntryFilter(
        q=wanted.q,
        states=STANDING if wanted.state == "standing" else words(State, wanted.state, "state"),
        kinds=words(Kind, wanted.kind, "kind"),
        powers=words(Power, wanted.power, "power"),
        flagged=wanted.flagged,
        rule=wanted.rule,
        outside=wanted.outside,
        unknown=wanted.unknown,
        ends=wanted.ends,
        risk=wanted.risk,
        own_party=own_party(call) if wanted.mine else within_sight(call),
    )
    return replace(
        plain,
        provider_id=call.tx.providers.find(wanted.provider).id if wanted.provider else None,
        account_id=call.tx.accounts.find(wanted.account, ever=True).id if wanted.account else None,
        party_id=call.tx.parties.find(wanted.party).id if wanted.party else None,
    )


def words(of: type[Word], text: str, field: str) -> tuple[Word, ...]:
    """Return the words of a comma-separated field, or raise Invalid naming the one that is not known."""
    said = [word.strip() for word in text.split(",") if word.strip()]
    known = {member.value for member in of}
    for word in said:
        if word not in known:
            raise Invalid(
                f"“{word}” is not a {field}.",
                next_step=f"Use one or more of: {', '.join(member.value for member in of)}.",
                errors=[{"at": field, "problem": f"“{word}” is not known"}],
            )
    return tuple(of(word) for word in said)
