"""When something takes place: RFC 5545 recurrences of whole days, read on the wall clock of a zone.

A rule says on which days; the time of day is one for all of them. A wall clock time that a clock change skips counts as
the instant at which the clock would have shown it, and of one that comes twice the first counts.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from itertools import islice
from zoneinfo import ZoneInfo

from dateutil.rrule import rrule, rruleset, rrulestr

from openlatch.core.hours import meant
from openlatch.core.phrases import listed
from openlatch.errors import Invalid

__all__ = ["EXAMPLES", "Recurrence"]

EXAMPLES = (
    ("FREQ=MONTHLY;BYDAY=1MO", "the first Monday of every month"),
    ("FREQ=MONTHLY;BYMONTHDAY=-1", "the last day of every month"),
    ("FREQ=MONTHLY;INTERVAL=3;BYMONTHDAY=1", "the first day of every third month"),
    ("FREQ=YEARLY;BYMONTH=3;BYMONTHDAY=31", "every 31 March"),
    ("FREQ=WEEKLY;INTERVAL=2;BYDAY=FR", "every other Friday"),
)
_SEARCHED = 400
"""In so many years the calendar takes place: a day that does not come in them never comes."""
_LAST = date(9999, 12, 31)
_DATES = re.compile(r"(RDATE|EXDATE)(?:;VALUE=DATE(?:-TIME)?)?:([0-9TZ,]+)")
_MOMENT = re.compile(r"(?P<day>\d{8})(?:T(?P<hour>\d{6})(?P<utc>Z?))?")
_PARTS = re.compile(r"[A-Z]+=[A-Z0-9,+:-]+(;[A-Z]+=[A-Z0-9,+:-]+)*")
_UNIT = {"YEARLY": "year", "MONTHLY": "month", "WEEKLY": "week", "DAILY": "day"}
_DAYS = {
    "MO": "Monday",
    "TU": "Tuesday",
    "WE": "Wednesday",
    "TH": "Thursday",
    "FR": "Friday",
    "SA": "Saturday",
    "SU": "Sunday",
}
_NTH = {1: "first", 2: "second", 3: "third", 4: "fourth", 5: "fifth", -1: "last", -2: "last but one"}
_MONTHS = (
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
)


@dataclass(frozen=True, slots=True)
class Recurrence:
    """Days by an RFC 5545 rule from a first day on, at a time of day in an IANA zone."""

    rule: str
    begins: date
    at: time
    zone: str

    @classmethod
    def parse(cls, rule: str, begins: date, at: time, zone: str) -> Recurrence:
        """Return the recurrence that a rule means; raises Invalid for one that is none, or makes no sense here.

        After the rule, days can be named that come besides (`RDATE:20270401`), and that do not (`EXDATE:20261225`).
        """
        first_line, *more = rule.strip().upper().split() or [""]
        text = first_line.removeprefix("RRULE:")
        if not _PARTS.fullmatch(text) or len(rule) > 2000 or not all(map(_DATES.fullmatch, more)):
            raise _wrong(rule, "is not a recurrence rule of RFC 5545")
        parts = dict(part.split("=", 1) for part in text.split(";"))
        if parts.get("FREQ") not in _UNIT:
            raise _wrong(rule, "comes more often than once a day, or does not say how often")
        if parts.get("INTERVAL", "1").strip("0") == "":
            raise _wrong(rule, "is not a recurrence rule of RFC 5545 (an interval is 1 or more)")
        if parts.keys() & {"BYHOUR", "BYMINUTE", "BYSECOND"}:
            raise _wrong(rule, "says a time of day, which is said apart from it")
        if not meant(begins):
            raise _wrong(rule, f"begins on {begins.isoformat()}, which is too far away")
        if {"COUNT", "UNTIL"} <= parts.keys():
            raise _wrong(rule, "says both how often and until when it comes")
        recurrence = cls("\n".join([text, *more]), begins, at, zone)
        try:
            first = recurrence.first
            recurrence.says()
        except (ArithmeticError, LookupError, TypeError, ValueError) as error:
            raise _wrong(rule, f"is not a recurrence rule of RFC 5545 ({error})") from error
        if first is None:
            raise _wrong(rule, "never comes")
        return recurrence

    @property
    def first(self) -> datetime | None:
        """The first time it comes, if it ever does."""
        return next(self.after(None), None)

    def after(self, instant: datetime | None) -> Iterator[datetime]:
        """Return when it comes after an instant, or from its first day on, for as long as the calendar knows days."""
        zone = ZoneInfo(self.zone)
        here = instant.astimezone(zone).date() if instant is not None else self.begins
        # A day earlier: what a clock change moved may lie on the other side of midnight.
        start = max(here - timedelta(days=1), self.begins)
        for day in self._days(start):
            moment = datetime.combine(day, self.at, zone).astimezone(UTC)
            if self._over(day, moment):
                continue
            if instant is None or moment > instant:
                yield moment

    def between(self, start: datetime, end: datetime) -> list[datetime]:
        """Return when it comes after the start, and no later than the end."""
        moments = []
        for moment in self.after(start):
            if moment > end:
                break
            moments.append(moment)
        return moments

    def _days(self, start: date) -> Iterator[date]:
        begins = datetime.combine(self.begins, time.min)
        parts = {name: value for name, value in self._parts.items() if name != "UNTIL"}
        found = rrulestr(";".join(f"{name}={value}" for name, value in parts.items()), dtstart=begins)
        if not isinstance(found, rrule):
            raise TypeError("more than one rule")
        last = min(date(min(start.year + _SEARCHED, 9999), 12, 31), self._until[0])
        if "COUNT" not in parts:
            found = found.replace(until=datetime.combine(last, time.min))
        every = rruleset()
        every.rrule(found)
        for name, day in self._dates():
            (every.rdate if name == "RDATE" else every.exdate)(datetime.combine(day, time.min))
        for moment in every.xafter(datetime.combine(start, time.min), inc=True):
            if moment.date() > _LAST:
                return
            yield moment.date()

    @property
    def _lines(self) -> list[str]:
        return self.rule.split("\n")

    @property
    def _parts(self) -> dict[str, str]:
        return dict(part.split("=", 1) for part in self._lines[0].split(";"))

    def _dates(self) -> Iterator[tuple[str, date]]:
        """The days that are named one by one, each with whether it comes besides or not at all."""
        for line in self._lines[1:]:
            name, values = _DATES.fullmatch(line).groups()  # type: ignore[union-attr]
            for value in values.split(","):
                yield name, self._moment(value)[0]

    def _moment(self, text: str) -> tuple[date, datetime | None]:
        """The day here of a date or a moment as RFC 5545 writes it, and the instant, where it is a moment."""
        found = _MOMENT.fullmatch(text)
        if found is None:
            raise ValueError(f"{text} is not a date")
        day = date.fromisoformat(found["day"])
        if found["hour"] is None:
            return day, None
        at = time.fromisoformat(found["hour"])
        zone = ZoneInfo("UTC" if found["utc"] else self.zone)
        instant = datetime.combine(day, at, zone).astimezone(UTC)
        return instant.astimezone(ZoneInfo(self.zone)).date(), instant

    @property
    def _until(self) -> tuple[date, datetime | None]:
        """The last day on which it may come by its rule, and until when on it."""
        return self._moment(self._parts["UNTIL"]) if "UNTIL" in self._parts else (_LAST, None)

    def _over(self, day: date, at: datetime) -> bool:
        """Whether an instant is after the moment until which it comes by its rule."""
        last = self._until[1]
        return last is not None and at > last and ("RDATE", day) not in self._dates()

    def says(self) -> str:
        """Return the rule in plain words, such as: every month on the first Monday, at 08:00 (Europe/London)."""
        parts = self._parts
        every = int(parts.get("INTERVAL", "1"))
        unit = _UNIT[parts["FREQ"]]
        text = f"every {unit}" if every == 1 else f"every other {unit}" if every == 2 else f"every {every} {unit}s"
        text += _on(parts, self.begins)
        if "COUNT" in parts:
            text += ", once" if parts["COUNT"] == "1" else f", {parts['COUNT']} times"
        if "UNTIL" in parts:
            until, _ = self._until
            text += f", until {until.day} {until:%B %Y}"
        for name, word in (("RDATE", "also"), ("EXDATE", "but not")):
            days = [day for kind, day in self._dates() if kind == name]
            if days:
                text += f", {word} on {listed(f'{day.day} {day:%B %Y}' for day in days)}"
        return f"{text}, at {self.at:%H:%M} ({self.zone})"

    def coming(self, instant: datetime, number: int, until: datetime) -> list[datetime]:
        """Return the next times it comes after an instant: at most so many, and of those after `until` the first."""
        moments = list(islice(self.after(instant), number))
        return [at for at in moments if at <= until] or moments[:1]


def _on(parts: dict[str, str], begins: date) -> str:
    """On which days of its unit it comes."""
    months = _joined([_MONTHS[int(part) - 1] for part in parts["BYMONTH"].split(",")]) if "BYMONTH" in parts else ""
    said = [*_weekdays(parts), *_days_of_month(parts)]
    if "BYYEARDAY" in parts:
        said.append(f"day {_joined(parts['BYYEARDAY'].split(','))} of the year")
    if "BYWEEKNO" in parts:
        said.append(f"in week {_joined(parts['BYWEEKNO'].split(','))}")
    if not said and parts["FREQ"] == "YEARLY" and not months:
        return f" on {begins.day} {begins:%B}"
    if not said and parts["FREQ"] != "DAILY":
        said = [f"{begins:%A}" if parts["FREQ"] == "WEEKLY" else f"day {begins.day}"]
    return (f" in {months}" if months else "") + (f" on {', '.join(said)}" if said else "")


def _weekdays(parts: dict[str, str]) -> list[str]:
    names = []
    for number, day in re.findall(r"([+-]?\d+)?([A-Z]{2})", parts.get("BYDAY", "")):
        names.append(f"the {_nth(int(number))} {_DAYS[day]}" if number else _DAYS[day])
    if not names or "BYSETPOS" not in parts:
        return [_joined(names)] if names else []
    which = _joined([f"the {_nth(int(part))}" for part in parts["BYSETPOS"].split(",")])
    workdays = sorted(names) == sorted(list(_DAYS.values())[:5])
    return [f"{which} {'working day' if workdays else f'of its {_joined(names)}'}"]


def _days_of_month(parts: dict[str, str]) -> list[str]:
    numbers = [int(part) for part in parts.get("BYMONTHDAY", "").split(",") if part]
    if not numbers:
        return []
    text = _joined([f"the {_nth(number)} day" if number < 0 else f"day {number}" for number in numbers])
    rare = parts["FREQ"] == "MONTHLY" and any(number > 28 for number in numbers)
    return [text + (" (months that have none are left out)" if rare else "")]


def _nth(number: int) -> str:
    if number in _NTH:
        return _NTH[number]
    return f"{-number}th from the end" if number < 0 else f"{number}th"


def _joined(words: list[str]) -> str:
    *first, last = words
    return f"{', '.join(first)} and {last}" if first else last


def _wrong(rule: str, why: str) -> Invalid:
    shown = rule if len(rule) <= 80 else rule[:77] + "…"
    return Invalid(
        f"“{shown}” {why}. Nothing was changed.",
        next_step="Write it like one of these: " + "; ".join(f"{text} ({what})" for text, what in EXAMPLES[:3]),
        errors=[{"at": "recurs", "problem": why}],
    )
