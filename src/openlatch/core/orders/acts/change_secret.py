"""Having a secret changed that someone was told."""

from __future__ import annotations

from datetime import datetime

from openlatch.core.model import Entry
from openlatch.core.orders.acts.act import Act, Around, Made, none, unchanged
from openlatch.core.orders.impact import Consequence, Situation
from openlatch.core.orders.steps import Ask, asked, receipt_step
from openlatch.core.phrases import listed
from openlatch.errors import Conflict
from openlatch.words import Action, Kind, Severity

__all__ = ["CHANGE_SECRET"]


def _possible(entry: Entry, around: Around) -> bool | None:
    return False if entry.stands and entry.kind is Kind.SECRET else None


def _change_secret(s: Situation, ask: Ask, now: datetime) -> Made:
    if s.entry.kind is not Kind.SECRET:
        raise Conflict(
            f"This is a {s.entry.kind}, and not a secret that someone knows. Nothing was changed.",
            next_step="End it, or narrow it.",
            entry=s.entry.ref,
        )
    text = f"Give {s.account.name} a new “{s.entry.level}” at {s.provider}, tell nobody the old way, and say so here."
    return (asked(s, s.entry, text), receipt_step()), ()


def _happens(s: Situation) -> Consequence:
    told = [n for n in s.standing if _same_secret(n, s.entry)]
    names = dict.fromkeys([s.party.name, *(s.holder(n).name for n in told)])
    text = f"{listed(names)} cannot use it any more. Whoever still needs it is better let in by an entry of their own."
    return Consequence("told", Severity.MEDIUM, text)


def _same_secret(entry: Entry, other: Entry) -> bool:
    return entry.kind is Kind.SECRET and entry.account_id == other.account_id and entry.level == other.level


CHANGE_SECRET = Act(Action.CHANGE_SECRET, _possible, unchanged(_change_secret, _happens), none)
