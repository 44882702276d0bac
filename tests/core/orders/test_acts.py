"""What is offered can be ordered: each act that is said to be possible, by a plan that is really made."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from datetime import timedelta

from hypothesis import event, given
from hypothesis import strategies as st

from openlatch.core.hours import Hours
from openlatch.core.model import Abilities, Entry
from openlatch.core.orders.acts import Around, possible
from openlatch.core.orders.plans import make_plan
from openlatch.core.orders.steps import Ask
from openlatch.errors import Conflict, Invalid
from openlatch.words import Action, EndReason, Kind, PartyKind, State
from tests.core.orders.test_plans import GATE_ACCOUNT, LEVELS, WHO, around, others, theirs
from tests.factories import NOW

SATURDAYS = Hours.parse("sat 09:00-12:00 UTC")
KINDS = st.frozensets(st.sampled_from(Kind))
ABLE = st.builds(
    Abilities,
    KINDS,
    KINDS,
    ends_teams=st.booleans(),
    narrows=KINDS,
    pauses=KINDS,
    dates=KINDS,
    raises=KINDS,
    prolongs=KINDS,
    widens=KINDS,
    gives=KINDS,
)
PARTS = ("safe", "till")


def asks(action: Action, entry: Entry, successor: Entry) -> Iterator[Ask]:
    """Everything that could be asked for by an act."""
    day = timedelta(days=1)
    until = NOW + day / 2 if entry.ends_at is None else NOW + (entry.ends_at - NOW) / 2
    yield Ask(action)
    yield Ask(action, until=until)
    yield Ask(action, until=NOW + 20 * day)
    yield Ask(action, successor=successor.id)
    yield from (Ask(action, level=level) for level in LEVELS)
    yield from (Ask(action, resources=(part,)) for part in PARTS)
    yield from (Ask(action, lifts=(limit,)) for limit in ("end", "hours", "parts"))


@given(st.data())
def test_what_is_offered_can_be_ordered_and_what_is_not_is_refused_whatever_is_asked_for(data: st.DataObject) -> None:
    able, kind = data.draw(ABLE), data.draw(st.sampled_from(PartyKind))
    entry = theirs(
        data.draw(st.sampled_from(list(LEVELS))),
        kind=data.draw(st.sampled_from(Kind)),
        state=data.draw(st.sampled_from([State.LIVE, State.PAUSED, State.ENDED])),
        by_hand=data.draw(st.booleans()),
        resources=data.draw(st.sampled_from([(), ("till",), PARTS])),
        ends_at=data.draw(st.sampled_from([None, NOW + timedelta(days=9)])),
        hours=data.draw(st.sampled_from([None, SATURDAYS])),
    )
    if entry.state is State.ENDED:
        entry = replace(entry, end_reason=EndReason.REVOKED)
    session = theirs("signed in", key="session", kind=Kind.SESSION)
    sessions = [session] if data.draw(st.booleans()) else []
    colleague = others("administrator")
    situation = around(entry, *sessions, colleague, abilities=able, who=replace(WHO, kind=kind))
    offered = {
        each_possible.action: each_possible.here
        for each_possible in possible(entry, Around(kind, able, LEVELS, parts=PARTS, sessions=bool(sessions)))
    }
    for action in Action:
        plans = []
        for ask in asks(action, entry, colleague):
            try:
                plans.append(make_plan(situation, ask, NOW))
            except (Conflict, Invalid):
                continue
        if action in offered:
            assert plans, f"{action} is offered, and is refused whatever is asked for"
            event(f"{action} possible")
            made = [plan for plan in plans if plan.steps]
            if offered[action]:
                assert any(all(step.call != "ask" for step in plan.steps) for plan in made), f"{action} from here"
        elif entry.kind in (Kind.DELEGATE, Kind.GRANT) and action not in (Action.GIVE_UP, Action.LET_IN):
            assert not plans, f"{action} can be ordered, and is not offered"
    assert GATE_ACCOUNT.id == entry.account_id
