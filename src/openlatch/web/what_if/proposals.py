"""What-if: proposals, what they would change, and carrying one out."""

from __future__ import annotations

from openlatch.core.ids import ref_of
from openlatch.operations.call import Call
from openlatch.operations.letting_in import terms
from openlatch.operations.providers.lookups import Findings, Lookup
from openlatch.operations.what_if import apply, compare, previews, proposals, shares
from openlatch.operations.what_if.proposals import ProposalSight
from openlatch.web.api import Routes
from openlatch.web.filled import filled
from openlatch.wire import messages as wire

__all__ = ["routes"]

routes = Routes()


@routes.route("GET", "/accounts/<account>/shares", query=wire.ShareQuery, returns=wire.Shares)
def list_shares(call: Call, account: str, query: wire.ShareQuery) -> wire.Shares:
    """What shares the parts of an account, as it was last read: to begin a proposal with."""
    return wire.Shares(items=list(shares.browse(call, account, query.part)))


def _about_offer(call: Call, body: wire.OfferWish) -> list[Lookup]:
    return terms.lookups(call, body)


@routes.route("POST", "/offers/preview", body=wire.OfferWish, returns=wire.OfferPreview, asks=_about_offer)
def preview_offer(call: Call, body: wire.OfferWish, findings: Findings) -> wire.OfferPreview:
    """What an offer would change once it is accepted: who gains what, which flags it raises. Changes nothing."""
    outcome, proposal = previews.of_offer(call, body, findings)
    return wire.OfferPreview.model_validate({"outcome": outcome, "proposal": proposal})


@routes.route("POST", "/proposals", body=wire.ProposalBody, returns=wire.Proposal, status=202)
def create_proposal(call: Call, body: wire.ProposalBody) -> wire.Proposal:
    """Submit a proposal; what it would change is worked out, and can be asked for."""
    return _sent(proposals.propose(call, body.body))


@routes.route("GET", "/proposals", query=wire.ProposalQuery, returns=wire.ProposalList)
def list_proposals(call: Call, query: wire.ProposalQuery) -> wire.ProposalList:
    """Proposals, the latest first."""
    page = proposals.browse(call, query.limit, query.cursor)
    return wire.ProposalList(items=[_sent(item) for item in page.items], next=page.next)


@routes.route("GET", "/proposals/<proposal>", returns=wire.Proposal)
def get_proposal(call: Call, proposal: str) -> wire.Proposal:
    """One proposal with all its versions; ask again until its state is no longer `working`."""
    return _sent(proposals.show(call, proposal))


@routes.route("GET", "/proposals/<proposal>/comparison", query=wire.CompareQuery, returns=wire.Versions)
def compare_versions(call: Call, proposal: str, query: wire.CompareQuery) -> wire.Versions:
    """What two versions of a proposal would each change that the other would not."""
    versions = compare.compare(call, proposal, query.first, query.second)
    return filled(wire.Versions, query, versions)


@routes.route("PUT", "/proposals/<proposal>", body=wire.ProposalBody, returns=wire.Proposal)
def change_proposal(call: Call, proposal: str, body: wire.ProposalBody) -> wire.Proposal:
    """Put another version in the place of a proposal, and have that worked out."""
    return _sent(proposals.change(call, proposal, body.body))


@routes.route("POST", "/proposals/<proposal>/run", returns=wire.Proposal)
def run_proposal(call: Call, proposal: str) -> wire.Proposal:
    """Work a proposal out again, against the inventory as it is now."""
    return _sent(proposals.run_again(call, proposal))


def _about(call: Call, proposal: str, body: wire.ApplyWish) -> list[Lookup]:
    return apply.lookups(call, proposal)


@routes.route("POST", "/proposals/<proposal>/apply", body=wire.ApplyWish, returns=wire.Proposal, asks=_about)
def apply_proposal(call: Call, proposal: str, body: wire.ApplyWish, findings: Findings) -> wire.Proposal:
    """Carry a proposal out: by orders, offers, and tasks for people."""
    return _sent(apply.apply(call, proposal, body.run, findings))


def _sent(sight: ProposalSight) -> wire.Proposal:
    proposal, latest = sight.proposal, sight.latest
    state = "working" if latest.finished_at is None else "failed" if latest.trouble else "done"
    return filled(
        wire.Proposal,
        proposal,
        state="applied" if proposal.applied_at is not None else state,
        runs=sight.runs,
        batch=ref_of(proposal.batch_id) if proposal.batch_id else None,
    )
