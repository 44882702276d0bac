"""What a reading changes: nothing is lost, nothing is concluded from what was not read."""

from __future__ import annotations

import random
from collections import Counter
from dataclasses import replace
from datetime import UTC, datetime, time, timedelta
from uuid import UUID

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.hours import Hours, Window
from openlatch.core.ids import uuid7
from openlatch.core.inventory.reconcile import Changes, Held, Identifier, reconcile, salt, withheld
from openlatch.core.model import Circle, Entry, Membership, Party, normal_address
from openlatch.core.providers.meaning import Vocabulary
from openlatch.core.providers.observation import (
    Observation,
    ObservedAccount,
    ObservedEntry,
    ObservedMembership,
    ObservedParty,
    coherent,
    complaints,
    digest,
    in_force,
    resolved,
    sifted,
)
from openlatch.words import EndReason, Kind, PartyKind, PartyStatus, Power, ReadingOutcome, State
from tests.factories import GATE, NOW, PROVIDER, ago, ids, observed, observed_party

COMPLETE = ReadingOutcome.COMPLETE
people = st.sampled_from(["orla", "bram", "celia", "dov"])
levels = st.sampled_from(["guide", "cashier", "administrator"])
entries = st.lists(
    st.builds(observed, st.integers(0, 30).map(str), people, level=levels), unique_by=lambda e: e.key, max_size=20
)


TIMES = st.datetimes(datetime(2020, 1, 1), datetime(2030, 1, 1), timezones=st.just(UTC))  # noqa: DTZ001
DETAILS = {
    "ends_at": st.none() | TIMES,
    "uses": st.none() | st.dictionaries(st.sampled_from(list(Power)), TIMES, max_size=2),
    "resources": st.lists(st.sampled_from(["a", "b"])).map(tuple),
    "hours": st.none() | st.builds(Hours, st.just("UTC"), st.just((Window(frozenset({1, 4}), time(19), time(4)),))),
}


def observation(
    observed_entries: list[ObservedEntry],
    outcome: ReadingOutcome = COMPLETE,
    parties: list[ObservedParty] | None = None,
) -> Observation:
    keys = dict.fromkeys(e.party for e in observed_entries)
    listed = [observed_party(k) for k in keys] if parties is None else parties
    return Observation(outcome, (GATE,), tuple(listed), tuple(observed_entries))


def after(held: Held, changes: Changes) -> Held:
    """The inventory once the changes are stored, as the store would hold it."""
    kept = dict(held.entries)
    for entry in (*changes.new_entries, *changes.unchanged, *(now for _, now in changes.changed_entries)):
        kept[entry.key] = entry
    for _, entry in changes.gone:
        del kept[entry.key]
    parties = {**held.parties, **{p.id: p for p in changes.new_parties}}
    parties |= {p.id: p for _, p in changes.changed_parties}
    accounts = {**held.accounts, **{a.key: a for a in changes.new_accounts}}
    names = {**held.identifiers, **dict(changes.new_identifiers), **dict(changes.parted)}
    return Held(held.provider_id, accounts, parties, names, kept, circle=held.circle)


def read(held: Held, seen: Observation, subject: str | None = None) -> tuple[Changes, Held]:
    assert not complaints(seen)
    changes = reconcile(held, seen, now=NOW, new_id=NEW_ID, subjects=None if subject is None else [subject])
    return changes, after(held, changes)


CIRCLE = Circle(frozenset({"kestrelridge.example"}))
EMPTY = Held(PROVIDER, circle=CIRCLE)
NEW_ID = ids()


@given(entries, entries)
def test_a_complete_reading_leaves_exactly_what_it_showed(
    first: list[ObservedEntry], second: list[ObservedEntry]
) -> None:
    _, held = read(EMPTY, observation(first))
    changes, held = read(held, observation(second))
    assert {(e.key, e.level) for e in held.entries.values()} == {(e.key, e.level) for e in second}
    assert {before.key for before, _ in changes.gone} == {e.key for e in first} - {e.key for e in second}
    assert all(now.state is State.ENDED and now.end_reason is EndReason.GONE for _, now in changes.gone)


@given(entries)
def test_reading_the_same_again_changes_nothing(observed_entries: list[ObservedEntry]) -> None:
    _, held = read(EMPTY, observation(observed_entries))
    changes, again = read(held, observation(observed_entries))
    assert (changes.new_entries, changes.changed_entries, changes.gone) == ((), (), ())
    assert (changes.new_parties, changes.changed_parties, changes.new_identifiers) == ((), (), ())
    assert again == held


@given(entries, entries, st.integers(1, 100))
def test_leaving_out_what_was_observed_just_so_before_gives_the_same_result(
    first: list[ObservedEntry], second: list[ObservedEntry], percent: int
) -> None:
    _, held = read(EMPTY, observation(first))
    before = {e.key: digest(e) for e in first}
    parties = {p.key: digest(p) for p in observation(first).parties}
    seen = observation(second)
    same = {e.key for e in second if before.get(e.key) == digest(e)}
    news = replace(
        seen,
        entries=tuple(e for e in second if e.key not in same),
        parties=tuple(p for p in seen.parties if parties.get(p.key) != digest(p)),
    )
    theirs = {
        held.identifiers[i] for p in news.parties for i in [Identifier(str(PROVIDER), p.key)] if i in held.identifiers
    }
    little = replace(
        held,
        entries={key: e for key, e in held.entries.items() if key not in same},
        parties={i: p for i, p in held.parties.items() if i in theirs},
        left_out=len(same),
    )
    # Ids that the first reading did not give.
    fresh = [[uuid7(NOW + timedelta(days=1), number) for number in range(100)] for _ in range(2)]
    whole, part = (
        reconcile(h, o, now=NOW, new_id=iter(new).__next__)
        for h, o, new in zip((held, little), (seen, news), fresh, strict=True)
    )
    assert {e.key for e in whole.unchanged} == same | {e.key for e in part.unchanged}
    assert replace(whole, unchanged=()) == replace(part, unchanged=())
    assert withheld(held, seen, percent) == withheld(little, news, percent)


@given(
    st.builds(observed, st.just("1"), people, level=levels, **DETAILS),
    st.builds(observed, st.just("1"), people, level=levels, **DETAILS),
)
def test_a_digest_tells_any_two_observations_apart_and_other_meanings_too(
    entry: ObservedEntry, other: ObservedEntry
) -> None:
    assert (digest(entry) == digest(other)) is (entry == other)
    here, there = salt(Vocabulary({"guide": (Power.VIEW,)})), salt(Vocabulary({"guide": (Power.EDIT,)}))
    assert digest(entry, here) != digest(entry, there)


@given(entries, entries, st.integers(0, 20), st.sampled_from([ReadingOutcome.PARTIAL, ReadingOutcome.FAILED]))
def test_a_reading_that_breaks_off_anywhere_ends_nothing(
    first: list[ObservedEntry], second: list[ObservedEntry], cut: int, outcome: ReadingOutcome
) -> None:
    _, held = read(EMPTY, observation(first))
    changes, later = read(held, observation(second[:cut], outcome))
    assert changes.gone == ()
    assert set(later.entries) == {e.key for e in first} | {e.key for e in second[:cut]}


@given(entries, entries, st.randoms(use_true_random=False), st.integers(0, 60))
def test_pages_may_come_in_any_order_and_break_off_anywhere(
    first: list[ObservedEntry], second: list[ObservedEntry], chance: random.Random, cut: int
) -> None:
    _, held = read(EMPTY, observation(first))
    seen = observation(second)
    items = [*seen.accounts, *seen.parties, *seen.entries]
    chance.shuffle(items)
    shown = items[:cut]
    part = coherent(
        Observation(
            ReadingOutcome.PARTIAL,
            tuple(i for i in shown if isinstance(i, ObservedAccount)),
            tuple(i for i in shown if isinstance(i, ObservedParty)),
            tuple(i for i in shown if isinstance(i, ObservedEntry)),
        )
    )
    changes, now = read(held, part)
    assert changes.gone == ()
    assert {*held.entries} <= {*now.entries} <= {*held.entries, *(e.key for e in second)}
    assert {e.key for e in part.entries} == {e.key for e in changes.touched} | {e.key for e in changes.unchanged}


@given(entries, people, st.data())
def test_a_reading_of_one_party_concludes_about_that_party_only(
    first: list[ObservedEntry], subject: str, data: st.DataObject
) -> None:
    _, held = read(EMPTY, observation(first))
    theirs = [e for e in first if e.party == subject]
    shown = [e for e in theirs if data.draw(st.booleans())]
    changes, _ = read(held, observation(shown, parties=[observed_party(subject)]), subject)
    assert {before.key for before, _ in changes.gone} == {e.key for e in theirs} - {e.key for e in shown}


@given(entries, st.data(), st.integers(1, 100))
def test_a_reading_that_lost_too_much_is_told_from_one_that_lost_a_little(
    observed_entries: list[ObservedEntry], data: st.DataObject, percent: int
) -> None:
    _, held = read(EMPTY, observation(observed_entries))
    shown = [e for e in observed_entries if data.draw(st.booleans())]
    lost = len(observed_entries) - len(shown)
    too_much = lost > 5 and lost / max(len(observed_entries), 1) > percent / 100
    assert withheld(held, observation(shown), percent) == (lost if too_much else 0)
    assert withheld(held, observation(shown, ReadingOutcome.PARTIAL), percent) == 0


pairs = st.sets(st.tuples(st.sampled_from(["guides", "crew"]), people | st.just("crew")), max_size=8)


@given(pairs, pairs, st.sampled_from(list(ReadingOutcome)))
def test_memberships_follow_a_complete_reading_and_none_ends_by_any_other(
    first: set[tuple[str, str]], second: set[tuple[str, str]], outcome: ReadingOutcome
) -> None:
    teams = [replace(observed_party(t), kind=PartyKind.TEAM) for t in ("guides", "crew")]
    listed = [*teams, *(observed_party(p) for p in ("orla", "bram", "celia", "dov"))]

    def seen(members: set[tuple[str, str]], how: ReadingOutcome) -> Observation:
        return replace(observation([], how, listed), memberships=tuple(ObservedMembership(*m) for m in members))

    changes, held = read(EMPTY, seen(first, COMPLETE))
    keys = {party_id: name.value for name, party_id in held.identifiers.items() if name.scheme != "address"}
    held = replace(held, memberships=changes.new_memberships)
    later, _ = read(held, seen(second, outcome))

    def pairs_of(memberships: tuple[Membership, ...]) -> set[tuple[str, str]]:
        return {(keys[m.team_id], keys[m.member_id]) for m in memberships}

    assert pairs_of(changes.new_memberships) == first
    assert pairs_of(later.new_memberships) == second - first
    assert pairs_of(later.gone_memberships) == (first - second if outcome is COMPLETE else set())


@given(entries)
def test_use_is_never_forgotten_and_ids_stay(observed_entries: list[ObservedEntry]) -> None:
    used = [replace(e, last_used=ago(3)) for e in observed_entries]
    _, held = read(EMPTY, observation(used))
    _, later = read(held, observation([replace(e, last_used=None) for e in observed_entries]))
    assert all(e.last_used == ago(3) for e in later.entries.values())
    assert {e.id for e in later.entries.values()} == {e.id for e in held.entries.values()}


def held_with(**overrides: object) -> tuple[Held, Entry]:
    _, held = read(EMPTY, observation([observed("1")]))
    entry = replace(held.entries["1"], **overrides)  # type: ignore[arg-type]
    return replace(held, entries={"1": entry}), entry


@pytest.mark.parametrize(
    ("before", "reason"),
    [
        ({"state": State.ENDING}, EndReason.REVOKED),
        ({"ends_at": ago(1)}, EndReason.EXPIRED),
        ({"ends_at": NOW + timedelta(days=1)}, EndReason.GONE),
    ],
)
def test_why_something_is_gone_is_told_from_what_was_known(before: dict[str, object], reason: EndReason) -> None:
    held, _ = held_with(**before)
    changes, _ = read(held, observation([]))
    assert [now.end_reason for _, now in changes.gone] == [reason]


def test_an_entry_whose_end_is_ordered_stays_ending_while_it_is_still_listed() -> None:
    held, _ = held_with(state=State.ENDING)
    _, later = read(held, observation([observed("1", level="cashier")]))
    assert later.entries["1"].state is State.ENDING


@given(st.none() | TIMES, TIMES | st.timedeltas(timedelta(0), timedelta(hours=12)).map(lambda more: NOW + more))
def test_a_use_that_cannot_be_is_no_use_whatever_the_providers_clock_says(
    before: datetime | None, use: datetime
) -> None:
    _, held = read(EMPTY, observation([observed("1", last_used=before, use_known=False)]))
    _, held = read(held, observation([observed("1", last_used=use, use_known=True, uses={Power.VIEW: use})]))
    (entry,) = held.entries.values()
    believed = [min(at, NOW) for at in (before, use) if at is not None and at <= NOW + timedelta(hours=12)]
    assert entry.last_used == max(believed, default=None)
    assert entry.use_known is bool(believed)
    assert entry.uses == ({Power.VIEW: min(use, NOW)} if use <= NOW + timedelta(hours=12) else {})


@given(st.integers(9000, 9999))
def test_a_far_date_means_no_end(year: int) -> None:
    _, held = read(EMPTY, observation([observed("1", ends_at=datetime(year, 12, 31, tzinfo=UTC))]))
    assert held.entries["1"].ends_at is None


def at(provider: UUID, held: Held) -> Held:
    """What is known, as another provider's reading is compared with it: without entries, which are none of its own."""
    return replace(held, provider_id=provider, accounts={}, entries={}, memberships=())


OTHER = UUID(int=77)


def test_a_party_is_known_by_the_providers_key_then_elsewhere_by_its_exact_address_and_never_by_a_similar_one() -> None:
    _, held = read(EMPTY, observation([observed("1")]))
    orla = held.entries["1"].party_id
    renamed = ObservedParty("orla", observed_party("orla").kind, "Orla F.", ("o.finch@kestrelridge.example",))
    same_box = observed_party("o-f", "ORLA@KestrelRidge.example")
    _, later = read(held, observation([observed("1"), observed("2", "o-f")], parties=[renamed, same_box]))
    assert later.entries["1"].party_id == orla
    assert later.entries["2"].party_id != orla, "two keys of one provider are two"
    assert later.parties[orla].addresses == ("orla@kestrelridge.example", "o.finch@kestrelridge.example")
    assert later.identifiers[Identifier("address", normal_address("O.Finch@kestrelridge.example"))] == orla
    theirs = observed_party("7", "O.Finch@kestrelridge.example")
    near = observed_party("8", "o.finch@kestreIridge.example")
    boxed = observed_party("9", "orla@kestrelridge.example")
    shown = [observed("a", "7"), observed("b", "8"), observed("c", "9")]
    _, there = read(at(OTHER, later), observation(shown, parties=[theirs, near, boxed]))
    assert there.entries["a"].party_id == orla
    assert there.entries["b"].party_id != orla
    assert there.entries["c"].party_id not in (orla, later.entries["2"].party_id), "whose it is, nobody can say"


OURS, ROLE, OUTSIDE = "orla@kestrelridge.example", "office@kestrelridge.example", "lise@northcape-uni.example"
boxes = st.sampled_from([OURS, "bram@kestrelridge.example", ROLE, OUTSIDE, "amara@northcape-uni.example"])
listing = st.dictionaries(st.sampled_from("1234"), st.lists(boxes, unique=True, max_size=2), min_size=1)
kinds = st.sampled_from([PartyKind.PERSON, PartyKind.PERSON, PartyKind.TEAM, PartyKind.APP, PartyKind.ANYONE])
described = st.dictionaries(
    st.sampled_from("1234"),
    st.builds(
        lambda kind, addresses, verified: ObservedParty("", kind, "Someone", tuple(addresses), verified=verified),
        kinds,
        st.lists(boxes, unique=True, max_size=2),
        st.booleans(),
    ),
    min_size=1,
)


@given(st.lists(st.tuples(st.sampled_from([PROVIDER, OTHER]), described), min_size=1, max_size=6))
def test_no_two_keys_of_a_provider_are_one_party_and_none_is_joined_by_an_address_that_does_not_tell(
    readings: list[tuple[UUID, dict[str, ObservedParty]]],
) -> None:
    held = EMPTY
    carried: dict[str, set[tuple[UUID, str]]] = {}
    """who ever carried an address, at which provider by which key"""
    for provider, described in readings:
        shown = {key: replace(each_observed_party, key=key) for key, each_observed_party in described.items()}
        for key, each_party in shown.items():
            for address in each_party.addresses:
                carried.setdefault(address, set()).add((provider, key))
        before, knew = held.identifiers, held.parties
        _, held = read(at(provider, held), observation([observed(k, k) for k in shown], parties=list(shown.values())))
        keys = {name.value: whose for name, whose in held.identifiers.items() if name.scheme == str(provider)}
        single = [whose for key, whose in keys.items() if held.parties[whose].kind is not PartyKind.ANYONE]
        assert len(set(single)) == len(single), "one party has one key of a provider"
        for entry in held.entries.values():
            assert entry.party_id == keys[entry.key] == keys[entry.subject], "an end reaches the key that is shown"
        for key, each_party in shown.items():
            known = knew.get(keys[key])
            if Identifier(str(provider), key) in before or known is None or each_party.kind is PartyKind.ANYONE:
                continue
            via = [a for a in each_party.addresses if before.get(Identifier("address", a)) == known.id]
            alone = [a for a in via if max(Counter(p for p, _ in carried[a]).values()) == 1 and a != ROLE]
            assert any(a == OURS or a.startswith("bram") or (each_party.verified and known.verified) for a in alone)
            assert known.kind is each_party.kind
    anyone = [party for party in held.parties.values() if party.kind is PartyKind.ANYONE]
    assert len(anyone) <= 1, "anyone is one party, whichever provider is open to them"


names = st.sampled_from(["", "Orla Finch", "O. Finch", "orla", "Finch, Orla"])
statuses = st.sampled_from(list(PartyStatus))


@given(st.lists(st.tuples(st.booleans(), names, statuses), min_size=1, max_size=6))
def test_the_word_of_whoever_says_who_people_are_goes_first_whatever_others_say_and_when(
    said: list[tuple[bool, str, PartyStatus]],
) -> None:
    """Each is one reading: of the provider that says who people are, or of another."""
    held, name, status, known = replace(EMPTY, circle=Circle(frozenset({"kestrelridge.example"}))), "", None, False
    for first, called, stands in said:
        provider = PROVIDER if first else OTHER
        who = ObservedParty("o", PartyKind.PERSON, called, (OURS,), stands)
        (party_id,) = list(held.parties) or [None]
        told = frozenset({party_id}) if known and not first and party_id is not None else frozenset()
        at_it = replace(at(provider, held), says_who=first, told=told)
        _, held = read(at_it, observation([observed("1", "o")], parties=[who]))
        (party,) = held.parties.values()
        if first:
            name, known = called or name, True
            status = status if stands is PartyStatus.UNKNOWN else stands
        if name:
            assert party.name == name
        if status is not None:
            assert party.status is status


@given(st.booleans(), st.booleans())
def test_who_answers_for_somebody_is_said_by_whoever_says_who_people_are_and_is_one_of_the_people_here(
    first: bool,
    here: bool,
) -> None:
    person_id = NEW_ID()
    held = replace(EMPTY, says_who=first, signing_in={"bram@kestrelridge.example": person_id} if here else {})
    who = ObservedParty("o", PartyKind.PERSON, "Orla", (OURS,), sponsor="Bram@kestrelridge.example")
    _, held = read(held, observation([observed("1", "o")], parties=[who]))
    (party,) = held.parties.values()
    assert party.sponsor == (person_id if first and here else None)
    itself = replace(who, key="b", addresses=("bram@kestrelridge.example",))
    _, held = read(held, observation([observed("1", "o"), observed("2", "b")], parties=[who, itself]))
    assert {p.sponsor for p in held.parties.values() if p.id != party.id} == {None}, "nobody answers for themselves"


@given(
    st.sampled_from([None, True, False]),
    st.lists(st.tuples(st.booleans(), st.lists(boxes, max_size=1, unique=True)), min_size=1, max_size=5),
    st.booleans(),
)
def test_a_programs_login_is_a_service_account_unless_it_may_be_a_persons_or_someone_said_otherwise(
    said: bool | None, shown: list[tuple[bool, list[str]]], known: bool
) -> None:
    """`said` is what someone said after the first reading, where they said anything; `known` is who signs in here."""
    held, had, marked = EMPTY, False, False
    here = {OURS: PROVIDER} if known else {}
    for n, (service, addresses) in enumerate(shown):
        who = ObservedParty("r", PartyKind.PERSON, "reader", tuple(addresses), service=service)
        _, held = read(replace(held, signing_in=here), observation([observed("1", "r")], parties=[who]))
        had = had or bool(addresses)
        # Met for the first time it is a program's, but for the address of someone here; later, only without any.
        marked = marked or (service and (not had or (n == 0 and not here.keys() & set(addresses))))
        (party,) = held.parties.values()
        if n == 0 and said is not None:
            held = replace(held, parties={party.id: replace(party, service=said)})
            marked = said
        elif said is not None and n:
            marked = said
        (party,) = held.parties.values()
        assert bool(party.service) is marked
        assert Circle().holds(party) is (marked and not party.addresses), "without an address, it is the holder's own"


@given(listing, st.randoms(use_true_random=False))
def test_what_was_joined_once_is_parted_by_the_next_reading(
    shown: dict[str, list[str]], shuffle: random.Random
) -> None:
    parties = [observed_party(key, *addresses) for key, addresses in shown.items()]
    party = Party(UUID(int=5), PartyKind.PERSON, "Office", (ROLE,))
    names = {Identifier(str(PROVIDER), key): party.id for key in shown}
    held = Held(PROVIDER, parties={party.id: party}, identifiers=names)
    shuffle.shuffle(parties)
    changes, later = read(held, observation([observed(k, k) for k in shown], parties=parties))
    whose = {entry.key: entry.party_id for entry in later.entries.values()}
    assert len(set(whose.values())) == len(shown)
    assert whose[min(shown)] == party.id, "the first of them stays who it was"
    assert len(changes.parted) == len(shown) - 1


@given(names=st.permutations(["ines.okoro", "Ines Okoro", "ines_okoro", "ines.okoro@kestrelridge.example", "I. Okoro"]))
def test_a_name_comes_before_a_login_whichever_is_read_first(names: list[str]) -> None:
    held = EMPTY
    for name in names:
        ines = replace(observed_party("ines"), name=name, addresses=("ines.okoro@kestrelridge.example",))
        _, held = read(held, observation([observed("1", "ines")], parties=[ines]))
    first = next(name for name in names if " " in name)
    assert [party.name for party in held.parties.values()] == [first], "and the first name stays"


@pytest.mark.parametrize(
    ("seen", "complaint"),
    [
        (observation([observed("1"), observed("1")]), "entry '1' is listed 2 times"),
        (observation([observed("1")], parties=[]), "belongs to party 'orla', which is not listed"),
        (Observation(COMPLETE, (), (observed_party("orla"),), (observed("1"),)), "account 'gate', which is not listed"),
        (observation([observed("")]), "entry number 1 has an empty key"),
        (observation([observed("1", state=State.ENDED)]), "listed as ended"),
        (replace(observation([observed("1")]), memberships=(ObservedMembership("x", "orla"),)), "not listed as a team"),
    ],
)
def test_an_observation_that_contradicts_itself_is_complained_about(seen: Observation, complaint: str) -> None:
    assert any(complaint in each_complaint for each_complaint in complaints(seen))


@given(
    st.lists(
        st.tuples(st.sampled_from([Kind.DELEGATE, Kind.GRANT]), st.none() | st.integers(-3, 3), st.booleans()),
        max_size=5,
    ),
    st.frozensets(st.sampled_from([Kind.DELEGATE, Kind.GRANT])),
)
def test_what_its_provider_lets_in_no_more_has_ended_and_nothing_else(
    rows: list[tuple[Kind, int | None, bool]], enforces: frozenset[Kind]
) -> None:
    entries = tuple(
        observed(str(n), kind=kind, end_unknown=unknown, ends_at=None if days is None else NOW + timedelta(days=days))
        for n, (kind, days, unknown) in enumerate(rows)
    )
    seen = Observation(ReadingOutcome.COMPLETE, (GATE,), (observed_party("orla"),), entries)
    kept = {entry.key for entry in in_force(seen, enforces, NOW).entries}
    for entry in entries:
        over = entry.ends_at is not None and entry.ends_at <= NOW and not entry.end_unknown
        assert (entry.key in kept) is not (over and entry.kind in enforces)


def test_what_has_ended_by_itself_has_expired() -> None:
    before = observed("1", kind=Kind.GRANT, ends_at=NOW + timedelta(hours=1))
    seen = Observation(ReadingOutcome.COMPLETE, (GATE,), (observed_party("orla"),), (before,))
    held = after(EMPTY, reconcile(EMPTY, seen, now=NOW, new_id=ids()))
    later = NOW + timedelta(hours=1)
    ((_, gone),) = reconcile(held, in_force(seen, {Kind.GRANT}, later), now=later, new_id=ids()).gone
    assert gone.end_reason is EndReason.EXPIRED


lines = st.lists(
    st.tuples(
        st.sampled_from("12345"), st.sampled_from(["orla", "bram", "ghost"]), st.sampled_from(["guide", "cashier"])
    ),
    max_size=7,
)
members = st.lists(
    st.tuples(st.sampled_from(["crew", "orla"]), st.sampled_from(["orla", "bram", "u-9", ""])), max_size=4
)


@given(lines, members, st.lists(st.sampled_from(["Orla", "O. Finch"]), min_size=1, max_size=2))
def test_one_bad_line_blinds_nobody_and_what_is_left_out_is_told_and_concludes_nothing(
    entries: list[tuple[str, str, str]], teams: list[tuple[str, str]], names: list[str]
) -> None:
    listed = [replace(observed_party("orla"), name=name) for name in names]
    listed += [observed_party("bram"), ObservedParty("crew", PartyKind.TEAM, "Saturday crew")]
    observed_entries = tuple(observed(key, party, level=level) for key, party, level in entries)
    seen = replace(
        Observation(COMPLETE, (GATE,), tuple(listed), observed_entries),
        memberships=tuple(ObservedMembership(team, member) for team, member in teams),
    )
    made = sifted(resolved(seen))
    assert complaints(made) == ()
    believed = {e.key: e for e in made.entries}
    for key, party, level in entries:
        alike = {(p, lv) for k, p, lv in entries if k == key}
        known = party == "bram" or (party == "orla" and len(set(names)) == 1)
        assert (key in believed) == (known and len(alike) == 1 and key != "")
        assert key not in believed or believed[key].level == level
    if made.outcome is COMPLETE:
        assert (made.trouble, set(believed)) == ("", {key for key, _, _ in entries})
    else:
        assert "What was known of that is kept" in made.trouble
    dangling = {member for team, member in teams if (team, member) == ("crew", "u-9")}
    assert {p.key for p in made.parties if p.key == "u-9"} == dangling
    assert len(made.remarks) == len(dangling)
    assert all(
        remark == "“u-9”, a member of Saturday crew, is not among those who are listed." for remark in made.remarks
    )
