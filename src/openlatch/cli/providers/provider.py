"""Providers: outside services on which accounts live, and reading them."""

from __future__ import annotations

import sys
from datetime import datetime
from typing import IO, Any

import click
from rich.progress import BarColumn, MofNCompleteColumn, Progress, SpinnerColumn, TextColumn
from rich.text import Text

from openlatch.cli.acting import confirmed, yes_option
from openlatch.cli.columns import Column, ago, powers
from openlatch.cli.command import Group
from openlatch.cli.config import quiet
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.inventory.view import viewed, with_view
from openlatch.cli.keeping import exports
from openlatch.cli.nouns import PROVIDER, one_of
from openlatch.cli.options import together
from openlatch.cli.output import Listing, going_on, hint, listed, out, output_option, print_one, reports_errors
from openlatch.cli.providers.describe import describe, secret_of, settings_of, shortened
from openlatch.cli.providers.imports import import_list, list_imports, write_template
from openlatch.client import Client
from openlatch.core.phrases import counted
from openlatch.errors import NotFound
from openlatch.wire import messages as wire
from openlatch.words import Listable, ProviderOrder, ProviderState

__all__ = ["provider"]


def _freshness(p: wire.Provider) -> Text:
    if p.by_hand:
        return Text("recorded by hand")
    return Text(ago(p.last_complete), "dark_orange3" if p.stale else "")


def _state(p: wire.Provider) -> Text:
    said = p.state.replace("-", " ")
    if p.state == ProviderState.NOT_VOUCHED_FOR:
        said = f"{counted(p.worn_off, 'entry')} {said} in {counted(p.vouch_days, 'day')}"
    elif p.by_hand:
        said = "all vouched for"
    elif p.latest is not None and p.latest.trouble:
        said = f"{said}: {p.latest.trouble}"
    return Text(said, "dark_orange3" if p.trouble else "")


PROVIDERS: tuple[Column, ...] = (
    Column.ref(lambda p: p.ref),
    Column.who("provider", lambda p: Text(p.name)),
    Column("last complete", _freshness),
    Column.prose("state", _state),
    Column.more("connector", lambda p: p.connector),
    Column.more("entries", lambda p: str(p.latest.seen) if p.latest else ""),
    Column.more("read every", lambda p: "" if p.by_hand else counted(p.read_every, "minute")),
)
_filtered = together(
    [
        click.option("--connector", default="", help="Only those that are read so (openlatch provider connectors)."),
        click.option("--trouble/--well", default=None, help="Only those to which someone has to see, or all others."),
        click.option("--sort", type=one_of(ProviderOrder), default="name", show_default=True, help="What comes first."),
    ]
)


REPORTED: tuple[Column, ...] = (
    Column("received", lambda e: ago(e.received_at)),
    Column.who("about", lambda e: e.party.name if e.party else e.named),
    Column("reported", lambda e: e.reported),
    Column.prose("result", lambda e: e.came_to or "in progress"),
)


_ORIGIN = {"built-in": "its protocol", "stated": "the provider"}
LEVELS: tuple[Column, ...] = (
    Column("word", lambda w: Text(w.word, "bold" if w.origin == "unknown" else "")),
    Column("kind", lambda w: w.kind),
    Column("means", lambda w: Text("unknown", "dark_orange3") if w.origin == "unknown" else powers(w.powers, None)),
    Column.more("powers", lambda w: ", ".join(w.powers)),
    Column("entries", lambda w: str(w.entries)),
    Column("source", lambda w: w.corrected_by or _ORIGIN.get(w.origin, "")),
)


VERSIONS: tuple[Column, ...] = (
    Column("version", lambda v: f"{v.number}" + (", present" if v.present else "")),
    Column("since", lambda v: ago(v.at) if v.at else "not known"),
    Column("by", lambda v: v.by or "not known"),
    Column.prose("changed", lambda v: ", ".join(v.changed) or ("" if v.number > 1 else "the first")),
)


@click.group(cls=Group)
def provider() -> None:
    """Outside services: add, read, correct levels, import lists.

    PROVIDER is a name, an id or its short form.
    """


@provider.command("list", example="--trouble --sort complete")
@click.argument("search", required=False, default="")
@_filtered
@with_view
@listed(*PROVIDERS)
@reports_errors
def list_providers(search: str, view: str, listing: Listing, **wanted: Any) -> None:
    """List the providers, and how old what is known of each is."""
    with connect() as client:
        asked = viewed(client, Listable.PROVIDERS, view, wanted | {"q": search})
        narrowed = any(value for name, value in asked.items() if name != "sort")
        begin = "There are no providers yet. Add one: openlatch provider add --help"
        listing.print(client.providers(**asked), empty="No provider matches." if narrowed else begin)


exports(provider, "providers", _filtered, lambda client: client.providers_export, example="providers.csv --trouble")


@provider.command("show", example="'Ticket Desk'")
@click.argument("provider", type=PROVIDER)
@output_option
@reports_errors
def show(provider: str, output: str) -> None:
    """Show one provider: how it is read, how fresh that is, what can be done there, whose events it takes."""
    with connect() as client:
        p = client.provider(provider)
        if output != "table":
            print_one(p, output)
            return
        try:
            stream = client.event_stream(provider)
        except NotFound:
            stream = None
    can = p.abilities
    facts = (
        ("connector", " ".join([p.connector, *(f"{name}={shortened(value)}" for name, value in p.settings.items())])),
        ("last complete reading", "" if p.by_hand else ago(p.last_complete) + (", too old" if p.stale else "")),
        ("state", _state(p)),
        ("says who people are", "yes, before all others" if p.says_who else ""),
        ("read on its own", "" if p.by_hand else "paused" if p.paused else f"every {p.read_every} minutes"),
        ("lists", ", ".join(can.lists)),
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
            "can also let someone in as",
            ", ".join(can.gives) + (", one for each party" if can.gives and can.one_each else ""),
        ),
    )
    out().print(Text.assemble((p.name, "bold"), ("   " + p.ref, "dim")))
    for name, value in facts:
        if value:
            out().print(Text.assemble((f"  {name:<25}", "dim"), value))
    if stream is not None:
        out().print("\nSecurity events", style="bold")
        _tell_stream(stream)


@provider.command("versions", example="'Ticket Desk'")
@click.argument("provider", type=PROVIDER)
@listed(*VERSIONS)
@reports_errors
def versions(provider: str, listing: Listing) -> None:
    """List how a provider was reached, the latest first, and by whom that was set."""
    with connect() as client:
        listing.print(client.provider_versions(provider), empty="It was never set.")


@provider.command("version", example="'Ticket Desk' 1")
@click.argument("provider", type=PROVIDER)
@click.argument("number", type=int, required=False)
@output_option
@reports_errors
def version(provider: str, number: int | None, output: str) -> None:
    """Print the settings of one version of a provider, by its NUMBER; without one, as it is reached now."""
    with connect() as client:
        there = _version(client, provider, number)
    if output != "table":
        print_one(there, output)
        return
    for name, value in sorted(there.settings.items(), key=lambda pair: "\n" in pair[1]):
        out().print(Text.assemble((f"{name}", "bold"), " = " if "\n" not in value else "\n"), end="")
        click.echo(value)


@provider.command("roll-back", example="'Ticket Desk' 1")
@click.argument("provider", type=PROVIDER)
@click.argument("number", type=int)
@click.option("--secret-file", type=click.File(), help="A file with its password or token, if it is asked for.")
@reports_errors
def roll_back(provider: str, number: int, secret_file: IO[str] | None) -> None:
    """Reach a provider as in an earlier version again, by its NUMBER; it is tried before it is kept."""
    with connect() as client:
        there = _version(client, provider, number)
        secret = secret_of(secret_file) if secret_file else None
        changed = client.change_provider(provider, settings=there.settings, secret=secret)
    click.echo(f"{changed.name} is reached as in version {there.number} again. It is read now.")


def _version(client: Client, provider: str, number: int | None) -> wire.ProviderVersion:
    every = client.provider_versions(provider)
    found = next((one for one in every if number in (None, one.number)), None)
    if found is None:
        numbers = ", ".join(str(one.number) for one in reversed(every))
        raise Failure(f"There is no version {number}. Nothing was changed.", f"There are: {numbers}.", 4)
    return found


@provider.command("connectors")
@output_option
@reports_errors
def connectors(output: str) -> None:
    """List the protocols by which a provider can be reached, with the settings of each."""
    with connect() as client:
        found = list(client.connectors())
    if output != "table":
        for each in found:
            print_one(each, output)
        return
    for connector in found:
        out().print(Text.assemble((connector.name, "bold"), f"  {connector.speaks}"))
        for setting in connector.settings:
            needed = "" if setting.needed else " (optional)"
            out().print(Text.assemble((f"  --set {setting.name}=…", "cyan"), f"  {setting.what}", (needed, "dim")))
        out().print(Text.assemble(("  secret", "cyan"), f"  {connector.secret}"))


@provider.command("add", example="Orchard --connector by-hand")
@click.argument("name")
@click.option("--connector", required=True, help="Its protocol (openlatch provider connectors), or by-hand.")
@click.option("--set", "settings", multiple=True, metavar="NAME=VALUE", help="A setting of that connector; repeatable.")
@click.option("--secret-file", type=click.File(), help="A file with its password or token; - for standard input.")
@click.option("--read-every", default=15, show_default=True, help="Minutes between readings.")
@click.option("--stale-after", default=60, show_default=True, help="Minutes after which a reading is too old.")
@click.option(
    "--vouch-days",
    default=90,
    show_default=True,
    help="With by-hand: days after which an entry has to be confirmed again.",
)
@click.option(
    "--most-gone",
    default=30,
    show_default=True,
    help="Percent of its entries that may be gone at once without you being asked.",
)
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
    """Add a provider under a NAME; it is read at once for the first time.

    With --connector by-hand nothing is read: people record its entries (openlatch entry record, openlatch provider
    import). A value that begins with @ is the name of a file: --set description=@club.toml
    """
    pairs = settings_of(settings)
    secret = "" if connector == "by-hand" and secret_file is None else secret_of(secret_file)
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
    first = (
        "Record its entries: openlatch entry record" if added.by_hand else "Follow its first reading: openlatch read"
    )
    click.echo(f"Added {added.name}. {first} '{added.name}'")


@provider.command("change", example="'Live Sky' --read-every 20")
@click.argument("provider", type=PROVIDER)
@click.option("--name", default=None, help="A new name.")
@click.option("--set", "settings", multiple=True, metavar="NAME=VALUE", help="A setting to change; the others stay.")
@click.option("--secret-file", type=click.File(), help="A file with its new password or token; - for standard input.")
@click.option("--read-every", type=int, help="Minutes between readings.")
@click.option("--stale-after", type=int, help="Minutes after which a reading is too old.")
@click.option("--vouch-days", type=int, help="With by-hand: days after which an entry has to be confirmed again.")
@click.option("--most-gone", type=int, help="Percent of its entries that may be gone at once without you being asked.")
@click.option("--says-who/--no-says-who", default=None, help="Whether its word on who people are goes first.")
@reports_errors
def change(
    provider: str,
    name: str | None,
    settings: tuple[str, ...],
    secret_file: IO[str] | None,
    says_who: bool | None,
    **times: int | None,
) -> None:
    """Change a provider's name, how it is reached, or how often it is read.

    A new setting or secret is tried first: if the provider cannot be read with it, nothing is changed. One provider,
    such as your directory, can say who people are (--says-who): names, addresses, status and sponsors are as it has
    them, whatever others say.
    """
    pairs = settings_of(settings)
    with connect() as client:
        there = client.provider(provider)
        changed = client.change_provider(
            provider,
            name=name,
            settings={**there.settings, **pairs} if pairs else None,
            secret=secret_file.read().strip() if secret_file else None,
            says_who=says_who,
            **{option: value for option, value in times.items() if value is not None},
        )
    read = " It could be read with that, and is read again now." if pairs or secret_file else ""
    click.echo(f"Changed {changed.name}.{read}")


@provider.command("pause", example="'Live Sky'")
@click.argument("provider", type=PROVIDER)
@reports_errors
def pause(provider: str) -> None:
    """Pause the readings of a provider; openlatch read still reads it."""
    with connect() as client:
        the_provider = client.pause_provider(provider)
    click.echo(
        f"{the_provider.name} is no longer read on its own. Resume: openlatch provider resume '{the_provider.name}'"
    )


@provider.command("resume", example="'Plate Archive'")
@click.argument("provider", type=PROVIDER)
@reports_errors
def resume(provider: str) -> None:
    """Resume the readings of a provider; the first is made at once."""
    with connect() as client:
        the_provider = client.resume_provider(provider)
    click.echo(f"{the_provider.name} is read every {the_provider.read_every} minutes again.")


@provider.command("remove", example="'Ticket Desk' --yes")
@click.argument("provider", type=PROVIDER)
@yes_option
@reports_errors
def remove(provider: str, yes: bool) -> None:
    """Remove a provider: it is no longer read, its credentials are deleted, and its entries stay as history.

    Nothing is ended at the provider itself. It cannot be removed while an order, an offer, a request or a round is
    open there.
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


@provider.command("events", example="'Live Sky'")
@click.argument("provider", type=PROVIDER)
@listed(*REPORTED)
@reports_errors
def events(provider: str, listing: Listing) -> None:
    """List the security events that a provider has reported, and what came of each."""
    with connect() as client:
        empty = "Nothing was reported. Take security events: openlatch provider listen --help"
        listing.print(client.security_events(provider), empty=empty)


@provider.command("listen", example="'Live Sky' --issuer https://login.example --keys https://login.example/keys")
@click.argument("provider", type=PROVIDER)
@click.option("--issuer", required=True, help="Its issuer address, exactly as it writes it.")
@click.option("--keys", required=True, help="The address of its public keys (a JSON Web Key set).")
@click.option("--audience", default="", help="The audience of its events; without it, the address made for them here.")
@click.option("--poll", default="", help="Fetch them from this address; without it they are sent to an address here.")
@click.option("--secret-file", type=click.File(), help="With --poll: a file with its token; - for standard input.")
@reports_errors
def listen(provider: str, issuer: str, keys: str, audience: str, poll: str, secret_file: IO[str] | None) -> None:
    """Take security events about a provider's people.

    These are Security Event Tokens: sessions revoked, credentials changed, an account disabled or deleted. Whoever one
    is about is read again at once; what else is done is in the policy: openlatch policy show
    """
    with connect() as client:
        secret = secret_file.read().strip() if secret_file else None
        made = client.listen(provider, issuer, keys, audience=audience, poll=poll, secret=secret)
    _tell_stream(made, made.secret)


@provider.command("stop-listening", example="'Plate Archive' --yes")
@click.argument("provider", type=PROVIDER)
@yes_option
@reports_errors
def stop_listening(provider: str, yes: bool) -> None:
    """Take no more security events about a provider's people."""
    with connect() as client:
        there = client.provider(provider)
        confirmed(f"Take no more security events of “{there.name}”?", yes)
        client.stop_listening(str(there.id))
    click.echo(f"Stopped: no more security events of {there.name} are taken.")


def _tell_stream(stream: wire.EventStream, secret: str = "") -> None:
    facts = (
        ("issuer", stream.issuer),
        ("audience", stream.audience),
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
        out().print("\nEvents must be sent with this secret as a bearer token. It is shown only now:")
        click.echo(secret)


@provider.command("breach", example="'Ticket Desk' --since 2026-01-05 --what 'Passwords were copied'")
@click.argument("provider", type=PROVIDER)
@click.option("--since", type=click.DateTime(["%Y-%m-%d"]), required=True, help="The first day that may be affected.")
@click.option("--what", required=True, help="What it said, in a few words.")
@reports_errors
def breach(provider: str, since: datetime, what: str) -> None:
    """Record that a provider has reported a breach; reviews that wait for one open a round about it."""
    with connect() as client:
        the_provider = client.report_breach(provider, since.date(), what)
    click.echo("Recorded, and whoever manages this workspace was told. See what may be affected:")
    click.echo(f"  openlatch inventory --provider '{the_provider.name}' --kind secret,session")


@provider.command("levels", example="'Ticket Desk'")
@click.argument("provider", type=PROVIDER)
@listed(*LEVELS)
@reports_errors
def levels(provider: str, listing: Listing) -> None:
    """List the levels and permissions of a provider, and what each means in plain powers.

    A word whose meaning is not known is marked unknown: what it allows is in no list of powers until you correct it.
    """
    with connect() as client:
        listing.print(client.levels(provider), empty="No entry of this provider has a level or permission.")


@provider.command("correct-level", example="'Ticket Desk' cashier --powers view,edit,spend")
@click.argument("provider", type=PROVIDER)
@click.argument("word")
@click.option("--powers", "given", metavar="POWERS", help="What WORD allows, separated by commas; none for nothing.")
@click.option("--undo", is_flag=True, help="Undo a correction of WORD.")
@listed(*LEVELS)
@reports_errors
def correct_level(provider: str, word: str, given: str | None, undo: bool, listing: Listing) -> None:
    """Correct what a level or permission of a provider means in plain powers."""
    if (given is None) != undo:
        raise Failure("Say what it means. Nothing was changed.", "Give one of --powers and --undo.", 2)
    means = None if given is None else [] if given == "none" else [part.strip() for part in given.split(",")]
    with connect() as client:
        listing.print(client.correct_level(provider, word, means), empty="")


@provider.command("read", example="'Ticket Desk'")
@click.argument("provider", type=PROVIDER)
@click.option(
    "--accept-loss", is_flag=True, help="Believe that everything it no longer shows is gone, however much that is."
)
@reports_errors
def read(provider: str, accept_loss: bool) -> None:
    """Read a provider now, and follow it."""
    with connect() as client:
        the_provider = client.provider(provider)
        reading = _watch(client, the_provider, client.read(str(the_provider.id), accept_loss=accept_loss))
    counts = ", ".join(
        f"{reading.counts[word]} {word}" for word in ("new", "changed", "gone", "unchanged") if reading.counts
    )
    if reading.state == "complete":
        click.echo(f"{the_provider.name}: complete, {counted(reading.seen, 'entry')}: {counts}.")
        for remark in reading.remarks:
            hint(f"  {remark}")
        return
    if reading.withheld:
        raise Failure(
            f"{the_provider.name}: {reading.trouble}",
            f"Nothing was taken as gone. If they are gone: openlatch read '{the_provider.name}' --accept-loss",
        )
    kept = "Nothing was taken as gone." if reading.state == "partial" else "The inventory stays as it was."
    raise Failure(
        f"{the_provider.name}: {reading.state} after {counted(reading.seen, 'entry')}. {reading.trouble}",
        f"{kept} Its last complete reading was {ago(the_provider.last_complete)}.",
    )


def _watch(client: Client, provider: wire.Provider, reading: wire.Reading) -> wire.Reading:
    columns = (SpinnerColumn(), TextColumn("reading {task.description}"), BarColumn(30), MofNCompleteColumn())
    with Progress(*columns, transient=True, console=going_on(), disable=quiet() or not sys.stderr.isatty()) as progress:
        task = progress.add_task(provider.name, total=None)
        for now in client.follow_reading(reading.id):
            progress.update(task, completed=now.seen, total=now.total)
    return now


for each_command in (describe, import_list, list_imports, write_template):
    provider.add_command(each_command)
