"""What one is told, how one is told, and one's calendar."""

from __future__ import annotations

from flask import request

from openlatch.operations.call import SERVICE, Call
from openlatch.operations.reviews import calendars
from openlatch.operations.telling import notices
from openlatch.web.api import PREFIX, Download, Routes, backend
from openlatch.web.people.render import person_of
from openlatch.web.telling.calendar import feed
from openlatch.web.telling.render import notice_of
from openlatch.wire import messages as wire
from openlatch.words import Telling

__all__ = ["routes"]

routes = Routes()


@routes.route("GET", "/notices", query=wire.PageQuery, returns=wire.NoticeList)
def list_notices(call: Call, query: wire.PageQuery) -> wire.NoticeList:
    """Your notices, the latest first."""
    page = notices.browse(call, query.limit, query.cursor)
    return wire.NoticeList(items=[notice_of(item) for item in page.items], next=page.next)


@routes.route("PUT", "/notices/telling", body=wire.TellingWish, returns=wire.Person)
def choose_telling(call: Call, body: wire.TellingWish) -> wire.Person:
    """Choose when you get letters: as things happen, once a day, or never."""
    return person_of(notices.choose(call, Telling(body.telling)))


@routes.route("POST", "/calendar", returns=wire.Calendar, status=201)
def make_calendar(call: Call) -> wire.Calendar:
    """Give one's calendar a new secret address; the former one leads nowhere from then on."""
    return wire.Calendar(url=f"{_console()}{PREFIX}/calendar/{calendars.make(call)}.ics")


@routes.route("GET", "/calendar/<address>.ics", files=("text/calendar",), public=True)
def follow_calendar(address: str) -> Download:
    """The calendar at a secret address (iCalendar, RFC 5545); whoever knows the address may read it."""
    at = backend()
    with at.store.transaction(calendars.workspace_in(address)) as tx:
        call = Call(tx, at.services, SERVICE, at.services.clock())
        piece = feed(calendars.follow(call, address), _console(), call.now)
    return Download(piece, "text/calendar; charset=utf-8", "open-latch.ics")


def _console() -> str:
    return backend().services.console or request.url_root.rstrip("/")
