"""Who is the same as whom: parties that are perhaps one, joined or parted."""

from __future__ import annotations

import click
from rich.text import Text

from openlatch.cli.confirm import confirmed, yes_option
from openlatch.cli.connection import connect
from openlatch.cli.nouns import PARTY, PROVIDER
from openlatch.cli.output import Column, day, emit, out, output_option, reports_errors
from openlatch.wire import messages as wire

__all__ = ["party"]

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
    Column("id", lambda d: d.ref),
    Column.who("party", lambda d: Text(d.one.name)),
    Column.who("other", lambda d: Text(d.other.name)),
    Column("says", lambda d: Text(_SAID[d.verdict])),
    Column.prose("by", lambda d: Text(f"{d.decided_by}, {day(d.decided_at)}")),
    Column.prose("undone", lambda d: Text(f"{d.undone_by}, {day(d.undone_at)}" if d.undone_at else "")),
)
reason_option = click.option("--reason", default="", help="Why; kept with the decision and in the log.")


@click.group()
def party() -> None:
    """Say who is the same as whom.

    Open Latch treats two parties as one only where an address proves it. You decide about the rest.
    """


@party.command("alike")
@click.argument("named", metavar="[PARTY]", type=PARTY, required=False, default="")
@output_option
@reports_errors
def alike(named: str, output: str) -> None:
    """List parties that may be the same.

    With the reasons, and both answers as commands; of PARTY, or of all.
    """
    with connect() as client:
        found = client.perhaps_the_same(named)
    if output != "table":
        emit(found, (), output, empty="")
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
    return "; ".join(f"{key.key} at {key.provider.name}" for key in keys) or "written down here, at no provider"


@party.command("keys")
@click.argument("named", metavar="PARTY", type=PARTY)
@output_option
@reports_errors
def keys(named: str, output: str) -> None:
    """List what providers know PARTY by."""
    with connect() as client:
        emit(client.known_as(named), KEYS, output, empty="No provider knows them: they were written down here.")


@party.command("join")
@click.argument("named", metavar="PARTY", type=PARTY)
@click.argument("other", type=PARTY)
@reason_option
@yes_option
@reports_errors
def join(named: str, other: str, reason: str, yes: bool) -> None:
    """Join two parties into one.

    All that OTHER has is PARTY's from then on; openlatch party undo takes it back.
    """
    with connect() as client:
        first, second = client.party(named), client.party(other)
        confirmed(f"Are {first.name} ({first.ref}) and {second.name} ({second.ref}) the same?", yes)
        _told(client.join(str(first.id), str(second.id), reason=reason))


@party.command("keep-apart")
@click.argument("named", metavar="PARTY", type=PARTY)
@click.argument("other", type=PARTY)
@reason_option
@reports_errors
def keep_apart(named: str, other: str, reason: str) -> None:
    """Keep two parties apart.

    You are not asked again whether PARTY and OTHER are the same.
    """
    with connect() as client:
        _told(client.keep_apart(named, other, reason=reason))


@party.command("part")
@click.argument("named", metavar="PARTY", type=PARTY)
@click.argument("provider", type=PROVIDER)
@click.argument("key")
@reason_option
@yes_option
@reports_errors
def part(named: str, provider: str, key: str, reason: str, yes: bool) -> None:
    """Split one key off a party.

    What PROVIDER knows as KEY becomes a party of its own; openlatch party keys PARTY lists the keys.
    """
    with connect() as client:
        the_party = client.party(named)
        confirmed(f"Is “{key}” at {provider} somebody else than {the_party.name} ({the_party.ref})?", yes)
        _told(client.part(str(the_party.id), provider, key, reason=reason))


@party.command("decisions")
@output_option
@reports_errors
def decisions(output: str) -> None:
    """List what was joined, parted or kept apart."""
    with connect() as client:
        emit(
            client.sameness_decisions(), DECISIONS, output, empty="Nobody has joined, parted or kept apart anyone yet."
        )


@party.command("undo")
@click.argument("decision")
@reports_errors
def undo(decision: str) -> None:
    """Undo one of these decisions, by its id."""
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
