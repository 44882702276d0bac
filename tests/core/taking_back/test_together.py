"""Many acts at once, and what they do together."""

from __future__ import annotations

from dataclasses import replace
from typing import Any
from uuid import UUID

import pytest
from hypothesis import event, given, settings
from hypothesis import strategies as st

from openlatch.core.model import Entry, Party
from openlatch.core.orders.impact import administers
from openlatch.core.orders.plans import make_plan
from openlatch.core.orders.steps import Ask
from openlatch.core.taking_back.together import Act, becomes, foresee, locked_out, locked_out_text
from openlatch.words import Action, Kind, PartyStatus, State
from tests.core.orders.test_plans import GATE_ACCOUNT, LEVELS, WHO, around, theirs
from tests.factories import NOW, account, entry, party

BOX = account(name="Box")
ACTIONS = [Action.END, Action.GIVE_UP, Action.NARROW, Action.PAUSE, Action.RESUME, Action.END_ON, Action.CLOSE_SESSIONS]
KINDS = [Kind.DELEGATE, Kind.GRANT, Kind.SESSION, Kind.OFFER, Kind.SECRET]
STATES = [State.LIVE, State.LIVE, State.PAUSED, State.ENDING]


def administrator(**facts: Any) -> Entry:
    """Someone else who can let others in to the gate."""
    return entry(account_id=GATE_ACCOUNT.id, level="administrator", powers=LEVELS["administrator"], **facts)


def drawn(data: st.DataObject) -> tuple[list[Entry], dict[UUID, Party], dict[UUID, Ask]]:
    """Two accounts shared by some people, two of them of one name, and acts on some of their entries."""
    status = st.sampled_from([PartyStatus.CURRENT, PartyStatus.LEFT])
    names = ("Ivo Marsh", "Ivo Marsh", "Lorne Alder", "Hanne Prior")
    people = [party(name=name, status=data.draw(status)) for name in names]
    levels = data.draw(st.lists(st.sampled_from(["guide", "administrator", "keeper"]), min_size=1, max_size=7))
    on = [
        entry(
            account_id=data.draw(st.sampled_from([GATE_ACCOUNT.id, BOX.id])),
            party_id=data.draw(st.sampled_from(people)).id,
            level=level,
            powers=LEVELS[level],
            kind=data.draw(st.sampled_from(KINDS)),
            state=data.draw(st.sampled_from(STATES)),
        )
        for level in levels
    ]
    asks = {
        each_entry.id: Ask(data.draw(st.sampled_from(ACTIONS)), data.draw(st.sampled_from(["guide", "administrator"])))
        for each_entry in on
        if data.draw(st.booleans())
    }
    return on, {person.id: person for person in people}, asks


def admins(on: list[Entry], people: dict[UUID, Party]) -> set[UUID]:
    return {each_entry.account_id for each_entry in on if administers(each_entry, people[each_entry.party_id])}


@settings(max_examples=400)
@given(st.data())
def test_whatever_is_not_held_back_leaves_every_account_with_somebody_who_can_let_others_in(
    data: st.DataObject,
) -> None:
    on, people, asks = drawn(data)
    after = {
        each_entry.id: becomes(each_entry, asks[each_entry.id], LEVELS) for each_entry in on if each_entry.id in asks
    }
    held = {each_entry.id for theirs in locked_out(after, on, people).values() for each_entry in theirs}
    event("held back" if held else "none held back")
    left = [each_entry if each_entry.id in held else after.get(each_entry.id, each_entry) for each_entry in on]
    assert admins([each_entry for each_entry in left if each_entry is not None], people) >= admins(on, people)
    assert all(administers(each_entry, people[each_entry.party_id]) for each_entry in on if each_entry.id in held), (
        "nobody else is held back"
    )
    everything = [
        each_entry
        for each_entry in (after.get(each_entry.id, each_entry) for each_entry in on)
        if each_entry is not None
    ]
    gone = admins(on, people) - admins(everything, people)
    assert {each_entry.account_id for each_entry in on if each_entry.id in held} == gone, (
        "and only where all of it would leave nobody"
    )


def test_the_last_administrators_are_told_by_name() -> None:
    text = locked_out_text("Gate", ["Ivo Marsh", "Ivo Marsh", "Lorne Alder"])
    assert text.startswith("Together this takes away everyone who can let others in or out of Gate: Ivo Marsh, Lorne")
    assert locked_out_text("Gate", ["Ivo Marsh"]) == "Ivo Marsh is the last one who can let others in or out of Gate."


@pytest.mark.parametrize(
    ("facts", "counts"),
    [
        ({}, True),
        ({"kind": Kind.SECRET}, True),
        ({"state": State.PAUSED}, False),
        ({"state": State.ENDING}, False),
        ({"kind": Kind.OFFER, "state": State.OFFERED}, False),
        ({"kind": Kind.SESSION}, False),
        ({"kind": Kind.APP}, False),
    ],
)
def test_whoever_is_paused_or_on_the_way_out_or_not_there_yet_is_not_somebody_who_is_left(
    facts: dict[str, Any], counts: bool
) -> None:
    last, colleague = theirs("administrator"), administrator(**facts)
    assert bool(make_plan(around(last, colleague), Ask(), NOW).stop) is not counts


def test_whoever_has_left_or_is_taken_it_from_already_is_not_somebody_who_is_left() -> None:
    last, colleague = theirs("administrator"), administrator()
    here = around(last, colleague)
    assert not make_plan(here, Ask(), NOW).stop
    assert make_plan(replace(here, going=frozenset({colleague.id})), Ask(), NOW).stop
    left = {party_id: replace(who, status=PartyStatus.LEFT) for party_id, who in here.holders.items()}
    assert make_plan(replace(here, holders=left), Ask(), NOW).stop


def test_another_way_in_that_ends_in_the_same_batch_is_none() -> None:
    here, there = theirs("guide", key="here"), theirs("guide", key="there", account_id=BOX.id)
    acts = [Act(around(here, there), Ask()), Act(around(there, here), Ask())]
    alone = make_plan(acts[0].situation, Ask(), NOW)
    assert "other-ways-in" in {consequence.kind for consequence in alone.consequences}
    for some in (acts, acts[:1]):
        seen = foresee(some, {here.id: None, there.id: None}, NOW)
        assert "other-ways-in" not in {consequence.kind for consequence in seen.consequences}, (
            "what is done beside it counts as well"
        )


def test_each_consequence_names_every_entry_that_it_comes_of_and_what_cannot_be_done_says_why() -> None:
    the_entry, other, secret = (
        theirs("guide", key="1"),
        theirs("desk", key="2"),
        theirs("code", key="3", kind=Kind.SECRET),
    )
    acts = [Act(around(target, the_entry, other), Ask()) for target in (the_entry, other, secret)]
    seen = foresee(acts, {act.situation.entry.id: None for act in acts}, NOW)
    assert set(seen.refused) == {secret.id}
    assert "makes them forget" in seen.refused[secret.id]
    effect = next(shared for shared in seen.consequences if shared.kind == "effect")
    assert {entry_id for entry_id, _ in effect.entries} == {the_entry.id, other.id}
    ranks = [shared.severity.rank for shared in seen.consequences]
    assert ranks == sorted(ranks, reverse=True)


def test_the_last_administrator_in_many_acts_is_for_all_of_them_to_say_and_not_for_each_alone() -> None:
    first, second = theirs("administrator", key="1"), administrator(key="2")
    acts = [Act(around(first, second), Ask())]
    after: dict[UUID, Entry | None] = {first.id: None, second.id: None}
    seen = foresee(acts, after, NOW)
    assert (seen.refused, "last-administrator" in {consequence.kind for consequence in seen.consequences}) == (
        {},
        False,
    )
    holders = {WHO.id: WHO, second.party_id: party(id=second.party_id)}
    assert locked_out(after, [first, second], holders) == {GATE_ACCOUNT.id: (first, second)}
    assert locked_out(after, [first, second, administrator(party_id=WHO.id)], holders) == {}
