"""What an order would do, and what is wanted of it."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from openlatch.wire.base import Ref, Search, Sent, Taken, Text
from openlatch.wire.inventory.parties import Party
from openlatch.wire.orders.orders import Consequence, Step
from openlatch.words import Action

__all__ = ["NewOrder", "Plan", "PlanQuery", "WayOut", "Wish"]


class Wish(Taken):
    """What is wanted of an entry; `until` is the last day, `successor` the entry of whoever is to follow.

    `hours` of the week are as people write them; to extend an access, with the limits that it `lifts` altogether.
    """

    action: Action = Action.END
    level: Search = ""
    until: date | None = None
    successor: Search = ""
    hours: Search = ""


class PlanQuery(Wish):
    """What is to be planned; resources and lifts separated by commas."""

    resources: Search = ""
    lifts: Search = ""


class WayOut(Sent):
    """Someone who could be made an administrator first, by their entry."""

    entry: str
    name: str
    level: str


class Plan(Sent):
    """What an order would do, gravest first, and how; `digest` names exactly this plan.

    With a `stop` it is not carried out unless one of `ways_out` is named as successor. `levels` would give less,
    and `wider` more, the least first; `parts` of the account are those that are known. `subject` is the party as its
    provider names it.
    """

    action: Action
    entry: Ref
    party: Party
    subject: str = ""
    account: str
    provider: str
    consequences: list[Consequence]
    steps: list[Step]
    stop: str
    ways_out: list[WayOut]
    levels: list[str]
    wider: list[str]
    parts: list[str]
    digest: str


class NewOrder(Wish):
    """An order; with `digest`, only if the plan is still the one shown."""

    entry: Text
    resources: list[Text] | None = None
    lifts: list[Literal["end", "hours", "parts"]] = Field(default=[])
    reason: Annotated[str, StringConstraints(strip_whitespace=True, max_length=1000, pattern=r"^[^\x00]*$")] = ""
    digest: Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")] | None = None
