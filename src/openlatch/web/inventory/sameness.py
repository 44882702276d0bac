"""Who is the same as whom."""

from __future__ import annotations

from openlatch.core.ids import ref_of
from openlatch.core.model import Party
from openlatch.operations.call import Call
from openlatch.operations.inventory import sameness
from openlatch.web.api import Routes
from openlatch.web.filled import filled
from openlatch.web.inventory.render import party_of
from openlatch.wire import messages as wire

__all__ = ["routes"]

routes = Routes()


@routes.route("GET", "/perhaps-the-same", query=wire.AlikeQuery, returns=wire.PerhapsTheSame)
def list_perhaps_the_same(call: Call, query: wire.AlikeQuery) -> wire.PerhapsTheSame:
    """The parties that are perhaps the same, two by two, with the reasons; or those of one party."""
    return wire.PerhapsTheSame(items=[_alike(call, sight) for sight in sameness.browse(call, query.party)])


@routes.route("GET", "/parties/<party>/keys", returns=wire.KeyList)
def list_keys(call: Call, party: str) -> wire.KeyList:
    """What providers know a party by."""
    return wire.KeyList(items=_keys(sameness.keys(call, party)))


@routes.route("POST", "/parties/<party>/join", body=wire.JoinWish, returns=wire.SamenessDecision)
def join_parties(call: Call, party: str, body: wire.JoinWish) -> wire.SamenessDecision:
    """Join two parties into one: everything the other has belongs to the first, until that is undone."""
    return _decision(sameness.join(call, party, body.other, body.reason))


@routes.route("POST", "/parties/<party>/keep-apart", body=wire.JoinWish, returns=wire.SamenessDecision)
def keep_parties_apart(call: Call, party: str, body: wire.JoinWish) -> wire.SamenessDecision:
    """Keep two parties apart: it is not asked again whether they are the same."""
    return _decision(sameness.apart(call, party, body.other, body.reason))


@routes.route("POST", "/parties/<party>/part", body=wire.Parting, returns=wire.SamenessDecision)
def part_party(call: Call, party: str, body: wire.Parting) -> wire.SamenessDecision:
    """Part what a provider knows by a key from a party: it becomes a party of its own."""
    return _decision(sameness.part(call, party, body.provider, body.key, body.reason))


@routes.route("GET", "/sameness-decisions", query=wire.PageQuery, returns=wire.SamenessDecisionList)
def list_sameness_decisions(call: Call, query: wire.PageQuery) -> wire.SamenessDecisionList:
    """Which parties were joined, parted or kept apart, the latest first."""
    page = sameness.decided(call, query.limit, query.cursor)
    return wire.SamenessDecisionList(items=[_decision(item) for item in page.items], next=page.next)


@routes.route("POST", "/sameness-decisions/<decision>/undo", returns=wire.SamenessDecision)
def undo_sameness_decision(call: Call, decision: str) -> wire.SamenessDecision:
    """Undo what was said of two parties."""
    return _decision(sameness.undo(call, decision))


def _alike(call: Call, sight: sameness.LikenessSight) -> wire.Alike:
    holds = call.tx.workspace.circle.holds
    return wire.Alike(
        one=wire.AlikeParty(party=party_of(sight.one, not holds(sight.one)), keys=_keys(sight.one_keys)),
        other=wire.AlikeParty(party=party_of(sight.other, not holds(sight.other)), keys=_keys(sight.other_keys)),
        reasons=[filled(wire.AlikeReason, reason, says=reason.said()) for reason in sight.likeness.reasons],
    )


def _keys(sights: tuple[sameness.KeySight, ...]) -> list[wire.KnownAs]:
    return [
        filled(
            wire.KnownAs,
            sight.key,
            provider=wire.Ref(id=sight.key.provider_id, ref=ref_of(sight.key.provider_id), name=sight.provider),
        )
        for sight in sights
    ]


def _decision(sight: sameness.DecisionSight) -> wire.SamenessDecision:
    decision = sight.decision
    return filled(
        wire.SamenessDecision,
        decision,
        one=_ref(sight.one),
        other=_ref(sight.other),
        decided_by=decision.by.name,
        decided_by_id=decision.by.id,
        decided_at=decision.at,
        undone_by=decision.undone_by.name if decision.undone_by else None,
        undone_by_id=decision.undone_by.id if decision.undone_by else None,
    )


def _ref(party: Party) -> wire.Ref:
    return wire.Ref(id=party.id, ref=party.ref, name=party.name)
