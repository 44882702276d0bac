"""Handing an account over to someone else: agreed to by whoever owns it, then carried out, then seen."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from datetime import datetime

from openlatch.core.model import Entry
from openlatch.core.orders.acts.act import GIVEN, Act, Around, standing
from openlatch.core.orders.impact import Consequence, Situation
from openlatch.core.orders.steps import (
    Ask,
    Extent,
    Plan,
    Step,
    WayOut,
    asked,
    changed,
    key_of,
    known_as,
    read_step,
    receipt_step,
)
from openlatch.core.powers import in_order
from openlatch.core.providers.ports import Change
from openlatch.errors import Conflict, Invalid
from openlatch.words import Action, Kind, PartyKind, PartyStatus, Power, Severity

__all__ = ["HAND_OVER"]


def _hand_over(s: Situation, ask: Ask, now: datetime, held: Extent | None) -> Plan:
    """Plan that the account of an entry that owns it goes to the party of another entry on it.

    Without that other entry, `stop` says so and the plan lists who it could be: people who are confirmed and are there.
    Whoever owns it has to agree, so that without an address at which they can be asked it is stopped as well.
    """
    standing(s)
    entry = s.entry
    if entry.by_hand or Power.OWN not in entry.powers:
        why = "is recorded by hand" if entry.by_hand else f"does not let {s.party.name} hand {s.account.name} over"
        raise Conflict(
            f"This access {why}. Nothing was changed.",
            next_step="Choose the access of whoever owns the account, or hand it over at the provider itself.",
            entry=entry.ref,
        )
    able = [entry for entry in s.standing if _can_follow(s, entry)]
    if not s.asked_at:
        stop = f"{s.party.name} has to agree to it, and they have no confirmed address at which they could be asked."
        return Plan(ask.action.value, entry.ref, known_as(s, entry), (), (), stop)
    if ask.successor is None:
        offered = tuple(WayOut(entry.ref, s.holder(entry).name, entry.level) for entry in able)
        stop = "Name who takes it over: someone who is confirmed, and has access to it already."
        return Plan(ask.action.value, entry.ref, known_as(s, entry), (), (), stop=stop, ways_out=offered)
    owner = next(
        (
            each_entry
            for each_entry in (entry, *s.standing)
            if each_entry.id == ask.successor and Power.OWN in each_entry.powers
        ),
        None,
    )
    if owner is not None and owner.account_id == s.account.id:
        raise Invalid(
            f"{s.holder(owner).name} owns {s.account.name} already. Nothing was changed.",
            next_step="Choose someone who does not; the plan without a name lists them.",
            errors=[{"at": "successor", "problem": "owns it already"}],
        )
    to = next((entry for entry in able if entry.id == ask.successor), None)
    if to is None:
        raise Invalid(
            f"{s.account.name} can be handed over only to a person who is confirmed, is there, and has access to it. "
            "Nothing was changed.",
            next_step="Choose one of those that the plan offers without one.",
            errors=[{"at": "successor", "problem": "cannot follow"}],
        )
    steps = (_agreed(s, to), *_raised(s, to), *_lowered(s), receipt_step())
    return Plan(ask.action.value, entry.ref, known_as(s, entry), _happens(s, to), steps)


def _can_follow(s: Situation, entry: Entry) -> bool:
    party = s.holder(entry)
    return (
        entry.account_id == s.account.id
        and entry.party_id != s.party.id
        and entry.kind in (Kind.DELEGATE, Kind.GRANT)
        and not entry.by_hand
        and Power.OWN not in entry.powers
        and party.kind is PartyKind.PERSON
        and party.verified
        and party.status is not PartyStatus.LEFT
    )


def _agreed(s: Situation, to: Entry) -> Step:
    who = s.holder(to).name
    text = f"Have {s.party.name} agree, by a link in a letter to {s.asked_at}, that {s.account.name} goes to {who}."
    return Step("consent", text, party=key_of(s, s.entry))


def _raised(s: Situation, to: Entry) -> tuple[Step, ...]:
    who, change = s.holder(to).name, Change(level=s.entry.level, wider=True)
    if to.kind in s.abilities.raises:
        step = changed(s, to, change, f"Make {who} “{s.entry.level}”.")
    else:
        text = f"Have {who} made “{s.entry.level}” of {s.account.name} at {s.provider} itself, and say that it is done."
        step = asked(s, to, text, change)
    return step, read_step(s, to, f"see that {who} has it")


def _lowered(s: Situation) -> tuple[Step, ...]:
    """Whoever had it keeps the most that does not own it, where the provider knows such a level."""
    level = _below_owning(s.entry.powers, s.levels)
    if not level:
        return ()
    change, seen = Change(level=level), read_step(s, s.entry, "see that it is so")
    if s.entry.kind in s.abilities.narrows:
        return changed(s, s.entry, change, f"Narrow {s.party.name} to “{level}”."), seen
    text = f"Have {s.party.name} narrowed to “{level}” at {s.provider} itself, and say that it is done."
    return asked(s, s.entry, text, change), seen


def _below_owning(powers: Collection[Power], levels: Mapping[str, Sequence[Power]]) -> str:
    """Return the level that keeps most of some powers without owning, of what is known; empty if nothing is."""
    left = set(powers) - {Power.OWN}
    less = [(len(gives), name) for name, gives in levels.items() if gives and set(gives) <= left]
    return max(less)[1] if less else ""


def _happens(s: Situation, to: Entry) -> tuple[Consequence, ...]:
    who, has = s.holder(to).name, ", ".join(in_order(s.entry.powers))
    level = _below_owning(s.entry.powers, s.levels)
    if level:
        keeps = f"keeps “{level}” ({', '.join(in_order(s.levels[level]))})"
    else:
        keeps = f"keeps “{s.entry.level}” as well: no level of {s.provider} is known that gives less and does not own"
    return (
        Consequence("owns", Severity.CRITICAL, f"{who} owns {s.account.name} from then on: {has}."),
        Consequence("undone-by", Severity.HIGH, f"Only {who} can hand it back."),
        Consequence("keeps", Severity.LOW if level else Severity.MEDIUM, f"{s.party.name} {keeps}."),
    )


def _possible(entry: Entry, around: Around) -> bool | None:
    if not entry.stands or entry.by_hand or Power.OWN not in entry.powers or entry.kind not in GIVEN:
        return None
    # Whoever follows may have either kind of access, and is raised first.
    raised = set(GIVEN) <= around.abilities.raises
    narrows = entry.kind in around.abilities.narrows
    return raised and (narrows or not _below_owning(entry.powers, around.levels))


HAND_OVER = Act(Action.HAND_OVER, _possible, _hand_over, lambda h: f"{h.where} has gone to someone else, as you agreed")
