"""When reviews come round: days by RFC 5545, on the wall clock, each exactly once."""

from __future__ import annotations

from calendar import monthrange
from datetime import UTC, date, datetime, time, timedelta
from itertools import islice, pairwise
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.recurrence import EXAMPLES, Recurrence
from openlatch.errors import Invalid

LONDON = "Europe/London"
BEGINS = date(2026, 1, 1)


def comes(rule: str, *, begins: date = BEGINS, at: time = time(8), zone: str = LONDON) -> Recurrence:
    return Recurrence.parse(rule, begins, at, zone)


def days(rule: str, until: date, begins: date = BEGINS) -> list[date]:
    recurrence = comes(rule, begins=begins)
    end = datetime.combine(until, time.max, UTC)
    start = datetime.combine(begins, time.min, UTC) - timedelta(days=1)
    return [moment.astimezone(ZoneInfo(LONDON)).date() for moment in recurrence.between(start, end)]


def test_month_ends_first_mondays_and_leap_days_are_those_of_the_calendar() -> None:
    assert days("FREQ=MONTHLY;BYMONTHDAY=-1", date(2026, 12, 31)) == [
        date(2026, month, monthrange(2026, month)[1]) for month in range(1, 13)
    ]
    assert [d.month for d in days("FREQ=MONTHLY;BYMONTHDAY=31", date(2026, 12, 31))] == [1, 3, 5, 7, 8, 10, 12]
    mondays = days("FREQ=MONTHLY;BYDAY=1MO", date(2026, 12, 31))
    assert [(d.weekday(), d.day <= 7, d.month) for d in mondays] == [(0, True, month) for month in range(1, 13)]
    assert days("FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=29", date(2036, 3, 1)) == [
        date(2028, 2, 29),
        date(2032, 2, 29),
        date(2036, 2, 29),
    ]


@pytest.mark.parametrize(
    ("at", "day", "instant"),
    [
        (time(1, 30), date(2026, 3, 29), "2026-03-29T01:30:00+00:00"),  # skipped: an hour later on the clock
        (time(8), date(2026, 3, 29), "2026-03-29T07:00:00+00:00"),
        (time(8), date(2026, 10, 25), "2026-10-25T08:00:00+00:00"),
        (time(1, 30), date(2026, 10, 25), "2026-10-25T00:30:00+00:00"),  # twice: the first
    ],
)
def test_the_wall_clock_decides_over_clock_changes(at: time, day: date, instant: str) -> None:
    recurrence = comes("FREQ=DAILY", at=at)
    on_that_day = [
        moment
        for moment in recurrence.between(
            datetime.combine(day - timedelta(days=1), time(12), UTC), datetime.combine(day, time(22), UTC)
        )
        if moment.astimezone(ZoneInfo(LONDON)).date() == day
    ]
    assert [moment.isoformat() for moment in on_that_day] == [instant]


rules = st.one_of(
    st.builds("FREQ=MONTHLY;INTERVAL={};BYMONTHDAY={}".format, st.integers(1, 4), st.sampled_from([1, 15, 28, 31, -1])),
    st.builds("FREQ=MONTHLY;BYDAY={}{}".format, st.sampled_from([1, 2, -1]), st.sampled_from(["MO", "TH", "SU"])),
    st.builds("FREQ=WEEKLY;INTERVAL={};BYDAY={}".format, st.integers(1, 5), st.sampled_from(["MO", "TU,FR"])),
    st.builds("FREQ=DAILY;INTERVAL={};COUNT={}".format, st.integers(1, 40), st.integers(1, 60)),
    st.just("FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=29"),
)


@given(
    rules,
    st.dates(date(2024, 1, 1), date(2030, 1, 1)),
    st.lists(st.integers(0, 2000 * 24), min_size=1, max_size=6),
    st.sampled_from([LONDON, "Pacific/Auckland", "America/Santiago", "UTC"]),
)
def test_asked_bit_by_bit_it_comes_just_as_often_as_asked_at_once(
    rule: str, begins: date, hours: list[int], zone: str
) -> None:
    recurrence = comes(rule, begins=begins, zone=zone)
    start = datetime.combine(begins, time.min, UTC) - timedelta(days=2)
    cuts = [start, *(start + timedelta(hours=n) for n in sorted(hours))]
    at_once = recurrence.between(start, cuts[-1])
    bit_by_bit = [moment for a, b in pairwise(cuts) for moment in recurrence.between(a, b)]
    assert bit_by_bit == at_once
    assert at_once == sorted(set(at_once))


@pytest.mark.parametrize(
    ("rule", "why"),
    [
        ("FREQ=SECONDLY", "more often than once a day"),
        ("FREQ=HOURLY;INTERVAL=1", "more often than once a day"),
        ("FREQ=DAILY;BYHOUR=1,2,3", "time of day"),
        ("FREQ=MONTHLY;BYMONTH=2;BYMONTHDAY=30", "never comes"),
        ("FREQ=DAILY;UNTIL=20200101", "never comes"),
        ("FREQ=YEARLY;INTERVAL=1000;BYMONTH=2;BYMONTHDAY=29", "never comes"),
        ("every monday", "is not a recurrence rule"),
        ("FREQ=MONTHLY;BYDAY=9XX", "is not a recurrence rule"),
        ("FREQ=WEEKLY;INTERVAL=0", "is not a recurrence rule"),
        ("", "is not a recurrence rule"),
    ],
)
def test_what_never_comes_or_comes_all_the_time_is_refused(rule: str, why: str) -> None:
    with pytest.raises(Invalid, match=why):
        comes(rule)


@pytest.mark.parametrize(
    ("rule", "says"),
    [
        (EXAMPLES[0][0], "every month on the first Monday, at 08:00 (Europe/London)"),
        (EXAMPLES[1][0], "every month on the last day, at 08:00 (Europe/London)"),
        (EXAMPLES[2][0], "every 3 months on day 1, at 08:00 (Europe/London)"),
        (EXAMPLES[3][0], "every year in March on day 31, at 08:00 (Europe/London)"),
        (EXAMPLES[4][0], "every other week on Friday, at 08:00 (Europe/London)"),
        ("FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-1", "every month on the last working day, at 08:00"),
        ("FREQ=MONTHLY;BYMONTHDAY=31", r"every month on day 31 (months that have none are left out), at 08:00"),
        ("FREQ=WEEKLY;COUNT=4", "every week on Thursday, 4 times, at 08:00"),
        ("FREQ=YEARLY;UNTIL=20301231", "every year on 1 January, until 31 December 2030, at 08:00"),
    ],
)
def test_a_rule_is_read_out_in_plain_words(rule: str, says: str) -> None:
    assert comes(rule).says().startswith(says)


NUMBERS = st.integers(-400, 400).map(str) | st.sampled_from(["", "x", "1.5", "+1", "0"])
PARTS = st.one_of(
    st.sampled_from(["HOURLY", "DAILY", "WEEKLY", "MONTHLY", "YEARLY", ""]).map("FREQ={}".format),
    st.tuples(
        st.sampled_from(
            ["BYMONTH", "BYMONTHDAY", "BYYEARDAY", "BYWEEKNO", "BYSETPOS", "INTERVAL", "COUNT", "BYEASTER"]
        ),
        st.lists(NUMBERS, min_size=1, max_size=3).map(",".join),
    ).map("=".join),
    st.tuples(NUMBERS, st.sampled_from(["MO", "TU", "SU", "XX", "mo"])).map(lambda pair: "BYDAY=" + "".join(pair)),
    st.sampled_from(["UNTIL=20270101", "UNTIL=20270101T000000Z", "UNTIL=99991231", "UNTIL=x", "WKST=SU", "=", "A=B=C"]),
)


@given(
    st.lists(PARTS, min_size=1, max_size=4).map(";".join), st.sampled_from([BEGINS, date(1, 1, 1), date(9999, 12, 31)])
)
def test_any_rule_is_either_refused_in_words_or_can_be_said_and_comes(rule: str, begins: date) -> None:
    for text in (rule, f"FREQ=MONTHLY;{rule}"):
        try:
            recurrence = comes(text, begins=begins)
        except Invalid:
            continue
        assert recurrence.first is not None
        assert "every" in recurrence.says()


AT_EIGHT = (date(2026, 5, 10), time(8), "Europe/London")


def first_days(rule: str, number: int = 50, at: tuple[date, time, str] = AT_EIGHT) -> list[str]:
    moments = Recurrence.parse(rule, *at).after(None)
    return [f"{moment.astimezone(ZoneInfo(at[2])):%Y-%m-%d}" for moment in islice(moments, number)]


@pytest.mark.parametrize(
    ("until", "last"),
    [
        ("20260514", "2026-05-14"),
        ("20260514T070000Z", "2026-05-14"),
        ("20260514T065959Z", "2026-05-13"),
        ("20260514T080000", "2026-05-14"),
        ("20260514T075959", "2026-05-13"),
        ("20260513T235959Z", "2026-05-13"),
    ],
)
def test_until_is_a_day_or_a_moment_in_utc_or_here_as_the_standard_has_it(until: str, last: str) -> None:
    assert first_days(f"FREQ=DAILY;UNTIL={until}")[-1] == last, "eight o'clock in London is seven in UTC"
    assert f"until {int(until[6:8]) if until[8:] != 'T235959Z' else 14} May 2026" in says(f"FREQ=DAILY;UNTIL={until}")


def says(rule: str) -> str:
    return Recurrence.parse(rule, *AT_EIGHT).says()


def test_an_until_in_utc_counts_by_the_day_here() -> None:
    auckland = (date(2026, 5, 10), time(8), "Pacific/Auckland")
    assert first_days("FREQ=DAILY;UNTIL=20260513T200000Z", at=auckland)[-1] == "2026-05-14"
    assert first_days("FREQ=DAILY;UNTIL=20260513T195959Z", at=auckland)[-1] == "2026-05-13"


def test_days_can_be_named_that_come_besides_or_not_at_all() -> None:
    rule = "RRULE:FREQ=WEEKLY;BYDAY=SU;UNTIL=20260531 EXDATE:20260517,20260524 RDATE;VALUE=DATE:20260520,20260603"
    assert first_days(rule) == ["2026-05-10", "2026-05-20", "2026-05-31", "2026-06-03"]
    assert says(rule).endswith(
        "until 31 May 2026, also on 20 May 2026 and 3 June 2026, but not on 17 May 2026 and 24 May 2026, at 08:00 "
        "(Europe/London)"
    )
    made = Recurrence.parse(rule, *AT_EIGHT)
    assert list(Recurrence.parse(made.rule, *AT_EIGHT).after(None)) == list(made.after(None))


@pytest.mark.parametrize(
    ("rule", "first"),
    [
        ("FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=29;BYDAY=SU", "2032-02-29"),
        ("FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=29;BYDAY=MO", "2044-02-29"),
        ("FREQ=YEARLY;INTERVAL=9;BYMONTH=2;BYMONTHDAY=29", "2044-02-29"),
    ],
)
def test_what_is_rare_is_found(rule: str, first: str) -> None:
    assert first_days(rule, 1) == [first]


@pytest.mark.parametrize("rule", ["FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30", "FREQ=DAILY;BYMONTH=2;BYMONTHDAY=30"])
def test_what_never_comes_is_said_never(rule: str) -> None:
    with pytest.raises(Invalid, match="never comes"):
        Recurrence.parse(rule, *AT_EIGHT)


def test_a_rule_says_how_often_or_until_when_and_names_only_days() -> None:
    for rule in ("FREQ=DAILY;COUNT=3;UNTIL=20270101", "FREQ=DAILY EXDATE:tomorrow", "FREQ=DAILY EXDATE:20261399"):
        with pytest.raises(Invalid):
            Recurrence.parse(rule, *AT_EIGHT)
