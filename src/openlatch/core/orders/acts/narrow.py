"""Narrowing access: to a level that gives less, or to some of its parts."""

from __future__ import annotations

from datetime import datetime

from openlatch.core.model import Entry
from openlatch.core.orders.acts.act import ACCESS, Act, Around, Made, lessened, named_there, proof
from openlatch.core.orders.impact import Situation, lost
from openlatch.core.orders.steps import Ask, asked, changed
from openlatch.core.powers import in_order
from openlatch.core.providers.ports import Change
from openlatch.errors import Invalid
from openlatch.words import Action, Power

__all__ = ["NARROW"]


def _possible(entry: Entry, around: Around) -> bool | None:
    if not entry.stands or entry.kind not in ACCESS or not _less(entry, around):
        return None
    return not entry.by_hand and entry.kind in around.abilities.narrows


def _less(entry: Entry, around: Around) -> bool:
    """Whether there is anything less to give: a level, or fewer of the parts."""
    has = set(entry.powers)
    levels = any(gives and set(gives) < has and name != entry.level for name, gives in around.levels.items())
    return levels or len(entry.resources) > 1 or (not entry.resources and bool(around.parts))


def _narrow(s: Situation, ask: Ask, now: datetime) -> Made:
    entry = s.entry
    change = Change(level=ask.level, resources=_kept(s, ask.resources))
    powers = _powers_of(s, ask.level) if ask.level and ask.level != entry.level else entry.powers
    if not set(powers) <= set(entry.powers):
        more = ", ".join(in_order(set(powers) - set(entry.powers)))
        raise Invalid(
            f"“{ask.level}” gives more than {s.party.name} has now: {more}. Nothing was changed.",
            next_step=f"Choose a level that gives less; to give more: openlatch entry extend {entry.ref} --level LEVEL",
            errors=[{"at": "level", "problem": "gives more than there is now"}],
        )
    if ask.level in ("", entry.level) and change.resources is None:
        raise Invalid(
            "A level that gives less is needed, or fewer parts. Nothing was changed.",
            next_step=f"Levels of {s.provider}: {_named(s) or 'none is known'}.",
            errors=[{"at": "level", "problem": "changes nothing"}],
        )
    to = [f"“{ask.level}”"] if change.level else []
    to += [", ".join(change.resources)] if change.resources else []
    text = f"Ask {s.provider} to narrow {named_there(s, entry)} to {' on '.join(to)}."
    if entry.by_hand or entry.kind not in s.abilities.narrows:
        text = (
            f"Have {named_there(s, entry)} narrowed to {' on '.join(to)} at {s.provider} itself, "
            "and say here that it is done."
        )
        return (asked(s, entry, text, change), *proof(s, not entry.by_hand)), lost(entry, powers)
    return (changed(s, entry, change, text), *proof(s)), lost(entry, powers)


def _kept(s: Situation, resources: tuple[str, ...] | None) -> tuple[str, ...] | None:
    if resources is None:
        return None
    unknown = set(resources) - set(s.entry.resources) if s.entry.resources else set()
    if unknown or not resources or (s.entry.resources and set(resources) == set(s.entry.resources)):
        listed = ", ".join(s.entry.resources) or "the whole account"
        raise Invalid(
            "Those are not fewer parts than it has now. Nothing was changed.",
            next_step=f"It is on {listed}: name those that are to be left.",
            errors=[{"at": "resources", "problem": "not fewer than now"}],
        )
    return tuple(sorted(resources))


def _powers_of(s: Situation, level: str) -> tuple[Power, ...]:
    if level not in s.levels:
        raise Invalid(
            f"{s.provider} has no level “{level}”, as far as is known. Nothing was changed.",
            next_step=f"Choose one of: {_named(s) or 'none is known'}.",
            errors=[{"at": "level", "problem": "not known"}],
        )
    return s.levels[level]


def _named(s: Situation) -> str:
    return ", ".join(sorted(name for name, gives in s.levels.items() if set(gives) < set(s.entry.powers)))


def _undone(s: Situation, ask: Ask) -> str:
    a, kind = s.abilities, s.entry.kind
    able = (not ask.level or kind in a.raises) and (ask.resources is None or kind in a.widens)
    if able and not s.entry.by_hand:
        return "you can extend it again at any time"
    return f"it can be widened again at {s.provider} itself only"


NARROW = Act(
    Action.NARROW,
    _possible,
    lessened(_narrow, undo=_undone),
    lambda h: f"Your access to {h.where} covers less now: “{h.level}”",
)
