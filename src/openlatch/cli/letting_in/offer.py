"""Offers: letting someone in with limits, and answering an offer to yourself."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, datetime
from typing import Any, TypeVar

import click
from pydantic import ValidationError
from rich.text import Text

from openlatch.cli.acting import confirmed, dry_run_option, last, reason_option, until_option, yes_option
from openlatch.cli.columns import Column, ago, day, notches
from openlatch.cli.command import Group
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.nouns import OFFER
from openlatch.cli.output import Listing, listed, only_shown, out, output_option, print_one, reports_errors
from openlatch.client import Client
from openlatch.wire import messages as wire
from openlatch.wire.base import mistakes

__all__ = ["offer"]

F = TypeVar("F", bound=Callable[..., Any])
DAY = click.DateTime(["%Y-%m-%d"])
STATE = {"taken-up": "green", "waiting": "yellow"}
_OFFERS: tuple[Column, ...] = (
    Column.ref(lambda o: o.ref),
    Column("state", lambda o: Text(_state(o), STATE.get(o.state, ""))),
    Column.who("to", lambda o: Text(o.name).append(f"\n{o.address}", "dim")),
    Column.prose("access", lambda o: Text("; ".join(f"{p.account.name}: {p.level}" for p in o.parts))),
    Column("answer by", lambda o: day(o.lapses_at) if o.state == "waiting" else ""),
    Column.more("made", lambda o: ago(o.made_at)),
)


@click.group(cls=Group)
def offer() -> None:
    """Offer someone access, with limits; accept or decline an offer.

    Whoever it is for accepts it by a link in a letter. OFFER is its id or short form.
    """


@offer.command("list", example="--state waiting")
@click.option("--state", default="", help="Only these: waiting, taken-up, declined, lapsed, withdrawn.")
@click.option("--mine", is_flag=True, help="Offers to yourself.")
@listed(*_OFFERS)
@reports_errors
def list_offers(state: str, mine: bool, listing: Listing) -> None:
    """List offers, the latest first."""
    with connect() as client:
        found = client.my_offers() if mine else client.offers(state)
        listing.print(found, empty="There are no offers. Make one: openlatch offer make --help")
        if mine or state not in ("", "waiting") or not listing.for_people:
            return
        _elsewhere(client)


def _elsewhere(client: Client) -> None:
    """Tell of offers that were made at the providers themselves."""
    found = [entry for entry in client.entries(kind="offer", state="offered") if not entry.by_hand]
    if found:
        out().print("\nOffered at the providers themselves, as readings show it", style="bold")
    for entry in found:
        who = f"{entry.party.name} {', '.join(entry.party.addresses)}".strip()
        out().print(Text(f"  {entry.ref}  {who}: “{entry.level}” on {entry.account.name}, {entry.provider.name}"))


@offer.command("show", example="{offer}")
@click.argument("ref", metavar="OFFER", type=OFFER)
@output_option
@reports_errors
def show(ref: str, output: str) -> None:
    """Show an offer, what it gives, and what came of it."""
    with connect() as client:
        the_offer = client.offered(ref)
    if output == "table":
        _one(the_offer)
    else:
        print_one(the_offer, output)


_TERMS = (
    click.option("--account", "places", multiple=True, help="ACCOUNT, or ACCOUNT=LEVEL; repeatable."),
    click.option("--task", default="", help="What for; where no level is given, the least that is enough for it."),
    click.option("--power", "needs", multiple=True, help="A power that is needed; repeatable."),
    click.option("--permission", "permissions", multiple=True, help="A single permission; repeatable."),
    click.option("--part", "resources", multiple=True, help="A part of the account; repeatable."),
    click.option("--from", "starts", type=DAY, default=None, help="The first day; without it, once it is accepted."),
    until_option,
    click.option("--no-end", "endless", is_flag=True, help="Without an end, on purpose."),
    click.option("--hours", default="", help="Hours of the week, such as “tue,fri 19:00-04:00”."),
    click.option("--power-until", multiple=True, help="POWER=DAY: a power that ends before the rest; repeatable."),
    click.option("--name", default="", help="Their name."),
    click.option("--handle", default="", help="Their name at the provider."),
    click.option("--write-to", default="", help="Where the letter goes, if TO is a handle."),
    click.option("--reason", "basis", default="", help="What it is for; they read it, and it stays with the access."),
    click.option("--answer-within", "lapse_hours", type=int, default=None, help="Hours in which it can be accepted."),
    click.option("--replaces", default="", help="The entry of a secret that they know, which this replaces."),
    click.option("--request", default="", help="A request that this answers; what is left out is as was asked."),
    click.option("--why-less", "answer", default="", help="With --request: why it is less than was asked."),
    dry_run_option,
    yes_option,
    output_option,
)


def _with_terms(function: F) -> F:
    """Give a command everything that an offer can say."""
    for option in reversed(_TERMS):
        function = option(function)
    return function


@offer.command(
    "make",
    example="amara.levy@northcape-uni.example --account 'South Dome' --task observe --until 2030-03-12 --dry-run",
)
@click.argument("to", default="")
@_with_terms
@reports_errors
def make(to: str, **terms: Any) -> None:
    """Offer access to TO, an address or a handle at the provider. They accept it by a link in a letter."""
    _made(to, "", **terms)


@offer.command("change", example="{offer} amara.levy@northcape-uni.example --account Gate=guide --no-end --dry-run")
@click.argument("ref", metavar="OFFER", type=OFFER)
@click.argument("to", default="")
@_with_terms
@reports_errors
def change(ref: str, to: str, **terms: Any) -> None:
    """Replace an offer that has not been answered yet by a new one; the old link stops working."""
    _made(to, ref, **terms)


def _made(
    to: str,
    instead_of: str,
    *,
    places: tuple[str, ...],
    task: str,
    needs: tuple[str, ...],
    permissions: tuple[str, ...],
    resources: tuple[str, ...],
    starts: datetime | None,
    until: datetime | None,
    hours: str,
    power_until: tuple[str, ...],
    handle: str,
    dry_run: bool,
    yes: bool,
    output: str,
    **more: Any,
) -> None:
    same = {
        "task": task,
        "needs": list(needs),
        "resources": list(resources),
        "permissions": list(permissions),
        "hours": hours,
        "handle": handle,
        "power_until": dict(_power(text) for text in power_until),
    }
    parts = [
        {**same, "account": account.strip(), "level": level.strip()}
        for account, _, level in (place.partition("=") for place in places or ("",))
    ]
    with connect() as client:
        given = {"to": to, "parts": parts, "starts": last(starts), "until": last(until), **more}
        if not ((to and places) or more["request"] or more["replaces"]):
            raise Failure("Say to whom, and what.", "openlatch offer make ADDRESS --account ACCOUNT --task TASK", 2)
        wish = _wish(given)
        terms = client.check_offer(wish, instead_of)
        _show(terms, to_stderr=output != "table")
        stops = [remark for remark in terms.remarks if remark.stops]
        if stops:
            raise Failure(stops[0].text, stops[0].next_step or "Solve that first, then offer it.")
        if output == "table":
            _tell_effect(client.preview_offer(wish).outcome)
        if dry_run:
            if output != "table":
                print_one(terms, output)
            else:
                only_shown("you are asked, and then it is offered")
            return
        confirmed(f"Offer this to {terms.name} at {terms.address}?", yes)
        digest = terms.digest
        made = client.correct_offer(instead_of, wish, digest) if instead_of else client.offer(wish, digest)
    if output != "table":
        print_one(made, output)
        return
    click.echo(
        f"Offered ({made.ref}). A letter with the link goes to {made.address}; it can be accepted until "
        f"{day(made.lapses_at)}."
    )


@offer.command("send-again", example="{offer} --yes")
@click.argument("ref", metavar="OFFER", type=OFFER)
@yes_option
@reports_errors
def send_again(ref: str, yes: bool) -> None:
    """Send the letter of an offer again, with a new link; the old link stops working."""
    with connect() as client:
        there = client.offered(ref)
        confirmed(f"Send it again to {there.address}?", yes)
        there = client.send_offer_again(ref)
    click.echo(f"A new letter goes to {there.address}; it can be accepted until {day(there.lapses_at)}.")


@offer.command("withdraw", example="{offer} --reason 'The course was cancelled' --yes")
@click.argument("ref", metavar="OFFER", type=OFFER)
@reason_option
@yes_option
@reports_errors
def withdraw(ref: str, reason: str, yes: bool) -> None:
    """Withdraw an offer; its link stops working, and whoever it was for is told."""
    _answered(ref, "withdraw", reason, yes=yes)


@offer.command("accept", example="{offer} --yes")
@click.argument("ref", metavar="OFFER", type=OFFER)
@yes_option
@reports_errors
def accept(ref: str, yes: bool) -> None:
    """Accept an offer to yourself; openlatch offer list --mine shows them."""
    _answered(ref, "take-up", "", yes=yes)


@offer.command("decline", example="{offer} --reason 'I have no time' --yes")
@click.argument("ref", metavar="OFFER", type=OFFER)
@reason_option
@yes_option
@reports_errors
def decline(ref: str, reason: str, yes: bool) -> None:
    """Decline an offer to yourself; whoever made it is told."""
    _answered(ref, "decline", reason, yes=yes)


@offer.command("postpone", example="{offer} --yes")
@click.argument("ref", metavar="OFFER", type=OFFER)
@yes_option
@reports_errors
def postpone(ref: str, yes: bool) -> None:
    """Leave an offer to yourself for later; you can still accept it until it lapses."""
    _answered(ref, "later", "", yes=yes)


_QUESTIONS = {"withdraw": "Withdraw", "take-up": "Accept", "decline": "Decline", "later": "Postpone"}


def _answered(ref: str, act: str, reason: str, *, yes: bool) -> None:
    """Withdraw or answer an offer, and show what it is then."""
    with connect() as client:
        there = client.offered(ref)
        confirmed(f"{_QUESTIONS[act]} offer {there.ref} to {there.name} <{there.address}>?", yes)
        there = client.withdraw_offer(ref, reason) if act == "withdraw" else client.answer_offer(ref, act, reason)
    _one(there)


def _wish(given: dict[str, Any]) -> wire.OfferWish:
    try:
        return wire.OfferWish.model_validate(given)
    except ValidationError as error:
        first = mistakes(error)[0]
        raise Failure(f"{first['at']}: {first['problem']}.", "Correct it; nothing was sent.", 2) from error


def _one(the_offer: wire.Offer) -> None:
    paper = out()
    paper.print(f"{the_offer.name} · {the_offer.address}", style="bold")
    for sentence in the_offer.confirmed:
        paper.print(f"  {sentence}")
    if the_offer.basis:
        paper.print(f"What for  {the_offer.basis}")
    paper.print(f"Made      {day(the_offer.made_at)} by {the_offer.made_by}")
    paper.print(f"State     {_state(the_offer)}", end="")
    paper.print(f", good until {day(the_offer.lapses_at)}" if the_offer.state == "waiting" else "")
    for part in the_offer.parts:
        if part.order is not None:
            why = f": {part.why}" if part.why else ""
            paper.print(f"Order     {part.order} on {part.account.name}, {part.order_state}{why}")


def _show(terms: wire.OfferTerms, *, to_stderr: bool) -> None:
    """Say what would be offered, to whom exactly, and what is worth knowing."""
    paper = out()
    if to_stderr:
        click.echo("\n".join(terms.sentences), err=True)
        return
    where = f" ({terms.ascii})" if terms.ascii else ""
    known = "known" if terms.known else "not known yet"
    paper.print(f"To {terms.name} · {terms.address}{where}", style="bold")
    paper.print(f"   {known}, {'outside the circle' if terms.outside else 'in the circle'}", style="dim")
    for part in terms.parts:
        paper.print(f"  {part.sentence}")
        if part.fit is not None:
            paper.print(f"  {part.fit.text}", style="dim")
    for remark in terms.remarks:
        paper.print(
            Text.assemble(notches(remark.severity), "  ", remark.text, (f" {remark.next_step}".rstrip(), "dim"))
        )


def _tell_effect(outcome: wire.ProposalOutcome) -> None:
    """Say which flags an offer would raise or clear, and how the risk would move, once it is accepted."""
    paper = out()
    flags = outcome.flags_raised
    paper.print(f"Flags it would raise: {len(flags)}" if flags else "It would raise no flag.", style="bold")
    for flag in flags:
        paper.print(Text.assemble(notches(flag.severity), "  ", flag.reason, (f" {flag.about}", "dim")))
    for risk in outcome.risks:
        paper.print(f"  Risk of {risk.about}: {risk.before} → {risk.after}", style="dim")


def _state(the_offer: wire.Offer) -> str:
    return "waiting, seen" if the_offer.state == "waiting" and the_offer.left_at else the_offer.state


def _power(text: str) -> tuple[str, str]:
    power, _, until = text.partition("=")
    try:
        return power.strip(), date.fromisoformat(until.strip()).isoformat()
    except ValueError as error:
        raise Failure(f"“{text}” is not POWER=DAY.", "Write it as: --power-until spend=2027-03-31", 2) from error
