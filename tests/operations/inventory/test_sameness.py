"""Joining and parting: what is said holds for every later reading, and undoing it leaves all as it was."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from itertools import count
from uuid import UUID

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from openlatch.core.providers.observation import Observation, ObservedAccount, ObservedEntry, ObservedParty
from openlatch.demo.cast import DOMAIN
from openlatch.errors import Conflict, Invalid, NotFound
from openlatch.operations.call import Actor, Call
from openlatch.operations.inventory import sameness
from openlatch.operations.providers import readings
from openlatch.operations.rules import flags
from openlatch.words import Kind, PartyKind, Power, ReadingOutcome, Scope
from tests.harness.ridge import Ridge

OUT = "northcape-uni.example"
PLACES = {"Ticket Desk": "Gate", "Live Sky": "Kestrel Ridge Live", "Dome Control": "South Dome"}
FRESH = count(1)


@pytest.fixture
def call(ridge: Ridge) -> Iterator[Call]:
    """A transaction of Maren's, of which nothing is kept."""
    with trying(ridge) as made:
        yield made


@contextmanager
def trying(ridge: Ridge) -> Iterator[Call]:
    with ridge.call() as made, made.tx.tried():
        maren = next(
            each_person for each_person in made.tx.people.all() if each_person.address == f"maren.ashdown@{DOMAIN}"
        )
        yield replace(made, actor=Actor(maren.name, maren, Scope.CHANGE, made.now))


def shown(call: Call, provider: str, *parties: ObservedParty) -> dict[str, UUID]:
    """A reading of a provider that shows these parties, each with one entry; returns the party of each key."""
    the_provider = call.tx.providers.find(provider)
    there = next(account for account in call.tx.accounts.of(the_provider.id) if account.name == PLACES[provider])
    entries = tuple(
        ObservedEntry(f"{provider}:{party.key}", there.key, party.key, Kind.DELEGATE, "guide", (Power.VIEW,))
        for party in parties
    )
    account = ObservedAccount(there.key, there.name)
    seen = Observation(ReadingOutcome.PARTIAL, (account,), parties, entries)
    readings.apply(call, the_provider.id, seen, evidence="a reading")
    standing = call.tx.entries.standing(the_provider.id, [entry.key for entry in entries])
    return {entry.subject: entry.party_id for entry in standing}


def person(key: str, *addresses: str, name: str = "", verified: bool = False) -> ObservedParty:
    return ObservedParty(key, PartyKind.PERSON, name or f"Someone {key}", addresses, verified=verified)


def alike(call: Call, *ids: UUID) -> list[set[UUID]]:
    pairs = [{sight.likeness.one, sight.likeness.other} for sight in sameness.browse(call, "")]
    return [pair for pair in pairs if pair <= set(ids)]


def state(call: Call, *ids: UUID) -> object:
    """All that is known of some parties and of what they have."""
    known = call.tx.parties.with_keys(ids)
    entries = sorted((e.key, e.subject, e.party_id) for e in call.tx.entries.held_by(ids))
    names = {each_id: call.tx.sameness.identifiers_of(each_id) for each_id in ids}
    parties = {
        acquaintance_id: (p.party.name, sorted(p.party.addresses), p.party.verified, p.party.status, p.keys)
        for acquaintance_id, p in known.items()
    }
    return entries, names, parties


def test_whom_nobody_confirmed_is_not_joined_but_asked_about_and_joined_by_a_person_for_good(call: Call) -> None:
    box = f"{next(FRESH)}.lise@{OUT}"
    desk, sky = person("d-1", box, name="Lise Hartnell"), person("s-1", box, name="L. Hartnell")
    (some_id,) = shown(call, "Ticket Desk", desk).values()
    (other,) = shown(call, "Live Sky", sky).values()
    assert some_id != other
    (likeness,) = sameness.browse(call, str(some_id))
    assert [reason.said() for reason in likeness.likeness.reasons] == [
        f"Both have the address {box}, which is outside your circle and is not confirmed for both of them."
    ]
    assert [(k.provider, k.key.key, k.key.addresses) for k in likeness.one_keys] == [("Ticket Desk", "d-1", (box,))]
    before = state(call, some_id, other)
    joined = sameness.join(call, str(some_id), str(other), "She told me")
    assert joined.decision.reason == "She told me"
    assert alike(call, some_id, other) == []
    assert call.tx.parties.find(str(other)).id == some_id, "whoever names the second means the first"
    assert shown(call, "Live Sky", sky) == {"s-1": some_id}
    assert shown(call, "Ticket Desk", desk) == {"d-1": some_id}
    assert {e.subject for e in call.tx.entries.held_by([some_id])} == {"d-1", "s-1"}, (
        "an end reaches the key that is shown"
    )
    sameness.undo(call, joined.decision.ref)
    assert state(call, some_id, other) == before
    assert alike(call, some_id, other) == [{some_id, other}], "it is asked again"


def test_whom_a_person_keeps_apart_is_not_asked_about_again_until_that_is_undone(call: Call) -> None:
    box = f"{next(FRESH)}.lise@{OUT}"
    (some_id,) = shown(call, "Ticket Desk", person("d-2", box)).values()
    (other,) = shown(call, "Live Sky", person("s-2", box)).values()
    kept = sameness.apart(call, str(some_id), str(other), "")
    assert sameness.apart(call, str(other), str(some_id), "").decision.id == kept.decision.id
    shown(call, "Live Sky", person("s-2", box, name="Another name"))
    assert alike(call, some_id, other) == []
    sameness.undo(call, kept.decision.ref)
    assert alike(call, some_id, other) == [{some_id, other}]


def test_what_was_taken_for_one_is_parted_by_its_key_and_stays_so(call: Call) -> None:
    box, second = f"{next(FRESH)}.orla@kestrelridge.example", f"{next(FRESH)}.o@{OUT}"
    (some_id,) = shown(call, "Ticket Desk", person("d-3", box)).values()
    assert shown(call, "Live Sky", person("s-3", box, second)) == {"s-3": some_id}, "an address of the circle tells"
    before = state(call, some_id)
    parted = sameness.part(call, str(some_id), "Live Sky", "s-3", "A namesake")
    new = parted.decision.other
    assert shown(call, "Live Sky", person("s-3", box, second)) == {"s-3": new}
    assert shown(call, "Ticket Desk", person("d-3", box)) == {"d-3": some_id}
    assert {e.subject for e in call.tx.entries.held_by([some_id])} == {"d-3"}
    assert call.tx.parties.some([some_id])[some_id].addresses == (box,)
    assert call.tx.parties.carrying(box) == {some_id, new}
    assert shown(call, "Dome Control", person("c-3", box))["c-3"] not in (some_id, new), (
        "which of the two it is, none can say"
    )
    sameness.undo(call, parted.decision.ref)
    assert shown(call, "Live Sky", person("s-3", box, second)) == {"s-3": some_id}
    entries, _, parties = state(call, some_id)  # type: ignore[misc]
    assert (entries, parties[some_id][1]) == (before[0], before[2][some_id][1])  # type: ignore[index]


def test_flags_and_circle_follow_who_is_joined_and_come_back_with_the_undoing(call: Call) -> None:
    like = f"orla{next(FRESH)}@kestreIridge.example"
    (some_id,) = shown(call, "Ticket Desk", person("d-8", f"wren{next(FRESH)}@{OUT}")).values()
    (other,) = shown(call, "Live Sky", person("s-8", like)).values()

    def standing(party: UUID) -> set[str]:
        flags.evaluate(call, call.tx.entries.held_by([some_id, other]), parties=[some_id, other], met=[some_id, other])
        held = {entry.id for entry in call.tx.entries.held_by([party])}
        every = call.tx.flags.all_standing()
        return {flag.rule for flag in every if flag.subject_id in {party, *held}}

    before = standing(some_id), standing(other)
    assert before[1], "an address that resembles one of ours is flagged"
    joined = sameness.join(call, str(some_id), str(other), "")
    assert standing(other) == set(), "nothing stands on who is nobody of their own any more"
    assert standing(some_id) >= before[1]
    sameness.undo(call, joined.decision.ref)
    assert (standing(some_id), standing(other)) == before


def test_the_same_app_at_two_providers_is_asked_about(call: Call) -> None:
    app = [
        ObservedParty(key, PartyKind.APP, "Plate Viewer", publisher="Plateworks", home="https://plates.example")
        for key in ("app-7", "7")
    ]
    (some_id,) = shown(call, "Ticket Desk", app[0]).values()
    (other,) = shown(call, "Live Sky", app[1]).values()
    assert some_id != other
    assert alike(call, some_id, other) == [{some_id, other}]


def test_what_cannot_be_one_is_refused_with_why(call: Call) -> None:
    first, second = shown(call, "Ticket Desk", person("d-4"), person("d-5")).values()
    with pytest.raises(Conflict, match=r"Ticket Desk tells them apart: it knows .* as “d-4” and .* as “d-5”"):
        sameness.join(call, str(first), str(second), "")
    with pytest.raises(Conflict, match=r"Both are Someone d-4 .* already"):
        sameness.join(call, str(first), str(first), "")
    (team,) = shown(call, "Live Sky", ObservedParty("t-4", PartyKind.TEAM, "Crew")).values()
    with pytest.raises(Conflict, match="Someone d-4 is a person, and Crew is a team"):
        sameness.join(call, str(first), str(team), "")
    with pytest.raises(Conflict, match="That is all that Someone d-4 is known by"):
        sameness.part(call, str(first), "Ticket Desk", "d-4", "")
    with pytest.raises(Invalid, match="does not know Someone d-4 as “d-9”"):
        sameness.part(call, str(first), "Ticket Desk", "d-9", "")
    with pytest.raises(NotFound, match="decision"):
        sameness.undo(call, "k4rm-2x")


def test_decisions_that_build_on_each_other_are_undone_from_the_last(call: Call) -> None:
    (a,) = shown(call, "Ticket Desk", person("d-6")).values()
    (b,) = shown(call, "Live Sky", person("s-6")).values()
    (c,) = shown(call, "Dome Control", person("c-6")).values()
    before = state(call, a, b, c)
    first = sameness.join(call, str(a), str(b), "").decision
    second = sameness.join(call, str(c), str(b), "").decision
    assert (second.one, second.other) == (c, a), "whoever was joined is the other"
    assert {call.tx.parties.find(str(each_id)).id for each_id in (a, b, c)} == {c}
    with pytest.raises(Conflict, match="A later decision about one of them holds"):
        sameness.undo(call, first.ref)
    sameness.undo(call, second.ref)
    assert call.tx.parties.find(str(b)).id == a
    sameness.undo(call, first.ref)
    with pytest.raises(Conflict, match="undone already"):
        sameness.undo(call, first.ref)
    assert state(call, a, b, c) == before


BOXES = (f"lise@{OUT}", f"office@{OUT}", "orla.q@kestrelridge.example", "office@kestrelridge.example")
acts = st.lists(
    st.tuples(st.sampled_from(["read", "join", "part", "apart", "undo"]), st.integers(0, 9), st.integers(0, 9)),
    min_size=2,
    max_size=9,
)
people = st.lists(
    st.tuples(
        st.sampled_from(sorted(PLACES)), st.lists(st.sampled_from(BOXES), unique=True, max_size=2), st.booleans()
    ),
    min_size=2,
    max_size=6,
)


@settings(max_examples=25, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(people, acts)
def test_whatever_is_read_joined_parted_and_undone_no_entry_is_anybodys_but_its_keys_and_no_key_is_two(
    ridge: Ridge, described: list[tuple[str, list[str], bool]], chosen: list[tuple[str, int, int]]
) -> None:
    with trying(ridge) as call:
        run = next(FRESH)
        every = [
            (
                provider,
                person(
                    f"{run}-{n}",
                    *(f"{run}{box}" for box in boxes if not box.startswith("office")),
                    *(box for box in boxes if box.startswith("office")),
                    verified=verified,
                ),
            )
            for n, (provider, boxes, verified) in enumerate(described)
        ]
        mine: dict[str, UUID] = {}
        for provider, party in every:
            mine |= shown(call, provider, party)
        decisions: list[str] = []
        for act, first, second in chosen:
            (at, party), (_, other) = every[first % len(every)], every[second % len(every)]
            before = dict(mine)
            said = None
            try:
                if act == "read":
                    mine |= shown(call, at, party)
                    assert mine == before, "whatever was said survives the next reading"
                elif act == "join":
                    said = sameness.join(call, str(mine[party.key]), str(mine[other.key]), "")
                elif act == "apart":
                    said = sameness.apart(call, str(mine[party.key]), str(mine[other.key]), "")
                elif act == "part":
                    said = sameness.part(call, str(mine[party.key]), at, party.key, "")
                elif decisions:
                    sameness.undo(call, decisions[first % len(decisions)])
            except Conflict:
                pass
            if said is not None:
                decisions.append(said.decision.ref)
            places: dict[tuple[str, UUID], str] = {}
            for provider, who in every:
                entry = call.tx.entries.standing(call.tx.providers.find(provider).id, [f"{provider}:{who.key}"])[0]
                mine[who.key] = entry.party_id
                assert entry.subject == who.key
                keys = sameness.keys(call, str(entry.party_id))
                assert (provider, who.key) in [(k.provider, k.key.key) for k in keys], "it is its key's, and no other's"
                assert places.setdefault((provider, entry.party_id), who.key) == who.key, "one key of a provider each"
            for pair in sameness.browse(call, ""):
                assert not {k.provider for k in pair.one_keys} & {k.provider for k in pair.other_keys}
