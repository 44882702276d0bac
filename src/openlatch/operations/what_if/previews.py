"""What an offer would change, before it is made: the same as a proposal of it, worked out at once."""

from __future__ import annotations

from typing import Any

from openlatch.core.hours import day_before
from openlatch.operations.call import Call, operation
from openlatch.operations.letting_in import terms
from openlatch.operations.letting_in.terms import PartSight, Terms
from openlatch.operations.providers.lookups import Findings
from openlatch.operations.what_if import proposals
from openlatch.wire.letting_in.offers import OfferWish
from openlatch.wire.what_if import proposal_file as wire

__all__ = ["of_offer"]


@operation("proposals.of_offer")
def of_offer(call: Call, wish: OfferWish, findings: Findings) -> tuple[dict[str, Any], dict[str, Any]]:
    """Return what an offer would change once it is accepted, and the proposal that says the same.

    It is worked out as if it were accepted now, and leaves everything as it is. Refuses (Invalid) what `offers.check`
    refuses.
    """
    the_terms = terms.terms(call, wish, findings)
    file = _proposal(call, wish, the_terms)
    return proposals.outcome(call, file), file.model_dump(mode="json")


def _proposal(call: Call, wish: OfferWish, the_terms: Terms) -> wire.ProposalFile:
    zone = call.tx.workspace.zone
    return wire.ProposalFile(
        proposal=1,
        title=f"Let {the_terms.name} in"[:200],
        why=the_terms.basis,
        changes=[_given(sight, _addressee(wish, the_terms), the_terms.name, zone) for sight in the_terms.parts],
    )


def _addressee(wish: OfferWish, the_terms: Terms) -> str:
    """Whom it is for, as they were named; an offer that answers a request may name nobody."""
    return wish.to.strip() or the_terms.address


def _given(sight: PartSight, to: str, name: str, zone: str) -> wire.Give:
    part = sight.part
    return wire.Give(
        do="give",
        account=str(sight.account.id),
        to=to,
        name=name[:200],
        level="" if part.permissions else part.level,
        permissions=list(part.permissions),
        resources=list(part.resources),
        until=day_before(part.ends_at, zone) if part.ends_at else None,
        hours=part.hours.written() if part.hours else "",
    )
