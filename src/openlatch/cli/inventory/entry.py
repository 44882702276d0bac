"""Entries: the inventory, one of them with all that is known, and everything that can be done with it."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path
from typing import Any

import click
from rich.console import Console
from rich.text import Text

from openlatch.cli.acting import last, until_option
from openlatch.cli.columns import ago, day, last_day
from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.inventory.by_hand import mark_ended, record, vouch
from openlatch.cli.inventory.cells import COLUMNS, not_watched, parts, state_of, used
from openlatch.cli.inventory.view import viewed, with_view
from openlatch.cli.keeping import keep, kept_as, separated
from openlatch.cli.nouns import ACCOUNT, ENTRY, PARTY, PROVIDER, RULE, one_of
from openlatch.cli.options import at_least_risk, together
from openlatch.cli.orders.giving import acting, order_entry
from openlatch.cli.output import Listing, hint, listed, out, output_option, print_one, reports_errors
from openlatch.cli.rules.flag import tell_flag
from openlatch.client import Client
from openlatch.core.phrases import counted
from openlatch.wire import messages as wire
from openlatch.words import EntryOrder, Kind, Listable, Power

__all__ = ["entry", "filtered"]


@click.group(cls=Group)
def entry() -> None:
    """Who has access to what: list, show, end, narrow, extend, pause it.

    An entry is one party's access to one account, or to some of its parts. ENTRY is its id or short form.
    """


filtered = together(
    [
        click.argument("search", required=False, default=""),
        click.option(
            "--state",
            default="standing",
            show_default=True,
            help="States, separated by commas: offered, live, paused, ending, ended; standing for all but ended.",
        ),
        click.option("--kind", default="", help=f"Kinds, any of: {', '.join(Kind)}."),
        click.option("--power", default="", help=f"Powers, any of: {', '.join(Power)}."),
        click.option("--provider", type=PROVIDER, default="", help="Only this provider."),
        click.option("--account", type=ACCOUNT, default="", help="Only this account."),
        click.option("--party", type=PARTY, default="", help="Only this party: a name, an address or an id."),
        click.option("--flagged/--not-flagged", default=None, help="Only what has a flag, or only what has none."),
        click.option("--rule", type=RULE, default="", help="Only what this rule flags."),
        click.option("--outside/--inside", default=None, help="Only parties outside the circle, or only those in it."),
        click.option("--mine", is_flag=True, help="Only your own access, by your address."),
        click.option(
            "--unknown/--known", default=None, help="Only what has a level or permission whose meaning is not known."
        ),
        at_least_risk,
        click.option(
            "--ends",
            type=click.Choice(["none", "dated", "unknown"]),
            default=None,
            help="Only what ends so; none: never.",
        ),
        click.option(
            "--sort", type=one_of(EntryOrder), default="severity", show_default=True, help="What comes first."
        ),
    ]
)
"""Gives a command the search and the filters of the inventory."""


@entry.command("list", example="--provider 'Ticket Desk' --flagged --limit 9")
@filtered
@with_view
@listed(*COLUMNS)
@reports_errors
def list_entries(search: str, view: str, listing: Listing, **wanted: Any) -> None:
    """List who has access to what, the worst flagged first.

    SEARCH is part of a name, address, account or level.
    """
    with connect() as client:
        wanted = viewed(client, Listable.ENTRIES, view, wanted | {"q": search})
        found = client.entries(limit=listing.most, **wanted)
        shown = listing.print(found, empty="No entry matches.")
        if listing.for_people:
            wanted.pop("sort", None)
            _footer(client, client.summary(**wanted), shown)


def _footer(client: Client, summary: wire.Summary, shown: int) -> None:
    hint(
        f"\n{shown:,} of {counted(summary.entries, 'entry')} on {counted(summary.accounts, 'account')}. "
        f"{summary.flagged:,} with a flag, {summary.severe:,} of them high or critical."
    )
    _freshness(client)


def _freshness(client: Client) -> None:
    """Say how old what is shown is, as every list has to."""
    providers = client.providers()
    fresh = [p for p in providers if not p.by_hand and not p.stale and not (p.latest and p.latest.trouble)]
    if len(fresh) > 1:
        oldest = min(p.last_complete for p in fresh if p.last_complete)
        hint(f"{len(fresh)} providers were read completely, the oldest {ago(oldest)}.")
    for provider in providers:
        if provider in fresh and len(fresh) > 1:
            continue
        style = "dark_orange3" if provider.stale or provider.worn_off else "dim"
        if provider.by_hand:
            worn = f", {counted(provider.worn_off, 'entry')} not vouched for in {counted(provider.vouch_days, 'day')}"
            hint(f"{provider.name}: recorded by hand{worn if provider.worn_off else ''}", style)
            continue
        note = (
            f" ({provider.latest.state}: {provider.latest.trouble})"
            if provider.latest and provider.latest.trouble
            else ""
        )
        hint(f"{provider.name}: last complete reading {ago(provider.last_complete)}{note}", style)


@entry.command("show", example="{entry}")
@click.argument("entry", type=ENTRY)
@output_option
@reports_errors
def show(entry: str, output: str) -> None:
    """Show one entry with all that is known of it."""
    with connect() as client:
        the_entry = client.entry(entry)
        if output != "table":
            print_one(the_entry, output)
            return
        _details(out(), the_entry, client.me().workspace.zone)
        _freshness(client)


@entry.command("export", example="gate.xlsx --account Gate")
@kept_as
@separated
@filtered
@reports_errors
def export(file: Path, search: str, **wanted: Any) -> None:
    """Write the inventory, or the part that the filters leave, to FILE: .csv, .jsonl or .xlsx."""
    with connect() as client:
        keep(file, lambda kind: client.export_pieces(kind, q=search, **wanted))


def _worn(vouched: wire.Vouched) -> str:
    return ", too long ago to count" if vouched.worn_off else ""


def _details(to: Console, e: wire.Entry, zone: str) -> None:
    to.print(Text.assemble((e.party.name, "bold"), f" on {e.account.name}, {e.provider.name}", ("   " + e.ref, "dim")))
    facts = (
        ("address", ", ".join(e.party.addresses) + ("  (outside the circle)" if e.party.outside else "")),
        ("known there as", e.subject),
        ("status", "has left" if e.party.status == "left" else ""),
        ("as", f"{e.kind} “{e.level}”, {state_of(e)}" + (f" ({e.end_reason})" if e.end_reason else "")),
        ("can", ", ".join(e.powers) or ("not known" if e.unknown else "nothing beyond signing in")),
        ("used", "not known which" if e.used_powers is None else ", ".join(e.used_powers) or "none of these"),
        ("in the provider's words", "; ".join(e.permissions)),
        ("not known", "; ".join(e.unknown)),
        ("publisher", " · ".join(word for word in (e.party.publisher, e.party.home) if word)),
        ("parts", parts(e.resources)),
        ("given", " by ".join(word for word in (day(e.given_at, zone), e.given_by) if word)),
        ("reason", e.basis),
        ("last used", f"{day(e.last_used, zone)} ({ago(e.last_used)})" if e.last_used else used(e)),
        ("hours", f"{e.hours.text} ({e.hours.zone})" if e.hours else ""),
        ("ends", "unknown" if e.end_unknown else last_day(e.ends_at, zone) or "no end"),
        ("reviewed", ", ".join(day(at, zone) for at in e.reviewed_at) or "never"),
        ("device", e.device),
        ("network" if e.kind == "session" else "only from", e.network),
        ("depends on it", "; ".join(d.what for d in e.dependencies)),
        ("vouched for", f"{ago(e.vouched.at)} by {e.vouched.by}" + _worn(e.vouched) if e.vouched else ""),
        ("since" if not_watched(e) else "ended", day(e.ended_at, zone)),
        ("risk", f"{e.risk} of 100"),
    )
    for name, value in facts:
        if value:
            to.print(Text.assemble((f"  {name:<24}", "dim"), value))
    for line in e.risk_lines:
        to.print(Text.assemble(("  " + " " * 24, "dim"), f"{line.points:+4}  ", (line.says, "dim")))
    if e.acts:
        can = [act.action if act.here else f"{act.action} (a person does it at {e.provider.name})" for act in e.acts]
        to.print(Text.assemble(("\n  Possible: ", "bold"), ", ".join(can)))
    if e.advice is not None:
        to.print(Text.assemble(("\n  Advice: ", "bold"), e.advice.text))
    for flag in e.flags:
        to.print()
        tell_flag(to, flag, zone)
    if e.order is not None:
        to.print()
        to.print(f"Order {e.order.ref}: {e.order.state}, given by {e.order.ordered_by}. {e.order.why}".rstrip())
    elif e.by_hand and e.state != "ended":
        hint(f"\nStill there: openlatch entry vouch {e.ref}    Ended: openlatch entry mark-ended {e.ref}")
    elif e.state != "ended":
        hint(f"\nEnd it: openlatch end {e.ref} --dry-run")


_successor = click.option(
    "--successor", default="", help="The entry of whoever becomes an administrator or the owner first."
)


@entry.command("end", example="{entry} --dry-run")
@acting(until_option, _successor)
@reports_errors
def end(entry: str, until: datetime | None, successor: str, **how: Any) -> None:
    """End an access now, or with --until at the end of a day, and follow it until that is proved.

    Shows what happens first, then asks. Exits 0 once it is proved, 6 if it needs a person.
    """
    if until is None:
        order_entry(entry, "end", "End this access?", {"successor": successor}, **how)
    else:
        wish = {"until": last(until), "successor": successor}
        order_entry(entry, "end-on", "Set the last day?", wish, **how)


@entry.command("narrow", example="{cashier} --level guide --dry-run")
@acting(
    click.option("--level", default="", help="A level that gives less; without it, they are listed."),
    click.option("--part", "resources", multiple=True, help="A part that is left; repeatable."),
)
@reports_errors
def narrow(entry: str, level: str, resources: tuple[str, ...], **how: Any) -> None:
    """Narrow an access to a level that gives less, or to some of its parts."""
    if not level and not resources:
        with connect() as client:
            levels = client.plan(entry).levels
        raise Failure(
            "Say what to narrow it to.",
            f"Levels that give less, the least first: {', '.join(levels) or 'none is known'}. "
            f"openlatch entry narrow {entry} --level LEVEL",
            2,
        )
    order_entry(entry, "narrow", "Narrow it?", {"level": level, "resources": list(resources) or None}, **how)


_MORE = (
    until_option,
    click.option("--no-end", is_flag=True, help="Without an end from then on."),
    click.option("--part", "parts", multiple=True, help="A part to add; repeatable."),
    click.option("--all-parts", is_flag=True, help="On the whole account from then on."),
    click.option("--hours", default="", help="All the hours of the week in which it holds: “tue,fri 19:00-04:00”."),
    click.option("--all-hours", is_flag=True, help="At all hours from then on."),
    click.option("--level", default="", help="A level that gives more."),
)


@entry.command("extend", example="{grant} --until 2030-06-30 --dry-run")
@acting(*_MORE)
@reports_errors
def extend(
    entry: str,
    until: datetime | None,
    parts: tuple[str, ...],
    hours: str,
    level: str,
    no_end: bool,
    all_parts: bool,
    all_hours: bool,
    **how: Any,
) -> None:
    """Extend an access: for longer, for more parts or hours, or to a level that gives more. What it gives now stays."""
    lifts = [name for name, lifted in (("end", no_end), ("parts", all_parts), ("hours", all_hours)) if lifted]
    wish = {"until": last(until), "resources": list(parts) or None, "hours": hours, "level": level, "lifts": lifts}
    order_entry(entry, "extend", "Extend it?", wish, **how)


@entry.command("pause", example="{entry} --dry-run")
@acting(_successor)
@reports_errors
def pause(entry: str, successor: str, **how: Any) -> None:
    """Pause an access: it gives nothing until you resume it."""
    order_entry(entry, "pause", "Pause it?", {"successor": successor}, **how)


@entry.command("resume", example="{paused} --dry-run")
@acting()
@reports_errors
def resume(entry: str, **how: Any) -> None:
    """Resume a paused access."""
    order_entry(entry, "resume", "Resume it?", {}, **how)


@entry.command("give-back", example="{ended} --dry-run")
@acting(until_option)
@reports_errors
def give_back(entry: str, until: datetime | None, **how: Any) -> None:
    """Give an access that has ended back to its party, as it was."""
    order_entry(entry, "give-back", "Give it back?", {"until": last(until)}, **how)


@entry.command("give-up", example="{own} --dry-run")
@acting()
@reports_errors
def give_up(entry: str, **how: Any) -> None:
    """Give up an access of your own; openlatch inventory --mine lists them."""
    order_entry(entry, "give-up", "Give up this access?", {}, **how)


@entry.command("hand-over", example="{owning} --successor {second} --dry-run")
@acting(click.option("--successor", default="", help="The entry of whoever becomes the owner; else they are listed."))
@reports_errors
def hand_over(entry: str, successor: str, **how: Any) -> None:
    """Hand over the account that this entry owns, once its owner has agreed by a link in a letter."""
    order_entry(entry, "hand-over", "Ask them to agree?", {"successor": successor}, **how)


@entry.command("close-sessions", example="{tablet} --dry-run")
@acting()
@reports_errors
def close_sessions(entry: str, **how: Any) -> None:
    """Sign someone out on an account, wherever they are signed in."""
    order_entry(entry, "close-sessions", "Sign them out?", {}, **how)


for each_by_hand in (record, vouch, mark_ended):
    entry.add_command(each_by_hand)
