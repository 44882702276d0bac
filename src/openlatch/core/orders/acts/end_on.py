"""Giving access a last day."""

from __future__ import annotations

from datetime import datetime

from openlatch.core.hours import last_day
from openlatch.core.model import Entry
from openlatch.core.orders.acts.act import ACCESS, Act, Around, Happened, Made, lessened, named_there, proof
from openlatch.core.orders.acts.end import ending, ends_here, team_keeps
from openlatch.core.orders.impact import Situation
from openlatch.core.orders.steps import Ask, Step, changed
from openlatch.core.powers import in_order
from openlatch.core.providers.ports import Change
from openlatch.errors import Invalid
from openlatch.words import Action, EndReason

__all__ = ["END_ON"]


def _possible(entry: Entry, around: Around) -> bool | None:
    if not entry.stands or entry.kind not in ACCESS:
        return None
    dates = not entry.by_hand and entry.kind in around.abilities.dates
    if team_keeps(entry, around):
        return True if entry.kind in around.abilities.dates else None
    return ends_here(entry, around) or dates


def _end_on(s: Situation, ask: Ask, now: datetime) -> Made:
    entry, until = s.entry, ask.until
    if until is None:
        raise Invalid(
            "A last day is needed. Nothing was changed.",
            next_step="Give a day, such as 2027-03-31: it ends with that day.",
            errors=[{"at": "until", "problem": "missing"}],
        )
    if until <= now or (entry.given_at is not None and until <= entry.given_at):
        what = "before it began" if entry.given_at is not None and until <= entry.given_at else "over already"
        raise Invalid(
            f"That last day is {what}. Nothing was changed.",
            next_step="Give a later day, or end it now.",
            errors=[{"at": "until", "problem": what}],
        )
    if entry.ends_at is not None and until >= entry.ends_at:
        raise Invalid(
            f"It ends before that already, with {last_day(entry.ends_at, s.zone)}. Nothing was changed.",
            next_step=f"Give an earlier day; for longer: openlatch entry extend {entry.ref} --until DAY",
            errors=[{"at": "until", "problem": "later than its end"}],
        )
    if entry.kind in s.abilities.dates and not entry.by_hand:
        text = f"Ask {s.provider} to end {named_there(s, entry)} with {last_day(until, s.zone)}."
        return (changed(s, entry, Change(ends_at=until), text), *proof(s)), in_order(entry.powers)
    steps, taken = ending(s, ask, now)
    wait = Step("wait", f"Wait until {last_day(until, s.zone)} is over; {s.provider} keeps no end itself.", until=until)
    return (wait, *steps), taken


def _when(s: Situation, ask: Ask) -> str:
    if ask.until is None:
        return ""
    return f"It is valid through the end of {last_day(ask.until, s.zone)}, and ends then"


def _told(happened: Happened) -> str:
    if happened.last_day:
        return f"Your access to {happened.where} ends with {happened.last_day}"
    return f"Your access to {happened.where} has ended"


END_ON = Act(
    Action.END_ON, _possible, lessened(_end_on, ends=True, dated=True, effect=_when), _told, why_ended=EndReason.EXPIRED
)
