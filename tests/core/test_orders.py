"""Taking back: consequences before, a table of states, and what counts as proof."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.model import Abilities, Dependency, EndReason, Entry, Kind, ReadingOutcome, State
from openlatch.core.observation import Observation
from openlatch.core.orders import ATTEMPTS, FINAL, TABLE, Move, OrderState, Plan, again_after, move, plan_end, verify
from openlatch.core.powers import Power
from openlatch.errors import Conflict
from tests.factories import GATE, NOW, account, entry, observed, party

ALL = Abilities(frozenset(Kind), frozenset(Kind))
WHO = party(name="Brightmere Electrical")
GATE_ACCOUNT = account()


def theirs(**overrides: Any) -> Entry:
    return entry(**{"party_id": WHO.id, "account_id": GATE_ACCOUNT.id} | overrides)


def plan(target: Entry, *neighbours: Entry, abilities: Abilities = ALL) -> Plan:
    places = {n.account_id: "Gate" for n in neighbours}
    return plan_end(
        target, WHO, GATE_ACCOUNT, provider="Ticket Desk", abilities=abilities, neighbours=neighbours, places=places
    )


def kinds(made: Plan) -> list[str]:
    return [c.kind for c in made.consequences]


@pytest.mark.parametrize("state", list(OrderState))
@pytest.mark.parametrize("how", list(Move))
def test_a_move_that_is_not_in_the_table_is_refused_and_says_what_is_possible(state: OrderState, how: Move) -> None:
    if (state, how) in TABLE:
        assert move(state, how) is TABLE[state, how]
        return
    with pytest.raises(Conflict) as refused:
        move(state, how)
    assert all(m in str(refused.value) for (s, m) in TABLE if s is state)


def test_every_order_can_come_to_an_end_and_stays_there() -> None:
    assert not [pair for pair in TABLE if pair[0] in FINAL]
    reaches = {state: {state} for state in OrderState}
    for _ in OrderState:
        for (state, _how), after in TABLE.items():
            reaches[state] |= reaches[after]
    assert all(OrderState.PROVED in reaches[s] for s in OrderState if s is not OrderState.CANCELLED)


def test_a_payment_that_hangs_on_it_comes_first_and_names_the_day() -> None:
    paying = theirs(dependencies=(Dependency("payment", "gate maintenance", NOW + timedelta(days=22)),))
    first = plan(paying, theirs()).consequences[0]
    assert (first.kind, "1 June 2026" in first.text) == ("dependency", True)


def test_the_last_who_can_admit_is_told_and_another_one_lifts_it() -> None:
    last = theirs(powers=(Power.ADMIT,))
    assert kinds(plan(last))[0] == "last-administrator"
    mine_too = theirs(powers=(Power.ADMIT,))
    ended = entry(account_id=GATE_ACCOUNT.id, powers=(Power.ADMIT,), state=State.ENDED, end_reason=EndReason.GONE)
    assert "last-administrator" in kinds(plan(last, mine_too, ended))
    other = entry(account_id=GATE_ACCOUNT.id, powers=(Power.ADMIT,))
    assert "last-administrator" not in kinds(plan(last, other))


def test_what_hangs_on_it_goes_with_it_however_deep_and_the_rest_is_another_way_in() -> None:
    login = theirs(key="login")
    member = theirs(key="member", hangs_on="login", level="readers")
    session = theirs(key="session", hangs_on="member", kind=Kind.SESSION)
    elsewhere = entry(party_id=WHO.id, level="van key")
    made = plan(login, member, session, elsewhere)
    text = {c.kind: c.text for c in made.consequences}
    assert "“readers”" in text["goes-with-it"]
    assert "One open session" in text["sessions-closed"]
    assert "“van key”" in text["other-ways-in"]
    assert "“readers”" not in text["other-ways-in"]


@given(st.lists(st.tuples(st.integers(0, 6), st.integers(0, 6)), max_size=8))
def test_entries_that_hang_on_each_other_in_any_way_make_a_plan(hanging: list[tuple[int, int]]) -> None:
    others = [theirs(key=str(key), hangs_on=str(on)) for key, on in hanging]
    made = plan(theirs(key="0"), *others)
    assert made.consequences[-1].kind == "effect"
    assert [s.call for s in made.steps] == ["end", "read", "receipt"]


def test_the_digest_names_exactly_what_was_shown() -> None:
    target = theirs()
    assert plan(target).digest == plan(target).digest
    assert plan(target).digest != plan(target, theirs()).digest


def test_what_has_ended_or_cannot_be_ended_from_here_is_refused() -> None:
    with pytest.raises(Conflict, match="already ended"):
        plan(theirs(state=State.ENDED, end_reason=EndReason.GONE))
    with pytest.raises(Conflict, match="does not let anyone end"):
        plan(theirs(), abilities=Abilities())


def test_only_the_absence_of_the_entry_itself_proves_that_it_is_gone() -> None:
    target = theirs(key="1")
    for listed, gone in ((("1", "2"), False), (("2",), True), ((), True)):
        shown = Observation(ReadingOutcome.COMPLETE, (GATE,), (), tuple(observed(key) for key in listed))
        assert verify(shown, target).gone is gone


def test_waiting_grows_and_then_a_person_has_to_look() -> None:
    waits = [again_after(n) for n in range(1, ATTEMPTS + 1)]
    lasting = [w for w in waits if w is not None]
    assert lasting == sorted(lasting)
    assert waits[-1] is None
    assert lasting[0] >= timedelta(seconds=1)
