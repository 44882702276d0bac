"""Days as people write them: each form means one day, and what may mean two is asked about, never guessed."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.inventory.written import says_nothing, says_unknown, says_without_end, settled_order, to_instant
from openlatch.words import DayOrder

LONDON = ZoneInfo("Europe/London")
DAYS = st.dates(date(1990, 1, 1), date(2060, 12, 31))
UNAMBIGUOUS = (
    "{d:%Y-%m-%d}",
    "{d:%Y/%m/%d}",
    "{d.day} {d:%B} {d.year}",
    "{d.day} {d:%b} {d.year}",
    "{d:%B} {d.day}, {d.year}",
    "{d.day}. {d:%B} {d.year}",
    "{d:%a} {d.day} {d:%b} {d.year}",
    "{d:%A}, {d:%B} {d.day}, {d.year}",
    "{d.day}-{d:%b}-{d.year}",
    "{d.day}th of {d:%B} {d.year}",
    "{d:%b} {d.day} {d.year}",
    "{d:%d}{d:%b}{d.year}",
)
NUMBERS = ("{a}/{b}/{y}", "{a:02}/{b:02}/{y}", "{a}-{b}-{y}", "{a}.{b}.{y}")


@given(DAYS, st.sampled_from(UNAMBIGUOUS), st.booleans())
def test_a_day_that_can_mean_one_only_is_that_whoever_writes_it(day: date, form: str, last_day: bool) -> None:
    moment = to_instant(form.format(d=day), LONDON, None, last_day=last_day)
    assert moment == datetime(day.year, day.month, day.day, tzinfo=LONDON) + timedelta(days=last_day)


@given(DAYS, st.sampled_from(NUMBERS), st.sampled_from(DayOrder))
def test_two_numbers_mean_what_their_column_says_and_are_refused_where_it_says_nothing(
    day: date, form: str, order: DayOrder
) -> None:
    a, b = (day.day, day.month) if order is DayOrder.DAY_FIRST else (day.month, day.day)
    text = form.format(a=a, b=b, y=day.year)
    assert to_instant(text, LONDON, order).date() == day
    if a != b:
        with pytest.raises(ValueError, match="either may be the day"):
            to_instant(text, LONDON, None)


@given(st.lists(DAYS, min_size=1, max_size=8), st.sampled_from(DayOrder), st.sampled_from(NUMBERS[:3]))
def test_a_column_is_decided_by_what_it_holds_and_never_wrongly(days: list[date], order: DayOrder, form: str) -> None:
    pairs = [(d.day, d.month) if order is DayOrder.DAY_FIRST else (d.month, d.day) for d in days]
    texts = [form.format(a=a, b=b, y=d.year) for (a, b), d in zip(pairs, days, strict=True)]
    day_order, matters = settled_order(texts)
    assert day_order in (None, order)
    assert (day_order is None) is all(a <= 12 and b <= 12 for a, b in pairs)
    assert matters is any(a != b and a <= 12 and b <= 12 for a, b in pairs)


def test_dots_put_the_day_first_unless_something_speaks_against_it() -> None:
    assert settled_order(["01.02.2026", "03.04.2026"]) == (DayOrder.DAY_FIRST, True)
    assert settled_order(["01.13.2026", "03.04.2026"]) == (DayOrder.MONTH_FIRST, True)
    assert settled_order(["01/02/2026", "03.04.2026"]) == (None, True)
    assert settled_order(["5/5/2026", "unlimited", ""]) == (None, False)


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("1/2/26", date(2026, 2, 1)),
        ("1/2/99", date(1999, 2, 1)),
        ("3. März 2027", date(2027, 3, 3)),
        ("3 mai 2027", date(2027, 5, 3)),
        ("31.12.2026.", date(2026, 12, 31)),
        ("20260510", date(2026, 5, 10)),
    ],
)
def test_short_years_and_months_of_other_languages(text: str, expected: date) -> None:
    assert to_instant(text, LONDON, DayOrder.DAY_FIRST).date() == expected


def test_a_time_of_the_day_is_kept() -> None:
    assert to_instant("10/05/2026 19:30", LONDON, DayOrder.DAY_FIRST) == datetime(2026, 5, 10, 18, 30, tzinfo=UTC)
    assert to_instant("10 May 2026, 19:30", LONDON, None, last_day=True) == datetime(2026, 5, 10, 18, 30, tzinfo=UTC)


@pytest.mark.parametrize(
    "text", ["31/02/2026", "13/13/2026", "May 2026", "soon", "45", "10 Mayo Street 2026", "2026", "0/0/2026", "Q2 2026"]
)
def test_what_is_no_day_is_none(text: str) -> None:
    for order in DayOrder:
        with pytest.raises(ValueError, match=r"\w"):
            to_instant(text, LONDON, order)


def test_what_people_write_where_there_is_no_day() -> None:
    for text in ("", "-", "n/a", "N/A", "none", "unlimited", "Permanent", "9999-12-31", "31/12/9999", "31.12.9999"):
        assert says_without_end(text), text
    for text in ("2026-05-10", "10 May 2026", "Gate 9999", "1.1.1999", "?"):
        assert not says_without_end(text), text
    assert [says_nothing(text) for text in ("n/a", "–", "never", "?")] == [True, True, False, False]
    assert [says_unknown(text) for text in ("?", "TBC", "unknown", "")] == [True, True, True, False]
