"""A calendar as a feed that calendar programs subscribe to (iCalendar, RFC 5545 and 7986)."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import TYPE_CHECKING

from openlatch.deferred import deferred
from openlatch.operations.reviews.calendars import Calendar

if TYPE_CHECKING:
    import icalendar
else:
    icalendar = deferred("icalendar")

__all__ = ["feed"]

EVERY = timedelta(hours=1)
"""So often a program is asked to read the feed again."""
LASTS = timedelta(minutes=15)


def feed(calendar: Calendar, console: str, now: datetime) -> bytes:
    """Return a calendar as a feed; its links lead to the console, and sign nobody in."""
    made = icalendar.Calendar()
    made.add("prodid", "-//Open Latch//calendar//EN")
    made.add("version", "2.0")
    made.add("method", "PUBLISH")
    made.add("name", f"Open Latch for {calendar.workspace.name}")
    made.add("x-wr-calname", f"Open Latch for {calendar.workspace.name}")
    made.add("refresh-interval", EVERY, parameters={"VALUE": "DURATION"})
    for happening in calendar.happenings:
        event = icalendar.Event()
        event.add("uid", f"{happening.uid}@{calendar.workspace.id.hex}")
        event.add("dtstamp", now)
        event.add("dtstart", happening.at)
        event.add("dtend", happening.at + LASTS)
        event.add("summary", happening.title)
        event.add("transp", "TRANSPARENT")  # it takes nobody's time
        if happening.text:
            event.add("description", happening.text)
        if happening.link and console:
            event.add("url", f"{console}{happening.link}")
        if happening.warn is not None:
            alarm = icalendar.Alarm()
            alarm.add("action", "DISPLAY")
            alarm.add("description", happening.title)
            alarm.add("trigger", -happening.warn)
            event.add_component(alarm)
        made.add_component(event)
    piece: bytes = made.to_ical()
    return piece
