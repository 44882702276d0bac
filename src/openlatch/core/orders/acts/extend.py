"""Letting someone in for longer, for more parts or hours, or at a higher level, on an entry that is there.

It gives more, so it is looked at as letting in is: what is new is named, limits hold, and only a reading that shows
just what was asked for proves it.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from datetime import datetime

from openlatch.core.hours import Hours, as_good_as_none, last_day
from openlatch.core.limits import Taken, broken
from openlatch.core.model import Entry, made_here
from openlatch.core.orders.acts.act import GIVEN, Act, Around, Happened, standing
from openlatch.core.orders.impact import Consequence, Situation
from openlatch.core.orders.remarks import remarks
from openlatch.core.orders.steps import Ask, Extent, Plan, Step, asked, changed, known_as, read_step, receipt_step
from openlatch.core.powers import in_order
from openlatch.core.providers.ports import Change
from openlatch.errors import Conflict, Invalid
from openlatch.words import Action, Kind, PartyStatus, Power, Severity, State

__all__ = ["EXTEND", "LIFTS"]

LIFTS = ("end", "hours", "parts")
"""The limits of an access that can be taken away."""


def _extend(s: Situation, ask: Ask, now: datetime, held: Extent | None = None) -> Plan:
    """Plan that an entry gives more than it does: nothing of what it gives now is taken away.

    Refuses (Conflict) what is not to be extended, and (Invalid) what would give less, or no more than now. A limit
    that would be passed is the plan's `stop`.
    """
    standing(s)
    entry = s.entry
    _refuse(s)
    change = _wanted(s, ask, now)
    was, now_is = Extent.of(entry), Extent.of(entry).after(change)
    powers = s.levels[change.level] if change.level else entry.powers
    gained = in_order(set(powers) - set(entry.powers))
    said, who = _in_words(s, was, now_is, change), known_as(s, entry)
    text = f"Ask {s.provider} to extend “{entry.level}” of {who}: {', '.join(said)}."
    if _able(s, change):
        step = changed(s, entry, change, text)
    else:
        text = (
            f"Have “{entry.level}” of {who} extended at {s.provider} itself: {', '.join(said)}; "
            "and say here that it is done."
        )
        step = asked(s, entry, text, change)
    read: tuple[Step, ...] = () if entry.by_hand else (read_step(s, entry, "see that it is so"),)
    happens = tuple(
        sorted(_happens(s, gained, said, now_is), key=lambda consequence: consequence.severity.rank, reverse=True)
    )
    lasts = None if now_is.ends_at is None else now_is.ends_at - min(now, entry.given_at or now)
    # Whoever is in takes no further place.
    limits = replace(s.limits, most=None, outsiders=None)
    passed = broken(limits, s.account.name, Taken(str(s.party.id), s.party.name, s.outside), powers, (), lasts)
    stop = f"{passed[0].text} {passed[0].next_step}" if passed else ""
    return Plan(ask.action.value, entry.ref, who, happens, (step, *read, receipt_step()), stop=stop)


def _refuse(s: Situation) -> None:
    """What is not to be extended: what is not there yet, goes away, or is not access that someone was given."""
    entry = s.entry
    if entry.kind is Kind.OFFER or entry.state is State.OFFERED:
        correct = "Correct the offer instead." if made_here(entry) else f"Change the offer at {s.provider} itself."
        raise Conflict(
            f"{s.party.name} has not taken this up yet. Nothing was changed.", next_step=correct, entry=entry.ref
        )
    if entry.kind not in (Kind.DELEGATE, Kind.GRANT):
        article = "an" if entry.kind.value[0] in "aeio" else "a"
        raise Conflict(
            f"This is {article} {entry.kind}, and only access that someone was given can be extended. "
            "Nothing was changed.",
            next_step="Let them in by an offer, if they need more.",
            entry=entry.ref,
        )


def _wanted(s: Situation, ask: Ask, now: datetime) -> Change:
    """The change that is asked for, once it is sure that it gives more and nothing less."""
    unknown = [lift for lift in ask.lifts if lift not in LIFTS]
    if unknown:
        raise _wrong("lifts", f"“{unknown[0]}” is not a limit", f"Limits are: {', '.join(LIFTS)}.")
    change = Change(
        level=_level(s, ask.level),
        resources=_parts(s, ask),
        ends_at=_end(s, ask, now),
        wider=True,
        hours=_hours(s, ask),
        lifts=tuple(one for one in ("end", "hours") if one in ask.lifts),
    )
    if change == Change(wider=True):
        raise _wrong(
            "until",
            "what to extend is missing",
            "Give a later last day or no end, more parts, other hours, or a level that gives more.",
        )
    return change


def _level(s: Situation, level: str) -> str:
    entry = s.entry
    if level in ("", entry.level):
        return ""
    if level not in s.levels:
        wider = sorted(name for name, gives in s.levels.items() if set(gives) > set(entry.powers))
        raise _wrong(
            "level",
            f"{s.provider} has no level “{level}”, as far as is known",
            f"Levels that give more: {', '.join(wider) or 'none is known'}.",
        )
    less = in_order(set(entry.powers) - set(s.levels[level]))
    if less:
        raise _wrong(
            "level",
            f"“{level}” does not give {', '.join(less)}, which {s.party.name} has now",
            "Choose a level that gives all of it and more; to take something away, narrow it.",
        )
    return level


def _parts(s: Situation, ask: Ask) -> tuple[str, ...] | None:
    """All the parts that it is to have from then on; none are the whole account, None leaves them as they are."""
    has = s.entry.resources
    if not ask.resources and "parts" not in ask.lifts:
        return None
    if not has:
        raise _wrong("resources", f"it is on all of {s.account.name} already", "Leave the parts out.")
    if "parts" in ask.lifts:
        if ask.resources:
            raise _wrong("resources", "single parts and the whole account are asked for", "Give one of the two.")
        return ()
    more = set(ask.resources or ()) - set(has)
    if not more:
        raise _wrong("resources", "it has those parts already", f"It is on {', '.join(has)}: name others.")
    return tuple(sorted({*has, *more}))


def _end(s: Situation, ask: Ask, now: datetime) -> datetime | None:
    entry, until = s.entry, ask.until
    if "end" in ask.lifts:
        if until is not None:
            raise _wrong("until", "a last day and no end are asked for", "Give one of the two.")
        if entry.ends_at is None:
            raise _wrong("lifts", "it has no end now", "Leave that out.")
        return None
    if until is None:
        return None
    day = last_day(until, s.zone)
    if until <= now:
        raise _wrong("until", f"{day} is over already", "Give a later last day.")
    if entry.ends_at is None:
        raise _wrong("until", "it has no end now", "To give it a last day, use: openlatch entry end --until DAY.")
    if until <= entry.ends_at:
        raise _wrong(
            "until",
            f"it ends with {last_day(entry.ends_at, s.zone)}, which is not before that day",
            "Give a later day; to let it end sooner, use: openlatch entry end --until DAY.",
        )
    if as_good_as_none(until, now):
        raise _wrong("until", f"{day} is so far away that it is as good as no end", "Give it no end.")
    return until


def _hours(s: Situation, ask: Ask) -> Hours | None:
    has = s.entry.hours
    if ask.hours is None and "hours" not in ask.lifts:
        return None
    if has is None:
        raise _wrong("hours", "it is valid at all hours now", "Leave the hours out.")
    if "hours" in ask.lifts:
        if ask.hours is not None:
            raise _wrong("hours", "some hours and all hours are asked for", "Give one of the two.")
        return None
    if ask.hours is not None and not ask.hours.covers(has):
        raise _wrong(
            "hours",
            f"it holds {has} now, and the new hours do not cover that",
            f"Name all the hours in which it is to hold, in the zone {has.zone}.",
        )
    if ask.hours is not None and has.covers(ask.hours):
        raise _wrong("hours", "those are no more hours than now", "Name more hours, or leave them out.")
    return ask.hours


def _able(s: Situation, change: Change) -> bool:
    """Whether the provider can be asked for all of it from here."""
    a, kind = s.abilities, s.entry.kind
    needs = [
        (bool(change.level), a.raises),
        (change.ends_at is not None or "end" in change.lifts, a.prolongs),
        (change.resources is not None or change.hours is not None or "hours" in change.lifts, a.widens),
    ]
    return not s.entry.by_hand and all(kind in able for needed, able in needs if needed)


def _in_words(s: Situation, was: Extent, will: Extent, change: Change) -> list[str]:
    """What changes, each as words that can follow one another."""
    said = []
    if change.level:
        said.append(f"at the level “{will.level}” (now “{was.level}”)")
    if will.ends_at != was.ends_at and was.ends_at is not None:
        before = last_day(was.ends_at, s.zone)
        until = "without an end" if will.ends_at is None else f"until the end of {last_day(will.ends_at, s.zone)}"
        said.append(f"{until} (now {before})")
    if change.resources is not None:
        more = [resource for resource in will.resources if resource not in was.resources]
        said.append(f"also for {' and '.join(more)}" if more else f"for all of {s.account.name}")
    if will.hours != was.hours:
        said.append(f"{will.hours or 'at all hours'} (now {was.hours})")
    return said


def _happens(s: Situation, gained: tuple[Power, ...], said: list[str], will: Extent) -> Iterable[Consequence]:
    who, where = s.party.name, s.account.name
    if s.party.status is PartyStatus.LEFT:
        yield Consequence("left", Severity.HIGH, f"{who} is known to have left.")
    if gained:
        text = f"{who} can do more on {where} than now: {', '.join(gained)}."
        yield Consequence("can-more", Severity.MEDIUM, text)
    for remark in remarks(name=who, where=where, outside=s.outside, powers=gained, ends_at=will.ends_at):
        yield Consequence(remark.kind, remark.severity, remark.text)
    yield Consequence("effect", Severity.LOW, f"{who} has “{s.entry.level}” on {where} {', '.join(said)}.")
    if s.entry.state is State.PAUSED:
        yield Consequence("paused", Severity.LOW, "It stays paused until it is resumed.")


def _wrong(at: str, problem: str, next_step: str) -> Invalid:
    return Invalid(
        f"{problem[:1].upper()}{problem[1:]}. Nothing was changed.",
        next_step=next_step,
        errors=[{"at": at, "problem": problem}],
    )


def _possible(entry: Entry, around: Around) -> bool | None:
    if not entry.stands or entry.kind not in GIVEN or entry.state is State.OFFERED:
        return None
    more = _more(entry, around)
    return not entry.by_hand and any(entry.kind in able for able in more) if more else None


def _more(entry: Entry, around: Around) -> list[frozenset[Kind]]:
    """What more there is to give: for each, the kinds for which the provider can be asked for it."""
    a, has = around.abilities, set(entry.powers)
    found = [
        (entry.ends_at is not None, a.prolongs),
        (entry.hours is not None or bool(entry.resources), a.widens),
        (any(set(gives) > has for gives in around.levels.values()), a.raises),
    ]
    return [able for there, able in found if there]


def _told(happened: Happened) -> str:
    until = f", until {happened.last_day}" if happened.last_day else ""
    return f"Your access to {happened.where} covers more now: “{happened.level}”{until}"


EXTEND = Act(Action.EXTEND, _possible, _extend, _told)
