"""What was done with accounts."""

from __future__ import annotations

from openlatch.operations.call import Call
from openlatch.operations.inventory import activity
from openlatch.web.api import Routes
from openlatch.web.inventory.render import activity_of
from openlatch.wire import messages as wire
from openlatch.words import How

__all__ = ["routes"]

routes = Routes()


@routes.route("GET", "/activity", query=wire.ActivityQuery, returns=wire.ActivityList)
def list_activity(call: Call, query: wire.ActivityQuery) -> wire.ActivityList:
    """What was done, the latest first, by whom and in whose name."""
    page, counts = activity.browse(call, query.account, query.party, query.how or "", query.limit, query.cursor)
    items = [activity_of(done) for done in page.items]
    how = wire.ActivityCounts(own=counts[How.OWN], delegate=counts[How.DELEGATE], app=counts[How.APP])
    return wire.ActivityList(items=items, next=page.next, counts=how)
