"""Letting somebody in: what a task takes, offers, and answering those to oneself."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any

import click
from pydantic import ValidationError
from rich.text import Text

from openlatch.cli.confirm import confirmed, yes_option
from openlatch.cli.connection import connect
from openlatch.cli.failure import Failure
from openlatch.cli.nouns import ACCOUNT, OFFER
from openlatch.cli.output import Column, ago, day, emit, notches, out, output_option, powers, reports_errors
from openlatch.wire import messages as wire
from openlatch.wire.base import mistakes

__all__ = ["fit", "offer", "offered", "offers", "tasks"]

DAY = click.DateTime(["%Y-%m-%d"])
STATE = {"taken-up": "green", "waiting": "yellow"}
TASKS: tuple[Column, ...] = (
    Column("task", lambda t: t.id),
    Column.prose("what for", lambda t: Text(t.title)),
    Column("takes", lambda t: ", ".join(t.needs)),
    Column("named by", lambda t: "you" if t.own else "built in"),
)
CHOICES: tuple[Column, ...] = (
    Column("level", lambda c: Text(c.level)),
    Column("permissions", lambda c: Text(", ".join(c.permissions))),
    Column("powers", lambda c: powers(c.powers, None)),
    Column("beyond the need", lambda c: Text(", ".join(c.beyond) or "nothing")),
)
OFFERS: tuple[Column, ...] = (
    Column("id", lambda o: o.ref),
    Column("state", lambda o: Text(_state(o), STATE.get(o.state, ""))),
    Column("to", lambda o: Text(o.name)),
    Column("of", lambda o: Text("; ".join(f"{p.account.name}: {p.level}" for p in o.parts))),
    Column("made", lambda o: ago(o.made_at)),
    Column("good until", lambda o: day(o.lapses_at) if o.state == "waiting" else ""),
)


@click.command()
@output_option
@reports_errors
def tasks(output: str) -> None:
    """List what people are let in for, your own first; openlatch fit says what one takes on an account."""
    with connect() as client:
        emit(client.tasks(), TASKS, output, empty="There are no tasks.")


@click.command()
@click.argument("account", type=ACCOUNT)
@click.option("--for", "task", default="", help="A task (openlatch tasks).")
@click.option("--needs", default="", help="Powers that are needed, separated by commas, such as view,edit.")
@output_option
@reports_errors
def fit(account: str, task: str, needs: str, output: str) -> None:
    """Show the narrowest that lets somebody do a task on ACCOUNT, and what broader choices hand over."""
    with connect() as client:
        found = client.fit(account, task, [part.strip() for part in needs.split(",") if part.strip()])
    if output == "table":
        out().print(found.text, style="bold")
    emit(found.choices, CHOICES, output, empty="Nothing there covers it.")


@click.command()
@click.argument("to", default="")
@click.option("--on", "places", multiple=True, help="ACCOUNT, or ACCOUNT=LEVEL; can be given again.")
@click.option("--for", "task", default="", help="The task; where no level is named, the narrowest that covers it.")
@click.option("--needs", default="", help="Powers that are needed, instead of a task, or beside one.")
@click.option("--permission", "permissions", multiple=True, help="A single permission; can be given again.")
@click.option("--part", "resources", multiple=True, help="A part of the account; can be given again.")
@click.option("--from", "starts", type=DAY, default=None, help="The first day; without it, once it is taken up.")
@click.option("--until", type=DAY, default=None, help="The last day.")
@click.option("--no-end", "endless", is_flag=True, help="It has no end, on purpose.")
@click.option("--hours", default="", help="Hours of the week, such as “tue,fri 19:00-04:00”.")
@click.option("--power-until", "power_until", multiple=True, help="POWER=DAY: that power ends before the rest does.")
@click.option("--name", default="", help="How they are called.")
@click.option("--handle", default="", help="The provider's own name for them.")
@click.option("--write-to", default="", help="Where the letter goes, if TO is a handle.")
@click.option("--because", "basis", default="", help="What it is for; they read it, and it stays with the access.")
@click.option("--answer-within", "lapse_hours", type=int, default=None, help="Hours in which it can be answered.")
@click.option("--replaces", default="", help="A secret (its entry) that they were told; without TO and --on, theirs.")
@click.option("--request", default="", help="A request that this answers; what is not said is as was asked.")
@click.option("--why-less", "answer", default="", help="With --request: why it is less than was asked; they read it.")
@click.option("--instead-of", default="", help="An offer that waits, which this one corrects.")
@click.option("--dry-run", is_flag=True, help="Only show what would be offered.")
@yes_option
@output_option
@reports_errors
def offer(
    to: str,
    places: tuple[str, ...],
    task: str,
    needs: str,
    permissions: tuple[str, ...],
    resources: tuple[str, ...],
    starts: datetime | None,
    until: datetime | None,
    hours: str,
    power_until: tuple[str, ...],
    handle: str,
    instead_of: str,
    dry_run: bool,
    yes: bool,
    output: str,
    **more: Any,
) -> None:
    """Offer access to whoever has the address (or handle) TO. They take it up by a link in a letter.

    \b
    openlatch offer amara.levy@northcape-uni.example --on "South Dome" --for observe \\
        --until 2027-03-12 --hours "tue,fri 19:00-04:00"
    """
    same = {
        "task": task,
        "needs": [part.strip() for part in needs.split(",") if part.strip()],
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
        given = {"to": to, "parts": parts, "starts": _day(starts), "until": _day(until), **more}
        if not ((to and places) or more["request"] or more["replaces"]):
            raise Failure("Say to whom, and what.", "openlatch offer ADDRESS --on ACCOUNT --for TASK", 2)
        wish = _wish(given)
        terms = client.check_offer(wish, instead_of)
        _show(terms, to_stderr=output != "table")
        stops = [remark for remark in terms.remarks if remark.stops]
        if stops:
            raise Failure(stops[0].text, stops[0].next_step or "See to that first, then offer it.")
        if dry_run:
            return
        confirmed(f"Offer this to {terms.name} at {terms.address}?", yes)
        digest = terms.digest
        made = client.correct_offer(instead_of, wish, digest) if instead_of else client.offer(wish, digest)
    if output != "table":
        emit([made], OFFERS, output, empty="")
        return
    click.echo(
        f"Offered ({made.ref}). A letter with the link goes to {made.address}; it is good until {day(made.lapses_at)}."
    )


def _wish(given: dict[str, Any]) -> wire.OfferWish:
    try:
        return wire.OfferWish.model_validate(given)
    except ValidationError as error:
        first = mistakes(error)[0]
        raise Failure(f"{first['at']}: {first['problem']}.", "Correct it; nothing was sent.", 2) from error


@click.command()
@click.option("--state", default="", help="Only these: waiting, taken-up, declined, lapsed, withdrawn.")
@click.option("--mine", is_flag=True, help="Those that were made to you.")
@output_option
@reports_errors
def offers(state: str, mine: bool, output: str) -> None:
    """List offers, the latest first."""
    with connect() as client:
        every = client.my_offers() if mine else client.offers(state)
        emit(every, OFFERS, output, empty="Nothing is offered from here; openlatch offer makes an offer.")
        if mine or state not in ("", "waiting") or output != "table":
            return
        shown = [entry for entry in client.entries(kind="offer", state="offered") if not entry.by_hand]
        if shown:
            out().print("\nOffered at the providers themselves, as readings show it", style="bold")
        for entry in shown:
            who = f"{entry.party.name} {', '.join(entry.party.addresses)}".strip()
            out().print(Text(f"  {entry.ref}  {who}: “{entry.level}” on {entry.account.name}, {entry.provider.name}"))


@click.command()
@click.argument("ref", type=OFFER)
@click.option("--withdraw", "act", flag_value="withdraw", help="Take it back; its link is good for nothing any more.")
@click.option("--send-again", "act", flag_value="send-again", help="Send a new link.")
@click.option("--take-up", "act", flag_value="take-up", help="Take up an offer that was made to you.")
@click.option("--decline", "act", flag_value="decline", help="Decline an offer that was made to you.")
@click.option("--later", "act", flag_value="later", help="Leave an offer that was made to you for later.")
@click.option("--reason", default="", help="Why it is withdrawn or declined; the other side is told.")
@yes_option
@output_option
@reports_errors
def offered(ref: str, act: str | None, reason: str, yes: bool, output: str) -> None:
    """Show an offer, by the id REF, and what has become of it; or withdraw, send again, or answer it."""
    with connect() as client:
        the_offer = client.offered(ref)
        if act is not None:
            confirmed(f"{act.replace('-', ' ').capitalize()}: {the_offer.ref}, to {the_offer.name}?", yes)
        if act == "withdraw":
            the_offer = client.withdraw_offer(ref, reason)
        elif act == "send-again":
            the_offer = client.send_offer_again(ref)
        elif act is not None:
            the_offer = client.answer_offer(ref, act, reason)
    if output != "table":
        emit([the_offer], OFFERS, output, empty="")
        return
    _one(the_offer)


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


def _state(the_offer: wire.Offer) -> str:
    return "waiting, seen" if the_offer.state == "waiting" and the_offer.left_at else the_offer.state


def _power(text: str) -> tuple[str, str]:
    power, _, until = text.partition("=")
    try:
        return power.strip(), date.fromisoformat(until.strip()).isoformat()
    except ValueError as error:
        raise Failure(f"“{text}” is not POWER=DAY.", "Write it as: --power-until spend=2027-03-31", 2) from error


def _day(given: datetime | None) -> date | None:
    return given.date() if given is not None else None
