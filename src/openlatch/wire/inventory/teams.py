"""Who is in which team, and orders about it."""

from datetime import datetime
from typing import Annotated, Literal
from uuid import UUID

from pydantic import Field, StringConstraints

from openlatch.wire.base import PageQuery, Ref, Said, Search, Sent, Taken
from openlatch.wire.inventory.parties import Party
from openlatch.wire.orders.orders import Consequence, Step

__all__ = ["Membership", "MembershipList", "MembershipQuery", "NewTeamOrder", "TeamPlan", "TeamPlanQuery", "TeamWish"]


class Membership(Sent):
    """A party in a team, as a provider shows it; `order` is that in progress about it, by its short form.

    `removable` is whether the provider removes someone from a team when it is asked from here.
    """

    id: UUID
    team: Ref
    member: Ref
    kind: str
    provider: Ref
    since: datetime | None
    removable: bool
    order: str = ""


class MembershipList(Sent):
    """The teams that a party is in (`teams`), and who is in it if it is a team (`members`); by themselves only.

    The teams come first, then the members, each by their names; `next` continues after a page of both.
    """

    teams: list[Membership]
    members: list[Membership]
    next: str | None = None


class MembershipQuery(PageQuery):
    """Which memberships of a party are wanted: those in which the other one is called so."""

    q: Search = ""


class TeamWish(Taken):
    """What is wanted of a member of a team; `provider` where both are known at several."""

    action: Literal["add-member", "remove-member"]
    provider: Search = ""


class TeamPlanQuery(TeamWish):
    """What is to be planned."""


class TeamPlan(Sent):
    """What an order about a member of a team would do, gravest first, and how; `digest` names exactly this plan.

    `subject` is the member as its provider names it. With a `stop` it is not carried out.
    """

    action: Literal["add-member", "remove-member"]
    team: Ref
    member: Party
    subject: str
    provider: str
    consequences: list[Consequence]
    steps: list[Step]
    stop: str
    digest: str


class NewTeamOrder(TeamWish):
    """An order about a member of a team; with `digest`, only if the plan is still the one shown."""

    reason: Said = ""
    digest: Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")] | None = Field(default=None)
