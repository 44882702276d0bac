"""Parties: who and what has access, what each can do, who sponsors it, and which parties are the same."""

from __future__ import annotations

from typing import Any

import click
from rich.console import Console
from rich.text import Text

from openlatch.cli.columns import Column, ago, powers, worst
from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.inventory import sameness
from openlatch.cli.inventory.cells import standing_as, where
from openlatch.cli.inventory.view import viewed, with_view
from openlatch.cli.keeping import exports
from openlatch.cli.nouns import ACCOUNT, PARTY, one_of
from openlatch.cli.options import at_least_risk, together
from openlatch.cli.output import Listing, hint, listed, out, output_option, print_one, reports_errors
from openlatch.cli.rules.risk import tell_risk
from openlatch.client import Client
from openlatch.core.phrases import counted
from openlatch.wire import messages as wire
from openlatch.words import Listable, PartyKind, PartyOrder, PartyStatus, Power

__all__ = ["party"]

_CHAINS: tuple[Column, ...] = (
    Column("entry", lambda c: c.entry.ref, whole=True),
    Column("can", lambda c: powers(c.entry.powers, c.entry.used_powers)),
    Column("where", lambda c: where(c.entry)),
    Column("through", lambda c: " → ".join(via.party.name for via in c.via) or "directly"),
    Column.more("as", lambda c: standing_as(c.entry)),
    Column.prose("ending it alone", lambda c: f"takes away {', '.join(c.loses)}" if c.loses else "changes nothing"),
)


def _named(p: wire.PartyOverview) -> Text:
    others = (Text(address, "dim") for address in p.addresses if address != p.name)
    return Text("\n").join([Text(p.name), *others])


def _on(p: wire.PartyOverview) -> str:
    """Where it has access itself, and in how many teams it is, whose access it has besides."""
    return counted(p.on_accounts, "account") + (f"\n{counted(p.teams, 'team')}" if p.teams else "")


_PARTIES: tuple[Column, ...] = (
    Column.ref(lambda p: p.ref),
    Column.who("party", _named),
    Column("kind", lambda p: "\n".join([_kind(p), *(["outside"] if p.outside else [])])),
    Column("risk", lambda p: str(p.risk)),
    Column("worst flag", lambda p: worst(p.worst)),
    Column("on", _on),
    Column.more("last used", lambda p: ago(p.last_used) if p.last_used else ""),
    Column.more("status", lambda p: p.status),
)


_filtered = together(
    [
        click.option("--kind", default="", help=f"Kinds, any of: {', '.join(PartyKind)}."),
        click.option("--outside/--inside", default=None, help="Only parties outside the circle, or only those in it."),
        click.option("--status", type=one_of(PartyStatus), help="Only those whose status is this one."),
        at_least_risk,
        click.option("--sort", type=one_of(PartyOrder), default="name", show_default=True, help="What comes first."),
    ]
)


@click.group(cls=Group)
def party() -> None:
    """People, teams and apps: what each can reach, who is who.

    PARTY is an address, an id or its short form. Open Latch treats two parties as one only where an address proves
    it; you decide about the rest with alike, join, keep-apart and part.
    """


@party.command("list", example="orla")
@click.argument("search", required=False, default="")
@_filtered
@with_view
@listed(*_PARTIES)
@reports_errors
def list_parties(search: str, view: str, listing: Listing, **wanted: Any) -> None:
    """List who and what has access: on how many accounts, how risky, when last seen."""
    with connect() as client:
        wanted = viewed(client, Listable.PARTIES, view, wanted | {"q": search})
        listing.print(client.parties(**wanted), empty="No party matches.")


exports(party, "parties", _filtered, lambda client: client.parties_export, example="outsiders.csv --outside")


@party.command("show", example="orla.finch@kestrelridge.example")
@click.argument("party", type=PARTY)
@output_option
@reports_errors
def show(party: str, output: str) -> None:
    """Show one party: its addresses, its sponsor, and what adds up to its risk."""
    with connect() as client:
        there = client.party(party)
        risk = client.party_risk(str(there.id))
        if output != "table":
            print_one(there, output)
            return
        to = out()
        to.print(Text.assemble((there.name, "bold"), f", {_kind(there)}", ("   " + there.ref, "dim")))
        facts = (
            ("address", ", ".join(there.addresses) + ("  (outside the circle)" if there.outside else "")),
            ("publisher", there.publisher),
            ("status", {"left": "has left", "unknown": "not known"}.get(there.status, there.status)),
            ("access to", _on(there).replace("\n", ", and in ")),
            ("last used", ago(there.last_used) if there.last_used else ""),
            ("sponsor", _sponsor(client, there) or "none"),
        )
        for name, value in facts:
            if value:
                to.print(Text.assemble((f"  {name:<14}", "dim"), value))
        tell_risk(to, risk, client.me().workspace.zone)
        hint(f"\nAll that it can do: openlatch party reach {there.ref}")


def _kind(there: wire.PartyOverview) -> str:
    return "service account" if there.service else str(there.kind)


def _sponsor(client: Client, there: wire.PartyOverview) -> str:
    """The name and address of whoever sponsors a party; empty for nobody."""
    if there.sponsor is None:
        return ""
    return next((f"{each.name} <{each.address}>" for each in client.people() if each.id == there.sponsor), "")


@party.command("change", example="{party} --sponsor tobias.quill@kestrelridge.example")
@click.argument("party", type=PARTY)
@click.option("--sponsor", default="", help="The address of whoever of this workspace sponsors the party.")
@click.option("--no-sponsor", is_flag=True, help="Nobody sponsors it any more.")
@click.option("--service/--no-service", default=None, help="Whether a program signs in with it, and no person.")
@reports_errors
def change(party: str, sponsor: str, no_sponsor: bool, service: bool | None) -> None:
    """Set who sponsors a party, or whether it is a service account.

    Its sponsor is someone of this workspace who is asked about its access. With a service account a program signs
    in: rules about people leave it alone. The login with which a provider is read is marked so by itself.
    """
    if (sponsor and no_sponsor) or not (sponsor or no_sponsor or service is not None):
        options = "Give one of --sponsor ADDRESS and --no-sponsor, or one of --service and --no-service."
        raise Failure("Say what is to change. Nothing was changed.", options, 2)
    with connect() as client:
        if service is not None:
            changed = client.mark_service(party, service=service)
            click.echo(f"{changed.name}: {'a' if changed.service else 'no'} service account.")
        if sponsor or no_sponsor:
            changed = client.sponsor(party, sponsor)
            click.echo(f"{changed.name}: sponsored by {_sponsor(client, changed) or 'nobody'}.")


@party.command("reach", example="orla.finch@kestrelridge.example")
@click.argument("party", type=PARTY)
@click.option("--account", type=ACCOUNT, default="", help="With --power: an account where it should lose that power.")
@click.option("--power", type=one_of(Power), help="With --account: the power that it should lose there.")
@listed(*_CHAINS)
@reports_errors
def reach(party: str, account: str, power: str | None, listing: Listing) -> None:
    """Show all that a party can do, directly and through teams.

    With --account and --power it shows the fewest entries and memberships to end so that the party loses that power
    there, while nobody else loses anything; where that is impossible, who would lose what.
    """
    if bool(account) != bool(power):
        raise Failure("--account and --power go together.", "Give both, or neither.", 2)
    with connect() as client:
        if account and power:
            cut = client.smallest_cut(party, account, power)
            if listing.for_people:
                _cut(out(), cut, power, account)
            else:
                print_one(cut, listing.output)
            return
        found = client.reach(party)
        listing.print(found.chains, empty=f"{found.party.name} has no access, as far as is known.")


def _command_for(piece: wire.CutPiece) -> str:
    """The command that ends a piece; empty where only a person can."""
    if piece.kind == "entry":
        return f"openlatch end {piece.ref}"
    return f"openlatch team remove {piece.team.ref} {piece.member.ref}" if piece.team and piece.member else ""


def _cut(to: Console, cut: wire.Cut, power: str, account: str) -> None:
    if not cut.pieces:
        to.print(f"There is nothing to end: this party cannot {power} on {account}.")
        return
    for piece in cut.pieces:
        to.print(Text(f"  {piece.text}"))
        command = _command_for(piece)
        if command:
            to.print(Text(f"    {command}", style="dim"))
    if not cut.hurts:
        to.print("\nNobody else loses anything.")
        return
    to.print("\nIt cannot be done without others losing something:", style="dark_orange3")
    for hurt in cut.hurts:
        to.print(f"  {hurt.party.name} would lose {', '.join(hurt.loses)}")


for each_command in sameness.COMMANDS:
    party.add_command(each_command)
