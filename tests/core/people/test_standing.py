"""How someone stands in a workspace: whatever is tried in whatever order, an owner can sign in."""

from __future__ import annotations

from dataclasses import replace
from uuid import UUID

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.model import Person
from openlatch.core.people.devices import device_of
from openlatch.core.people.standing import MOVES, PersonMove, is_only_owner, keep_an_owner, moved
from openlatch.errors import Conflict
from openlatch.words import PersonState, Role

people = st.lists(
    st.builds(
        Person,
        st.just(UUID(int=0)),
        st.just("Edda Brook"),
        st.just(""),
        st.sampled_from(Role),
        state=st.sampled_from(PersonState),
    ),
    min_size=1,
    max_size=5,
).map(
    lambda some: [
        replace(person, id=UUID(int=place), address=f"{place}@hill.example") for place, person in enumerate(some)
    ]
)
wishes = st.lists(st.tuples(st.integers(0, 4), st.sampled_from([*PersonMove, *Role])), max_size=12)


def owners(everyone: list[Person]) -> int:
    return sum(person.active and person.role is Role.OWNER for person in everyone)


@given(people, wishes)
def test_whatever_is_tried_an_owner_who_can_sign_in_stays(
    everyone: list[Person], tried: list[tuple[int, PersonMove | Role]]
) -> None:
    began_with = owners(everyone)
    for place, wish in tried:
        before = everyone[place % len(everyone)]
        try:
            after = moved(before, wish) if isinstance(wish, PersonMove) else replace(before, role=wish)
            keep_an_owner(everyone, before, after)
        except Conflict as refused:
            assert "Nothing was changed" in refused.message  # noqa: PT017
            continue
        everyone[place % len(everyone)] = after
        assert owners(everyone) or not began_with
    assert sum(is_only_owner(everyone, person) for person in everyone) == (owners(everyone) == 1)


@given(st.sampled_from(PersonState), st.lists(st.sampled_from(PersonMove)))
def test_nobody_comes_back_who_was_removed_and_nobody_gets_in_uninvited(
    state: PersonState, moves: list[PersonMove]
) -> None:
    reached, was_in = state, state in (PersonState.ACTIVE, PersonState.DISABLED)
    for how in moves:
        if (reached, how) not in MOVES.table:
            with pytest.raises(Conflict, match="Nothing was changed"):
                MOVES.after(reached, how)
            continue
        reached = MOVES.after(reached, how)
        assert state is not PersonState.REMOVED
        was_in = was_in or how is PersonMove.ACCEPT
        assert reached is not PersonState.ACTIVE or was_in


@given(st.text(max_size=300))
def test_a_device_is_told_in_a_few_words_whatever_a_program_says_of_itself(user_agent: str) -> None:
    told = device_of(user_agent)
    assert told
    assert len(told) <= 60
    assert told.isprintable()


@pytest.mark.parametrize(
    ("user_agent", "told"),
    [
        ("Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0", "Firefox on Linux"),
        (
            "Mozilla/5.0 (Windows NT 10.0; Win64; x64) AppleWebKit/537.36 Chrome/150.0 Safari/537.36 Edg/150.0",
            "Edge on Windows",
        ),
        (
            "Mozilla/5.0 (iPhone; CPU iPhone OS 19_0 like Mac OS X) AppleWebKit/605.1 Version/19.0 Safari/604.1",
            "Safari on iPhone",
        ),
        ("python-httpx/0.28.1", "python-httpx/0.28.1"),
        ("", "an unnamed program"),
    ],
)
def test_a_device_is_known_again(user_agent: str, told: str) -> None:
    assert device_of(user_agent) == told
