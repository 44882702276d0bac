"""Offers and requests: their states, what ends before the rest, and what is said before one is sent."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from itertools import product
from uuid import UUID

import pytest

from openlatch.core import offers, requests
from openlatch.core.model import EndReason, Kind, Severity
from openlatch.core.offers import Offer, OfferMove, OfferState, Part, remarks, stages, why_ended
from openlatch.core.powers import Power
from openlatch.core.requests import Request, RequestMove, RequestState, less, more
from openlatch.core.tasks import Choice
from openlatch.errors import Conflict

NOW = datetime(2027, 3, 1, tzinfo=UTC)
V, E, X, S = Power.VIEW, Power.EDIT, Power.EXPORT, Power.SPEND
LEVELS = {"reader": (V,), "writer": (V, E), "cashier": (V, E, S), "all": (V, E, X, S)}
OFFER = Offer(
    UUID(int=1), "orla.finch@kestrelridge.example", "Orla Finch", UUID(int=2), (), "", None, "Maren Ashdown", NOW,
    NOW + timedelta(days=7), (),
)  # fmt: skip


@pytest.mark.parametrize(("state", "how"), list(product(OfferState, OfferMove)))
def test_an_offer_moves_only_as_its_table_says_and_what_is_over_stays_over(state: OfferState, how: OfferMove) -> None:
    offer = replace(OFFER, state=state)
    if (state, how) in offers.TABLE:
        moved = offer.moved(how, NOW)
        assert (moved.state, moved.version) == (offers.TABLE[state, how], 2)
        assert (moved.left_at is NOW) == (how is OfferMove.LEAVE)
        assert (moved.answered_at is NOW) == (how in (OfferMove.TAKE_UP, OfferMove.DECLINE))
    else:
        with pytest.raises(Conflict, match="Nothing was changed"):
            offer.moved(how, NOW)
    assert state is OfferState.WAITING or (state, how) not in offers.TABLE


@pytest.mark.parametrize(("state", "how"), list(product(RequestState, RequestMove)))
def test_a_request_moves_only_as_its_table_says(state: RequestState, how: RequestMove) -> None:
    if (state, how) in requests.TABLE:
        assert requests.move(state, how) is requests.TABLE[state, how]
    else:
        with pytest.raises(Conflict, match=str(state)):
            requests.move(state, how)


def test_why_an_offered_entry_ends_is_what_became_of_its_offer() -> None:
    over = [state for state in OfferState if state is not OfferState.WAITING]
    assert [why_ended(state) for state in over] == [
        EndReason.REPLACED, EndReason.DECLINED, EndReason.LAPSED, EndReason.WITHDRAWN,
    ]  # fmt: skip


def test_a_power_that_ends_before_the_rest_leaves_the_narrowest_level_without_it() -> None:
    spring, summer = NOW + timedelta(days=30), NOW + timedelta(days=90)
    all_of_it = Choice("all", (), (V, E, X, S), ())
    found = stages({S: spring, X: spring, E: summer}, all_of_it, None, LEVELS)
    assert [(one.since, one.level) for one in found] == [(spring, "writer"), (summer, "reader")]
    part = Part(UUID(int=3), UUID(int=4), Kind.GRANT, "all", (), (), (V, E, X, S), None, later=found)
    assert part.power_ends == {S: spring, X: spring, E: summer}
    assert stages({S: summer}, all_of_it, spring, LEVELS) == (), "what ends with the rest is no stage of its own"
    with pytest.raises(Conflict, match="There is no level without view"):
        stages({V: spring}, Choice("writer", (), (V, E), ()), None, LEVELS)


def test_what_is_grave_about_an_offer_is_said_gravest_first_and_an_outsider_without_an_end_always() -> None:
    def said(powers: tuple[Power, ...], *, outside: bool, ends: bool) -> list[str]:
        end = NOW if ends else None
        found = remarks(name="Orla", where="Gate", outside=outside, powers=powers, beyond=(E,), ends_at=end)
        assert [one.severity.rank for one in found] == sorted((one.severity.rank for one in found), reverse=True)
        return [one.kind for one in found if one.severity.rank >= Severity.HIGH.rank]

    assert said((V,), outside=True, ends=True) == []
    assert said((V,), outside=True, ends=False) == ["endless"]
    assert said((V,), outside=False, ends=False) == []
    assert said((V, S, Power.ADMIT, Power.OWN), outside=False, ends=True) == ["owns", "money", "admits"]


def test_an_answer_to_a_request_says_what_is_less_and_what_is_more_than_was_asked_for() -> None:
    end = NOW + timedelta(days=30)
    asked = Request(
        UUID(int=1), "noor.haddad@northcape-uni.example", "Noor", "South Dome", None, (V, E, X), "", "comet", end, NOW,
        end,
    )  # fmt: skip
    assert less(asked, (V, E, X), end) == more(asked, (V, E, X), end) == ""
    assert less(asked, (V, E), end - timedelta(days=1)) == (
        "That is less than Noor asked for: without export and for a shorter time."
    )
    assert more(asked, (V, E, X, S), None) == "Noor did not ask for spend and a longer time."
    assert less(replace(asked, ends_at=None), (V, E, X), end).endswith("for a shorter time.")
