"""Providers, and reading one."""

from __future__ import annotations

import sys
from datetime import datetime
from typing import IO

import click
from rich.progress import BarColumn, MofNCompleteColumn, Progress, SpinnerColumn, TextColumn
from rich.text import Text

from openlatch.cli.confirm import confirmed, yes_option
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.nouns import PROVIDER
from openlatch.cli.output import Column, ago, emit, out, output_option, powers, reports_errors
from openlatch.client import Client
from openlatch.wire import messages as wire

__all__ = ["levels", "providers", "read"]


def _freshness(p: wire.Provider) -> Text:
    if p.by_hand:
        return Text("kept by hand")
    return Text(ago(p.last_complete), "dark_orange3" if p.stale else "")


def _latest(p: wire.Provider) -> str:
    if p.by_hand:
        entries = "1 entry" if p.worn_off == 1 else f"{p.worn_off} entries"
        return f"{entries} not vouched for in {p.vouch_days} days" if p.worn_off else "all vouched for"
    if p.latest is None:
        return "not read yet"
    return f"{p.latest.state}: {p.latest.trouble}" if p.latest.trouble else p.latest.state


PROVIDERS: tuple[Column, ...] = (
    Column("id", lambda p: p.ref),
    Column("provider", lambda p: p.name),
    Column("connector", lambda p: p.connector),
    Column("last complete reading", _freshness),
    Column.prose("latest reading", _latest),
)


REPORTED: tuple[Column, ...] = (
    Column("received", lambda e: ago(e.received_at)),
    Column.who("whom", lambda e: e.party.name if e.party else e.named),
    Column("reported", lambda e: e.reported),
    Column.prose("what came of it", lambda e: e.came_to or "in progress"),
)


_ORIGIN = {"built-in": "its protocol", "stated": "the provider"}
LEVELS: tuple[Column, ...] = (
    Column("word", lambda w: Text(w.word, "bold" if w.origin == "unknown" else "")),
    Column("kind", lambda w: w.kind),
    Column("means", lambda w: Text("unknown", "dark_orange3") if w.origin == "unknown" else powers(w.powers, None)),
    Column("", lambda w: ", ".join(w.powers)),
    Column("entries", lambda w: str(w.entries)),
    Column("says who", lambda w: w.corrected_by or _ORIGIN.get(w.origin, "")),
)


@click.group(invoke_without_command=True)
@output_option
@click.pass_context
@reports_errors
def providers(ctx: click.Context, output: str) -> None:
    """List the outside services, and how old what is known of each is."""
    if ctx.invoked_subcommand is None:
        with connect() as client:
            emit(
                client.providers(), PROVIDERS, output, empty="No provider yet. Add one: openlatch providers add --help"
            )


@providers.command()
@click.argument("provider", type=PROVIDER)
@reports_errors
def show(provider: str) -> None:
    """Show how PROVIDER is read, how fresh what is known of it is, and what can be done there."""
    with connect() as client:
        p = client.provider(provider)
    can = p.abilities
    facts = (
        ("connector", " ".join([p.connector, *(f"{name}={value}" for name, value in p.settings.items())])),
        ("last complete reading", "" if p.by_hand else ago(p.last_complete) + (", too old" if p.stale else "")),
        ("latest reading", _latest(p)),
        ("read by itself", "" if p.by_hand else "paused" if p.paused else f"every {p.read_every} minutes"),
        ("shows", ", ".join(can.lists)),
        ("ends", ", ".join(can.ends) + ("" if can.at_once else ", when their device next connects")),
        ("may ask", can.consent),
        ("who can give it again", "" if p.by_hand else {"holder": "you", "party": "they"}.get(can.redone_by, "either")),
        ("can also narrow", ", ".join(can.narrows)),
        ("can also pause", ", ".join(can.pauses)),
        ("can also set an end for", ", ".join(can.dates)),
        ("can also extend the end of", ", ".join(can.prolongs)),
        ("can also add parts to", ", ".join(can.widens)),
        ("can also raise the level of", ", ".join(can.raises)),
        (
            "can also let somebody in as",
            ", ".join(can.gives) + (", one for each party" if can.gives and can.one_each else ""),
        ),
    )
    out().print(Text.assemble((p.name, "bold"), ("   " + p.ref, "dim")))
    for name, value in facts:
        if value:
            out().print(Text.assemble((f"  {name:<25}", "dim"), value))


@providers.command()
@output_option
@reports_errors
def connectors(output: str) -> None:
    """List the connectors that can be used to add a provider, with the settings of each."""
    with connect() as client:
        if output != "table":
            emit(client.connectors(), (), output, empty="")
            return
        for connector in client.connectors():
            out().print(Text.assemble((connector.name, "bold"), f"  {connector.speaks}"))
            for setting in connector.settings:
                needed = "" if setting.needed else " (can be left out)"
                out().print(Text.assemble((f"  --set {setting.name}=…", "cyan"), f"  {setting.what}", (needed, "dim")))
            out().print(Text.assemble(("  secret", "cyan"), f"  {connector.secret}"))


@providers.command()
@click.argument("name")
@click.option("--connector", required=True, help="The protocol it speaks (openlatch providers connectors), or by-hand.")
@click.option("--set", "settings", multiple=True, metavar="NAME=VALUE", help="A setting of that connector; repeatable.")
@click.option("--secret-file", type=click.File(), help="A file with its password or token; - for standard input.")
@click.option("--read-every", default=15, show_default=True, help="Minutes between readings.")
@click.option("--stale-after", default=60, show_default=True, help="Minutes after which a reading is too old.")
@click.option("--vouch-days", default=90, show_default=True, help="Kept by hand: how long vouching holds.")
@click.option("--most-gone", default=30, show_default=True, help="Percent of the entries that may vanish unasked.")
@reports_errors
def add(
    name: str,
    connector: str,
    settings: tuple[str, ...],
    secret_file: IO[str] | None,
    read_every: int,
    stale_after: int,
    most_gone: int,
    vouch_days: int,
) -> None:
    """Add the provider NAME; it is read at once for the first time.

    With --connector by-hand nothing is read: its entries are kept by people (openlatch keep, openlatch import).
    """
    pairs = dict(pair.partition("=")[::2] for pair in settings)
    secret = (
        secret_file.read().strip()
        if secret_file
        else ""
        if connector == "by-hand"
        else click.prompt("Secret", hide_input=True, default="", show_default=False)
    )
    with connect() as client:
        added = client.add_provider(
            name,
            connector,
            pairs,
            secret,
            read_every=read_every,
            stale_after=stale_after,
            most_gone=most_gone,
            vouch_days=vouch_days,
        )
    first = "Keep its entries: openlatch keep" if added.by_hand else "Watch its first reading: openlatch read"
    click.echo(f"Added {added.name}. {first} '{added.name}'")


@providers.command()
@click.argument("provider", type=PROVIDER)
@click.option("--name", default=None, help="Call it something else.")
@click.option("--set", "settings", multiple=True, metavar="NAME=VALUE", help="A setting to change; the others stay.")
@click.option("--secret-file", type=click.File(), help="A file with its new password or token; - for standard input.")
@click.option("--read-every", type=int, help="Minutes between readings.")
@click.option("--stale-after", type=int, help="Minutes after which a reading is too old.")
@click.option("--vouch-days", type=int, help="Kept by hand: how long vouching holds.")
@click.option("--most-gone", type=int, help="Percent of the entries that may vanish unasked.")
@reports_errors
def change(
    provider: str, name: str | None, settings: tuple[str, ...], secret_file: IO[str] | None, **times: int | None
) -> None:
    """Change how PROVIDER is called, reached and read.

    Another setting or secret is tried before it is kept: if PROVIDER cannot be read by it, nothing is changed.
    """
    pairs = dict(pair.partition("=")[::2] for pair in settings)
    with connect() as client:
        there = client.provider(provider)
        changed = client.change_provider(
            provider,
            name=name,
            settings={**there.settings, **pairs} if pairs else None,
            secret=secret_file.read().strip() if secret_file else None,
            **{option: value for option, value in times.items() if value is not None},
        )
    read = " It was read by that, and is read again now." if pairs or secret_file else ""
    click.echo(f"Changed {changed.name}.{read}")


@providers.command()
@click.argument("provider", type=PROVIDER)
@reports_errors
def pause(provider: str) -> None:
    """Read PROVIDER by itself no more, until you resume that; openlatch read still does."""
    with connect() as client:
        the_provider = client.pause_provider(provider)
    click.echo(
        f"{the_provider.name} is not read by itself any more. Again: openlatch providers resume '{the_provider.name}'"
    )


@providers.command()
@click.argument("provider", type=PROVIDER)
@reports_errors
def resume(provider: str) -> None:
    """Read a paused PROVIDER by itself again, at once for the first time."""
    with connect() as client:
        the_provider = client.resume_provider(provider)
    click.echo(f"{the_provider.name} is read every {the_provider.read_every} minutes again.")


@providers.command()
@click.argument("provider", type=PROVIDER)
@yes_option
@reports_errors
def remove(provider: str, yes: bool) -> None:
    """Remove PROVIDER: it is read no more, its credentials are deleted, and its entries stay as history.

    Nothing is ended at PROVIDER. It cannot be removed while an order, an offer, a request or a round is open there.
    """
    with connect() as client:
        there = client.provider(provider)
        removal = client.provider_removal(str(there.id))
        if removal.hindrances:
            wrong = "\n  ".join(f"{hindrance.says} {hindrance.next_step}" for hindrance in removal.hindrances)
            raise Failure(f"{removal.provider} cannot be removed yet. Nothing was changed.", wrong)
        out().print(Text.assemble((removal.provider, "bold"), ("   " + there.ref, "dim")))
        for sentence in removal.says:
            out().print(f"  {sentence}")
        confirmed(f"Remove “{removal.provider}”?", yes)
        client.remove_provider(str(there.id), entries=removal.entries)
    click.echo(f"Removed: {removal.provider}.")


@providers.command()
@click.argument("provider", type=PROVIDER)
@output_option
@reports_errors
def events(provider: str, output: str) -> None:
    """List what PROVIDER has reported of somebody by security events, and what came of it."""
    with connect() as client:
        empty = "Nothing was reported. Hear what is: openlatch providers listen --help"
        emit(client.security_events(provider), REPORTED, output, empty=empty)


@providers.command()
@click.argument("provider", type=PROVIDER)
@click.option("--issuer", default="", help="Whose events they are, exactly as it calls itself.")
@click.option("--keys", default="", help="Where its public keys can be read (a JSON Web Key set).")
@click.option("--audience", default="", help="For whom they are; without it, for the address that is made here.")
@click.option("--poll", default="", help="Fetch them from this address; without it they are sent to an address here.")
@click.option("--secret-file", type=click.File(), help="With --poll: a file with its token; - for standard input.")
@click.option("--stop", is_flag=True, help="Hear them no more.")
@reports_errors
def listen(
    provider: str, issuer: str, keys: str, audience: str, poll: str, secret_file: IO[str] | None, *, stop: bool
) -> None:
    """Say from whom the security events of PROVIDER come, or show it.

    \b
    These are Security Event Tokens: sessions revoked, credentials changed, an
    account disabled or deleted. Whoever one is about is read again at once;
    what else is done is in the policy: openlatch policy show
    """
    if bool(issuer) != bool(keys) or (stop and issuer):
        raise Failure("--issuer goes with --keys, and neither with --stop.", "Give both, or --stop alone.", 2)
    with connect() as client:
        if stop:
            client.stop_listening(provider)
            click.echo("Stopped listening.")
        elif issuer:
            secret = secret_file.read().strip() if secret_file else None
            made = client.listen(provider, issuer, keys, audience=audience, poll=poll, secret=secret)
            _tell_stream(made, made.secret)
        else:
            _tell_stream(client.event_stream(provider))


def _tell_stream(stream: wire.EventStream, secret: str = "") -> None:
    facts = (
        ("issuer", stream.issuer),
        ("for", stream.audience),
        ("keys", stream.keys),
        ("fetched from", stream.poll),
        ("sent to", stream.address),
        ("last received", ago(stream.heard_at) if stream.heard_at else "never"),
        ("trouble", stream.trouble),
    )
    for name, value in facts:
        if value:
            out().print(Text.assemble((f"  {name:<14}", "dim"), value), soft_wrap=True)
    if secret:
        out().print("\nThey are to be sent with this secret as a bearer token. It is shown this once:")
        click.echo(secret)


@providers.command()
@click.argument("provider", type=PROVIDER)
@click.option("--since", type=click.DateTime(["%Y-%m-%d"]), required=True, help="The first day on which it may matter.")
@click.option("--what", required=True, help="What it said, in a few words.")
@reports_errors
def breach(provider: str, since: datetime, what: str) -> None:
    """Keep that PROVIDER has reported a breach; reviews that wait for one open a round about it."""
    with connect() as client:
        the_provider = client.report_breach(provider, since.date(), what)
    click.echo(f"Kept, and everybody who looks after this workspace was told. What lives at {the_provider.name}:")
    click.echo(f"  openlatch inventory --provider '{the_provider.name}' --kind secret,session")


@click.command()
@click.argument("provider", type=PROVIDER)
@click.argument("word", required=False)
@click.option("--means", metavar="POWERS", help="The powers that WORD gives, separated by commas; none for no power.")
@click.option("--take-back", is_flag=True, help="Forget a correction of WORD.")
@output_option
@reports_errors
def levels(provider: str, word: str | None, means: str | None, take_back: bool, output: str) -> None:
    """Show the levels and permissions of PROVIDER and what they mean in plain powers, or correct one.

    \b
    A word that nobody has given a meaning is marked unknown: what it allows is in no list of powers.
    Correct one with: openlatch levels PROVIDER WORD --means view,edit
    """
    if (word is None) != (means is None and not take_back) or (means is not None and take_back):
        raise Failure("WORD goes with one of --means and --take-back.", "Give both, or neither to only look.", 2)
    with connect() as client:
        if word is None:
            the_levels = client.levels(provider)
        else:
            given = None if means is None else [] if means == "none" else [p.strip() for p in means.split(",")]
            the_levels = client.correct_level(provider, word, given)
        emit(the_levels, LEVELS, output, empty="No entry of this provider carries a level or permission.")


@click.command()
@click.argument("provider", type=PROVIDER)
@click.option("--accept-loss", is_flag=True, help="What it no longer shows is really gone, however much that is.")
@reports_errors
def read(provider: str, accept_loss: bool) -> None:
    """Read PROVIDER (id, short form or name) now, and watch it."""
    with connect() as client:
        the_provider = client.provider(provider)
        reading = _watch(client, the_provider, client.read(str(the_provider.id), accept_loss=accept_loss))
    counts = ", ".join(
        f"{reading.counts[word]} {word}" for word in ("new", "changed", "gone", "unchanged") if reading.counts
    )
    if reading.state == "complete":
        click.echo(f"{the_provider.name}: complete, {reading.seen} entries: {counts}.")
        for remark in reading.remarks:
            click.echo(f"  {remark}")
        return
    if reading.withheld:
        raise Failure(
            f"{the_provider.name}: {reading.trouble}",
            f"Nothing was concluded to be gone. If they are: openlatch read '{the_provider.name}' --accept-loss",
        )
    kept = "Nothing was concluded to be gone." if reading.state == "partial" else "The inventory stays as it was."
    raise Failure(
        f"{the_provider.name}: {reading.state} after {reading.seen} entries. {reading.trouble}",
        f"{kept} Its last complete reading was {ago(the_provider.last_complete)}.",
    )


def _watch(client: Client, provider: wire.Provider, reading: wire.Reading) -> wire.Reading:
    columns = (SpinnerColumn(), TextColumn("reading {task.description}"), BarColumn(30), MofNCompleteColumn())
    with Progress(*columns, transient=True, disable=not sys.stderr.isatty()) as progress:
        task = progress.add_task(provider.name, total=None)
        for now in client.follow_reading(reading.id):
            progress.update(task, completed=now.seen, total=now.total)
    return now
