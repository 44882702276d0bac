"""How access is taken back, made less or given back: the steps that do it, found from what the provider can do.

A plan is a value: it is shown, confirmed, recorded and carried out from the same object. Its digest tells whether what
is about to be carried out is still what the person saw.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from datetime import datetime

from openlatch.core.hours import last_day
from openlatch.core.model import Entry, made_here
from openlatch.core.orders.extending import extend
from openlatch.core.orders.handover import hand_over
from openlatch.core.orders.impact import Consequence, Situation, gives_back, lost, mends, successors, takes
from openlatch.core.orders.steps import (
    Ask,
    Extent,
    Plan,
    Step,
    WayOut,
    asked,
    changed,
    ended,
    had_step,
    key_of,
    known_as,
    read_step,
    receipt_step,
)
from openlatch.core.phrases import listed
from openlatch.core.powers import in_order
from openlatch.core.providers.ports import Change, Gift
from openlatch.errors import Conflict, Invalid
from openlatch.words import Action, EndReason, Kind, PartyKind, Power, Severity, State

__all__ = ["Ask", "Plan", "Step", "WayOut", "make_plan", "why_ended"]


def make_plan(s: Situation, ask: Ask, now: datetime, held: Extent | None = None) -> Plan:
    """Plan what is asked of an entry; `held` is how far it went before the order by which it ended began.

    Refuses (Conflict) what is not possible as things stand, and (Invalid) what makes no sense, such as a level that
    gives more, or a last day before the first.
    """
    if ask.action is Action.LET_IN:
        raise Conflict(
            "Nobody is let in by an order of its own. Nothing was changed.",
            next_step="Make an offer: openlatch offer ADDRESS --on ACCOUNT",
        )
    if ask.action.of_teams:
        raise Conflict(
            f"An entry is no membership, which is what “{ask.action}” is about. Nothing was changed.",
            next_step="Name the team and its member: openlatch team remove TEAM MEMBER",
            entry=s.entry.ref,
        )
    if ask.action is Action.GIVE_BACK:
        return _give_back(s, ask, now, held)
    if ask.action is Action.HAND_OVER and s.entry.stands:
        return hand_over(s, ask)
    if ask.action is Action.EXTEND and s.entry.stands:
        return extend(s, ask, now)
    if not s.entry.stands:
        raise Conflict(
            f"The access of {s.party.name} to {s.account.name} has already ended ({s.entry.end_reason}).",
            next_step="There is nothing left to take back.",
            entry=s.entry.ref,
            end_reason=str(s.entry.end_reason),
        )
    steps, taken = {
        Action.END: _end,
        Action.GIVE_UP: _end,
        Action.NARROW: _narrow,
        Action.PAUSE: _pause,
        Action.RESUME: _resume,
        Action.END_ON: _end_on,
        Action.CLOSE_SESSIONS: _close_sessions,
        Action.CHANGE_SECRET: _change_secret,
    }[ask.action](s, ask, now)
    ends = ask.action in (Action.END, Action.GIVE_UP, Action.END_ON)
    given_up = ask.action is Action.GIVE_UP
    if ask.action in (Action.RESUME, Action.CLOSE_SESSIONS, Action.CHANGE_SECRET):
        happens: tuple[Consequence, ...] = _harmless(s, ask.action)
    else:
        until = ask.until if ask.action is Action.END_ON else None
        told = {"effect": _when(s, ask), "undo": _undone(s, ask)}
        happens = takes(s, taken, ends=ends, given_up=given_up, until=until, **told)
    stop, ways = "", successors(s)
    if not mends(s, taken):
        if ask.successor is None:
            stop = _stopped(s, bool(ways))
        else:
            named = next((one for one in ways if one.id == ask.successor), None)
            if named is None:
                raise Invalid(
                    f"Nobody can be made an administrator of {s.account.name} by that entry. Nothing was changed.",
                    next_step="Name one of those that the plan offers.",
                    errors=[{"at": "successor", "problem": "not among those who can follow"}],
                )
            steps = (*_name_first(s, named), *steps)
            happens = (
                Consequence(
                    "successor",
                    Severity.LOW,
                    f"{s.holder(named).name} becomes an administrator of {s.account.name} first.",
                ),
                *(one for one in happens if one.kind != "last-administrator"),
            )
    offered = tuple(WayOut(one.ref, s.holder(one).name, one.level) for one in ways) if stop else ()
    return Plan(ask.action.value, s.entry.ref, known_as(s, s.entry), happens, steps, stop=stop, ways_out=offered)


def why_ended(action: Action, kind: Kind) -> EndReason:
    """Return why an entry ended that an order made end."""
    if kind is Kind.OFFER:
        return EndReason.DECLINED if action is Action.GIVE_UP else EndReason.WITHDRAWN
    reasons = {Action.GIVE_UP: EndReason.GIVEN_UP, Action.END_ON: EndReason.EXPIRED}
    return reasons.get(action, EndReason.REVOKED)


def _when(s: Situation, ask: Ask) -> str:
    """When what ends on a day takes effect; empty for all else."""
    if ask.action is not Action.END_ON or ask.until is None:
        return ""
    return f"It holds through the end of {last_day(ask.until, s.zone)}, and ends then"


def _undone(s: Situation, ask: Ask) -> str:
    """How what is less than an end is undone; empty for an end, which its provider says."""
    if ask.action is Action.PAUSE:
        return "you can resume it at any time"
    if ask.action is not Action.NARROW:
        return ""
    a, kind = s.abilities, s.entry.kind
    able = (not ask.level or kind in a.raises) and (ask.resources is None or kind in a.widens)
    if able and not s.entry.by_hand:
        return "you can extend it again at any time"
    return f"it can be widened again at {s.provider} itself only"


# What each action takes: steps, and the powers that are taken away

Made = tuple[tuple[Step, ...], tuple[Power, ...]]


def _end(s: Situation, ask: Ask, now: datetime) -> Made:
    entry = s.entry
    if entry.kind is Kind.SECRET:
        raise Conflict(
            f"{s.party.name} knows “{entry.level}”, and nothing makes them forget it. Nothing was changed.",
            next_step=f"Change it: openlatch change-secret {entry.ref}",
            entry=entry.ref,
        )
    taken = in_order(entry.powers)
    if made_here(entry):
        return (
            Step("withdraw", "Withdraw the whole offer; its link is good for nothing any more."),
            receipt_step(),
        ), taken
    if entry.by_hand or entry.kind not in s.abilities.ends:
        text = (
            f"Have {_named_there(s, entry)} ended at {s.provider} itself, which nothing here can do, "
            "and say here that it is done."
        )
        return (asked(s, entry, text), *(_proof(s, readable=False) if entry.by_hand else _gone(s))), taken
    if s.party.kind is PartyKind.TEAM and not s.abilities.ends_teams:
        raise Conflict(
            f"{s.provider} does not let anyone take from the team {s.party.name} what it was given. Nothing was "
            "changed.",
            next_step=f"Take members out of the team at {s.provider}, then read {s.provider} again.",
            entry=entry.ref,
        )
    steps: list[Step] = []
    least = _least(s)
    if least:
        text = f"Reduce {known_as(s, entry)} to “{least}” first: {s.provider} ends nothing greater without consent."
        steps += [changed(s, entry, Change(level=least), text), read_step(s, entry, "see that it is reduced")]
    steps.append(ended(s, entry, f"Ask {s.provider} to {_verb(entry)} {known_as(s, entry)}."))
    if Kind.SESSION in s.abilities.ends:
        # Those that cannot be used without it as well: whether its provider closes them by itself is not known.
        steps += [_closed(s, one) for one in (*s.outliving, *s.falling) if one.kind is Kind.SESSION]
    return (*steps, *_gone(s)), taken


def _narrow(s: Situation, ask: Ask, now: datetime) -> Made:
    entry = s.entry
    change = Change(level=ask.level, resources=_kept(s, ask.resources))
    powers = _powers_of(s, ask.level) if ask.level and ask.level != entry.level else entry.powers
    if not set(powers) <= set(entry.powers):
        more = ", ".join(in_order(set(powers) - set(entry.powers)))
        raise Invalid(
            f"“{ask.level}” gives more than {s.party.name} has now: {more}. Nothing was changed.",
            next_step=f"Choose a level that gives less; to give more: openlatch extend {entry.ref} --to LEVEL",
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
    text = f"Ask {s.provider} to narrow {_named_there(s, entry)} to {' on '.join(to)}."
    if entry.by_hand or entry.kind not in s.abilities.narrows:
        text = (
            f"Have {_named_there(s, entry)} narrowed to {' on '.join(to)} at {s.provider} itself, "
            "and say here that it is done."
        )
        return (asked(s, entry, text, change), *_proof(s, not entry.by_hand)), lost(entry, powers)
    return (changed(s, entry, change, text), *_proof(s)), lost(entry, powers)


def _pause(s: Situation, ask: Ask, now: datetime) -> Made:
    if s.entry.state is not State.LIVE:
        raise Conflict(
            f"This access is {s.entry.state}, and only what is live can be paused. Nothing was changed.",
            next_step="Look at it again.",
            entry=s.entry.ref,
        )
    otherwise = "Narrow it, or end it; you can see beforehand what either would do."
    _able(s, s.entry.kind, s.abilities.pauses, "be paused", otherwise)
    text = f"Ask {s.provider} to pause {_named_there(s, s.entry)}."
    return (changed(s, s.entry, Change(paused=True), text), *_proof(s)), in_order(s.entry.powers)


def _resume(s: Situation, ask: Ask, now: datetime) -> Made:
    if s.entry.state is not State.PAUSED:
        raise Conflict(
            f"This access is {s.entry.state}, and not paused. Nothing was changed.",
            next_step="Look at it again.",
            entry=s.entry.ref,
        )
    _able(s, s.entry.kind, s.abilities.pauses, "be resumed from here", f"Resume it at {s.provider} itself.")
    return (
        changed(s, s.entry, Change(paused=False), f"Ask {s.provider} to resume {_named_there(s, s.entry)}."),
        *_proof(s),
    ), ()


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
            next_step=f"Give an earlier day; for longer: openlatch extend {entry.ref} --until DAY",
            errors=[{"at": "until", "problem": "later than its end"}],
        )
    if entry.kind in s.abilities.dates and not entry.by_hand:
        text = f"Ask {s.provider} to end {_named_there(s, entry)} with {last_day(until, s.zone)}."
        return (changed(s, entry, Change(ends_at=until), text), *_proof(s)), in_order(entry.powers)
    steps, taken = _end(s, ask, now)
    wait = Step("wait", f"Wait until {last_day(until, s.zone)} is over; {s.provider} keeps no end itself.", until=until)
    return (wait, *steps), taken


def _close_sessions(s: Situation, ask: Ask, now: datetime) -> Made:
    sessions = [one for one in (*s.outliving, *s.falling) if one.kind is Kind.SESSION]
    if s.entry.kind is Kind.SESSION:
        sessions.insert(0, s.entry)
    if not sessions:
        raise Conflict(
            f"No session of {s.party.name} is open on {s.account.name}, as far as is known. Nothing was changed.",
            next_step=f"Read {s.provider} again, if there should be one.",
            entry=s.entry.ref,
        )
    _able(s, Kind.SESSION, s.abilities.ends, "be signed out from here", f"Sign them out at {s.provider} itself.")
    return (*(_closed(s, one) for one in sessions), *_gone(s)), ()


def _change_secret(s: Situation, ask: Ask, now: datetime) -> Made:
    if s.entry.kind is not Kind.SECRET:
        raise Conflict(
            f"This is a {s.entry.kind}, and not a secret that somebody was told. Nothing was changed.",
            next_step="End it, or narrow it.",
            entry=s.entry.ref,
        )
    text = f"Give {s.account.name} a new “{s.entry.level}” at {s.provider}, tell nobody the old way, and say so here."
    return (asked(s, s.entry, text), receipt_step()), ()


def _give_back(s: Situation, ask: Ask, now: datetime, held: Extent | None) -> Plan:
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
    otherwise = f"Let them in again at {s.provider} itself, or record it anew."
    _able(s, s.entry.kind, s.abilities.gives, "be given from here", otherwise)
    until = ask.until or entry.ends_at
    if until is not None and until <= now:
        raise Invalid(
            f"Its last day, {last_day(until, s.zone)}, is over. Nothing was changed.",
            next_step="Say a new last day for it.",
            errors=[{"at": "until", "problem": "over already"}],
        )
    kind = Kind.GRANT if until is not None and entry.kind is Kind.DELEGATE else entry.kind
    gift = Gift(s.account.key, kind, entry.level, entry.permissions, entry.resources, until, again=entry.key)
    text = f"Ask {s.provider} to give {known_as(s, entry)} “{entry.level}” again."
    key, read = key_of(s, entry), read_step(s, entry, f"see that {s.party.name} has it")
    steps = (had_step(s, key, s.party.name), Step("give", text, party=key, gift=gift), read, receipt_step())
    return Plan(ask.action.value, entry.ref, known_as(s, entry), gives_back(s, until), steps)


def _same_access(one: Entry, other: Entry) -> bool:
    mine = (one.party_id, one.account_id, one.kind, one.level, set(one.resources))
    return mine == (other.party_id, other.account_id, other.kind, other.level, set(other.resources))


def _harmless(s: Situation, action: Action) -> tuple[Consequence, ...]:
    if action is Action.RESUME:
        return (Consequence("effect", Severity.LOW, f"{s.party.name} can use it again as before."),)
    if action is Action.CLOSE_SESSIONS:
        return (Consequence("effect", Severity.LOW, f"{s.party.name} is signed out, and may sign in again."),)
    told = [n for n in s.standing if _same_secret(n, s.entry)]
    names = dict.fromkeys([s.party.name, *(s.holder(n).name for n in told)])
    text = f"{listed(names)} cannot use it any more. Whoever still needs it is better let in by an entry of their own."
    return (Consequence("told", Severity.MEDIUM, text),)


def _same_secret(one: Entry, other: Entry) -> bool:
    return one.kind is Kind.SECRET and one.account_id == other.account_id and one.level == other.level


# Parts of plans


def _proof(s: Situation, readable: bool = True) -> tuple[Step, ...]:
    return (*((read_step(s, s.entry, "see that it is so"),) if readable else ()), receipt_step())


def _gone(s: Situation) -> tuple[Step, ...]:
    """The proof of an end; where that takes effect only once a device connects, with the patience that it takes."""
    if s.abilities.at_once:
        return _proof(s)
    text = f"Read {s.provider} until it shows that it is so: it takes effect when their device next connects."
    return (replace(read_step(s, s.entry, ""), text=text, patient=True), receipt_step())


def _closed(s: Situation, session: Entry) -> Step:
    where = f" on {session.device}" if session.device else ""
    text, before = (
        f"Ask {s.provider} to close the session of {known_as(s, session)}{where}.",
        ((session.key, Extent.of(session)),),
    )
    return Step("end", text, session.key, key_of(s, session), before=before)


def _least(s: Situation) -> str:
    """The least level to which an entry has to be reduced before it can be ended; empty if it has not to be."""
    a, entry = s.abilities, s.entry
    needs = set(entry.powers) & a.consent_for if a.consent_for else set(entry.powers)
    if not a.consent or not needs or entry.kind not in a.narrows:
        return ""
    fitting = [
        (len(gives), name)
        for name, gives in s.levels.items()
        if gives and set(gives) < set(entry.powers) and not set(gives) & a.consent_for and name != entry.level
    ]
    return min(fitting)[1] if fitting else ""


def _name_first(s: Situation, successor: Entry) -> tuple[Step, ...]:
    """Steps that make somebody an administrator, before the last one goes."""
    level = s.entry.level
    if s.entry.level not in s.levels:
        able = [(len(gives), name) for name, gives in s.levels.items() if Power.ADMIT in gives]
        level = min(able)[1] if able else level
    who = s.holder(successor).name
    change = Change(level=level, wider=True)
    if successor.kind in s.abilities.raises:
        step = changed(s, successor, change, f"Make {who} “{level}” first.")
    else:
        text = f"Have {who} made “{level}” of {s.account.name} at {s.provider} itself, and say here that it is done."
        step = asked(s, successor, text, change)
    return (step, read_step(s, successor, f"see that {who} can let others in"))


def _stopped(s: Situation, ways: bool) -> str:
    out = "Name a new administrator first." if ways else "Let somebody else in first who can follow."
    return f"{s.party.name} is the last one who can let others in or out of {s.account.name}. {out}"


def _able(s: Situation, kind: Kind, kinds: Iterable[Kind], what: str, next_step: str) -> None:
    """Refuse (Conflict) what cannot be done from here with what is of a kind: only these kinds can."""
    if s.entry.by_hand or kind not in kinds:
        raise Conflict(
            f"At {s.provider} a {kind} cannot {what}. Nothing was changed.", next_step=next_step, entry=s.entry.ref
        )


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


def _verb(entry: Entry) -> str:
    if entry.kind is Kind.SESSION:
        return "close the session of"
    if entry.kind is Kind.OFFER:
        return "withdraw the offer to"
    return f"remove the {entry.kind} “{entry.level}” of"


def _named_there(s: Situation, entry: Entry) -> str:
    """An entry in the words of its provider: its level, and whom it knows by it."""
    return f"“{entry.level}” of {known_as(s, entry)}"
