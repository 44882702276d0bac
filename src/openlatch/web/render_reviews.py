"""Reviews as messages of the API."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any
from uuid import UUID

from openlatch.core.model import Person
from openlatch.core.reviews.decisions import Decision, Facts, choices
from openlatch.core.reviews.plans import Comparison
from openlatch.operations.inventory.entries import Sight
from openlatch.operations.reviews.plans import ReviewSight
from openlatch.operations.reviews.rounds import ItemSight, RoundSight
from openlatch.web import render
from openlatch.wire import messages as wire

__all__ = ["checked", "item", "review", "round_"]


def review(sight: ReviewSight) -> wire.Review:
    plan, people = sight.plan, sight.people
    facts: dict[str, Any] = {
        "on": sorted(plan.on),
        "reviewers": plan.reviewers.value,
        "unanswered": plan.unanswered.value,
    }
    return wire.Review(
        id=plan.id,
        ref=plan.ref,
        name=plan.name,
        where=dict(plan.where),
        looks_at=sight.looks_at,
        recurs=plan.recurs,
        begins=plan.begins,
        at=f"{plan.at:%H:%M}",
        named=[_address(people, one) for one in plan.named],
        substitutes={_address(people, who): _address(people, other) for who, other in plan.substitutes.items()},
        otherwise=_address(people, plan.otherwise),
        answer_days=plan.answer_days,
        remind_days=plan.remind_days,
        silence=plan.silence(),
        most=plan.most,
        risk_limit=plan.risk_limit,
        paused=plan.paused,
        next_at=plan.next_at,
        created_by=plan.created_by,
        version=plan.version,
        says=sight.says,
        coming=list(sight.coming),
        entries=sight.entries,
        asked_already=[
            wire.AskedAlready(ref=one.ref, review=one.plan.name, due_at=one.due_at, entries=count)
            for one, count in sight.asked_already
        ],
        **facts,
    )


def checked(sight: ReviewSight) -> wire.ReviewText:
    return wire.ReviewText(says=sight.says, coming=list(sight.coming), entries=sight.entries, unasked=sight.unasked)


def round_(sight: RoundSight) -> wire.Round:
    one = sight.round
    facts: dict[str, Any] = {"state": one.state.value, "unanswered": one.plan.unanswered.value}
    return wire.Round(
        id=one.id,
        ref=one.ref,
        review=wire.Ref(id=one.plan.id, ref=one.plan.ref, name=one.plan.name),
        why=one.why,
        occurrence=one.occurrence,
        opened_at=one.opened_at,
        due_at=one.due_at,
        policy=one.policy,
        paused_at=one.paused_at,
        settled_by=one.settled_by,
        settled_at=one.settled_at,
        closed_at=one.closed_at,
        where=dict(one.plan.where),
        looks_at=sight.looks_at,
        silence=one.plan.silence(),
        most=one.plan.most,
        risk_limit=one.plan.risk_limit,
        count=sight.count,
        outcomes=dict(sight.outcomes),
        rests=sight.rests,
        progress=[
            wire.ReviewerProgress(
                id=person,
                name=sight.people[person].name if person is not None and person in sight.people else "",
                address=_address(sight.people, person),
                items=asked.items,
                decided=asked.decided,
                by_others=asked.by_others,
            )
            for person, asked in sight.progress.items()
        ],
        mine=sight.mine,
        joined=sight.joined,
        compared=_compared(one.compared) if one.compared else None,
        **facts,
    )


def _compared(found: Comparison) -> wire.Comparison:
    pairs = {name: getattr(found, name) for name in ("entries", "flagged", "severe", "outside", "risk")}
    return wire.Comparison(
        **{name: wire.ThenNow(then=then, now=now) for name, (then, now) in pairs.items()},
        gone=list(found.gone),
        joined=list(found.joined),
        cleared=dict(found.cleared),
        raised=dict(found.raised),
    )


def item(sight: ItemSight) -> wire.RoundItem:
    one, left = sight.item, sight.item.left_open
    able = [choice.value for choice in choices(one.facts)]
    facts: dict[str, Any] = {"advice": sight.advice[0].value, "choices": able}
    return wire.RoundItem(
        place=one.place,
        version=one.version,
        outcome=sight.outcome.value,
        facts=_facts(one.facts),
        entry=render.entry(Sight(sight.listed, ())),
        advice_why=sight.advice[1],
        narrower=one.facts.narrower,
        needs_reason=sight.needs_reason,
        group=sight.group,
        reviewer=sight.reviewer.name if sight.reviewer is not None else "",
        reviewer_id=sight.reviewer.id if sight.reviewer is not None else None,
        own=sight.own,
        decision=_decision(one.decision),
        last=_last(sight),
        order=sight.order,
        trouble=one.trouble,
        left_open=render.left_open(left),
        **facts,
    )


def _facts(facts: Facts) -> wire.ItemFacts:
    flags: list[Any] = [
        {"rule": rule, "severity": severity, "reason": reason} for rule, severity, reason in facts.flags
    ]
    return wire.ItemFacts(
        party=facts.party,
        account=facts.account,
        provider=facts.provider,
        kind=facts.kind,
        level=facts.level,
        powers=list(facts.powers),
        outside=facts.outside,
        risk=facts.risk,
        flags=flags,
        given_at=facts.given_at,
        given_by=facts.given_by,
        last_used=facts.last_used,
        use_known=facts.use_known,
        ends_at=facts.ends_at,
        resources=list(facts.resources),
    )


def _decision(decision: Decision | None) -> wire.Decision | None:
    if decision is None:
        return None
    facts: dict[str, Any] = {"choice": decision.choice.value}
    return wire.Decision(
        by=decision.by.name,
        by_id=decision.by.id,
        at=decision.at,
        reason=decision.reason,
        level=decision.level,
        until=decision.until,
        unanswered=decision.unanswered,
        instead_of=str(decision.instead_of or ""),
        **facts,
    )


def _last(sight: ItemSight) -> wire.PastDecision | None:
    decision = _decision(sight.past.decision) if sight.past is not None else None
    return wire.PastDecision(decision=decision, changed=list(sight.changed)) if decision is not None else None


def _address(people: Mapping[UUID, Person], one: UUID | None) -> str:
    return people[one].address if one is not None and one in people else ""
