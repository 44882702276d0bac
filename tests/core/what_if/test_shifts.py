"""What a proposal would change, against every moment of small universes of entries, teams and documents."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, time, timedelta
from ipaddress import ip_network
from uuid import UUID

from hypothesis import given, settings
from hypothesis import strategies as st

from openlatch.core.hours import Hours, Window
from openlatch.core.inventory.reach import effective
from openlatch.core.model import Entry
from openlatch.core.providers.sharing import ANYONE, Document, Selector, Statement
from openlatch.core.what_if.shifts import Picture, Shift, shifts, someone
from openlatch.words import Kind, Power, State

V, E = Power.VIEW, Power.EDIT
ACCOUNT = UUID(int=100)
ORLA, BRAM, GUIDES, ANY = (UUID(int=n) for n in (1, 2, 3, 9))
ABOVE = {ORLA: {GUIDES}}
KNOWN = someone({ORLA: ["kestrelridge.example"], BRAM: ["other.example"], GUIDES: []}, ABOVE)
SELECTORS = {ANY: ANYONE}
NIGHTS = Hours("UTC", (Window(frozenset({1, 4}), time(19), time(4)),))
MOMENTS = (0, 1440 + 20 * 60, 2 * 1440 + 60, 4 * 1440 + 12 * 60)
ENTRIES = st.builds(
    Entry,
    id=st.builds(UUID, int=st.integers(1000, 2000)),
    provider_id=st.just(UUID(int=50)),
    account_id=st.just(ACCOUNT),
    party_id=st.sampled_from((ORLA, BRAM, GUIDES, ANY)),
    key=st.just("k"),
    kind=st.sampled_from((Kind.DELEGATE, Kind.GRANT, Kind.SESSION, Kind.OFFER)),
    level=st.just("x"),
    powers=st.sampled_from(((V,), (V, E), (E,))),
    state=st.sampled_from((State.LIVE, State.PAUSED, State.ENDED, State.OFFERED)),
    resources=st.sampled_from(((), ("gate",), ("gate", "till"))),
    hours=st.sampled_from((None, NIGHTS)),
)
STATEMENTS = st.builds(
    Statement,
    allow=st.booleans(),
    to=st.sampled_from(
        (
            frozenset({ANYONE}),
            frozenset({Selector("domain", "other.example")}),
            frozenset({Selector("party", str(ORLA))}),
        )
    ),
    powers=st.sampled_from((frozenset({V}), frozenset({V, E}))),
    hours=st.sampled_from((None, NIGHTS.windows)),
)
PICTURES = st.builds(
    Picture,
    st.lists(ENTRIES, max_size=4).map(tuple),
    st.lists(STATEMENTS, max_size=3).map(lambda s: (Document("d", str(ACCOUNT), "gate", "UTC", tuple(s)),)),
    st.sampled_from((frozenset(), frozenset({str(ACCOUNT)}))),
)


def may(picture: Picture, party: UUID, power: Power, resource: str, minute: int) -> bool:
    """Whether someone can do something on a part of the account at a minute of the week, by anything there is."""
    acts_as = {party, *ABOVE.get(party, ())}
    locked = str(ACCOUNT) in picture.locked

    def at(windows: tuple[Window, ...] | None) -> bool:
        day, clock = divmod(minute, 1440)
        return windows is None or any(w.holds(day, time(*divmod(clock, 60))) for w in windows)

    for entry in picture.entries:
        mine = entry.party_id in acts_as or (entry.party_id == ANY and not locked)
        here = not entry.resources or resource in entry.resources
        if effective(entry) and mine and here and power in entry.powers and at(entry.hours and entry.hours.windows):
            return True
    me = {ANYONE, *(Selector("party", str(acts_a)) for acts_a in acts_as)}
    me |= {Selector("domain", "other.example")} if party == BRAM else set()
    allowed = denied = False
    for document in picture.documents:
        for s in document.statements if document.resource == resource else ():
            if power in s.powers and at(s.hours):
                allowed |= s.allow and any(to in me and not (locked and to == ANYONE) for to in s.to)
                denied |= not s.allow and bool(s.to & me)
    return allowed and not denied


def own(picture: Picture, party: UUID, resource: str) -> set[tuple[object, ...]]:
    """What someone has on a part by entries of their own or their teams', whatever anyone may."""
    return {
        (each_entry.powers, each_entry.hours)
        for each_entry in picture.entries
        if effective(each_entry) and each_entry.party_id in {party, *ABOVE.get(party, ())}
        if not each_entry.resources or resource in each_entry.resources
    }


def told(the_shifts: tuple[Shift, ...], party: UUID, power: Power, resource: str, *, gained: bool) -> bool:
    """Whether an outcome says that someone gains, or loses, a power on a part at some hour."""
    matched = next(each_someone.matched_by for each_someone in KNOWN if each_someone.key == str(party))
    return any(
        power in ability.powers
        for shift in the_shifts
        if (str(party) in shift.parties or shift.matched_by <= matched)
        if resource in shift.resources or not shift.resources
        for ability in (shift.gained if gained else shift.lost)
    )


@given(PICTURES, PICTURES)
def test_an_outcome_tells_exactly_who_gains_and_who_loses_what_by_everything_there_is(
    before: Picture, after: Picture
) -> None:
    the_shifts = shifts(before, after, KNOWN, SELECTORS, "UTC")
    for party in (ORLA, BRAM):
        for power in (V, E):
            for resource in ("gate", "till"):
                was = [may(before, party, power, resource, minute) for minute in range(0, 7 * 1440, 60)]
                is_ = [may(after, party, power, resource, minute) for minute in range(0, 7 * 1440, 60)]
                gains = any(now and not then for then, now in zip(was, is_, strict=True))
                losses = any(then and not now for then, now in zip(was, is_, strict=True))
                point = (party, power, resource)
                if gains:
                    assert told(the_shifts, party, power, resource, gained=True), point
                if losses:
                    assert told(the_shifts, party, power, resource, gained=False), point
                    if own(before, party, resource) != own(after, party, resource):
                        assert any(str(party) in shift.parties and shift.lost for shift in the_shifts), point
    if before == after:
        assert the_shifts == ()


def entry(party: UUID, *powers: Power, **more: object) -> Entry:
    made = Entry(UUID(int=1), UUID(int=50), ACCOUNT, party, "k", Kind.DELEGATE, "x", powers)
    return replace(made, **more)  # type: ignore[arg-type]


def test_what_somebody_has_by_another_way_is_neither_lost_nor_gained() -> None:
    direct, team = entry(ORLA, V), entry(GUIDES, V)
    assert [shift.parties for shift in shifts(Picture((direct, team)), Picture((team,)), KNOWN, SELECTORS, "UTC")] == []
    lost = shifts(Picture((direct,)), Picture(), KNOWN, SELECTORS, "UTC")
    assert [(shift.parties, shift.lost[0].powers) for shift in lost] == [((str(ORLA),), (V,))]
    narrowed = entry(ORLA, V, hours=NIGHTS)
    (only,) = shifts(Picture((direct,)), Picture((narrowed,)), KNOWN, SELECTORS, "UTC")
    assert only.lost[0].hours == "outside Tuesdays and Fridays 19:00–04:00"


def test_what_is_lost_at_some_hours_from_some_networks_is_told_without_a_remainder() -> None:
    def kept(*networks: str, **more: object) -> Picture:
        only = Statement(
            allow=True, to=frozenset({ANYONE}), powers=frozenset({V}), networks=tuple(map(ip_network, networks))
        )
        statement = replace(only, **more)  # type: ignore[arg-type]
        return Picture((), (Document("d", str(ACCOUNT), "gate", "UTC", (statement,)),))

    everything = kept(networks=None)
    (lost,) = shifts(everything, kept("192.0.2.0/26", hours=NIGHTS.windows), KNOWN, SELECTORS, "UTC")
    assert [(ability.hours, ability.networks, ability.but, ability.in_part) for ability in lost.lost] == [
        ("", (), ("192.0.2.0/26",), False),
        ("outside Tuesdays and Fridays 19:00–04:00", ("192.0.2.0/26",), (), False),
    ]


def test_whoever_shares_in_what_anybody_gains_is_not_told_of_one_by_one() -> None:
    the_shifts = shifts(Picture(), Picture((entry(ANY, V, kind=Kind.OPEN),)), KNOWN, SELECTORS, "UTC")
    assert [(shift.matched_by, shift.gained[0].powers) for shift in the_shifts] == [(frozenset({ANYONE}), (V,))]


def test_whoever_loses_something_of_their_own_is_named_though_anybody_loses_the_same() -> None:
    opened, theirs = entry(ANY, V, kind=Kind.OPEN), entry(ORLA, V)
    the_shifts = shifts(Picture((opened, theirs)), Picture(), KNOWN, SELECTORS, "UTC")
    assert [(shift.matched_by == {ANYONE}, shift.parties) for shift in the_shifts] == [
        (True, (str(BRAM), str(GUIDES))),
        (False, (str(ORLA),)),
    ]


def test_a_document_of_thousands_of_statements_is_answered_by_a_summary_that_says_so() -> None:
    nets = [ip_network(f"10.{n // 256}.{n % 256}.0/25") for n in range(3000)]
    many = tuple(Statement(allow=True, to=frozenset({ANYONE}), powers=frozenset({V}), networks=(net,)) for net in nets)
    after = Picture((), (Document("d", str(ACCOUNT), "gate", "UTC", many),))
    (exact,) = shifts(Picture(), after, KNOWN, SELECTORS, "UTC")
    assert exact.gained[0].witness == "from 3000 networks, such as 10.0.0.0/25"
    (summary,) = shifts(Picture(), after, KNOWN, SELECTORS, "UTC", budget=1000)
    assert summary.gained[0].witness == "such as mon 00:00 from 10.0.0.0"


ZONES = ("Europe/London", "Europe/Berlin", "America/New_York", "Australia/Lord_Howe", "UTC")
windows = st.builds(
    lambda days, start, end: Window(frozenset(days), time(start), time(end)),
    st.sets(st.integers(0, 6), min_size=1),
    st.integers(0, 23),
    st.integers(0, 23),
)
hours = st.builds(Hours, st.sampled_from(ZONES), st.lists(windows, min_size=1, max_size=2).map(tuple))
YEAR = [
    datetime(2027, month, day, tzinfo=UTC) + timedelta(hours=hour, minutes=half * 30)
    for month, day in ((1, 11), (3, 15), (4, 5), (7, 12), (10, 11), (11, 1))
    for hour in range(7 * 24)
    for half in (0, 1)
]
"""Weeks in which these zones are apart in every way that there is, none of them with a change in it."""


@given(hours, hours)
@settings(max_examples=60)
def test_hours_of_two_zones_cover_each_other_just_where_no_moment_of_the_year_speaks_against_it(
    the_hours: Hours, other: Hours
) -> None:
    against = [at for at in YEAR if other.hold(at) and not the_hours.hold(at)]
    assert the_hours.covers(other) is not bool(against)


@given(st.none() | hours, st.none() | hours)
@settings(max_examples=60)
def test_hours_of_two_zones_are_compared_as_the_clock_has_them_in_every_week_of_the_year(
    the_hours: Hours | None, other: Hours | None
) -> None:
    def at(the_hours: Hours | None) -> Picture:
        return Picture((entry(ORLA, V, hours=the_hours),))

    def holds(the_hours: Hours | None, moment: datetime) -> bool:
        return the_hours is None or the_hours.hold(moment)

    made = shifts(at(the_hours), at(other), someone({ORLA: ()}, {}), {}, "Europe/London")
    gained = any(holds(other, moment) and not holds(the_hours, moment) for moment in YEAR)
    lost = any(holds(the_hours, moment) and not holds(other, moment) for moment in YEAR)
    assert (any(shift.gained for shift in made), any(shift.lost for shift in made)) == (gained, lost)


def test_what_differs_in_some_weeks_only_is_told_with_these() -> None:
    def at(zone: str, start: int, end: int) -> Picture:
        the_hours = Hours(zone, (Window(frozenset(range(5)), time(start), time(end)),))
        return Picture((entry(ORLA, V, hours=the_hours),))

    known = someone({ORLA: ()}, {})
    same = shifts(at("Europe/London", 9, 17), at("Europe/Dublin", 9, 17), known, {}, "Europe/London")
    assert same == (), "two names of one clock"
    (shift,) = shifts(at("Europe/London", 14, 22), at("America/New_York", 9, 17), known, {}, "Europe/London")
    (told,) = (ability.hours for ability in shift.gained)
    assert told.startswith("Mondays, Tuesdays, Wednesdays, Thursdays and Fridays 13:00–14:00, while")
    assert told.endswith("America/New_York is 4 h behind Europe/London")


def test_a_summary_names_a_moment_and_is_not_said_to_hold_at_all_hours() -> None:
    def at(zone: str, start: int, end: int) -> Picture:
        the_hours = Hours(zone, (Window(frozenset(range(5)), time(start), time(end)),))
        return Picture((entry(ORLA, V, hours=the_hours),))

    sides = at("Europe/London", 14, 22), at("America/New_York", 9, 17)
    (shift,) = shifts(*sides, someone({ORLA: ()}, {}), {}, "Europe/London", budget=0)
    told = [*shift.gained, *shift.lost]
    assert all(ability.witness for ability in told), "too much to tell is a summary"
    assert {ability.hours for ability in told} == {"while America/New_York is 4 h behind Europe/London"}
