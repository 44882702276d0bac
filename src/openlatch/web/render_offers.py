"""From offers and their terms to the API's messages."""

from __future__ import annotations

from openlatch.core import model
from openlatch.core.ids import ref_of
from openlatch.core.letting_in.offers import TABLE, Part
from openlatch.core.orders.orders import Order
from openlatch.core.orders.remarks import Remark
from openlatch.core.rules.tasks import Fit, Task
from openlatch.operations.letting_in.consent import Question
from openlatch.operations.letting_in.offers import OfferSight
from openlatch.operations.letting_in.terms import PartSight, Terms
from openlatch.wire import messages as wire

__all__ = ["fit", "offer", "question", "task", "terms"]


def task(one: Task) -> wire.Task:
    return wire.Task(id=one.id, title=one.title, needs=[p.value for p in one.needs], own=one.own)


def fit(account: model.Account, provider: model.Provider, found: Fit) -> wire.Fit:
    return wire.Fit(
        account=_account(account),
        provider=provider.name,
        needs=[p.value for p in found.needs],
        choices=[
            wire.LevelChoice(
                level=one.level,
                permissions=list(one.permissions),
                powers=[p.value for p in one.powers],
                beyond=[p.value for p in one.beyond],
                money=[p.value for p in one.money],
                admitting=[p.value for p in one.admitting],
            )
            for one in found.choices
        ],
        lacks=[p.value for p in found.lacks],
        text=found.text,
    )


def terms(found: Terms) -> wire.OfferTerms:
    return wire.OfferTerms(
        address=found.address,
        ascii=found.ascii,
        name=found.name,
        near=found.near.known if found.near else None,
        near_how=found.near.how if found.near else None,
        known=wire.Ref(id=found.party.id, ref=found.party.ref, name=found.party.name) if found.party else None,
        outside=found.outside,
        parts=[_terms_part(one) for one in found.parts],
        remarks=[_remark(one) for one in found.remarks],
        sentences=list(found.sentences),
        starts_at=found.starts_at,
        lapses_at=found.lapses_at,
        digest=found.digest,
    )


def _remark(one: Remark) -> wire.Remark:
    return wire.Remark(
        kind=one.kind, severity=one.severity.value, text=one.text, next_step=one.next_step, stops=one.stops
    )


def _terms_part(one: PartSight) -> wire.TermsPart:
    found = fit(one.account, one.provider, one.fit) if one.fit is not None else None
    return wire.TermsPart(
        account=_account(one.account), provider=one.provider.name, sentence=one.sentence, fit=found, **_given(one.part)
    )


def _given(part: Part) -> dict[str, object]:
    """What a part gives, as it stands in every message about one."""
    return {
        "kind": part.kind.value,
        "level": part.level,
        "permissions": list(part.permissions),
        "resources": list(part.resources),
        "powers": [p.value for p in part.powers],
        "ends_at": part.ends_at,
        "hours": str(part.hours) if part.hours is not None else None,
    }


def offer(sight: OfferSight, outside: bool) -> wire.Offer:
    o = sight.offer
    return wire.Offer(
        id=o.id,
        ref=o.ref,
        address=o.address,
        name=o.name,
        party=wire.Ref(id=sight.party.id, ref=sight.party.ref, name=sight.party.name),
        outside=outside,
        parts=[_part(*one) for one in sight.parts],
        basis=o.basis,
        state=o.state.value,
        starts_at=o.starts_at,
        made_by=o.made_by.name,
        made_by_id=o.made_by.id,
        made_at=o.made_at,
        lapses_at=o.lapses_at,
        left_at=o.left_at,
        answered_at=o.answered_at,
        confirmed=list(o.confirmed),
        replaces=o.replaces,
        version=o.version,
        moves=[how.value for state, how in TABLE if state is o.state],
    )


def _part(part: Part, account: model.Account, provider: model.Provider, order: Order | None) -> wire.OfferPart:
    return wire.OfferPart(
        account=_account(account),
        provider=provider.name,
        written_hours=part.hours.written() if part.hours is not None else "",
        power_ends={power.value: at for power, at in part.power_ends.items()},
        entry=part.entry_id,
        live=part.live_id,
        order=ref_of(part.order_id) if part.order_id else None,
        order_state=order.state.value if order is not None else None,
        why=order.why if order is not None else "",
        **_given(part),
    )


def _account(a: model.Account) -> wire.Ref:
    return wire.Ref(id=a.id, ref=a.ref, name=a.name)


def question(asked: Question, workspace: model.Workspace) -> wire.Question:
    circle = workspace.circle
    return wire.Question(
        purpose=asked.purpose,
        holder=asked.holder,
        title=asked.title,
        text=list(asked.text),
        asked_by=asked.asked_by,
        lapses_at=asked.lapses_at,
        zone=workspace.zone,
        trouble=asked.trouble,
        offer=offer(asked.offer, not circle.holds(asked.offer.party)) if asked.offer is not None else None,
        needs=asked.needs,
        workspace=workspace.slug,
    )
