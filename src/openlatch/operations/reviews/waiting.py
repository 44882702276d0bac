"""What waits for whoever is signed in, in one holder's name: so that someone who acts for several sees all of it."""

from __future__ import annotations

from dataclasses import dataclass

from openlatch.core.model import normal_address
from openlatch.operations.call import Call, operation, reachable
from openlatch.operations.reviews import rounds
from openlatch.words import OfferState, RequestState

__all__ = ["Waiting", "waiting"]

_MOST = 200


@dataclass(frozen=True, slots=True)
class Waiting:
    """How many requests wait for an answer, offers to oneself, things to decide in reviews, and orders for a person."""

    requests: int = 0
    offers: int = 0
    items: int = 0
    stuck: int = 0

    @property
    def total(self) -> int:
        return self.requests + self.offers + self.items + self.stuck


@operation("waiting.show")
def waiting(call: Call) -> Waiting:
    """What waits for whoever is signed in; what they do not reach does not wait for them."""
    may = set(reachable(call.actor))
    answers = "requests.turn_down" in may
    asked = len(call.tx.requests.browse((RequestState.WAITING,), _MOST, None).items) if answers else 0
    address = normal_address(call.actor.person.address) if call.actor.person else ""
    mine = len(call.tx.offers.browse((OfferState.WAITING,), _MOST, None, address).items)
    decide = (
        sum(item.mine for item in rounds.browse(call, "open", "", _MOST, None).items) if "rounds.decide" in may else 0
    )
    stuck = len(call.tx.orders.stuck(_MOST)) if "orders.try_again" in may else 0
    return Waiting(asked, mine, decide, stuck)
