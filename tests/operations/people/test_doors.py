"""What is set once is checked at once, by the same checks behind every door."""

from __future__ import annotations

from dataclasses import replace
from typing import Any
from uuid import UUID

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.client import Client
from openlatch.core.model import Circle, Workspace
from openlatch.errors import Invalid
from openlatch.operations.people.doors import check_founding, check_person, readable_address

GOOD = Workspace(UUID(int=1), "hill-farm", "Hill Farm", "Pacific/Kiritimati", Circle(frozenset({"hillfarm.example"})))
EDDA: dict[str, str] = {
    "owner": "Edda Brook",
    "address": "edda@hillfarm.example",
    "password": "seven lamps beside a pond",
}


def test_what_can_be_used_is_founded() -> None:
    check_founding(GOOD, **EDDA)


@pytest.mark.parametrize(
    ("changes", "at", "says"),
    [
        ({"zone": "Europe/Londn"}, "zone", "did you mean Europe/London?"),
        ({"zone": ""}, "zone", "such as Europe/London"),
        ({"slug": "Hill Farm"}, "workspace", "small letters"),
        ({"name": " "}, "name", "1 to 200 characters"),
        ({"circle": Circle(frozenset({"hillfarm"}))}, "circle", "“hillfarm” is not a domain"),
        ({"owner": "Edda\x00"}, "owner", "1 to 200"),
        ({"address": "edda@hillfarm"}, "address", "is not an address"),
        ({"address": "edda"}, "address", "is not an address"),
        ({"password": "passwordpassword"}, "password", "could be guessed"),
        ({"password": "short"}, "password", "at least 12"),
        ({"password": "edda@hillfarm.example"}, "password", "could be guessed"),
    ],
)
def test_what_could_not_be_used_is_refused_with_its_place(changes: dict[str, Any], at: str, says: str) -> None:
    workspace = replace(GOOD, **{k: v for k, v in changes.items() if k not in EDDA})
    with pytest.raises(Invalid, match="Nothing was created") as refused:
        check_founding(workspace, **EDDA | {k: v for k, v in changes.items() if k in EDDA})
    (only,) = refused.value.fields["errors"]
    assert only["at"] == at
    assert says in only["problem"]


def test_every_mistake_is_told_at_once() -> None:
    with pytest.raises(Invalid) as refused:
        check_founding(replace(GOOD, zone="nowhere", slug="!"), "", "x", "y")
    assert [value["at"] for value in refused.value.fields["errors"]] == [
        "workspace",
        "owner",
        "zone",
        "address",
        "password",
    ]


@given(st.text(), st.text())
def test_any_text_is_taken_or_refused_in_words(address: str, password: str) -> None:
    for check in (lambda: readable_address(address, "to"), lambda: check_person(GOOD, address, address, password)):
        try:
            check()
        except Invalid as refused:
            assert "Nothing was changed" in refused.message  # noqa: PT017


@pytest.mark.parametrize("address", ["edda@hillfarm", "edda@@hillfarm.example", "ed da@hillfarm.example"])
def test_whoever_is_invited_goes_through_the_same_door(client: Client, address: str) -> None:
    before = [person.address for person in client.people()]
    with pytest.raises(Invalid):
        client.invite(address, "member")
    assert [person.address for person in client.people()] == before
