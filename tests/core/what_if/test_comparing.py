"""Two outcomes beside each other: the difference is one of single powers on single parts, however they are grouped."""

from __future__ import annotations

from dataclasses import replace

from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.powers import in_order
from openlatch.core.what_if.comparing import Effect, apart
from openlatch.core.what_if.shifts import Ability
from openlatch.words import Power

POWERS = st.sets(st.sampled_from((Power.VIEW, Power.EDIT, Power.SPEND)), min_size=1).map(in_order)
PARTS = st.sets(st.sampled_from(("gate", "till", "tower")), max_size=3).map(sorted).map(tuple)
NETWORKS = st.sampled_from(((), ("192.0.2.0/26",)))
ABILITIES = st.builds(Ability, POWERS, st.sampled_from(("", "Mondays 09:00–17:00")), NETWORKS, st.booleans())
EFFECTS = st.lists(
    st.builds(Effect, st.sampled_from(("Orla", "Anyone")), st.just("plates"), PARTS, st.booleans(), ABILITIES),
    max_size=6,
)


def single(effects: list[Effect] | tuple[Effect, ...]) -> set[tuple[object, ...]]:
    return {
        (effect.who, effect.account, part, effect.gains, power, replace(effect.ability, powers=()))
        for effect in effects
        for part in effect.resources or (None,)
        for power in effect.ability.powers
    }


@given(EFFECTS, EFFECTS)
def test_each_side_holds_exactly_what_the_other_does_not_have(first: list[Effect], second: list[Effect]) -> None:
    only_first, only_second = apart(first, second)
    assert single(only_first) == single(first) - single(second)
    assert single(only_second) == single(second) - single(first)
    for side in (only_first, only_second):
        assert len(single(side)) == sum(len(o.ability.powers) * (len(o.resources) or 1) for o in side), "nothing twice"


@given(EFFECTS)
def test_what_is_the_same_in_other_groups_is_the_same(effects: list[Effect]) -> None:
    scattered = [
        replace(effect, resources=parts, ability=replace(effect.ability, powers=(power,)))
        for effect in reversed(effects)
        for parts in ([(part,) for part in effect.resources] or [()])
        for power in effect.ability.powers
    ]
    assert apart(effects, scattered) == ((), ())


def test_a_version_that_leaves_out_one_folder_differs_in_that_folder_alone() -> None:
    view = Ability((Power.VIEW, Power.EDIT), "", ())
    three = Effect("Anyone", "plates", ("a", "b", "c"), gains=True, ability=view)
    assert apart([three], [replace(three, resources=("a", "c"))]) == ((replace(three, resources=("b",)),), ())
