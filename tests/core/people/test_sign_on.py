"""Whom a single sign-on lets in: by the subject, a sure address, or the role that it gives; nobody else."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any
from uuid import uuid4

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.model import Person
from openlatch.core.people.sign_on import Claims, SignOn, Stranger, claims_of, let_in, role_of
from openlatch.errors import NotSignedIn
from openlatch.words import PersonState, Role

ROLES = {"astronomers": Role.MANAGER, "guides": Role.MEMBER, "board": Role.AUDITOR, "keepers": Role.OWNER}
VALUES = st.sampled_from([*ROLES, "visitors", "Astronomers", ""])
JUNK = st.none() | st.booleans() | st.integers() | st.dictionaries(st.text(), st.text())
ADDRESSES = ("juno.marsh@kestrelridge.example", "second@kestrelridge.example", "")


def service(claim: str = "groups", **roles: Role) -> SignOn:
    made_at = datetime(2026, 3, 1, tzinfo=UTC)
    return SignOn(
        uuid4(), "Ridge Login", "https://login.example", "latch", claim, roles, second_factor=False, made_at=made_at
    )


def people() -> st.SearchStrategy[Person | None]:
    someone = st.builds(
        lambda role, state: Person(uuid4(), "Juno Marsh", ADDRESSES[0], role, state=state),
        st.sampled_from(Role),
        st.sampled_from(PersonState),
    )
    return st.none() | someone


@given(st.lists(VALUES | JUNK, max_size=6), st.permutations(list(range(6))))
def test_the_role_is_the_one_that_reaches_most_of_those_given_in_whatever_order(
    values: list[Any], order: list[int]
) -> None:
    given_roles = [ROLES[value] for value in values if isinstance(value, str) and value in ROLES]
    expected = min(given_roles, key=list(Role).index, default=None)
    mixed = [values[place] for place in order if place < len(values)]
    assert role_of(service(**ROLES), {"groups": values}) is expected
    assert role_of(service(**ROLES), {"groups": mixed}) is expected


@given(VALUES | JUNK)
def test_a_claim_is_found_inside_an_object_and_one_value_is_as_good_as_a_list_of_it(value: object) -> None:
    inside = service("realm.roles", **ROLES)
    alone = role_of(service(**ROLES), {"groups": value})
    assert role_of(inside, {"realm": {"roles": [value]}}) is alone
    assert role_of(inside, {"realm.roles": value, "realm": {"roles": "keepers"}}) is (
        alone if value is not None else Role.OWNER
    )
    assert role_of(inside, {"realm": value, "roles": "keepers"}) is None


@given(
    st.sampled_from(["juno.marsh@kestrelridge.example", "Juno.Marsh@KestrelRidge.example", 7, None, ["a@b.example"]]),
    JUNK,
)
def test_an_address_counts_only_where_the_service_says_that_it_is_sure(address: object, verified: object) -> None:
    claims = claims_of(service(), {"sub": "7", "email": address, "email_verified": verified, "name": ["x"]})
    assert claims.address == (ADDRESSES[0] if verified is True and isinstance(address, str) else "")
    assert claims.name == ""


@given(
    st.sampled_from([{}, ROLES]),
    st.none() | st.sampled_from(Role),
    st.sampled_from(ADDRESSES),
    people(),
    people(),
    st.booleans(),
)
def test_nobody_is_let_in_who_was_disabled_or_removed_or_of_whom_nothing_is_sure(
    roles: dict[str, Role], role: Role | None, address: str, linked: Person | None, there: Person | None, taken: bool
) -> None:
    there = there if address and there is not None and there.state is not PersonState.REMOVED else None
    claims = Claims("7", address, "Juno Marsh", role if roles else None)
    refused, known = "", None
    try:
        known = let_in(service(**roles), claims, linked, there, taken=taken)
    except NotSignedIn as error:
        refused = error.message
    if known is None:
        assert refused.endswith("Nothing was changed.")
        welcome = linked is not None and linked.state in (PersonState.ACTIVE, PersonState.INVITED)
        assert not welcome or (roles and role is None), "who is here stays, unless the service gives them no role"
        return
    assert not roles or role is not None
    if isinstance(known, Stranger):
        assert linked is None
        assert there is None
        assert address
        assert known.role is role is not None
        return
    assert known.state in (PersonState.ACTIVE, PersonState.INVITED)
    assert known is linked or (known is there and not taken)
    if linked is not None and linked.state is not PersonState.REMOVED:
        assert known is linked, "an address never leads to someone else than the subject does"


def test_who_was_removed_comes_back_only_by_an_invitation() -> None:
    gone = Person(uuid4(), "Juno Marsh", ADDRESSES[0], Role.MEMBER, state=PersonState.REMOVED)
    invited = Person(uuid4(), "Juno Marsh", ADDRESSES[0], Role.AUDITOR, state=PersonState.INVITED)
    claims = Claims("7", ADDRESSES[0], "Juno Marsh", Role.MEMBER)
    with pytest.raises(NotSignedIn, match="removed from this workspace"):
        let_in(service(**ROLES), claims, gone, None, taken=False)
    assert let_in(service(**ROLES), claims, gone, invited, taken=False) is invited
    with pytest.raises(NotSignedIn, match="who is another person at"):
        let_in(service(**ROLES), claims, None, invited, taken=True)
