"""Proposals, what they would change, and carrying one out; a proposal is a mapping in its own JSON format."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from openlatch.client.transport import Transport, part
from openlatch.wire import messages as wire

__all__ = ["WhatIfCalls"]

_SOON = 0.3
"""seconds between two looks"""


def _worked_out(proposal: wire.Proposal) -> bool:
    return proposal.state != "working"


class WhatIfCalls(Transport):
    """Proposals."""

    def shares(self, account: str, part_: str | None = None) -> list[dict[str, Any]]:
        """Return what shares the parts of an account, or one of them, each as a change of a proposal."""
        params = {} if part_ is None else {"part": part_}
        return self._send(wire.Shares, "GET", f"/accounts/{part(account)}/shares", params=params).items

    def preview_offer(self, wish: wire.OfferWish) -> wire.OfferPreview:
        """Return what an offer would change once it is accepted, and the same as a proposal; changes nothing."""
        fields = set(wire.OfferWish.model_fields)
        return self._send(
            wire.OfferPreview, "POST", "/offers/preview", json=wish.model_dump(mode="json", include=fields)
        )

    def propose(self, body: Mapping[str, Any]) -> wire.Proposal:
        """Submit a proposal; it is worked out meanwhile, see `worked_out`."""
        return self._send(wire.Proposal, "POST", "/proposals", json={"body": dict(body)})

    def change_proposal(self, proposal: str, body: Mapping[str, Any]) -> wire.Proposal:
        """Put another version in the place of a proposal."""
        return self._send(wire.Proposal, "PUT", f"/proposals/{part(proposal)}", json={"body": dict(body)})

    def run_proposal(self, proposal: str) -> wire.Proposal:
        """Have a proposal worked out anew."""
        return self._send(wire.Proposal, "POST", f"/proposals/{part(proposal)}/run")

    def proposal(self, proposal: str) -> wire.Proposal:
        """Return one proposal with all its versions, by id or short form."""
        return self._send(wire.Proposal, "GET", f"/proposals/{part(proposal)}")

    def compare_versions(self, proposal: str, first: int, second: int) -> wire.Versions:
        """Return what two versions of a proposal, by their numbers, would each change that the other would not."""
        params = {"first": first, "second": second}
        return self._send(wire.Versions, "GET", f"/proposals/{part(proposal)}/comparison", params=params)

    def proposals(self) -> Iterator[wire.Proposal]:
        """Return proposals, the latest first."""
        return self._pages(wire.ProposalList, "/proposals", {})

    def apply_proposal(self, proposal: str, run: int) -> wire.Proposal:
        """Carry the latest version of a proposal out; `run` is its number."""
        return self._send(wire.Proposal, "POST", f"/proposals/{part(proposal)}/apply", json={"run": run})

    def worked_out(self, proposal: str, *, within: float = 120) -> wire.Proposal:
        """Return a proposal once its latest version is worked out; raises NotYet after so many seconds."""
        return list(self._follow(lambda: self.proposal(proposal), _worked_out, _SOON, within))[-1]
