from __future__ import annotations

from datetime import UTC, datetime, time, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.hours import Hours, Window

NIGHTS = Hours("Europe/London", (Window(frozenset({1, 4}), time(19), time(4)),))
LONDON = ZoneInfo("Europe/London")
TIMES = st.times().map(lambda t: t.replace(second=0, microsecond=0, fold=0))
WINDOWS = st.builds(Window, st.frozensets(st.integers(0, 6), min_size=1), TIMES, TIMES)
INSTANTS = st.datetimes(datetime(2026, 1, 1), datetime(2027, 1, 1)).map(  # noqa: DTZ001 - given its zone below
    lambda t: t.replace(second=0, microsecond=0, tzinfo=UTC)
)


def test_a_night_belongs_to_the_day_on_which_it_starts() -> None:
    tuesday = datetime(2026, 5, 12, tzinfo=LONDON)
    assert str(NIGHTS) == "Tuesdays and Fridays 19:00–04:00"
    for hours, holds in ((18.99, False), (19, True), (24, True), (27.9, True), (28, False), (-1, False), (1, False)):
        assert NIGHTS.hold(tuesday + timedelta(hours=hours)) is holds, hours


@given(WINDOWS, INSTANTS)
def test_a_window_holds_exactly_as_if_its_week_were_laid_out_minute_by_minute(window: Window, now: datetime) -> None:
    minute = (now.weekday() * 24 + now.hour) * 60 + now.minute
    start, end = (t.hour * 60 + t.minute for t in (window.start, window.end))
    length = (end - start) % 1440 or 1440
    laid_out = {(day * 1440 + start + n) % 10080 for day in window.days for n in range(length)}
    assert Hours("UTC", (window,)).hold(now) is (minute in laid_out)


@given(WINDOWS, INSTANTS)
def test_at_a_clock_change_the_wall_clock_decides(window: Window, now: datetime) -> None:
    wall = now.astimezone(LONDON)
    same_wall = datetime.combine(wall.date(), wall.time().replace(fold=0), UTC)
    assert Hours("Europe/London", (window,)).hold(now) is Hours("UTC", (window,)).hold(same_wall)


@given(st.sampled_from(["mon 22:00-24:00", "sat,sun 00:00-24:00", "fri 00:00-08:00"]), st.integers(0, 6), st.times())
def test_the_end_of_a_day_is_written_as_24_and_read_back(text: str, day: int, at: time) -> None:
    hours = Hours.parse(f"{text} Europe/London")
    assert hours.written() == f"{text} Europe/London"
    window = hours.windows[0]
    start, end = text.split(" ")[1].split("-")
    moment = at.replace(second=0, microsecond=0)
    inside = start <= f"{moment:%H:%M}" < end and day in window.days
    assert window.holds(day, moment) is inside


def test_what_begins_when_it_ends_is_explained_and_never_the_whole_day() -> None:
    for text in ("mon 09:00-09:00", "mon 00:00-00:00"):
        with pytest.raises(ValueError, match="the whole day is 00:00-24:00"):
            Hours.parse(f"{text} Europe/London")


@given(st.integers(0, 6), st.times(), st.integers(0, 6))
def test_a_whole_day_from_a_moment_on_is_written_so_that_it_means_the_same(day: int, at: time, other: int) -> None:
    at = at.replace(second=0, microsecond=0)
    made = Hours("UTC", (Window(frozenset({day}), at, at),))
    again = Hours.parse(made.written())
    for moment in (time(), at, time(23, 59)):
        assert again._in(other, moment) == made._in(other, moment)
