"""The narrowest choice for a task, against every choice there is."""

from __future__ import annotations

from itertools import combinations

from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.powers import MONEY, in_order, weighty
from openlatch.core.rules.tasks import BUILT_IN, Fit, fit
from openlatch.words import Power

POWERS = st.frozensets(st.sampled_from(tuple(Power)), max_size=5)
LEVELS = st.dictionaries(st.sampled_from(("guide", "cashier", "keeper", "reader")), POWERS, max_size=4)
WORDS = st.dictionaries(st.sampled_from(tuple("abcdef")), POWERS, max_size=6)
V, E, X, S, A = Power.VIEW, Power.EDIT, Power.EXPORT, Power.SPEND, Power.ADMIT


def breadth(powers: frozenset[Power], needs: frozenset[Power], words: int) -> tuple[int, int, int, int]:
    beyond = powers - needs
    return len(beyond & MONEY), len(weighty(beyond)), len(beyond), words


@given(LEVELS, WORDS, POWERS.filter(bool))
def test_the_first_choice_is_the_narrowest_of_all_levels_and_all_sets_of_permissions(
    levels: dict[str, frozenset[Power]], words: dict[str, frozenset[Power]], needs: frozenset[Power]
) -> None:
    found = fit(needs, {n: in_order(p) for n, p in levels.items()}, {w: in_order(p) for w, p in words.items()})
    every = [breadth(gives, needs, 0) for gives in levels.values() if needs <= gives]
    for number in range(1, len(words) + 1):
        for some in combinations(words, number):
            union = frozenset().union(*(words[text] for text in some))
            if needs <= union:
                every.append(breadth(union, needs, number))
    if not every:
        assert found.choices == ()
        possible = frozenset().union(*levels.values(), *words.values())
        assert set(found.lacks) == (needs - possible or needs)
        return
    best = found.choices[0]
    assert breadth(frozenset(best.powers), needs, best.words or len(best.permissions)) == min(every)
    assert needs <= set(best.powers)
    assert set(best.beyond) == set(best.powers) - needs


def test_a_choice_says_what_it_hands_over_money_and_admitting_apart() -> None:
    def said(needs: tuple[Power, ...], **levels: tuple[Power, ...]) -> str:
        return fit(needs, levels).text

    assert said((V, E), observer=(V, E)) == (
        "“observer” is the narrowest that covers view and edit, and gives nothing else."
    )
    assert said((V,), cashier=(V, E, S)) == (
        "“cashier” is the narrowest that covers view; it hands over edit and spend as well. "
        "It also gives power over money: spend."
    )
    assert said((V,), keeper=(V, A)).endswith("It also gives the power to let others in: admit.")
    assert said((V, X), guide=(V,)) == "Nothing here gives export, which this needs."
    both: Fit = fit((V, X), {}, {"see": (V,), "take": (X,)}, single="by permission")
    assert both.text == "“see” and “take” are the narrowest that covers view and export, and give nothing else."
    assert both.choices[0].level == "by permission"


def test_permissions_that_a_provider_has_no_word_for_are_its_level_one_after_another() -> None:
    found = fit((V, E), {}, {"lr": (V, X), "w": (E,)})
    assert [(choice.level, choice.permissions) for choice in found.choices] == [("lrw", ())]


def test_every_task_that_is_built_in_begins_with_looking() -> None:
    assert all(task.needs[0] is V for task in BUILT_IN)
    assert len({task.id for task in BUILT_IN}) == len(BUILT_IN)
