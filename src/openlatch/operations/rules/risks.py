"""Risk as people look at it: what it is made of, and how that of an account has moved."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from openlatch.core.rules.risk import Line, lines, shares
from openlatch.operations.call import Call, operation
from openlatch.operations.rules import evaluation, policies
from openlatch.store.inventory.entries import Listed

__all__ = ["RiskSight", "Share", "of_account", "of_party", "risk_lines"]


@dataclass(frozen=True, slots=True)
class Share:
    """What one entry adds to the risk of its account or its party."""

    entry: Listed
    points: int


@dataclass(frozen=True, slots=True)
class RiskSight:
    """The risk of an account or a party: what adds up to it, and how it has moved."""

    risk: int
    shares: tuple[Share, ...]
    over_time: tuple[tuple[datetime, int], ...] = ()


def risk_lines(call: Call, listed: Listed) -> tuple[Line, ...]:
    """Return the lines that add up to the risk of an entry now; none for one that has ended."""
    entry = listed.entry
    if not entry.stands:
        return ()
    ask = policies.in_force(call)
    looked = evaluation.of_some(call, ask, [entry.id], (), ())
    holding = looked.outcome.holding.get(entry.id, ()) if looked else ()
    return lines(entry.powers, unknown=bool(entry.unknown), holding=holding, weights=ask.policy.risk)


@operation("risks.of_account")
def of_account(call: Call, text: str) -> RiskSight:
    """The risk of an account, with the entries that it is made of, and how it has moved."""
    account = call.tx.accounts.find(text)
    ids = [entry.id for entry in call.tx.entries.on([account.id])]
    return _sight(call, ids, call.tx.flags.risk_over_time(account.id))


@operation("risks.of_party")
def of_party(call: Call, text: str) -> RiskSight:
    """The risk of a party, with the entries that it is made of."""
    party = call.tx.parties.find(text)
    return _sight(call, [entry.id for entry in call.tx.entries.held_by([party.id])], ())


def _sight(call: Call, ids: list[UUID], over_time: tuple[tuple[datetime, int], ...]) -> RiskSight:
    listed = sorted(
        call.tx.entries.about(ids).values(), key=lambda listed_entry: (-listed_entry.risk, listed_entry.entry.id)
    )
    points = shares(listed_entry.risk for listed_entry in listed)
    the_shares = tuple(
        Share(each_listed_entry, share) for each_listed_entry, share in zip(listed, points, strict=False) if share
    )
    return RiskSight(min(sum(points), 100), the_shares, over_time)
