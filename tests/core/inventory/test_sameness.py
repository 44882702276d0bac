"""Who is perhaps the same: never two that one provider tells apart, and never without something in common."""

from __future__ import annotations

from itertools import combinations
from uuid import UUID

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.inventory.sameness import Key, Known, identifies, is_role, perhaps
from openlatch.core.model import Circle, Party, normal_address
from openlatch.words import Doubt, PartyKind, Resemblance

OURS = Circle(frozenset({"kestrelridge.example"}))
AT, ELSEWHERE, THIRD = UUID(int=1), UUID(int=2), UUID(int=3)
ADDRESSES = ["orla@kestrelridge.example", "Lise@Northcape-Uni.example", "works@brightmere.example"]


def known(number: int, kind: PartyKind = PartyKind.PERSON, name: str = "", **more: object) -> Known:
    keys = more.pop("at", (AT,))
    assert isinstance(keys, tuple)
    party = Party(UUID(int=number), kind, name, **more)  # type: ignore[arg-type]
    return Known(party, tuple(Key(provider, f"k{number}") for provider in keys))


parties = st.lists(
    st.builds(
        lambda kind, name, addresses, verified, at: (kind, name, tuple(addresses), verified, tuple(at)),
        st.sampled_from([PartyKind.PERSON, PartyKind.PERSON, PartyKind.TEAM, PartyKind.ANYONE]),
        st.sampled_from(["Orla Finch", "orla  finch", "Lise Hartnell", "works", ""]),
        st.lists(st.sampled_from([*ADDRESSES, ADDRESSES[1].upper()]), unique_by=normal_address, max_size=2),
        st.booleans(),
        st.sets(st.sampled_from([AT, ELSEWHERE, THIRD]), max_size=2),
    ),
    max_size=5,
)


@given(parties, st.randoms(use_true_random=False))
def test_what_is_proposed_has_something_in_common_that_is_theirs_alone_and_nothing_else_is(
    drawn: list[tuple[PartyKind, str, tuple[str, ...], bool, tuple[UUID, ...]]], shuffle: object
) -> None:
    every = [
        known(n, kind, name, addresses=addresses, verified=verified, at=at)
        for n, (kind, name, addresses, verified, at) in enumerate(drawn, 1)
    ]
    likenesses = {frozenset((likeness.one, likeness.other)): likeness for likeness in perhaps(every, OURS)}
    assert len(likenesses) == len(perhaps(every, OURS))

    def carriers(address: str, kind: PartyKind) -> list[Known]:
        return [k for k in every if k.party.kind is kind and address in map(normal_address, k.party.addresses)]

    for acquaintance, other in combinations(every, 2):
        places = {k.provider_id for k in acquaintance.keys} & {k.provider_id for k in other.keys}
        pair = likenesses.get(frozenset((acquaintance.party.id, other.party.id)))
        if places or acquaintance.party.kind is not other.party.kind or acquaintance.party.kind is PartyKind.ANYONE:
            assert pair is None, "one provider tells them apart, or they are of two kinds"
            continue
        shared = set(map(normal_address, acquaintance.party.addresses)) & set(
            map(normal_address, other.party.addresses)
        )
        telling = set()
        for address in shared:
            at = [key.provider_id for k in carriers(address, acquaintance.party.kind) for key in k.keys]
            if len(at) == len(set(at)):
                telling.add(address)
        said = {normal_address(r.value) for r in pair.reasons if r.what is Resemblance.ADDRESS} if pair else set()
        assert said == telling
        for reason in pair.reasons if pair else ():
            assert reason.said().startswith("Both ")
            if reason.what is Resemblance.ADDRESS:
                both = acquaintance.party.verified and other.party.verified
                assert (reason.doubt is None) == identifies(reason.value, acquaintance.party.kind, OURS, confirmed=both)
    apart = set(list(likenesses)[:1])
    assert {frozenset((likeness.one, likeness.other)) for likeness in perhaps(every, OURS, apart)} == set(
        likenesses
    ) - apart


def test_the_same_app_at_two_providers_is_proposed_by_publisher_and_key_or_home_page_and_no_other_is() -> None:
    app = PartyKind.APP
    acquaintance = known(1, app, "Plate Solver", publisher="Platesolver", home="https://platesolver.example/")
    same_home = known(2, app, "Solver", home="https://platesolver.example", at=(ELSEWHERE,))
    publisher_only = known(3, app, "Plate Catalogue", publisher="Platesolver", at=(ELSEWHERE,))
    assert [(p.one.int, p.other.int) for p in perhaps([acquaintance, same_home, publisher_only], OURS)] == [(1, 2)]
    by_key = Known(publisher_only.party, (Key(ELSEWHERE, "k1"),))
    (pair,) = perhaps([acquaintance, by_key], OURS)
    assert [r.said() for r in pair.reasons] == [
        "Both are published by Platesolver.",
        "Both are known at their provider as k1.",
    ]


def test_an_address_of_a_role_or_one_that_nobody_confirmed_is_put_to_a_person_and_says_so() -> None:
    first = known(1, addresses=("works@brightmere.example", "lise@out.example"), verified=True)
    second = known(2, addresses=("works@brightmere.example", "lise@out.example"), at=(ELSEWHERE,))
    (pair,) = perhaps([first, second], OURS)
    assert {r.value: r.doubt for r in pair.reasons} == {
        "works@brightmere.example": Doubt.ROLE,
        "lise@out.example": Doubt.UNCONFIRMED,
    }
    assert "role" in pair.reasons[1].said()
    assert "not confirmed" in pair.reasons[0].said()


def test_a_handle_means_somebody_at_its_own_provider_only() -> None:
    for handle in ("@orla-finch", "orla.finch", "@kestrelridge.example"):
        assert not identifies(handle, PartyKind.PERSON, OURS, confirmed=True)
    assert identifies("@northcape-uni.example", PartyKind.TEAM, OURS, confirmed=False), "a domain is one everywhere"
    assert identifies("orla@kestrelridge.example", PartyKind.PERSON, OURS, confirmed=False)


@pytest.mark.parametrize(
    ("address", "role"),
    [
        ("Info@a.example", True),
        ("support+gate@a.example", True),
        ("no-reply@a.example", True),
        ("informant@a.example", False),
        ("info", False),
        ("orla.finch@a.example", False),
        ("@a.example", False),
    ],
)
def test_an_address_says_itself_whether_it_is_that_of_a_role(address: str, role: bool) -> None:
    assert is_role(address) is role


def test_a_name_alone_is_proposed_only_of_somebody_without_an_address() -> None:
    with_address = known(1, name="Orla Finch", addresses=("orla@a.example",))
    other = known(2, name="Orla Finch", addresses=("orla@b.example",), at=(ELSEWHERE,))
    none = known(3, name="orla finch", at=(THIRD,))
    assert {(p.one.int, p.other.int) for p in perhaps([with_address, other, none], OURS)} == {(1, 3), (2, 3)}
    assert perhaps([with_address, other], OURS) == ()
