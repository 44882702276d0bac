from __future__ import annotations

from datetime import UTC, datetime, time, timedelta
from zoneinfo import ZoneInfo

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
