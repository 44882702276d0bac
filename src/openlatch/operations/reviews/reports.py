"""Reports of rounds and batches: made from what is stored, and signed once what they tell of is over."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from typing import Any
from uuid import UUID

from openlatch.core.hours import day_in
from openlatch.core.orders.orders import Order
from openlatch.core.phrases import left_out
from openlatch.core.reviews.decisions import Facts
from openlatch.core.reviews.plans import Item, Round
from openlatch.core.reviews.reports import Fact, Line, Report, Told, digest, ordered, plain, review_line, rule_counts
from openlatch.core.taking_back.leaver import Phase
from openlatch.operations.call import Call, operation
from openlatch.operations.record.signing import signed
from openlatch.operations.reviews.scope import facts_now, scope_of
from openlatch.operations.rules import policies
from openlatch.operations.taking_back.batches import seen
from openlatch.store.inventory.entries import Listed
from openlatch.store.taking_back.batches import Batch, BatchItem
from openlatch.words import Outcome

__all__ = ["Signed", "keep", "of_batch", "of_round", "signed_report"]

MOST_LINES = 100_000
NOBODY_ADVISED = False
"""Orders of a batch go against no advice."""
Signed = tuple[Mapping[str, Any], str]
"""A plain report, and the signature over its digest; empty while what it tells of is not over."""


@operation("rounds.report")
def of_round(call: Call, text: str) -> Signed:
    """The report of a round: as it was signed when it was closed, or as far as it is."""
    return signed_report(call, "round", text)


def signed_report(call: Call, kind: str, text: str) -> Signed:
    """Return the report of a round or of a batch, whoever asks for it."""
    if kind == "batch":
        return _of_batch(call, text)
    review = call.tx.reviews.find(text)
    if (kept := call.tx.reviews.report(review.id)) is not None:
        return kept
    found = call.tx.reviews.items(review.id)
    return plain(_of_round(call, review, found, facts_now(call, [item.entry_id for item, _ in found]))), ""


def keep(call: Call, review_round: Round, found: Sequence[tuple[Item, Outcome]], now: Mapping[UUID, Facts]) -> None:
    """Write and sign the report of a round that is being closed, of its items and what is known of their entries."""
    content = plain(_of_round(call, review_round, found, now))
    call.tx.reviews.keep_report(review_round.id, content, _sign(call, content))


def _sign(call: Call, content: Mapping[str, Any]) -> str:
    named = ("kind", "ref", "title", "workspace", "state", "begun_at", "ended_at", "outcomes")
    said = {name: content[name] for name in named} | {"lines": len(content["lines"]), "sha256": digest(content)}
    return signed(call, said, "report")


def _of_round(
    call: Call, review_round: Round, items: Sequence[tuple[Item, Outcome]], now: Mapping[UUID, Facts]
) -> Report:
    plan = review_round.plan
    people = call.tx.people.ever()
    names = {person_id: person.name for person_id, person in people.items()}
    entries = call.tx.entries.some({item.entry_id for item, _ in items})
    parties = call.tx.parties.some({entry.party_id for entry in entries.values()})
    orders = _orders(call, [item.order_id for item, _ in items])
    progress = call.tx.reviews.progress(review_round.id)
    choices = dict(Counter(item.decision.choice.value for item, _ in items if item.decision is not None))
    lines = tuple(
        review_line(
            item,
            outcome,
            parties[entries[item.entry_id].party_id].addresses,
            names.get(item.reviewer, "") if item.reviewer else "",
            names,
            orders.get(item.order_id),
        )
        for item, outcome in items
    )
    policy = _policy(call, review_round.policy)
    asked = tuple(
        Told(
            names.get(who, "") if who else "",
            people[who].address if who in people else "",
            theirs.items,
            theirs.decided,
        )
        for who, theirs in progress.items()
    )
    return Report(
        kind="review",
        ref=review_round.ref,
        title=plan.name,
        workspace=call.tx.workspace.name,
        zone=call.tx.workspace.zone,
        state=review_round.state.value,
        begun_at=review_round.opened_at,
        ended_at=review_round.closed_at,
        facts=_round_facts(call, review_round, policy),
        asked=asked,
        outcomes=dict(Counter(outcome.value for _, outcome in items)),
        decisions=choices,
        against_advice=sum(line.against_advice for line in lines),
        unanswered=sum(item.decision is not None and item.decision.unanswered for item, _ in items),
        compared=review_round.compared,
        rules=rule_counts((item.facts for item, _ in items), now.values(), policies.titles(call)),
        lines=lines,
    )


def _policy(call: Call, number: int) -> str:
    if number == 0:
        return "0, as every workspace begins with"
    adopted = call.tx.policies.find(number)
    return f"{number}, adopted by {adopted.by} on {day_in(adopted.at, call.tx.workspace.zone)}"


def _round_facts(call: Call, review_round: Round, policy: str) -> tuple[Fact, ...]:
    plan = review_round.plan
    recurrence = plan.recurrence(call.tx.workspace.zone)
    asked = {
        "named": "those who are named",
        "administrators": "each account's administrators",
        "sponsor": "the party's sponsor",
    }
    facts = (
        Fact("takes place", recurrence.says() if recurrence is not None else "after an event"),
        Fact("opened", review_round.why, review_round.opened_at),
        Fact("in scope", scope_of(call, plan.where)),
        Fact("left out", left_out(review_round.left_out)),
        Fact("asked", asked[plan.reviewers.value]),
        Fact("to be answered by", "", review_round.due_at),
        Fact("what nobody answers", plan.silence()),
        Fact("a reason is needed", f"against the advice, or to keep a risk of {plan.risk_limit} or more"),
        Fact("policy", policy),
        Fact(
            "answering ended",
            f"by {review_round.settled_by}" if review_round.settled_at else "",
            review_round.settled_at,
        ),
        Fact("closed", "" if review_round.closed_at else "not yet", review_round.closed_at),
    )
    return _said(facts)


def _said(facts: Iterable[Fact]) -> tuple[Fact, ...]:
    """Return those facts that say something."""
    return tuple(fact for fact in facts if fact.value or fact.at is not None)


@operation("batches.report")
def of_batch(call: Call, text: str) -> Signed:
    """The report of a batch, or of a leaver: signed if nothing of it is left to come."""
    return signed_report(call, "batch", text)


def _of_batch(call: Call, text: str) -> Signed:
    batch = call.tx.batches.find(text)
    items = call.tx.batches.items(batch.id, limit=MOST_LINES)
    orders = _orders(call, [item.order_id for item in items])
    listed = call.tx.entries.about({item.entry_id for item in items if item.entry_id is not None})
    sight = seen(call, [batch])[0]
    over = sight.over
    instants = [order.finished_at for order in orders.values() if order.finished_at is not None]
    instants += [item.done_at for item in items if item.done_at is not None]
    ended_at = max(instants, default=batch.cancelled_at or batch.ordered_at) if over else None
    parties = call.tx.parties.some([batch.party_id] if batch.party_id is not None else [])
    party = parties[batch.party_id].name if batch.party_id in parties else ""
    titles = {"leaver": f"{party} leaves", "proposal": str(batch.wanted.get("title", ""))}
    title = titles.get(batch.kind) or f"{batch.action}, {len(items)} entries"
    report = Report(
        kind=batch.kind,
        ref=batch.ref,
        title=title,
        workspace=call.tx.workspace.name,
        zone=call.tx.workspace.zone,
        state="over" if over else "in progress",
        begun_at=batch.ordered_at,
        ended_at=ended_at,
        facts=_batch_facts(call, batch, sight.remains, items),
        asked=(),
        outcomes=dict(Counter(item.outcome.value for item in items)),
        decisions=dict(Counter(item.action for item in items)),
        against_advice=0,
        unanswered=0,
        compared=None,
        rules=(),
        lines=tuple(_batch_line(batch, item, listed, orders) for item in items),
    )
    content = plain(report)
    return content, _sign(call, content) if over else ""


def _batch_facts(call: Call, batch: Batch, remains: Sequence[str], items: Sequence[BatchItem]) -> tuple[Fact, ...]:
    facts = (
        Fact("ordered", f"by {batch.ordered_by}", batch.ordered_at),
        Fact("why", batch.reason),
        Fact("in scope", scope_of(call, batch.wanted["where"]) if "where" in batch.wanted else ""),
        Fact("still has", "; ".join(remains) or _nothing_left(batch, items)),
        Fact("last day", str(batch.wanted.get("last_day") or "")),
        Fact("begins", "", batch.begins_at),
        Fact("cancelled", "", batch.cancelled_at),
    )
    return _said(facts)


def _nothing_left(batch: Batch, items: Sequence[BatchItem]) -> str:
    """What is said of a leaver of whom no way in is known that nobody sees to."""
    if batch.kind != "leaver" or batch.cancelled_at is not None:
        return ""
    left = sum(item.left_open is not None for item in items)
    known = "nothing that a reading shows or that is recorded by hand"
    return f"{known}, but for {left} left open, named below" if left else known


def _batch_line(
    batch: Batch, item: BatchItem, listed: Mapping[UUID, Listed], orders: Mapping[UUID | None, Order]
) -> Line:
    listed_entry = listed.get(item.entry_id) if item.entry_id is not None else None
    entry = listed_entry.entry if listed_entry is not None else None
    part = (
        Phase(item.phase).says
        if batch.kind == "leaver"
        else (listed_entry.account.name if listed_entry is not None else "")
    )
    left = item.left_open
    note = f"{left.reason} ({left.owner})" if left is not None else item.trouble or item.text
    return Line(
        place=item.place,
        part=part,
        party=listed_entry.party.name if listed_entry else "",
        addresses=listed_entry.party.addresses if listed_entry else (),
        account=listed_entry.account.name if listed_entry else "",
        provider=listed_entry.provider.name if listed_entry else "",
        kind=entry.kind.value if entry else "",
        level=entry.level if entry else "",
        powers=tuple(entry.powers) if entry else (),
        resources=entry.resources if entry else (),
        outside=listed_entry.outside if listed_entry else False,
        risk=listed_entry.risk if listed_entry else 0,
        flags=(),
        last_used=entry.last_used if entry else None,
        ends_at=entry.ends_at if entry else None,
        asked=item.who,
        advice="",
        decision=item.action,
        detail="",
        decided_by=item.done_by or batch.ordered_by.name,
        decided_at=item.done_at or batch.ordered_at,
        reason=batch.reason,
        against_advice=NOBODY_ADVISED,
        outcome=item.outcome.value,
        note=note,
        **ordered(orders.get(item.order_id)),
    )


def _orders(call: Call, ids: list[UUID | None]) -> dict[UUID | None, Order]:
    orders = call.tx.orders.some({each_id for each_id in ids if each_id is not None})
    return {order.id: order for order in orders}
