"""A workspace itself: what it is called, and in which zone its days are."""

from __future__ import annotations

from dataclasses import replace

from openlatch.core.model import Workspace
from openlatch.operations.call import Call, operation
from openlatch.operations.people.doors import check_workspace
from openlatch.operations.reviews import plans
from openlatch.operations.rules.flags import evaluate_later

__all__ = ["change"]


@operation("workspaces.change")
def change(call: Call, name: str | None, zone: str | None) -> Workspace:
    """Call the workspace something else, or have its days in another zone; None leaves as it is.

    What was given an end keeps that very instant; reviews come round on the same days and hours of the new zone.
    """
    before = call.tx.workspace
    after = replace(
        before,
        name=before.name if name is None else name.strip(),
        zone=before.zone if zone is None else zone.strip(),
    )
    check_workspace(after)
    if after == before:
        return before
    call.tx.rename(after.name, after.zone)
    call.log(
        "workspace.changed",
        "workspace",
        before.id,
        before={"name": before.name, "zone": before.zone},
        after={"name": after.name, "zone": after.zone},
    )
    if after.zone != before.zone:
        plans.in_zone(call, after.zone)
        evaluate_later(call)
    return after
