"""The inventory: entries, accounts, parties, flags."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any, TypeVar
from urllib.parse import parse_qsl

import click
from click.core import ParameterSource
from rich.console import Console
from rich.text import Text

from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.flags import tell_flag
from openlatch.cli.nouns import ACCOUNT, ENTRY, PARTY, PROVIDER, RULE, one_of
from openlatch.cli.output import (
    Column,
    ago,
    day,
    emit,
    last_day,
    notches,
    out,
    output_option,
    powers,
    reports_errors,
)
from openlatch.client import Client
from openlatch.wire import messages as wire
from openlatch.words import Criticality, How, Power

__all__ = [
    "accounts",
    "activity",
    "apps",
    "describe",
    "export",
    "filtered",
    "inventory",
    "open_",
    "parties",
    "reach",
    "show",
    "sponsor",
    "views",
]


F = TypeVar("F", bound=Callable[..., Any])


def _who(e: wire.Entry) -> Text:
    who = Text(e.party.name, "bold")
    if e.party.outside:
        who.append("  outside", "cyan")
    parts = _parts(e.resources) if e.kind == "open" else ""
    more = "\n".join(e.party.addresses) or parts or e.party.publisher or e.device or e.party.kind
    return who.append(f"\n{more}", "not bold dim")


def _parts(resources: Sequence[str]) -> str:
    """The parts of an account; where there are many, the first ones, the last, and how many."""
    if len(resources) <= 4:
        return ", ".join(resources)
    return f"{', '.join(resources[:2])} … {resources[-1]} ({len(resources)} parts)"


def _where(e: wire.Entry) -> Text:
    return Text(e.account.name).append(f"\n{e.provider.name}", "dim")


def _powers(e: wire.Entry) -> Text:
    return powers(e.powers, e.used_powers).append(" ?" if e.unknown else "", "dark_orange3")


def _as(e: wire.Entry) -> Text:
    state = "" if e.state == "live" else f" {e.state}"
    return Text(f"{e.kind}{state}").append(f"\n{e.level}", "dim")


def _used(e: wire.Entry) -> str:
    if e.last_used is None:
        return "never" if e.use_known else "not told"
    return ago(e.last_used)


def _ends(e: wire.Entry) -> str:
    return "unknown" if e.end_unknown else last_day(e.ends_at) or "no end"


def _why(e: wire.Entry) -> Text:
    if not e.flags:
        return Text("")
    more = f"\nand {len(e.flags) - 1} more" if len(e.flags) > 1 else ""
    return Text(e.flags[0].reason).append(more, "dim")


def _worst(e: wire.Entry) -> Text:
    return notches(e.flags[0].severity) if e.flags else Text("")


_ALL: Mapping[str, Column] = {
    "id": Column("id", lambda e: e.ref),
    "severity": Column("", _worst),
    "who": Column.who("who", _who),
    "where": Column("where", _where),
    "as": Column("as", _as),
    "powers": Column("powers", _powers),
    "given": Column("given", lambda e: Text(day(e.given_at)).append(f"\n{e.given_by}", "dim")),
    "last-used": Column("last used", _used),
    "ends": Column("ends", _ends),
    "reviewed": Column("reviewed", lambda e: day(e.reviewed_at[-1]) if e.reviewed_at else "never"),
    "parts": Column("parts", lambda e: _parts(e.resources)),
    "basis": Column.prose("reason it was given", lambda e: Text(e.basis)),
    "risk": Column("risk", lambda e: str(e.risk)),
    "why": Column.prose("why it is flagged", _why),
}
_USUAL = ("id", "severity", "who", "where", "as", "powers", "last-used", "ends", "why")


def _columns(words: str) -> tuple[Column, ...]:
    """The columns that were asked for; who it is always comes first, and the span strip is the console's."""
    wanted = [word.strip() for word in words.split(",") if word.strip() not in ("", "span")]
    unknown = [word for word in wanted if word not in _ALL]
    if unknown:
        raise Failure(f"There is no column “{unknown[0]}”.", f"Use some of: {', '.join(_ALL)}.", 2)
    chosen = ("severity", "who", *(word for word in wanted if word not in ("severity", "who"))) if wanted else _USUAL
    return tuple(_ALL[word] for word in chosen)


CHAINS: tuple[Column, ...] = (
    Column("entry", lambda c: c.entry.ref),
    Column("can", lambda c: powers(c.entry.powers, c.entry.used_powers)),
    Column("where", lambda c: _where(c.entry)),
    Column("as", lambda c: _as(c.entry)),
    Column("through", lambda c: " → ".join(via.party.name for via in c.via) or "directly"),
    Column("ending it alone", lambda c: f"takes away {', '.join(c.loses)}" if c.loses else "changes nothing"),
)
ACCOUNTS: tuple[Column, ...] = (
    Column("id", lambda a: a.ref),
    Column("account", lambda a: a.name),
    Column("provider", lambda a: a.provider.name),
    Column("criticality", lambda a: a.criticality + (", practice" if a.practice else "")),
    Column("lock", lambda a: "" if a.locked is None else "on" if a.locked else "off"),
    Column("shared with", lambda a: str(a.shared_with)),
)


def _activity(zone: str) -> tuple[Column, ...]:
    return (
        Column("when", lambda a: Text(day(a.at, zone)).append(f"\n{ago(a.at)}", "dim")),
        Column.who("who", lambda a: a.party.name),
        Column("in whose name", _behalf),
        Column("where", lambda a: Text(a.account.name).append(f"\n{a.provider}", "dim")),
        Column.prose("what", lambda a: Text(a.what).append(f"\n{a.power or ''}", "dim")),
        Column("entry", lambda a: a.entry or ""),
    )


def _behalf(a: wire.Activity) -> str:
    """In whose name something was done."""
    if a.behalf_of is not None:
        return a.behalf_of.name
    return "their own" if a.how == "own" else "the holder's"


PARTIES: tuple[Column, ...] = (
    Column("id", lambda p: p.ref),
    Column("party", lambda p: p.name),
    Column.address("address", lambda p: ", ".join(p.addresses)),
    Column("kind", lambda p: p.kind),
    Column("status", lambda p: p.status),
    Column("", lambda p: "outside" if p.outside else ""),
    Column("on accounts", lambda p: str(p.on_accounts)),
)
_FILTERS = (
    click.argument("search", required=False, default=""),
    click.option("--state", default="standing", show_default=True, help="States, separated by commas."),
    click.option("--kind", default="", help="Kinds, separated by commas: delegate, grant, session …"),
    click.option(
        "--power", default="", help="Powers, any of: view, edit, publish, export, spend, withdraw, admit, own."
    ),
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
        type=click.Choice(["severity", "risk", "party", "account", "last-used", "given", "ends"]),
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
@click.option("--columns", default="", help=f"Which columns, separated by commas: {', '.join(_ALL)}.")
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
    found = next((view for view in client.views() if view.name.casefold() == name.casefold()), None)
    if found is None:
        raise Failure(f"You have no view “{name}”.", "List yours: openlatch views", 4)
    return found


def _inventory(client: Client, wanted: dict[str, Any], limit: int, output: str) -> None:
    columns = _columns(wanted.pop("columns", ""))
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
    found = client.providers()
    fresh = [p for p in found if not p.by_hand and not p.stale and not (p.latest and p.latest.trouble)]
    if len(fresh) > 1:
        oldest = min(p.last_complete for p in fresh if p.last_complete)
        to.print(f"{len(fresh)} providers were read completely, the oldest {ago(oldest)}.", style="dim")
    for provider in found:
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
        found = client.entry(entry)
        if output != "table":
            emit([found], (), output, empty="")
            return
        _details(out(), found, client.me().workspace.zone)
        _freshness(out(), client)


def _worn(vouched: wire.Vouched) -> str:
    return ", which no longer counts" if vouched.worn_off else ""


def _details(to: Console, e: wire.Entry, zone: str) -> None:
    to.print(Text.assemble((e.party.name, "bold"), f" on {e.account.name}, {e.provider.name}", ("   " + e.ref, "dim")))
    facts = (
        ("address", ", ".join(e.party.addresses) + ("  (outside the circle)" if e.party.outside else "")),
        ("known there as", e.subject),
        ("status", "has left" if e.party.status == "left" else ""),
        ("as", f"{e.kind} “{e.level}”, {e.state}" + (f" ({e.end_reason})" if e.end_reason else "")),
        ("can", ", ".join(e.powers) or ("not known" if e.unknown else "nothing beyond signing in")),
        ("used", "not told which" if e.used_powers is None else ", ".join(e.used_powers) or "none of it"),
        ("in the provider's words", "; ".join(e.permissions)),
        ("not known", "; ".join(e.unknown)),
        ("publisher", " · ".join(word for word in (e.party.publisher, e.party.home) if word)),
        ("parts", _parts(e.resources)),
        ("given", " by ".join(word for word in (day(e.given_at, zone), e.given_by) if word)),
        ("because", e.basis),
        ("last used", f"{day(e.last_used, zone)} ({ago(e.last_used)})" if e.last_used else _used(e)),
        ("hours", f"{e.hours.text} ({e.hours.zone})" if e.hours else ""),
        ("ends", "unknown" if e.end_unknown else last_day(e.ends_at, zone) or "no end"),
        ("reviewed", ", ".join(day(at, zone) for at in e.reviewed_at) or "never"),
        ("device", e.device),
        ("network" if e.kind == "session" else "only from", e.network),
        ("depends on it", "; ".join(d.what for d in e.dependencies)),
        ("vouched for", f"{ago(e.vouched.at)} by {e.vouched.by}" + _worn(e.vouched) if e.vouched else ""),
        ("ended", day(e.ended_at, zone)),
        ("risk", f"{e.risk} of 100"),
    )
    for name, value in facts:
        if value:
            to.print(Text.assemble((f"  {name:<24}", "dim"), value))
    for line in e.risk_lines:
        to.print(Text.assemble(("  " + " " * 24, "dim"), f"{line.points:+4}  ", (line.says, "dim")))
    if e.acts:
        can = [one.action if one.here else f"{one.action} (by hand, at {e.provider.name})" for one in e.acts]
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


@click.command()
@click.argument("search", required=False, default="")
@click.option("--provider", type=PROVIDER, default="", help="Only this provider.")
@output_option
@reports_errors
def accounts(search: str, provider: str, output: str) -> None:
    """List the shared accounts, and with how many parties each is shared."""
    with connect() as client:
        emit(client.accounts(search, provider), ACCOUNTS, output, empty="No account matches.")


@click.command()
@click.option("--account", type=ACCOUNT, default="", help="Only on this account.")
@click.option("--party", type=PARTY, default="", help="Only by this party, or on its behalf.")
@click.option("--how", type=one_of(How), help="Only one's own, delegates', or apps'.")
@click.option("--limit", default=30, show_default=True, help="How many at most.")
@output_option
@reports_errors
def activity(account: str, party: str, how: str | None, limit: int, output: str) -> None:
    """List what was done with accounts, the latest first: by whom, and in whose name."""
    with connect() as client:
        zone = client.me().workspace.zone
        done = client.activity(account=account, party=party, how=how or "", limit=limit)
        emit(done, _activity(zone), output, empty="Nothing is known to have been done.")


@click.command()
@click.argument("account", type=ACCOUNT)
@click.option("--criticality", type=one_of(Criticality), help="How much harm its loss would do.")
@click.option("--practice/--real", default=None, help="Whether it is only for practice.")
@reports_errors
def describe(account: str, criticality: str | None, practice: bool | None) -> None:
    """Say how vital ACCOUNT (id, short form or name) is, and whether it is only for practice."""
    with connect() as client:
        found = client.describe_account(account, criticality=criticality, practice=practice)
    click.echo(f"{found.name}: {found.criticality}{', for practice' if found.practice else ''}.")


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
        found = client.sponsor(party, address) if address or nobody else client.party(party)
        who = next((f"{one.name} ({one.address})" for one in client.people() if one.id == found.sponsor), "")
    click.echo(f"{who} answers for {found.name}." if who else f"Nobody answers for {found.name}.")


@click.command()
@click.argument("search", required=False, default="")
@output_option
@reports_errors
def apps(search: str, output: str) -> None:
    """List the connected apps: who publishes each, on how many accounts it is, and what it can do on each."""
    with connect() as client:
        found = client.apps(search)
        if output != "table":
            emit(found, (), output, empty="")
            return
        apps_found = list(found)
        on = {app.party.id: app.accounts for app in apps_found}
        columns: tuple[Column, ...] = (
            Column("entry", lambda e: e.ref),
            Column(
                "app",
                lambda e: Text(e.party.name, "bold").append(f"\n{e.party.publisher or 'publisher unknown'}", "dim"),
            ),
            Column("accounts", lambda e: str(on[e.party.id])),
            Column("where", _where),
            Column("powers", _powers),
            Column("in its own words", lambda e: Text("; ".join(e.permissions))),
            Column("last used", _used),
        )
        emit([e for app in apps_found for e in app.entries], columns, output, empty="No app is connected.")


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
        found = client.reach(party)
        emit(found.chains, CHAINS, output, empty=f"{found.party.name} can do nothing that is known here.")


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
