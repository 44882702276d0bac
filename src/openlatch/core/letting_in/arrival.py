"""Letting someone in who took an offer up: the steps that do it, found from what the provider can do."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime

from openlatch.core.hours import day_in
from openlatch.core.letting_in.offers import Part
from openlatch.core.orders.impact import Consequence, Situation
from openlatch.core.orders.steps import Plan, Step, had_step, key_of, known_as, read_step, receipt_step
from openlatch.core.providers.ports import Gift
from openlatch.words import Action, Severity

__all__ = ["let_in"]


def let_in(s: Situation, part: Part, starts_at: datetime | None, now: datetime, zone: str) -> Plan:
    """Plan that the party of an offered entry is given it; what the provider cannot give, a person is asked to.

    An end that the provider does not keep with what it gives is left out of the gift: whoever carries the plan out has
    to see to it.
    """
    entry, who = s.entry, s.party.name
    able = part.kind in s.abilities.gives and not s.by_hand
    keeps = not able or part.kind in s.abilities.gives_until
    gift = Gift(
        s.account.key,
        part.kind,
        part.level,
        part.permissions,
        part.resources,
        part.ends_at if keeps else None,
        hours=part.hours,
    )
    steps: list[Step] = []
    if starts_at is not None and starts_at > now:
        steps.append(Step("wait", f"Wait until it begins, on {day_in(starts_at, zone)}.", until=starts_at))
    key = part.key or key_of(s, entry)
    if not s.by_hand:
        steps.append(had_step(s, key, who))
    if able:
        text = f"Ask {s.provider} to give {who} “{part.level}”."
        steps.append(Step("give", text, party=key, gift=gift))
    else:
        text = f"Have {who} given “{part.level}” of {s.account.name} at {s.provider} itself, and say that it is done."
        steps.append(Step("ask", text, party=key, gift=None if s.by_hand else gift))
    if not s.by_hand:
        steps.append(replace(read_step(s, entry, f"see that {who} has it"), party=key))
    happens = Consequence("effect", Severity.LOW, f"{who} has “{part.level}” on {s.account.name}.")
    return Plan(Action.LET_IN.value, entry.ref, known_as(s, entry), (happens,), (*steps, receipt_step()))
