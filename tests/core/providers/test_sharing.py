"""What sharing documents give, against their meaning tried point by point, and the entries that follow."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, time, timedelta
from ipaddress import ip_address, ip_network

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from openlatch.core.hours import Hours, Window
from openlatch.core.providers.observation import (
    Observation,
    ObservedAccount,
    ObservedMembership,
    ObservedParty,
    behind,
    complaints,
    spread,
)
from openlatch.core.providers.sharing import ANYONE, Document, Selector, Statement, edges_of, exposures, pieces, region
from openlatch.words import Kind, PartyKind, Power, ReadingOutcome

POWERS = (Power.VIEW, Power.EDIT, Power.ADMIT)
DOMAIN, TEAM, PERSON = Selector("domain", "lakeside.example"), Selector("party", "t"), Selector("party", "p")
# Whoever a selector stands for is matched by these too: the person is at the domain and in the team.
WIDER = {ANYONE: {ANYONE}, DOMAIN: {ANYONE, DOMAIN}, TEAM: {ANYONE, TEAM}, PERSON: {ANYONE, DOMAIN, TEAM, PERSON}}
NETWORKS = [ip_network(n) for n in ("0.0.0.0/0", "192.0.2.0/24", "192.0.2.64/26", "192.0.2.128/25", "2001:db8::/32")]
ADDRESSES = [
    ip_address(a)
    for a in ("192.0.2.1", "192.0.2.64", "192.0.2.127", "192.0.2.200", "198.51.100.1", "2001:db8::1", "::", "ffff::")
]
TIMES = st.sampled_from([time(0), time(4), time(19), time(23, 59)])
WINDOWS = st.builds(Window, st.frozensets(st.integers(0, 6), min_size=1), TIMES, TIMES)
STATEMENTS = st.builds(
    Statement,
    st.booleans(),
    st.frozensets(st.sampled_from(sorted(WIDER)), min_size=1),
    st.frozensets(st.sampled_from(POWERS), min_size=1),
    st.none() | st.lists(st.sampled_from(NETWORKS), max_size=2).map(tuple),
    st.none() | st.lists(WINDOWS, max_size=2).map(tuple),
)
DOCUMENTS = st.lists(STATEMENTS, max_size=5).map(lambda s: Document("d", "a", "folder 004", "UTC", tuple(s)))
MINUTES = st.sampled_from([0, 1, 239, 240, 1139, 1140, 1439, 1440, 7 * 1440 - 1]) | st.integers(0, 7 * 1440 - 1)
MONDAY = datetime(2026, 5, 11, tzinfo=UTC)


def covers(wider: Selector, narrower: Selector) -> bool:
    return wider in WIDER[narrower]


def holds(document: Document, to: Selector, power: Power, minute: int, address: object, *, locked: bool) -> bool:
    """The meaning of a document, said as directly as can be."""

    def matches(statement: Statement, selectors: set[Selector]) -> bool:
        now = MONDAY + timedelta(minutes=minute)
        return (
            bool(statement.to & selectors)
            and power in statement.powers
            and (statement.networks is None or any(address in network for network in statement.networks))
            and (statement.hours is None or Hours("UTC", statement.hours).hold(now))
        )

    denied = any(not s.allow and matches(s, WIDER[to]) for s in document.statements)
    mine = set() if locked and to == ANYONE else {to}
    return not denied and any(s.allow and matches(s, mine) for s in document.statements)


@given(DOCUMENTS, st.sampled_from(sorted(WIDER)), st.booleans(), st.lists(MINUTES, min_size=1, max_size=6))
def test_a_region_is_exactly_what_the_document_means(
    document: Document, to: Selector, locked: bool, minutes: list[int]
) -> None:
    the_region = region(document, to, locked=locked, covers=covers)
    for power in POWERS:
        for minute in minutes:
            for address in ADDRESSES:
                means = holds(document, to, power, minute, address, locked=locked)
                assert the_region.holds(power, minute, address) is means, (power, minute, address)


@given(DOCUMENTS, st.booleans(), MINUTES)
def test_an_exposure_leaves_nothing_out_and_has_no_power_that_never_holds(
    document: Document, locked: bool, minute: int
) -> None:
    the_exposures = list(exposures(document, locked=locked, covers=covers))
    for to in WIDER:
        for power in POWERS:
            own = [e for e in the_exposures if e.to == to and power in e.powers]
            assert len(own) == any(region(document, to, locked=locked, covers=covers).of(power))
            for address in ADDRESSES:
                if holds(document, to, power, minute, address, locked=locked):
                    (exposure,) = own
                    assert exposure.hours is None or exposure.hours.hold(MONDAY + timedelta(minutes=minute))
                    assert exposure.networks is None or any(address in network for network in exposure.networks)


@given(DOCUMENTS, st.sampled_from(sorted(WIDER)), MINUTES, st.integers(1, 6))
def test_the_pieces_of_a_region_are_apart_and_together_just_the_region(
    document: Document, to: Selector, minute: int, most: int
) -> None:
    the_region = region(document, to, locked=False, covers=covers)
    told = list(pieces(the_region, "UTC", most))
    now = MONDAY + timedelta(minutes=minute)
    for power in POWERS:
        own = [(piece, exact) for piece, exact in told if power in piece.powers]
        assert len(own) <= most
        for address in ADDRESSES:
            holding = [
                each_piece
                for each_piece, _ in own
                if each_piece.hours is None or each_piece.hours.hold(now) is not each_piece.outside
                if each_piece.networks is None
                or any(address in network for network in each_piece.networks) is not each_piece.but
            ]
            if all(exact for _, exact in own):
                assert len(holding) == the_region.holds(power, minute, address)
            elif the_region.holds(power, minute, address):
                assert len(own) == len(holding) == 1, "what is told in part leaves nothing out"


@given(st.lists(WINDOWS, min_size=1, max_size=3), MINUTES)
@example([Window(frozenset({3, 6}), time(19), time(4))], 0)
def test_hours_come_out_as_they_went_in(windows: list[Window], minute: int) -> None:
    statement = Statement(allow=True, to=frozenset({ANYONE}), powers=frozenset({Power.VIEW}), hours=tuple(windows))
    (exposure,) = exposures(Document("d", "a", "", "UTC", (statement,)), locked=False, covers=covers)
    now = MONDAY + timedelta(minutes=minute)
    assert (exposure.hours is None or exposure.hours.hold(now)) is Hours("UTC", tuple(windows)).hold(now)
    if len(windows) == 1 and windows[0].start != windows[0].end:
        # A night is one night, also the one over the end of the week.
        assert exposure.hours == Hours("UTC", tuple(windows))


def shared(folder: int, *statements: Statement) -> Document:
    return Document(f"f{folder}", "plates", f"folder {folder:03}", "Europe/London", statements)


def to(selector: Selector, *powers: Power, allow: bool = True) -> Statement:
    return Statement(allow, frozenset({selector}), frozenset(powers))


def test_entries_follow_from_documents_one_for_each_open_part_and_one_for_all_that_others_share_alike() -> None:
    read, change = to(ANYONE, Power.VIEW), to(ANYONE, Power.VIEW, Power.EDIT)
    partner, keeper = to(DOMAIN, Power.VIEW), to(PERSON, Power.VIEW, Power.EDIT)
    shut = to(TEAM, Power.EDIT, allow=False)
    seen = Observation(
        ReadingOutcome.COMPLETE,
        (ObservedAccount("plates", "Plates", locked=False),),
        (ObservedParty("t", PartyKind.TEAM, "Printers"), ObservedParty("p", PartyKind.PERSON, "Pell Varga")),
        (),
        (ObservedMembership("t", "p"),),
        (shared(1, read, partner), shared(2, change, partner), shared(3, partner, keeper), shared(4, keeper, shut)),
    )
    observation = spread(seen)
    assert complaints(observation) == ()
    assert {(e.party, e.kind, e.powers, e.resources) for e in observation.entries} == {
        ("anyone", Kind.OPEN, (Power.VIEW,), ("folder 001",)),
        ("anyone", Kind.OPEN, (Power.VIEW, Power.EDIT), ("folder 002",)),
        ("domain:lakeside.example", Kind.DELEGATE, (Power.VIEW,), ("folder 001", "folder 002", "folder 003")),
        ("p", Kind.DELEGATE, (Power.VIEW, Power.EDIT), ("folder 003",)),
        ("p", Kind.DELEGATE, (Power.VIEW,), ("folder 004",)),
    }
    assert {p.key: p.kind for p in observation.parties} == {
        "t": PartyKind.TEAM,
        "p": PartyKind.PERSON,
        "anyone": PartyKind.ANYONE,
        "domain:lakeside.example": PartyKind.TEAM,
    }
    key = next(e.key for e in observation.entries if e.party.startswith("domain:"))
    assert behind(seen, key) == (DOMAIN, ("f1", "f2", "f3"))
    assert behind(seen, "share:plates:no-such") is None
    locked = replace(seen, accounts=(ObservedAccount("plates", "Plates", locked=True),))
    assert not [e for e in spread(locked).entries if e.kind is Kind.OPEN]
    # Half of the documents would make entries that look smaller than they are.
    assert spread(replace(seen, outcome=ReadingOutcome.PARTIAL)).entries == ()


@pytest.mark.parametrize(
    ("mapped", "plain"),
    [
        ("::ffff:192.0.2.0/120", "192.0.2.0/24"),
        ("::ffff:192.0.2.7/128", "192.0.2.7/32"),
        ("::ffff:0:0/96", "0.0.0.0/0"),
    ],
)
def test_addresses_of_the_older_sort_are_the_same_however_they_are_written(mapped: str, plain: str) -> None:
    assert edges_of(ip_network(mapped)) == edges_of(ip_network(plain))
    assert edges_of(ip_network("2001:db8::/32")) != edges_of(ip_network(plain))
