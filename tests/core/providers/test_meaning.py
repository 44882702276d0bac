from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.powers import ORDER
from openlatch.core.providers.meaning import Carried, Vocabulary, levels_of
from openlatch.words import Kind, Origin, Power

WORDS = st.sampled_from(["guide", "keeper", "plates:read", "plates:write", "payouts"])
LISTS = st.dictionaries(WORDS, st.lists(st.sampled_from(ORDER), unique=True).map(tuple))
PERMISSIONS = st.lists(WORDS, unique=True)


@given(LISTS, LISTS, WORDS, PERMISSIONS)
def test_every_word_is_either_counted_in_or_shown_as_unknown(
    built_in: dict[str, tuple[Power, ...]],
    corrected: dict[str, tuple[Power, ...]],
    level: str,
    permissions: list[str],
) -> None:
    words = Vocabulary(built_in, corrected)
    means = words.meaning(level, permissions, None)
    for word in permissions or [level]:
        if words.origin(word, stated=False) is Origin.UNKNOWN:
            assert word in means.unknown
        else:
            assert set(words.powers(word)) <= set(means.powers)
            assert word not in means.unknown
    given_by = {p for word in (level, *permissions) for p in words.powers(word)}
    assert set(means.powers) == given_by, "no power comes from nowhere"


@given(LISTS, PERMISSIONS, st.lists(st.sampled_from(ORDER), unique=True))
def test_the_holder_goes_before_what_a_provider_states(
    corrected: dict[str, tuple[Power, ...]], permissions: list[str], stated: list[Power]
) -> None:
    words = Vocabulary({}, corrected)
    means = words.meaning("guide", permissions, stated)
    of_level = corrected.get("guide", stated)
    assert set(means.powers) == {*of_level, *(p for word in permissions for p in corrected.get(word, ()))}
    assert means.unknown == ()


def test_a_level_is_unknown_only_if_no_permissions_say_what_is_in_it() -> None:
    words = Vocabulary({"plates:read": (Power.VIEW,)})
    assert words.meaning("Star Chart access", ["plates:read"], None).unknown == ()
    assert words.meaning("Star Chart access", [], None).unknown == ("Star Chart access",)


CARRIED = st.lists(
    st.builds(Carried, WORDS, st.frozensets(st.sampled_from(list(Kind)), min_size=1), st.just((Power.VIEW,))),
    max_size=6,
)


@given(st.sampled_from(list(Kind)), LISTS, CARRIED)
def test_a_level_of_one_kind_of_access_is_none_of_another(
    kind: Kind, stated: dict[str, tuple[Power, ...]], carried: list[Carried]
) -> None:
    powers = levels_of(kind, stated, carried)
    given_to_people = {Kind.DELEGATE, Kind.GRANT, Kind.OFFER}
    alike = given_to_people if kind in given_to_people else {kind}
    own = {carried_role.level for carried_role in carried if carried_role.kinds & alike}
    assert own <= set(powers) <= own | set(stated)
    for level in set(powers) - own:
        elsewhere = {k for carried_role in carried if carried_role.level == level for k in carried_role.kinds}
        assert not elsewhere or elsewhere - {Kind.SESSION, Kind.SECRET, Kind.OPEN}, "what was told or is open"
        assert kind not in (Kind.SESSION, Kind.SECRET, Kind.OPEN)
