"""Giving back what has ended, as it was."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime

from openlatch.core.hours import last_day
from openlatch.core.model import Entry
from openlatch.core.orders.acts.act import Act, Around, able, looked_at
from openlatch.core.orders.impact import Situation, gives_back
from openlatch.core.orders.steps import Ask, Extent, Plan, Step, had_step, key_of, known_as, read_step, receipt_step
from openlatch.core.providers.ports import Gift
from openlatch.errors import Conflict, Invalid
from openlatch.words import Action, Kind

__all__ = ["GIVE_BACK"]


def _possible(entry: Entry, around: Around) -> bool | None:
    able = not entry.stands and not entry.in_doubt and not entry.by_hand and entry.hours is None
    return True if able and entry.kind in around.abilities.gives else None


def _give_back(s: Situation, ask: Ask, now: datetime, held: Extent | None) -> Plan:
    looked_at(s)
    entry = s.entry
    if held is not None and not entry.stands:
        # What an order reduced before it removed it is given back as it was before.
        powers = entry.powers if held.level == entry.level else s.levels.get(held.level, entry.powers)
        before = {name: getattr(held, name) for name in ("level", "permissions", "resources", "hours", "ends_at")}
        entry = replace(entry, powers=powers, **before)
        s = replace(s, entry=entry)
    if entry.stands:
        raise Conflict(
            f"{s.party.name} has this access to {s.account.name} now. Nothing was changed.",
            next_step="There is nothing to give back.",
            entry=entry.ref,
        )
    again = [n for n in s.standing if _same_access(n, entry)]
    if again:
        raise Conflict(
            f"{s.party.name} has “{entry.level}” on {s.account.name} again already. Nothing was changed.",
            next_step=f"Look at it: openlatch show {again[0].ref}",
            entry=again[0].ref,
        )
    if entry.hours is not None:
        raise Conflict(
            "It held in some hours of the week only, and cannot be given again with these from here.",
            next_step=f"Let {s.party.name} in again at {s.provider} itself; the next reading shows it.",
            entry=entry.ref,
        )
    otherwise = f"Give access again at {s.provider} itself, or record it again."
    able(s, s.entry.kind, s.abilities.gives, "be given from here", otherwise)
    until = ask.until or entry.ends_at
    if until is not None and until <= now:
        raise Invalid(
            f"Its last day, {last_day(until, s.zone)}, is over. Nothing was changed.",
            next_step="Give a new last day for it.",
            errors=[{"at": "until", "problem": "over already"}],
        )
    kind = Kind.GRANT if until is not None and entry.kind is Kind.DELEGATE else entry.kind
    gift = Gift(s.account.key, kind, entry.level, entry.permissions, entry.resources, until, again=entry.key)
    text = f"Ask {s.provider} to give {known_as(s, entry)} “{entry.level}” again."
    key, read = key_of(s, entry), read_step(s, entry, f"see that {s.party.name} has it")
    steps = (had_step(s, key, s.party.name), Step("give", text, party=key, gift=gift), read, receipt_step())
    return Plan(ask.action.value, entry.ref, known_as(s, entry), gives_back(s, until), steps)


def _same_access(entry: Entry, other: Entry) -> bool:
    mine = (entry.party_id, entry.account_id, entry.kind, entry.level, set(entry.resources))
    return mine == (other.party_id, other.account_id, other.kind, other.level, set(other.resources))


GIVE_BACK = Act(Action.GIVE_BACK, _possible, _give_back, lambda h: f"Your access to {h.where} is there again")
