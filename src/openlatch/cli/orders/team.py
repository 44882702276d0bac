"""Who is in which team, and putting that right."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

import click
from rich.text import Text

from openlatch.cli.acting import confirmed
from openlatch.cli.columns import Column, day
from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.nouns import PARTY, PROVIDER
from openlatch.cli.orders.giving import HOW_GIVEN, ordered, print_plan
from openlatch.cli.output import Listing, listed, only_shown, out, print_one, reports_errors
from openlatch.wire import messages as wire

__all__ = ["team"]

F = TypeVar("F", bound=Callable[..., Any])
MEMBERS: tuple[Column, ...] = (
    Column.who("team", lambda m: Text(m.team.name)),
    Column.who("member", lambda m: Text(m.member.name)),
    Column("provider", lambda m: Text(m.provider.name)),
    Column("since", lambda m: day(m.since) if m.since else "not known"),
    Column("order", lambda m: m.order, whole=True),
)


def _acting(function: F) -> F:
    """Give a command what every order about a member is given with."""
    for option in reversed(
        (
            click.argument("named", metavar="TEAM", type=PARTY),
            click.argument("member", type=PARTY),
            click.option("--provider", type=PROVIDER, default="", help="Where, if both are known at several."),
            *HOW_GIVEN,
        )
    ):
        function = option(function)
    return function


@click.group(cls=Group)
def team() -> None:
    """Who is in a team; add or remove a member.

    A team is a group at a provider: whatever it may do, all its members may.
    """


@team.command("show", example="'Dark-sky wardens'")
@click.argument("named", metavar="PARTY", type=PARTY)
@listed(*MEMBERS)
@reports_errors
def show(named: str, listing: Listing) -> None:
    """List who is in a team, or which teams someone is in.

    Directly, not through other teams; openlatch party reach PARTY shows those too.
    """
    with connect() as client:
        membership_list = client.memberships(named)
    listing.print([*membership_list.members, *membership_list.teams], empty="In no team, and without members.")


@team.command("add", example="'Dark-sky wardens' {volunteer} --dry-run")
@_acting
@reports_errors
def add(named: str, member: str, **how: Any) -> None:
    """Add MEMBER to TEAM, and follow it until it is proved."""
    _order("add-member", named, member, "Add them?", **how)


@team.command("remove", example="'Dark-sky wardens' {warden} --dry-run")
@_acting
@reports_errors
def remove(named: str, member: str, **how: Any) -> None:
    """Remove MEMBER from TEAM, and follow it until it is proved.

    Shows what happens first, then asks. Exits 0 once it is proved, 6 if it needs a person.
    """
    _order("remove-member", named, member, "Remove them?", **how)


def _order(
    action: str,
    named: str,
    member: str,
    question: str,
    *,
    provider: str,
    dry_run: bool,
    reason: str,
    yes: bool,
    no_wait: bool,
    output: str,
) -> None:
    with connect() as client:
        plan = client.plan_member(named, member, action, provider=provider)
        if output == "table":
            _head(plan)
        if dry_run:
            if output != "table":
                print_one(plan, output)
            elif plan.stop:
                out().print(f"\n{plan.stop}", style="bold", highlight=False)
            else:
                only_shown()
            return
        if plan.stop:
            raise Failure(f"{plan.stop} Nothing was ordered.", "Solve that first, then order it again.")
        confirmed(question, yes)
        given = client.command_member(named, member, action, provider=provider, reason=reason, digest=plan.digest)
        ordered(client, given, no_wait=no_wait, output=output)


def _head(plan: wire.TeamPlan) -> None:
    to = out()
    does, team_ = ("Add", "to") if plan.action == "add-member" else ("Remove", "from")
    outside = ("  outside", "cyan") if plan.member.outside else ""
    to.print(
        Text.assemble(
            f"{does} ",
            (plan.member.name, "bold"),
            outside,
            f" {team_} the team ",
            (plan.team.name, "bold"),
            f", {plan.provider}",
        )
    )
    to.print(f"{', '.join(plan.member.addresses)}   {plan.member.ref}", style="dim")
    print_plan(to, plan)
