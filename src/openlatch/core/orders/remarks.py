"""What is worth knowing about letting someone in, before it is done."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime

from openlatch.core.powers import MONEY, in_order
from openlatch.words import Power, Severity

__all__ = ["Remark", "remarks"]


@dataclass(frozen=True, slots=True)
class Remark:
    """Something to know before an offer is sent; one that `stops` keeps it from being sent."""

    kind: str
    severity: Severity
    text: str
    next_step: str = ""
    stops: bool = False


def remarks(
    *,
    name: str,
    where: str,
    outside: bool,
    powers: Iterable[Power],
    beyond: Iterable[Power] = (),
    ends_at: datetime | None,
) -> tuple[Remark, ...]:
    """Return what is worth knowing about letting someone in, gravest first; nothing of it stops the offer."""
    powers, more = in_order(powers), in_order(beyond)
    the_remarks = []
    if outside and ends_at is None:
        text = f"{name} is outside the circle, and would have this on {where} without an end."
        the_remarks.append(Remark("endless", Severity.HIGH, text, "Give it an end, if it has one."))
    money = [power for power in powers if power in MONEY]
    if money:
        verb = {Power.SPEND: "buy with what is stored there", Power.WITHDRAW: "take money out"}
        text = f"{name} could {' and '.join(verb[power] for power in money)} on {where}."
        the_remarks.append(Remark("money", Severity.HIGH, text))
    if Power.OWN in powers:
        text = f"{name} could hand {where} over, or close it."
        the_remarks.append(Remark("owns", Severity.CRITICAL, text))
    if Power.ADMIT in powers:
        the_remarks.append(Remark("admits", Severity.HIGH, f"{name} could let others in and out of {where}."))
    if more:
        text = f"For what it is for, {', '.join(more)} on {where} is not needed."
        the_remarks.append(Remark("beyond", Severity.MEDIUM, text))
    return tuple(sorted(the_remarks, key=lambda remark: -remark.severity.rank))
