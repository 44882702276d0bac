"""The workspace of Kestrel Ridge, its people, and its providers."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from openlatch.core.model import Circle, Workspace
from openlatch.core.roles import Role, Scope
from openlatch.demo.cast import DOMAIN, PASSWORD, SIGN_INS, STAFF, VOLUNTEERS
from openlatch.operations import people, providers
from openlatch.operations.gate import Actor, Call, Services
from openlatch.store import Store

__all__ = ["SLUG", "Outside", "seed"]

SLUG = "kestrel-ridge"


@dataclass(frozen=True, slots=True)
class Outside:
    """A provider that runs, and how to reach it."""

    name: str
    connector: str
    settings: Mapping[str, str]
    secret: str


def seed(store: Store, services: Services, outside: tuple[Outside, ...]) -> None:
    """Found the workspace; if it is there already, only say where its providers are reached today."""
    if any(workspace.slug == SLUG for workspace in store.workspaces()):
        with store.transaction(SLUG) as tx:
            for one in outside:
                tx.providers.reached_by(tx.providers.find(one.name).id, one.settings)
        return
    now = services.clock()
    workspace = Workspace(
        services.new_id(), SLUG, "Kestrel Ridge Observatory", "Europe/London", Circle(frozenset({DOMAIN}))
    )
    addresses = {someone.name: someone.address for someone in (*STAFF, *VOLUNTEERS)}
    with store.found(workspace, now) as tx:
        call = Call(tx, services, Actor("Open Latch"), now)
        added = [people.add_first(call, name, addresses[name], Role(role), PASSWORD) for name, role in SIGN_INS]
        owner = Call(tx, services, Actor(added[0].name, added[0], Scope.CHANGE), now)
        for one in outside:
            providers.add(owner, one.name, one.connector, one.settings, one.secret, 15, 60, 30, 90)
