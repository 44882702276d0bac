"""Weekly hours: when a grant holds within its start and its end.

Hours are read on the wall clock of their zone, start included, end excluded. A window that ends at or before its
start crosses midnight and belongs to the day on which it starts. At a clock change the wall clock decides.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from functools import cache
from zoneinfo import ZoneInfo, available_timezones

from openlatch.errors import Invalid

__all__ = [
    "DAYS",
    "Hours",
    "Window",
    "as_good_as_none",
    "day_before",
    "day_in",
    "end_of",
    "gaps",
    "last_day",
    "meant",
    "moment",
    "until",
    "zones",
]

DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
_NAMES = ("Mondays", "Tuesdays", "Wednesdays", "Thursdays", "Fridays", "Saturdays", "Sundays")

FAR = timedelta(days=3660)
"""Ten years and some days: nobody means a day further away."""


_DAY = 24 * 60
_FIRST, _SAMPLED = datetime(2024, 1, 1, 12, tzinfo=UTC), 11 * 366
"""The noons at which it is seen how far zones are apart."""


@cache
def zones() -> frozenset[str]:
    """Return the names of all IANA zones: listing them takes many times longer than looking one up."""
    return frozenset(available_timezones())


def meant(day: date) -> bool:
    """Return whether someone may mean a day: those further away are mistyped, and clocks cannot reckon with them."""
    return 1900 <= day.year < 2900


def as_good_as_none(until: datetime, now: datetime) -> bool:
    """Return whether an end is so far away that someone has to say on purpose that there is none."""
    return until - now > FAR


@dataclass(frozen=True, slots=True)
class Window:
    """The same hours on some days; `days` are numbers, Monday is 0."""

    days: frozenset[int]
    start: time
    end: time

    @property
    def crosses_midnight(self) -> bool:
        return self.end <= self.start

    def holds(self, day: int, at: time) -> bool:
        """Return whether a moment of a weekday lies in the window."""
        if not self.crosses_midnight:
            return day in self.days and self.start <= at < self.end
        return (day in self.days and at >= self.start) or ((day - 1) % 7 in self.days and at < self.end)

    def moved(self, minutes: int) -> Window:
        """Return the same stretch of the week by a clock that is so many minutes ahead of this one's."""
        first = self.start.hour * 60 + self.start.minute + minutes
        last = self.end.hour * 60 + self.end.minute + minutes
        days = frozenset((day + first // _DAY) % 7 for day in self.days)
        return Window(days, *(time(at % _DAY // 60, at % 60) for at in (first, last)))

    def written(self) -> str:
        """Return the window as people write it, without its zone: tue,fri 19:00-04:00."""
        if self.start == self.end != time():
            # For a whole day from a moment on: the rest of one day, and the beginning of the next.
            rest, begins = Window(self.days, self.start, time()), Window(_next(self.days), time(), self.end)
            return f"{rest.written()} + {begins.written()}"
        end = f"{self.end:%H:%M}" if self.end != time() else "24:00"
        return f"{','.join(DAYS[day] for day in sorted(self.days))} {self.start:%H:%M}-{end}"

    def __str__(self) -> str:
        names = [name for number, name in enumerate(_NAMES) if number in self.days]
        days = (
            "every day" if len(names) == len(_NAMES) else " and ".join(filter(None, [", ".join(names[:-1]), names[-1]]))
        )
        if self.start == self.end:
            return f"{days} all day" if self.start == time() else f"{days} from {self.start:%H:%M} for a day"
        return f"{days} {self.start:%H:%M}–{self.end:%H:%M}"


def _next(days: Iterable[int]) -> frozenset[int]:
    return frozenset((day + 1) % 7 for day in days)


def _window(days: frozenset[int], start: str, end: str) -> Window:
    """The window that two written times mean; 24:00 is the end of a day, and equal times mean nothing."""
    begins = time.fromisoformat(start)
    ends = time() if end in ("24:00", "24:00:00") else time.fromisoformat(end)
    if begins == ends and not (begins == time() and end.startswith("24")):
        raise ValueError(f"{start}-{end} begins when it ends; the whole day is 00:00-24:00")
    return Window(days, begins, ends)


@dataclass(frozen=True, slots=True)
class Hours:
    """Weekly windows in an IANA zone; a moment in any of them counts."""

    zone: str
    windows: tuple[Window, ...]

    def hold(self, now: datetime) -> bool:
        """Return whether an instant lies in these hours."""
        local = now.astimezone(ZoneInfo(self.zone))
        return self._in(local.weekday(), local.time().replace(tzinfo=None))

    def covers(self, other: Hours) -> bool:
        """Return whether these hours hold whenever the other ones do, however far their zones are apart by then."""
        return all(self._cover(other.by(self.zone, -gap)) for (gap,) in gaps((other.zone,), self.zone))

    def by(self, zone: str, minutes: int) -> Hours:
        """Return the same hours by the clock of a zone that is so many minutes ahead of this one's."""
        return Hours(zone, tuple(window.moved(minutes) for window in self.windows))

    def _cover(self, other: Hours) -> bool:
        edges = sorted(
            {time(), *(at for window in (*self.windows, *other.windows) for at in (window.start, window.end))}
        )
        moments = [(day, at) for day in range(7) for at in edges]
        return all(self._in(day, at) for day, at in moments if other._in(day, at))

    def _in(self, day: int, at: time) -> bool:
        return any(window.holds(day, at) for window in self.windows)

    def written(self) -> str:
        """Return the hours as people and `parse` write them: tue,fri 19:00-04:00 + sat 10:00-12:00 Europe/London."""
        return f"{' + '.join(window.written() for window in self.windows)} {self.zone}"

    @classmethod
    def parse(cls, text: str, home: str = "") -> Hours:
        """Return the hours that a text means, in the zone `home` if it names none; raises ValueError for any other."""
        text = text.strip()
        if home and "/" not in text and not text.endswith("UTC"):
            text = f"{text} {home}"
        written, _, zone = text.rpartition(" ")
        if zone not in zones():
            raise ValueError(f"“{zone}” is not an IANA time zone")
        windows = []
        for part in written.split("+"):
            days, _, hours = part.strip().partition(" ")
            start, _, end = hours.strip().partition("-")
            numbers = frozenset(DAYS.index(day.strip().lower()) for day in days.split(","))
            windows.append(_window(numbers, start.strip(), end.strip()))
        return cls(zone, tuple(windows))

    def __str__(self) -> str:
        return "; ".join(str(window) for window in self.windows) or "never"


@cache
def gaps(of: tuple[str, ...], home: str) -> tuple[tuple[int, ...], ...]:
    """Return by how many minutes zones are ahead of another one: each combination that there is in some weeks.

    As the rules of the zones are known for the years from 2024 to 2034, which hold every way in which they differ.
    """
    if all(zone == home for zone in of):
        return ((0,) * len(of),)
    pairs = set()
    known = [ZoneInfo(zone) for zone in (home, *of)]
    for number in range(_SAMPLED):
        noon = _FIRST + timedelta(days=number)
        here, *there = [(noon.astimezone(zone).utcoffset() or timedelta()) // timedelta(minutes=1) for zone in known]
        pairs.add(tuple(number - here for number in there))
    return tuple(sorted(pairs))


def day_in(instant: datetime, zone: str) -> str:
    """Return the day of an instant in a zone as people write it, such as: 3 May 2027."""
    here = instant.astimezone(ZoneInfo(zone))
    return f"{here.day} {here:%B %Y}"


def moment(instant: datetime, zone: str) -> str:
    """Return an instant in a zone as people write it, to the minute, such as: 3 May 2027, 14:05."""
    return f"{day_in(instant, zone)}, {instant.astimezone(ZoneInfo(zone)):%H:%M}"


def last_day(end: datetime, zone: str) -> str:
    """Return the last day of what ends at an instant, as people write it: what ends at midnight ends with that day."""
    return day_in(end - timedelta(microseconds=1), zone)


def until(end: datetime, zone: str) -> str:
    """Return an end as people write it: a last day where it ends with one, else a day and a time, with the zone."""
    here = end.astimezone(ZoneInfo(zone))
    if here.time() == time():
        return f"until the end of {last_day(end, zone)} ({zone})"
    return f"until {here:%H:%M} on {day_in(end, zone)} ({zone})"


def day_before(end: datetime, zone: str) -> date:
    """Return the last day of what ends at an instant; `end_of` the other way round."""
    return (end - timedelta(microseconds=1)).astimezone(ZoneInfo(zone)).date()


def end_of(day: date, zone: str) -> datetime:
    """Return the instant at which a day is over in a zone; raises Invalid for a day that nobody means."""
    if not meant(day):
        raise Invalid(
            f"{day.isoformat()} is too far away. Nothing was changed.", next_step="Give a day between 1900 and 2899."
        )
    return datetime.combine(day + timedelta(days=1), time(), ZoneInfo(zone))
