"""Letting someone in for longer, for more parts or hours, or at a higher level."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import event, given, settings
from hypothesis import strategies as st

from openlatch.core.hours import DAYS, Hours
from openlatch.core.limits import Limits
from openlatch.core.model import Abilities, Entry
from openlatch.core.orders.acts import LIFTS
from openlatch.core.orders.plans import make_plan
from openlatch.core.orders.steps import Ask, Extent, Plan
from openlatch.errors import Conflict, Invalid
from openlatch.words import Action, Kind, PartyStatus, Power, Severity, State
from tests.core.orders.test_plans import ALL, LEVELS, WHO, around, calls, theirs
from tests.factories import NOW

TUESDAYS = Hours.parse("tue 19:00-04:00 Europe/London")
NIGHTS = Hours.parse("tue,fri 19:00-04:00 Europe/London")
PARTS = st.sets(st.sampled_from(["till", "safe", "store"])).map(lambda some: tuple(sorted(some)))
HOURS = st.sampled_from([None, TUESDAYS, NIGHTS])
ENDS = st.none() | st.integers(1, 5000).map(lambda days: NOW + timedelta(days=days))


def extended(target: Entry, ask: Ask, abilities: Abilities = ALL) -> Plan:
    return make_plan(around(target, abilities=abilities), ask, NOW)


def wanted(**what: object) -> Ask:
    return Ask(Action.EXTEND, **what)  # type: ignore[arg-type]


def more(data: st.DataObject, target: Entry) -> Ask:
    """An extension of an entry that makes sense more often than not."""
    ways = data.draw(st.sets(st.sampled_from(["level", "parts", "end", "hours"]), min_size=1, max_size=2))
    lifts = [lift for lift in LIFTS if lift in ways and data.draw(st.booleans())]
    soon = target.ends_at or NOW
    return wanted(
        level=data.draw(st.sampled_from(list(LEVELS))) if "level" in ways else "",
        resources=data.draw(PARTS) if "parts" in ways and "parts" not in lifts else None,
        until=soon + timedelta(days=data.draw(st.integers(-1, 5000))) if "end" in ways and "end" not in lifts else None,
        hours=data.draw(HOURS) if "hours" in ways and "hours" not in lifts else None,
        lifts=tuple(lifts),
    )


@settings(max_examples=300)
@given(st.data())
def test_nothing_of_what_an_extended_access_gives_is_taken_away(data: st.DataObject) -> None:
    target = theirs(
        data.draw(st.sampled_from(list(LEVELS))),
        kind=data.draw(st.sampled_from([Kind.DELEGATE, Kind.GRANT])),
        resources=data.draw(PARTS),
        ends_at=data.draw(ENDS),
        hours=data.draw(HOURS),
        state=data.draw(st.sampled_from([State.LIVE, State.PAUSED])),
    )
    try:
        made = extended(target, more(data, target))
    except Invalid:
        event("refused")
        return
    event("planned")
    (change,) = [step.change for step in made.steps if step.change is not None]
    was, now = Extent.of(target), Extent.of(target).after(change)
    assert now != was
    assert now.state is was.state
    assert set(LEVELS[was.level]) <= set(LEVELS[now.level])
    assert now.resources == () or set(was.resources) <= set(now.resources)
    assert was.resources != () or now.resources == ()
    assert now.ends_at is None or (was.ends_at is not None and was.ends_at <= now.ends_at)
    assert now.hours is None or (was.hours is not None and now.hours.covers(was.hours))
    gained = set(LEVELS[now.level]) - set(LEVELS[was.level])
    told = " ".join(consequence.text for consequence in made.consequences if consequence.kind == "can-more")
    assert all(power in told for power in gained), "whatever they can do from then on is said"


@given(st.data())
def test_hours_cover_others_if_no_minute_of_the_week_is_left_out(data: st.DataObject) -> None:
    clock = st.sampled_from(["00:00", "02:30", "09:00", "19:00", "23:59"])
    some = st.lists(
        st.tuples(st.sets(st.sampled_from(DAYS), min_size=1), clock, clock | st.just("24:00"))
        .filter(lambda parts: parts[1] != parts[2])
        .map(lambda parts: f"{','.join(sorted(parts[0]))} {parts[1]}-{parts[2]}"),
        min_size=1,
        max_size=3,
    ).map(lambda windows: Hours.parse(f"{' + '.join(windows)} Europe/London"))
    hours, other = data.draw(some), data.draw(some)
    monday = datetime(2026, 5, 11, tzinfo=ZoneInfo("Europe/London"))
    minutes = [monday + timedelta(minutes=30 * n) for n in range(7 * 48)]
    minutes += [at.replace(minute=59) for at in minutes]
    assert hours.covers(other) == all(hours.hold(at) for at in minutes if other.hold(at))
    assert hours.covers(hours)


def test_hours_of_another_zone_are_covered_only_by_all_of_the_week() -> None:
    elsewhere = Hours.parse("tue 19:00-04:00 America/New_York")
    always = Hours.parse(f"{','.join(DAYS)} 00:00-24:00 America/New_York")
    assert (elsewhere.covers(TUESDAYS), always.covers(TUESDAYS)) == (False, True)


def test_what_is_asked_for_is_asked_of_the_provider_if_it_can_and_else_of_a_person() -> None:
    target = theirs("desk", resources=("till",), ends_at=NOW + timedelta(days=9))
    longer, more, higher = (
        wanted(until=NOW + timedelta(days=90)),
        wanted(resources=("safe",)),
        wanted(level="cashier"),
    )
    for lacks, ask in (("prolongs", longer), ("widens", more), ("raises", higher)):
        assert calls(extended(target, ask)) == ["change", "read", "receipt"]
        unable = replace(ALL, **{lacks: frozenset()})
        assert calls(extended(target, ask, unable)) == ["ask", "read", "receipt"], lacks
        others = {"prolongs", "widens", "raises"} - {lacks}
        assert calls(extended(target, ask, replace(ALL, **dict.fromkeys(others, frozenset())))) == [
            "change",
            "read",
            "receipt",
        ]
    assert calls(extended(replace(target, by_hand=True), longer)) == ["ask", "receipt"], "no reading can see it"


@pytest.mark.parametrize(
    ("ask", "says"),
    [
        (wanted(), "What to extend is missing"),
        (wanted(until=NOW), "over already"),
        (wanted(until=NOW + timedelta(days=5)), "not before that day"),
        (wanted(until=NOW + timedelta(days=40_000)), "as good as no end"),
        (wanted(until=NOW + timedelta(days=90), lifts=("end",)), "A last day and no end"),
        (wanted(level="guide"), "does not give edit"),
        (wanted(level="owner"), "has no level “owner”"),
        (wanted(resources=("till",)), "has those parts already"),
        (wanted(resources=("safe",), lifts=("parts",)), "Single parts and the whole account"),
        (wanted(hours=Hours.parse("fri 19:00-04:00 Europe/London")), "do not cover"),
        (wanted(hours=TUESDAYS), "no more hours than now"),
        (wanted(hours=NIGHTS, lifts=("hours",)), "Some hours and all hours"),
        (wanted(lifts=("everything",)), "is not a limit"),
    ],
)
def test_what_gives_less_or_nothing_more_is_refused_with_the_place(ask: Ask, says: str) -> None:
    target = theirs("desk", resources=("till",), ends_at=NOW + timedelta(days=9), hours=TUESDAYS)
    with pytest.raises(Invalid, match=says) as refused:
        extended(target, ask)
    assert refused.value.fields["errors"][0]["at"] in ("until", "level", "resources", "hours", "lifts")


def test_what_was_not_given_to_anybody_is_not_extended() -> None:
    for kind in (Kind.SESSION, Kind.SECRET, Kind.APP, Kind.OPEN, Kind.OFFER):
        with pytest.raises(Conflict):
            extended(theirs(kind=kind), wanted(lifts=("end",)))
    with pytest.raises(Conflict, match="already ended"):
        extended(theirs(state=State.ENDED), wanted(lifts=("end",)))


def test_the_consequences_are_those_of_letting_somebody_in_with_what_is_new() -> None:
    target = theirs("desk", ends_at=NOW + timedelta(days=9))
    situation = replace(around(target), party=replace(WHO, status=PartyStatus.LEFT), outside=True)
    made = make_plan(situation, wanted(level="administrator", lifts=("end",)), NOW)
    told = {consequence.kind: consequence.severity for consequence in made.consequences}
    assert told == {
        "left": Severity.HIGH,
        "endless": Severity.HIGH,
        "money": Severity.HIGH,
        "admits": Severity.HIGH,
        "can-more": Severity.MEDIUM,
        "effect": Severity.LOW,
    }
    text = next(consequence.text for consequence in made.consequences if consequence.kind == "effect")
    assert "“desk” on Gate at the level “administrator” (now “desk”)" in text
    assert "without an end (now " in text


def test_limits_that_hold_for_letting_in_hold_for_extending() -> None:
    target = theirs("desk", given_at=NOW - timedelta(days=20), ends_at=NOW + timedelta(days=9))
    for limits, ask in (
        (Limits(never=frozenset({Power.ADMIT})), wanted(level="administrator")),
        (Limits(longest=timedelta(days=30)), wanted(until=NOW + timedelta(days=11))),
        (Limits(longest=timedelta(days=30)), wanted(lifts=("end",))),
    ):
        assert make_plan(replace(around(target), limits=limits), ask, NOW).stop
        assert not make_plan(replace(around(target), limits=Limits(most=0)), ask, NOW).stop, "it takes no further place"


def test_days_are_told_in_the_zone_of_the_workspace() -> None:
    for zone in ("America/New_York", "Pacific/Kiritimati"):
        until = datetime.combine(date(2026, 9, 1), datetime.min.time(), ZoneInfo(zone))
        target = theirs("desk", ends_at=until - timedelta(days=30))
        made = make_plan(around(target, zone=zone), wanted(until=until), NOW)
        assert "until the end of 31 August 2026" in made.steps[0].text
