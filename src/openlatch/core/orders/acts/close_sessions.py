"""Signing someone out: the open sessions of a party on an account."""

from __future__ import annotations

from datetime import datetime

from openlatch.core.model import Entry
from openlatch.core.orders.acts.act import ACCESS, Act, Around, Made, able, closed, gone, none, unchanged
from openlatch.core.orders.impact import Consequence, Situation
from openlatch.core.orders.steps import Ask
from openlatch.errors import Conflict
from openlatch.words import Action, Kind, Severity

__all__ = ["CLOSE_SESSIONS"]


def _possible(entry: Entry, around: Around) -> bool | None:
    able = not entry.by_hand and entry.stands and entry.kind in ACCESS
    return True if able and around.sessions and Kind.SESSION in around.abilities.ends else None


def _close_sessions(s: Situation, ask: Ask, now: datetime) -> Made:
    sessions = [entry for entry in (*s.outliving, *s.falling) if entry.kind is Kind.SESSION]
    if s.entry.kind is Kind.SESSION:
        sessions.insert(0, s.entry)
    if not sessions:
        raise Conflict(
            f"No session of {s.party.name} is open on {s.account.name}, as far as is known. Nothing was changed.",
            next_step=f"Read {s.provider} again, if there should be one.",
            entry=s.entry.ref,
        )
    able(s, Kind.SESSION, s.abilities.ends, "be signed out from here", f"Sign them out at {s.provider} itself.")
    return (*(closed(s, session) for session in sessions), *gone(s)), ()


def _happens(s: Situation) -> Consequence:
    return Consequence("effect", Severity.LOW, f"{s.party.name} is signed out, and may sign in again.")


CLOSE_SESSIONS = Act(Action.CLOSE_SESSIONS, _possible, unchanged(_close_sessions, _happens), none)
