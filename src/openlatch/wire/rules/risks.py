"""Risks, and what adds up to each."""

from __future__ import annotations

from datetime import datetime

from openlatch.wire.base import Ref, Sent

__all__ = ["Risk", "RiskLine", "RiskPoint", "RiskShare"]


class RiskLine(Sent):
    """One line of a risk: what it is for, and the points it adds."""

    says: str
    points: int


class RiskShare(Sent):
    """What one entry adds to the risk of its account or its party."""

    entry: Ref
    risk: int
    points: int


class RiskPoint(Sent):
    """The risk that an account has had since an instant."""

    at: datetime
    risk: int


class Risk(Sent):
    """A risk from 0 to 100, what adds up to it, and of an account how it has moved."""

    risk: int
    shares: list[RiskShare]
    over_time: list[RiskPoint]
