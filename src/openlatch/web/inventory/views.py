"""Views of lists that people saved for themselves."""

from __future__ import annotations

from uuid import UUID

from openlatch.operations.call import Call
from openlatch.operations.inventory import views
from openlatch.web.api import Routes
from openlatch.web.filled import filled
from openlatch.wire import messages as wire

__all__ = ["routes"]

routes = Routes()


@routes.route("GET", "/views", returns=wire.ViewList)
def list_views(call: Call) -> wire.ViewList:
    """One's own views, by name."""
    return wire.ViewList(items=[filled(wire.View, view) for view in views.browse(call)])


@routes.route("PUT", "/views", body=wire.NewView, returns=wire.View)
def save_view(call: Call, body: wire.NewView) -> wire.View:
    """Save a view for oneself; one of the same list and name is replaced."""
    return filled(wire.View, views.save(call, body.of, body.name, body.query))


@routes.route("DELETE", "/views/<uuid:view_id>")
def remove_view(call: Call, view_id: UUID) -> None:
    """Delete a view of one's own."""
    views.remove(call, view_id)
