"""What a connector says that it cannot do, it refuses, before it speaks to anyone."""

from __future__ import annotations

import pytest

from openlatch.core.model import Abilities
from openlatch.core.providers.ports import Change, Gift
from openlatch.errors import ProviderRefused
from openlatch.wiring import connectors
from openlatch.words import Kind
from tests.test_habits import ROOT, load

CHANGES = ("narrows", "pauses", "dates", "raises", "prolongs", "widens")


REFERENCE = load(ROOT / "docs" / "reference" / "make.py")
ABLE: dict[str, Abilities] = {
    name: value
    for name, one in connectors().items()
    if one.__module__.startswith("openlatch.") and (value := REFERENCE.able(one)) is not None
}


def test_the_table_is_of_those_that_can_say_it() -> None:
    assert set(ABLE) == {"imap", "machine", "oauth", "scim", "ssh", "webdav"}, (
        "a feed and a PostgreSQL server say it themselves"
    )


@pytest.mark.parametrize("name", sorted(ABLE))
def test_what_a_connector_cannot_do_it_refuses_without_a_call(name: str) -> None:
    able, connector = ABLE[name], connectors()[name].__new__(connectors()[name])
    refused = 0
    if not able.gives:
        with pytest.raises(ProviderRefused):
            connector.give("party", Gift("account", Kind.DELEGATE, "level"), "key")
        refused += 1
    if not any(getattr(able, what) for what in CHANGES):
        with pytest.raises(ProviderRefused):
            connector.change("entry", "party", Change(level="level"), "key")
        refused += 1
    if not able.ends_teams:
        with pytest.raises(ProviderRefused):
            connector.end("group:crew", "group:crew", "key")
        refused += 1
    for belongs, can in ((True, able.adds_members), (False, able.removes_members)):
        if not can:
            with pytest.raises(ProviderRefused):
                connector.set_member("group:crew", "user:ada", "key", belongs=belongs)
            refused += 1
    assert refused or name == "imap", "whoever can do everything refuses nothing"


@pytest.mark.parametrize("name", sorted(ABLE))
def test_what_is_said_fits_together(name: str) -> None:
    able = ABLE[name]
    for what in ("ends", "enforces", *CHANGES):
        assert getattr(able, what) <= able.lists, f"nothing that is not shown can be {what}"
    assert able.gives_until <= able.gives
