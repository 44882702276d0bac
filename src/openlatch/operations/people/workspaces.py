"""A workspace itself: what it is called, in which zone its days are, and how long it keeps what happened."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from openlatch.core.model import Workspace
from openlatch.core.people.factors import lacks_factor
from openlatch.core.phrases import so_long
from openlatch.errors import Conflict
from openlatch.operations.call import Call, operation
from openlatch.operations.people.doors import check_workspace
from openlatch.operations.reviews import plans
from openlatch.operations.rules.flags import evaluate_later
from openlatch.wire.people.people import WorkspaceWish
from openlatch.words import Role

__all__ = ["change"]


@operation("workspaces.change")
def change(call: Call, wanted: WorkspaceWish) -> Workspace:
    """Set what can be set of the workspace: its name and zone, who needs a second factor, how long what is kept.

    What was given an end keeps that very instant; reviews come round on the same days and hours of the new zone.
    Whoever has one of the roles of `second_factor` and no second factor reaches nothing but adding one.
    """
    before = call.tx.workspace
    given = wanted.model_dump(exclude_none=True)
    given |= {name: given[name].strip() for name in ("name", "zone") if name in given}
    if "second_factor" in given:
        given["second_factor"] = frozenset(given["second_factor"])
    after = replace(before, **given)
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
    told = {"name": workspace.name, "zone": workspace.zone, "second factor": demanded}
    kept = {
        "events kept": workspace.keep_events_days,
        "activity kept": workspace.keep_activity_days,
        "readings kept": workspace.keep_readings_days,
    }
    return told | {name: so_long(days) for name, days in kept.items()}
