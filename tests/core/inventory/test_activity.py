"""Whose doings something counts as, and in whose name."""

from __future__ import annotations

from typing import Any

import pytest

from openlatch.core.inventory.activity import attribute
from openlatch.core.model import Circle, Membership
from openlatch.core.providers.observation import ObservedActivity
from openlatch.words import How, PartyKind
from tests.factories import NOW, PROVIDER, account, entry, ids, party

CIRCLE = Circle(frozenset({"kestrelridge.example"}))
OWN = party(name="Pell Varga")
GUEST = party(name="Amara Levy", addresses=("amara@northcape-uni.example",))
APP = party(name="Plate Solver", kind=PartyKind.APP, addresses=())
DOME = account()
GRANT = entry(key="grant", party_id=GUEST.id, account_id=DOME.id)
TABLET = entry(key="tablet", party_id=APP.id, account_id=DOME.id, hangs_on="grant")
new_id = ids()


@pytest.mark.parametrize(
    ("seen", "connected_by", "how", "behalf"),
    [
        ({"party": "own"}, (), How.OWN, None),
        ({"party": "own", "behalf_of": "own"}, (), How.OWN, None),
        ({"party": "own", "behalf_of": "guest"}, (), How.DELEGATE, GUEST),
        ({"party": "guest", "entry": "grant"}, (), How.DELEGATE, None),
        ({"party": "guest", "entry": "no longer there"}, (), How.DELEGATE, None),
        ({"party": "app"}, (), How.APP, None),
        ({"party": "app"}, (OWN,), How.APP, OWN),
        ({"party": "app"}, (OWN, GUEST), How.APP, None),
        ({"party": "app", "behalf_of": "guest"}, (OWN,), How.APP, GUEST),
        ({"party": "app", "entry": "tablet"}, (OWN,), How.APP, GUEST),
    ],
)
def test_who_acted_in_whose_name(seen: dict[str, Any], connected_by: tuple[Any, ...], how: How, behalf: Any) -> None:
    (done,) = attribute(
        [ObservedActivity("1", NOW, "dome", **seen)],
        provider_id=PROVIDER,
        accounts={"dome": DOME.id},
        parties={"own": OWN.id, "guest": GUEST.id, "app": APP.id},
        known={each_party.id: each_party for each_party in (OWN, GUEST, APP)},
        entries={"grant": GRANT, "tablet": TABLET},
        # That someone is in a team says nothing of whom the team acts for.
        memberships=[Membership(new_id(), PROVIDER, APP.id, value.id, how="app") for value in connected_by]
        + [Membership(new_id(), PROVIDER, OWN.id, GUEST.id)],
        circle=CIRCLE,
        new_id=new_id,
    )
    assert (done.how, done.behalf_of) == (how, behalf.id if behalf else None)
    assert done.entry_id == {"grant": GRANT.id, "tablet": TABLET.id}.get(seen.get("entry", ""))
