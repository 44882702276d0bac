"""Reviews as messages of the API."""

from __future__ import annotations

from collections.abc import Mapping
from uuid import UUID

from openlatch.core.model import Person
from openlatch.core.reviews.decisions import Decision, Facts, choices
from openlatch.core.reviews.plans import Comparison
from openlatch.operations.inventory.entries import Sight
from openlatch.operations.reviews.plans import ReviewSight
from openlatch.operations.reviews.rounds import ItemSight, RoundSight
from openlatch.web.filled import filled
from openlatch.web.inventory.entry_render import entry_of
from openlatch.web.taking_back.render import left_open_of
from openlatch.wire import messages as wire

__all__ = ["checked_of", "item_of", "review_of", "round_of"]


def review_of(sight: ReviewSight) -> wire.Review:
    plan, people = sight.plan, sight.people
    return filled(
        wire.Review,
        sight,
        plan,
        on=sorted(plan.on),
        at=f"{plan.at:%H:%M}",
        named=[_address(people, each_id) for each_id in plan.named],
        substitutes={_address(people, who): _address(people, other) for who, other in plan.substitutes.items()},
        otherwise=_address(people, plan.otherwise),
        silence=plan.silence(),
        asked_already=[
            filled(wire.AskedAlready, review_round, review=review_round.plan.name, entries=count)
            for review_round, count in sight.asked_already
        ],
    )


def checked_of(sight: ReviewSight) -> wire.ReviewText:
    return filled(wire.ReviewText, sight)


def round_of(sight: RoundSight) -> wire.Round:
    review_round = sight.round
    return filled(
        wire.Round,
        sight,
        review_round,
        review_round.plan,
        review=filled(wire.Ref, review_round.plan),
        silence=review_round.plan.silence(),
        compared=_compared(review_round.compared) if review_round.compared else None,
        progress=[
            filled(
                wire.ReviewerProgress,
                asked,
                id=person,
                address=_address(sight.people, person),
                name=sight.people[person].name if person is not None and person in sight.people else "",
            )
            for person, asked in sight.progress.items()
        ],
    )


def _compared(comparison: Comparison) -> wire.Comparison:
    pairs = {name: getattr(comparison, name) for name in ("entries", "flagged", "severe", "outside", "risk")}
    both = {name: wire.ThenNow(then=then, now=now) for name, (then, now) in pairs.items()}
    return filled(wire.Comparison, comparison, **both)


def item_of(sight: ItemSight) -> wire.RoundItem:
    item, advised, reviewer = sight.item, sight.advice, sight.reviewer
    return filled(
        wire.RoundItem,
        sight,
        item,
        item.facts,
        facts=_facts(item.facts),
        entry=entry_of(Sight(sight.listed, ())),
        advice=advised[0],
        advice_why=advised[1],
        choices=choices(item.facts),
        reviewer=reviewer.name if reviewer is not None else "",
        reviewer_id=reviewer.id if reviewer is not None else None,
        decision=_decision(item.decision),
        last=_last(sight),
        left_open=left_open_of(item.left_open),
    )


def _facts(facts: Facts) -> wire.ItemFacts:
    flags = [{"rule": rule, "severity": severity, "reason": reason} for rule, severity, reason in facts.flags]
    return filled(wire.ItemFacts, facts, flags=flags)


def _decision(decision: Decision | None) -> wire.Decision | None:
    if decision is None:
        return None
    return filled(
        wire.Decision, decision, by=decision.by.name, by_id=decision.by.id, instead_of=str(decision.instead_of or "")
    )


def _last(sight: ItemSight) -> wire.PastDecision | None:
    decision = _decision(sight.past.decision) if sight.past is not None else None
    return wire.PastDecision(decision=decision, changed=list(sight.changed)) if decision is not None else None


def _address(people: Mapping[UUID, Person], some_id: UUID | None) -> str:
    return people[some_id].address if some_id is not None and some_id in people else ""
