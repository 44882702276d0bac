"""Who is the same as whom: parties that are perhaps one, joined or parted."""

from __future__ import annotations

import click
from rich.text import Text

from openlatch.cli.acting import confirmed, reason_option, yes_option
from openlatch.cli.columns import Column, day
from openlatch.cli.command import Command
from openlatch.cli.connection import connect
from openlatch.cli.nouns import PARTY, PROVIDER
from openlatch.cli.output import Listing, listed, out, output_option, print_one, reports_errors
from openlatch.wire import messages as wire

__all__ = ["COMMANDS"]

KEYS: tuple[Column, ...] = (
    Column("provider", lambda k: Text(k.provider.name)),
    Column("key", lambda k: Text(k.key)),
    Column.who("name", lambda k: Text(k.name)),
    Column.address("addresses", lambda k: Text(", ".join(k.addresses))),
)
_SAID = {
    "joined": "are one",
    "apart": "are two",
    "parted": "were parted",
}
DECISIONS: tuple[Column, ...] = (
    Column.ref(lambda d: d.ref),
    Column.who("party", lambda d: Text(d.one.name)),
    Column.who("other", lambda d: Text(d.other.name)),
    Column("says", lambda d: Text(_SAID[d.verdict])),
    Column.prose("by", lambda d: Text(f"{d.decided_by}, {day(d.decided_at)}")),
    Column.prose("undone", lambda d: Text(f"{d.undone_by}, {day(d.undone_at)}" if d.undone_at else "")),
)


@click.command("alike", cls=Command, example="{tomas}")
@click.argument("named", metavar="[PARTY]", type=PARTY, required=False, default="")
@output_option
@reports_errors
def alike(named: str, output: str) -> None:
    """List parties that may be the same.

    With the reasons, and both answers as commands; for one PARTY, or for all.
    """
    with connect() as client:
        found = client.perhaps_the_same(named)
    if output != "table":
        for each in found:
            print_one(each, output)
        return
    paper = out()
    for one in found:
        paper.print(Text.assemble((_named(one.one), "bold"), " and ", (_named(one.other), "bold")))
        for reason in one.reasons:
            paper.print(Text(f"  {reason.says}"))
        for side in (one.one, one.other):
            paper.print(Text(f"  {side.party.ref}  {_known(side.keys)}", style="dim"))
        paper.print(Text(f"  One:  openlatch party join {one.one.party.ref} {one.other.party.ref}"))
        paper.print(Text(f"  Two:  openlatch party keep-apart {one.one.party.ref} {one.other.party.ref}\n"))
    if not found:
        paper.print("No two parties are perhaps the same.")


def _named(side: wire.AlikeParty) -> str:
    return side.party.name or (side.party.addresses or [side.party.ref])[0]


def _known(keys: list[wire.KnownAs]) -> str:
    return "; ".join(f"{key.key} at {key.provider.name}" for key in keys) or "recorded here, known to no provider"


@click.command("keys", cls=Command, example="{tomas}")
@click.argument("named", metavar="PARTY", type=PARTY)
@listed(*KEYS)
@reports_errors
def keys(named: str, listing: Listing) -> None:
    """List what providers know a party by."""
    with connect() as client:
        listing.print(client.known_as(named), empty="No provider knows them: they were recorded here.")


@click.command("join", cls=Command, example="{mina} {mina_too} --reason 'She told me' --yes")
@click.argument("named", metavar="PARTY", type=PARTY)
@click.argument("other", type=PARTY)
@reason_option
@yes_option
@reports_errors
def join(named: str, other: str, reason: str, yes: bool) -> None:
    """Join two parties into one.

    Everything OTHER has belongs to PARTY from then on; openlatch party undo takes it back.
    """
    with connect() as client:
        first, second = client.party(named), client.party(other)
        confirmed(f"Are {first.name} ({first.ref}) and {second.name} ({second.ref}) the same?", yes)
        _told(client.join(str(first.id), str(second.id), reason=reason))


@click.command("keep-apart", cls=Command, example="{tomas} {tomas_too}")
@click.argument("named", metavar="PARTY", type=PARTY)
@click.argument("other", type=PARTY)
@reason_option
@reports_errors
def keep_apart(named: str, other: str, reason: str) -> None:
    """Keep two parties apart.

    Nobody is asked again whether PARTY and OTHER are the same.
    """
    with connect() as client:
        _told(client.keep_apart(named, other, reason=reason))


@click.command("part", cls=Command, example="{ada} 'Plate Archive' ada-s --yes")
@click.argument("named", metavar="PARTY", type=PARTY)
@click.argument("provider", type=PROVIDER)
@click.argument("key")
@reason_option
@yes_option
@reports_errors
def part(named: str, provider: str, key: str, reason: str, yes: bool) -> None:
    """Part one key from a party.

    What PROVIDER knows as KEY becomes a party of its own; openlatch party keys PARTY lists the keys.
    """
    with connect() as client:
        the_party = client.party(named)
        confirmed(f"Is “{key}” at {provider} someone else than {the_party.name} ({the_party.ref})?", yes)
        _told(client.part(str(the_party.id), provider, key, reason=reason))


@click.command("decisions", cls=Command)
@listed(*DECISIONS)
@reports_errors
def decisions(listing: Listing) -> None:
    """List which parties were joined, parted or kept apart, and by whom."""
    with connect() as client:
        listing.print(client.sameness_decisions(), empty="Nobody has joined, parted or kept apart any parties yet.")


@click.command("undo", cls=Command, example="{said}")
@click.argument("decision")
@reports_errors
def undo(decision: str) -> None:
    """Undo one of these decisions, by its short form."""
    with connect() as client:
        _told(client.undo_sameness(decision))


def _told(decision: wire.SamenessDecision) -> None:
    names = f"{decision.one.name} ({decision.one.ref}) and {decision.other.name} ({decision.other.ref})"
    if decision.undone_at is not None:
        again = {"joined": "are two again", "apart": "may be the same again", "parted": "are one again"}[
            decision.verdict
        ]
        click.echo(f"{names} {again}.")
        return
    says = {"joined": "are one now", "apart": "are kept apart", "parted": "are two now"}[decision.verdict]
    click.echo(f"{names} {says}. Undo it: openlatch party undo {decision.ref}")


COMMANDS = (alike, join, keep_apart, part, keys, decisions, undo)
"""What the noun party can do about who is who."""
