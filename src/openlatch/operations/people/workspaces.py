"""A workspace itself: what it is called, and in which zone its days are."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace
from typing import Any

from openlatch.core.model import Workspace
from openlatch.core.people.factors import lacks_factor
from openlatch.errors import Conflict
from openlatch.operations.call import Call, operation
from openlatch.operations.people.doors import check_workspace
from openlatch.operations.reviews import plans
from openlatch.operations.rules.flags import evaluate_later
from openlatch.words import Role

__all__ = ["change"]


@operation("workspaces.change")
def change(call: Call, name: str | None, zone: str | None, second_factor: Collection[Role] | None = None) -> Workspace:
    """Call the workspace something else, have its days in another zone, or demand a second factor; None leaves as is.

    What was given an end keeps that very instant; reviews come round on the same days and hours of the new zone.
    Whoever has one of the roles of `second_factor` and no second factor reaches nothing but adding one.
    """
    before = call.tx.workspace
    after = replace(
        before,
        name=before.name if name is None else name.strip(),
        zone=before.zone if zone is None else zone.strip(),
        second_factor=before.second_factor if second_factor is None else frozenset(second_factor),
    )
    check_workspace(after)
    if after == before:
        return before
    if lacks_factor(call.person, call.tx.factors.of(call.person.id), after.second_factor - before.second_factor):
        raise Conflict(
            "You have no second factor yourself, and would reach nothing any more. Nothing was changed.",
            next_step="Add one first, under My account or by: openlatch me add-codes",
        )
    call.tx.change_workspace(after)
    call.log(
        "workspace.changed",
        "workspace",
        before.id,
        before=_told(before),
        after=_told(after),
    )
    if after.zone != before.zone:
        plans.in_zone(call, after.zone)
        evaluate_later(call)
    return after


def _told(workspace: Workspace) -> dict[str, Any]:
    demanded = [role.value for role in Role if role in workspace.second_factor]
    return {"name": workspace.name, "zone": workspace.zone, "second factor": demanded}
