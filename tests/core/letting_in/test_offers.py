"""Offers and requests: their states, what ends before the rest, and what is said before one is sent."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from itertools import product
from uuid import UUID

import pytest

from openlatch.core.hours import Hours
from openlatch.core.letting_in import offers, requests
from openlatch.core.letting_in.offers import Offer, OfferMove, Part, Stage, stages, why_ended
from openlatch.core.letting_in.requests import Request, RequestMove, compare
from openlatch.core.orders.remarks import remarks
from openlatch.core.rules.tasks import Choice
from openlatch.errors import Conflict
from openlatch.words import EndReason, Kind, OfferState, Power, RequestState, Severity

NOW = datetime(2027, 3, 1, tzinfo=UTC)
V, E, X, S = Power.VIEW, Power.EDIT, Power.EXPORT, Power.SPEND
LEVELS = {"reader": (V,), "writer": (V, E), "cashier": (V, E, S), "all": (V, E, X, S)}
OFFER = Offer(
    UUID(int=1),
    "orla.finch@kestrelridge.example",
    "Orla Finch",
    UUID(int=2),
    (),
    "",
    None,
    "Maren Ashdown",
    NOW,
    NOW + timedelta(days=7),
    (),
)


@pytest.mark.parametrize(("state", "how"), list(product(OfferState, OfferMove)))
def test_an_offer_moves_only_as_its_table_says_and_what_is_over_stays_over(state: OfferState, how: OfferMove) -> None:
    offer = replace(OFFER, state=state)
    if (state, how) in offers.MOVES.table:
        moved = offer.moved(how, NOW)
        assert (moved.state, moved.version) == (offers.MOVES.table[state, how], 2)
        assert (moved.left_at is NOW) == (how is OfferMove.LEAVE)
        assert (moved.answered_at is NOW) == (how in (OfferMove.TAKE_UP, OfferMove.DECLINE))
    else:
        with pytest.raises(Conflict, match="Nothing was changed"):
            offer.moved(how, NOW)
    assert state is OfferState.WAITING or (state, how) not in offers.MOVES.table


@pytest.mark.parametrize(("state", "how"), list(product(RequestState, RequestMove)))
def test_a_request_moves_only_as_its_table_says(state: RequestState, how: RequestMove) -> None:
    if (state, how) in requests.MOVES.table:
        assert requests.MOVES.after(state, how) is requests.MOVES.table[state, how]
    else:
        with pytest.raises(Conflict, match=str(state)):
            requests.MOVES.after(state, how)


def test_why_an_offered_entry_ends_is_what_became_of_its_offer() -> None:
    over = [state for state in OfferState if state is not OfferState.WAITING]
    assert [why_ended(state) for state in over] == [
        EndReason.REPLACED,
        EndReason.DECLINED,
        EndReason.LAPSED,
        EndReason.WITHDRAWN,
    ]


def test_a_power_that_ends_before_the_rest_leaves_the_narrowest_level_without_it() -> None:
    spring, summer = NOW + timedelta(days=30), NOW + timedelta(days=90)
    all_of_it = Choice("all", (), (V, E, X, S), ())
    the_stages = stages({S: spring, X: spring, E: summer}, all_of_it, None, LEVELS)
    assert [(stage.since, stage.level) for stage in the_stages] == [(spring, "writer"), (summer, "reader")]
    part = Part(UUID(int=3), UUID(int=4), Kind.GRANT, "all", (), (), (V, E, X, S), None, later=the_stages)
    assert part.power_ends == {S: spring, X: spring, E: summer}
    assert stages({S: summer}, all_of_it, spring, LEVELS) == (), "what ends with the rest is no stage of its own"
    with pytest.raises(Conflict, match="There is no level without view"):
        stages({V: spring}, Choice("writer", (), (V, E), ()), None, LEVELS)


def test_what_is_grave_about_an_offer_is_said_gravest_first_and_an_outsider_without_an_end_always() -> None:
    def said(powers: tuple[Power, ...], *, outside: bool, ends: bool) -> list[str]:
        end = NOW if ends else None
        the_remarks = remarks(name="Orla", where="Gate", outside=outside, powers=powers, beyond=(E,), ends_at=end)
        assert [remark.severity.rank for remark in the_remarks] == sorted(
            (remark.severity.rank for remark in the_remarks), reverse=True
        )
        return [remark.kind for remark in the_remarks if remark.severity.rank >= Severity.HIGH.rank]

    assert said((V,), outside=True, ends=True) == []
    assert said((V,), outside=True, ends=False) == ["endless"]
    assert said((V,), outside=False, ends=False) == []
    assert said((V, S, Power.ADMIT, Power.OWN), outside=False, ends=True) == ["owns", "money", "admits"]


HALL, ELSEWHERE = UUID(int=4), UUID(int=5)
NIGHTS = Hours.parse("tue,fri 19:00-04:00 Europe/London")


def part(*, powers: tuple[Power, ...], level: str = "all", ends_at: datetime | None = None) -> Part:
    return Part(UUID(int=3), HALL, Kind.GRANT, level, (), (), powers, ends_at)


def test_an_answer_to_a_request_says_what_is_less_and_what_is_more_than_was_asked_for() -> None:
    end = NOW + timedelta(days=30)
    asked = Request(
        UUID(int=1),
        "noor.haddad@northcape-uni.example",
        "Noor",
        "South Dome",
        None,
        (V, E, X),
        "",
        "comet",
        end,
        NOW,
        end,
    )

    def said(
        *parts: Part, request: Request = asked, levels: dict[str, tuple[Power, ...]] | None = None, later: bool = False
    ) -> tuple[str, str]:
        places = {HALL: "South Dome", ELSEWHERE: "Gate"}
        comparison = compare(request, levels or {}, parts, end if later else None, places)
        return comparison.less_than("Noor"), comparison.more_than("Noor")

    all_of_it = part(powers=(V, E, X), ends_at=end)
    assert said(all_of_it) == ("", "")
    assert said(part(powers=(V, E), ends_at=end - timedelta(days=1))) == (
        "That is less than Noor asked for: without export and for a shorter time.",
        "",
    )
    assert said(part(powers=(V, E, X, S), ends_at=None)) == ("", "Noor did not ask for spend and a longer time.")
    assert said(all_of_it, request=replace(asked, ends_at=None))[0].endswith(": for a shorter time.")
    limited = replace(all_of_it, resources=("frames",), hours=NIGHTS, later=(Stage(NOW, "x", (), (V, E)),))
    assert said(limited, later=True)[0] == (
        "That is less than Noor asked for: export for a part of the time, only for frames, only at some hours and from "
        "a later day on."
    )
    beside = replace(all_of_it, account_id=ELSEWHERE)
    assert said(all_of_it, beside, request=replace(asked, account_id=HALL)) == (
        "",
        "Noor did not ask for access to Gate.",
    )
    assert said(beside, request=replace(asked, account_id=HALL))[0].endswith(": nothing on South Dome.")


def test_a_request_that_named_a_level_is_compared_by_what_that_level_gives() -> None:
    asked = Request(UUID(int=1), "a@b.example", "Noor", "South Dome", None, (), "observer", "comet", None, NOW, NOW)
    guide = part(powers=(V,), level="guide")

    def said(levels: dict[str, tuple[Power, ...]], the_part: Part = guide) -> tuple[str, str]:
        comparison = compare(asked, levels, [the_part], None, {HALL: "South Dome"})
        return comparison.less_than("you"), comparison.more_than("Noor")

    assert said({"observer": (V, E)}) == ("That is less than you asked for: without edit.", "")
    assert said({"observer": (V,)}) == ("", "")
    assert said({"observer": (V,)}, part(powers=(V, S), level="buyer")) == ("", "Noor did not ask for spend.")
    assert said({}) == ("That is less than you asked for: “guide” in the place of “observer”.", "")
    assert said({}, part(powers=(V,), level="observer")) == ("", "")
