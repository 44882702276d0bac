"""The inventory: entries, accounts, parties, flags."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar
from urllib.parse import parse_qsl

import click
from click.core import ParameterSource
from rich.console import Console
from rich.text import Text

from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.inventory.cells import COLUMNS, chosen, parts, state_of, used
from openlatch.cli.nouns import ACCOUNT, ENTRY, PARTY, PROVIDER, RULE, one_of
from openlatch.cli.output import Column, ago, day, emit, last_day, out, output_option, reports_errors
from openlatch.cli.rules.flags import tell_flag
from openlatch.client import Client
from openlatch.wire import messages as wire
from openlatch.words import EntryOrder, Power

__all__ = [
    "export",
    "filtered",
    "inventory",
    "open_",
    "show",
    "views",
]

F = TypeVar("F", bound=Callable[..., Any])


_FILTERS = (
    click.argument("search", required=False, default=""),
    click.option("--state", default="standing", show_default=True, help="States, separated by commas."),
    click.option("--kind", default="", help="Kinds, separated by commas: delegate, grant, session …"),
    click.option("--power", default="", help=f"Powers, any of: {', '.join(Power)}."),
    click.option("--provider", type=PROVIDER, default="", help="Only this provider."),
    click.option("--account", type=ACCOUNT, default="", help="Only this account."),
    click.option("--party", type=PARTY, default="", help="Only this party, by address or id."),
    click.option("--flagged/--not-flagged", default=None, help="Only what carries a flag, or only what carries none."),
    click.option("--rule", type=RULE, default="", help="Only what this rule flags."),
    click.option("--outside/--inside", default=None, help="Only parties outside the circle, or only those in it."),
    click.option("--mine", is_flag=True, help="Only your own access, by your address."),
    click.option("--unknown/--known", default=None, help="Only what has a level or permission nobody gave a meaning."),
    click.option("--risk", type=click.IntRange(0, 100), default=0, help="Only what has this risk or more, 0 to 100."),
    click.option("--ends", type=click.Choice(["none", "dated", "unknown"]), default=None, help="By its end."),
    click.option(
        "--sort",
        type=one_of(EntryOrder),
        default="severity",
        show_default=True,
    ),
)


def filtered(function: F) -> F:
    """Give a command the search and the filters of the inventory."""
    for option in reversed(_FILTERS):
        function = option(function)
    return function


@click.command()
@filtered
@click.option("--limit", default=50, show_default=True, help="How many at most; 0 for all.")
@click.option("--view", default="", help="A view of yours (openlatch views); what you add to it comes on top.")
@click.option("--columns", default="", help=f"Which columns, separated by commas: {', '.join(COLUMNS)}.")
@output_option
@reports_errors
def inventory(output: str, search: str, limit: int, view: str, **wanted: Any) -> None:
    """List who has access to what, the worst flagged first; SEARCH is part of a name, address, account or level."""
    wanted = {name: value for name, value in wanted.items() if value is not None} | {"q": search}
    with connect() as client:
        if view:
            wanted = _of_view(client, view) | {name: value for name, value in wanted.items() if _asked(name)}
        _inventory(client, wanted, limit, output)


def _asked(name: str) -> bool:
    """Whether a person gave an option themselves, rather than leaving it as it is."""
    parameter = {"q": "search"}.get(name, name)
    source = click.get_current_context().get_parameter_source(parameter)
    return source is not None and source is not ParameterSource.DEFAULT


def _of_view(client: Client, name: str) -> dict[str, Any]:
    return dict(parse_qsl(_view(client, name).query, keep_blank_values=True))


def _view(client: Client, name: str) -> wire.View:
    the_view = next((view for view in client.views() if view.name.casefold() == name.casefold()), None)
    if the_view is None:
        raise Failure(f"You have no view “{name}”.", "List yours: openlatch views", 4)
    return the_view


def _inventory(client: Client, wanted: dict[str, Any], limit: int, output: str) -> None:
    columns = chosen(wanted.pop("columns", ""))
    entries = client.entries(limit=limit or None, **wanted)
    emit(entries, columns, output, empty="Nothing in the inventory matches.")
    if output == "table":
        wanted.pop("sort", None)
        _footer(out(), client, client.summary(**wanted), limit)


def _footer(to: Console, client: Client, summary: wire.Summary, limit: int) -> None:
    shown = min(limit or summary.entries, summary.entries)
    to.print(
        f"\n{shown} of {summary.entries} entries on {summary.accounts} accounts. "
        f"{summary.flagged} carry a flag, {summary.severe} of them high or critical.",
        style="dim",
    )
    _freshness(to, client)


def _freshness(to: Console, client: Client) -> None:
    """Say how old what is shown is, as every list has to."""
    providers = client.providers()
    fresh = [p for p in providers if not p.by_hand and not p.stale and not (p.latest and p.latest.trouble)]
    if len(fresh) > 1:
        oldest = min(p.last_complete for p in fresh if p.last_complete)
        to.print(f"{len(fresh)} providers were read completely, the oldest {ago(oldest)}.", style="dim")
    for provider in providers:
        if provider in fresh and len(fresh) > 1:
            continue
        style = "dark_orange3" if provider.stale or provider.worn_off else "dim"
        if provider.by_hand:
            entries = "entry" if provider.worn_off == 1 else "entries"
            worn = f", {provider.worn_off} {entries} not vouched for in {provider.vouch_days} days"
            to.print(f"{provider.name}: kept by hand{worn if provider.worn_off else ''}", style=style)
            continue
        note = (
            f" ({provider.latest.state}: {provider.latest.trouble})"
            if provider.latest and provider.latest.trouble
            else ""
        )
        to.print(f"{provider.name}: last complete reading {ago(provider.last_complete)}{note}", style=style)


@click.command()
@click.argument("file", type=click.Path(dir_okay=False, writable=True, path_type=Path))
@filtered
@reports_errors
def export(file: Path, search: str, **wanted: Any) -> None:
    """Write the inventory, or the part of it that the filters leave, to FILE: .csv, .jsonl or .xlsx."""
    kind = file.suffix.removeprefix(".").lower()
    if kind not in ("csv", "jsonl", "xlsx"):
        raise Failure(
            f"“{file.name}” is not a name for a file of a kind that is known.", "End it in .csv, .jsonl or .xlsx.", 2
        )
    wanted = {name: value for name, value in wanted.items() if value is not None} | {"q": search}
    half, written = file.with_name(f".{file.name}.new"), 0
    try:
        with connect() as client, half.open("wb") as whole:
            for piece in client.export_pieces(file_format=kind, **wanted):
                written += whole.write(piece)
        half.replace(file)
    except OSError as error:
        raise OSError(error.errno, error.strerror, str(file)) from error
    finally:
        half.unlink(missing_ok=True)
    click.echo(f"Wrote {written} bytes to {file}.")


@click.command()
@click.argument("entry", type=ENTRY)
@output_option
@reports_errors
def show(entry: str, output: str) -> None:
    """Show ENTRY (id or short form) with all that is known of it."""
    with connect() as client:
        the_entry = client.entry(entry)
        if output != "table":
            emit([the_entry], (), output, empty="")
            return
        _details(out(), the_entry, client.me().workspace.zone)
        _freshness(out(), client)


def _worn(vouched: wire.Vouched) -> str:
    return ", which no longer counts" if vouched.worn_off else ""


def _details(to: Console, e: wire.Entry, zone: str) -> None:
    to.print(Text.assemble((e.party.name, "bold"), f" on {e.account.name}, {e.provider.name}", ("   " + e.ref, "dim")))
    facts = (
        ("address", ", ".join(e.party.addresses) + ("  (outside the circle)" if e.party.outside else "")),
        ("known there as", e.subject),
        ("status", "has left" if e.party.status == "left" else ""),
        ("as", f"{e.kind} “{e.level}”, {state_of(e)}" + (f" ({e.end_reason})" if e.end_reason else "")),
        ("can", ", ".join(e.powers) or ("not known" if e.unknown else "nothing beyond signing in")),
        ("used", "not told which" if e.used_powers is None else ", ".join(e.used_powers) or "none of it"),
        ("in the provider's words", "; ".join(e.permissions)),
        ("not known", "; ".join(e.unknown)),
        ("publisher", " · ".join(word for word in (e.party.publisher, e.party.home) if word)),
        ("parts", parts(e.resources)),
        ("given", " by ".join(word for word in (day(e.given_at, zone), e.given_by) if word)),
        ("because", e.basis),
        ("last used", f"{day(e.last_used, zone)} ({ago(e.last_used)})" if e.last_used else used(e)),
        ("hours", f"{e.hours.text} ({e.hours.zone})" if e.hours else ""),
        ("ends", "unknown" if e.end_unknown else last_day(e.ends_at, zone) or "no end"),
        ("reviewed", ", ".join(day(at, zone) for at in e.reviewed_at) or "never"),
        ("device", e.device),
        ("network" if e.kind == "session" else "only from", e.network),
        ("depends on it", "; ".join(d.what for d in e.dependencies)),
        ("vouched for", f"{ago(e.vouched.at)} by {e.vouched.by}" + _worn(e.vouched) if e.vouched else ""),
        ("since" if e.end_reason == "provider-removed" else "ended", day(e.ended_at, zone)),
        ("risk", f"{e.risk} of 100"),
    )
    for name, value in facts:
        if value:
            to.print(Text.assemble((f"  {name:<24}", "dim"), value))
    for line in e.risk_lines:
        to.print(Text.assemble(("  " + " " * 24, "dim"), f"{line.points:+4}  ", (line.says, "dim")))
    if e.acts:
        can = [act.action if act.here else f"{act.action} (by hand, at {e.provider.name})" for act in e.acts]
        to.print(Text.assemble(("\n  Can be ordered: ", "bold"), ", ".join(can)))
    if e.advice is not None:
        to.print(Text.assemble(("\n  Advice: ", "bold"), e.advice.text))
    for flag in e.flags:
        to.print()
        tell_flag(to, flag, zone)
    if e.order is not None:
        to.print()
        to.print(f"Order {e.order.ref}: {e.order.state}, given by {e.order.ordered_by}. {e.order.why}".rstrip())
    elif e.by_hand and e.state != "ended":
        to.print(f"\nStill there: openlatch vouch {e.ref}    Ended: openlatch gone {e.ref}", style="dim")
    elif e.state != "ended":
        to.print(f"\nTake it back: openlatch end {e.ref} --dry-run", style="dim")


@click.command(name="open")
@click.option("--readable", is_flag=True, help="Only what anyone can read.")
@click.option("--changeable", is_flag=True, help="Only what anyone can change.")
@click.option("--limit", default=50, show_default=True, help="How many at most; 0 for all.")
@output_option
@reports_errors
def open_(readable: bool, changeable: bool, limit: int, output: str) -> None:
    """List what is open to anyone, over all accounts: to read, to change, or either."""
    wanted: dict[str, Any] = {"kind": "open"}
    if readable != changeable:
        wanted["power"] = "view,export" if readable else "edit,publish,admit,own,spend,withdraw"
    with connect() as client:
        _inventory(client, wanted, limit, output)


@click.command()
@click.option("--save", metavar="NAME", help="Save a view under this name; the filters follow as in --query.")
@click.option("--query", default="", help="Filters as in an address, such as kind=app&flagged=true.")
@click.option("--delete", metavar="NAME", help="Delete a view.")
@output_option
@reports_errors
def views(save: str | None, query: str, delete: str | None, output: str) -> None:
    """List your saved views of the inventory, save one, or delete one. Use one: openlatch inventory --view NAME"""
    with connect() as client:
        if save:
            client.save_view(save, query.lstrip("?"))
        if delete:
            client.remove_view(_view(client, delete).id)
        columns: tuple[Column, ...] = (
            Column("view", lambda v: Text(v.name)),
            Column("filters", lambda v: Text(v.query, "dim")),
        )
        emit(client.views(), columns, output, empty="You have no views yet.")
