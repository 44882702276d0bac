"""Ending access, and giving up one's own."""

from __future__ import annotations

from datetime import datetime

from openlatch.core.model import Abilities, Entry, made_here
from openlatch.core.orders.acts.act import Act, Around, Happened, Made, closed, gone, lessened, named_there, proof
from openlatch.core.orders.impact import Situation
from openlatch.core.orders.steps import Ask, Step, asked, changed, ended, known_as, read_step, receipt_step
from openlatch.core.powers import in_order
from openlatch.core.providers.ports import Change
from openlatch.errors import Conflict
from openlatch.words import Action, EndReason, Kind, PartyKind

__all__ = ["END", "GIVE_UP", "ending", "ends_here", "team_keeps"]


def ends_here(entry: Entry, around: Around) -> bool:
    """Whether the provider can be asked to end an entry."""
    return not entry.by_hand and entry.kind in around.abilities.ends


def team_keeps(entry: Entry, around: Around) -> bool:
    """Whether an entry is a team's, and its provider takes nothing from teams."""
    return ends_here(entry, around) and _keeps(around.party, around.abilities)


def _keeps(party: PartyKind, abilities: Abilities) -> bool:
    return party is PartyKind.TEAM and not abilities.ends_teams


def _possible(entry: Entry, around: Around) -> bool | None:
    if not entry.stands or entry.kind is Kind.SECRET or team_keeps(entry, around):
        return None
    return ends_here(entry, around) or made_here(entry)


def ending(s: Situation, ask: Ask, now: datetime) -> Made:
    """Return the steps that end an entry."""
    entry = s.entry
    if entry.kind is Kind.SECRET:
        raise Conflict(
            f"{s.party.name} knows “{entry.level}”, and nothing makes them forget it. Nothing was changed.",
            next_step=f"Change it: openlatch secret change {entry.ref}",
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
            f"Have {named_there(s, entry)} ended at {s.provider} itself, which nothing here can do, "
            "and say here that it is done."
        )
        return (asked(s, entry, text), *(proof(s, readable=False) if entry.by_hand else gone(s))), taken
    if _keeps(s.party.kind, s.abilities):
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
        steps += [closed(s, entry) for entry in (*s.outliving, *s.falling) if entry.kind is Kind.SESSION]
    return (*steps, *gone(s)), taken


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


def _verb(entry: Entry) -> str:
    if entry.kind is Kind.SESSION:
        return "close the session of"
    if entry.kind is Kind.OFFER:
        return "withdraw the offer to"
    return f"remove the {entry.kind} “{entry.level}” of"


def _told(happened: Happened) -> str:
    if happened.offered:
        return f"The offer of access to {happened.where} was withdrawn"
    return f"Your access to {happened.where} has ended"


def _told_back(happened: Happened) -> str:
    if happened.offered:
        return f"You declined the offer of access to {happened.where}"
    return f"Your access to {happened.where} has ended, as you wished"


def _given_up(happened: Happened) -> str:
    what = "declined the offer of access to" if happened.offered else "given up their access to"
    return f"{happened.party} has {what} {happened.where}"


END = Act(Action.END, _possible, lessened(ending, ends=True), _told)
GIVE_UP = Act(
    Action.GIVE_UP,
    lambda entry, around: None,
    lessened(ending, ends=True, given_up=True),
    _told_back,
    _given_up,
    EndReason.GIVEN_UP,
)
