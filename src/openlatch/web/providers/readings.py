"""Readings, and how far one is."""

from __future__ import annotations

from uuid import UUID

from openlatch.operations.call import Call
from openlatch.operations.providers import readings
from openlatch.web.api import Routes
from openlatch.web.providers.render import reading_of
from openlatch.wire import messages as wire

__all__ = ["routes"]

routes = Routes()


class ReadingQuery(wire.PageQuery):
    """Which readings are wanted."""

    provider: wire.Search = ""


@routes.route("GET", "/readings", query=ReadingQuery, returns=wire.ReadingList)
def list_readings(call: Call, query: ReadingQuery) -> wire.ReadingList:
    """Readings, the latest first."""
    page = readings.browse(call, query.provider, query.limit, query.cursor)
    return wire.ReadingList(items=[reading_of(r) for r in page.items], next=page.next)


@routes.route("GET", "/readings/<uuid:reading_id>", returns=wire.Reading)
def get_reading(call: Call, reading_id: UUID) -> wire.Reading:
    """One reading, with its progress while it runs."""
    return reading_of(readings.show(call, reading_id))
