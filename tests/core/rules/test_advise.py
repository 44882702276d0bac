"""The level that is advised covers what was used, gives nothing new, and no narrower one would do."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.rules.advise import narrowest
from openlatch.words import Power

powers = st.sets(st.sampled_from(list(Power)))
levels = st.dictionaries(st.sampled_from("abcdefgh"), powers.map(lambda some: tuple(sorted(some))), max_size=6)


@given(levels, powers, powers)
def test_advice_covers_what_was_used_and_nothing_narrower_would(
    known: dict[str, tuple[Power, ...]], held: set[Power], used: set[Power]
) -> None:
    advice = narrowest(known, "present", held, used)
    needed = used & held
    fitting = [set(gives) for gives in known.values() if needed <= set(gives) < held]
    if advice is None:
        assert not held or (needed and not fitting)
        return
    assert set(advice.drops) == held - set(advice.powers)
    assert advice.drops
    if needed:
        assert needed <= set(advice.powers) < held
        assert not any(gives < set(advice.powers) for gives in fitting)
        assert advice.level in advice.text
    else:
        assert (advice.level, advice.powers) == ("", ())
