"""Parties: who and what has access, what each can do, and who answers for it."""

from __future__ import annotations

import click
from rich.console import Console
from rich.text import Text

from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.inventory.cells import standing_as, where
from openlatch.cli.nouns import ACCOUNT, PARTY, one_of
from openlatch.cli.output import Column, emit, out, output_option, powers, reports_errors
from openlatch.wire import messages as wire
from openlatch.words import Power

__all__ = ["parties", "reach", "sponsor"]

CHAINS: tuple[Column, ...] = (
    Column("entry", lambda c: c.entry.ref),
    Column("can", lambda c: powers(c.entry.powers, c.entry.used_powers)),
    Column("where", lambda c: where(c.entry)),
    Column("as", lambda c: standing_as(c.entry)),
    Column("through", lambda c: " → ".join(via.party.name for via in c.via) or "directly"),
    Column("ending it alone", lambda c: f"takes away {', '.join(c.loses)}" if c.loses else "changes nothing"),
)


PARTIES: tuple[Column, ...] = (
    Column("id", lambda p: p.ref),
    Column("party", lambda p: p.name),
    Column.address("address", lambda p: ", ".join(p.addresses)),
    Column("kind", lambda p: p.kind),
    Column("status", lambda p: p.status),
    Column("", lambda p: "outside" if p.outside else ""),
    Column("on accounts", lambda p: str(p.on_accounts)),
)


@click.command()
@click.argument("party", type=PARTY)
@click.argument("address", required=False, default="")
@click.option("--none", "nobody", is_flag=True, help="Nobody answers for them any more.")
@reports_errors
def sponsor(party: str, address: str, nobody: bool) -> None:
    """Show who answers for PARTY; with ADDRESS, say that it is whoever of this workspace has it."""
    if address and nobody:
        raise Failure("An address and --none are given. Nothing was changed.", "Give one of the two.", 2)
    with connect() as client:
        the_party = client.sponsor(party, address) if address or nobody else client.party(party)
        who = next(
            (f"{person.name} ({person.address})" for person in client.people() if person.id == the_party.sponsor), ""
        )
    click.echo(f"{who} answers for {the_party.name}." if who else f"Nobody answers for {the_party.name}.")


@click.command()
@click.argument("search", required=False, default="")
@output_option
@reports_errors
def parties(search: str, output: str) -> None:
    """List who and what has access, and on how many accounts."""
    with connect() as client:
        emit(client.parties(search), PARTIES, output, empty="No party matches.")


@click.command()
@click.argument("party", type=PARTY)
@click.option(
    "--account", type=ACCOUNT, default="", help="With --power: what to end so that the party loses it on this account."
)
@click.option("--power", type=one_of(Power), help="With --account: the power that the party should lose.")
@output_option
@reports_errors
def reach(party: str, account: str, power: str | None, output: str) -> None:
    """Show all that PARTY (address, id or short form) can do, directly and through teams.

    \b
    With --account and --power it shows the smallest set of entries and memberships to end so that the party loses
    that power there, while nobody else loses anything; where that is impossible, who would lose what.
    """
    if bool(account) != bool(power):
        raise Failure("--account and --power go together.", "Give both, or neither.", 2)
    with connect() as client:
        if account and power:
            cut = client.smallest_cut(party, account, power)
            if output == "table":
                _cut(out(), cut, power, account)
            else:
                emit([cut], (), output, empty="")
            return
        the_reach = client.reach(party)
        emit(the_reach.chains, CHAINS, output, empty=f"{the_reach.party.name} can do nothing that is known here.")


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
