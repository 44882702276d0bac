"""What proves an order, at providers that do something else than they were asked to."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from datetime import timedelta

import pytest
from hypothesis import assume, event, given, settings
from hypothesis import strategies as st

from openlatch.core.hours import Hours
from openlatch.core.letting_in import let_in
from openlatch.core.model import EndReason, Kind, PartyKind, ReadingOutcome, State
from openlatch.core.observation import Observation, ObservedEntry, ObservedMembership
from openlatch.core.offers import Part
from openlatch.core.plans import Action, Ask, make_plan
from openlatch.core.ports import Gift
from openlatch.core.powers import Power, in_order
from openlatch.core.proof import already_there, noted, verify
from openlatch.core.steps import Extent, Step, held_before
from openlatch.errors import Conflict, Invalid
from tests.core.test_extending import HOURS, more
from tests.core.test_plans import ALL, GATE_ACCOUNT, KINDS, LEVELS, WHO, around, others, theirs
from tests.factories import GATE, NOW, observed, observed_party

SATURDAYS = Hours.parse("sat 09:00-12:00 America/New_York")
ENDS = st.none() | st.integers(1, 9).map(lambda days: NOW + timedelta(days=days))
PARTS = st.sampled_from([(), ("safe", "till"), ("till",), ("safe",)])
LEVEL = st.sampled_from(list(LEVELS))
ME = f"key of {WHO.id}"


def read(*steps: Step) -> tuple[Step, ...]:
    return (*steps, Step("read", "", party=ME))


def shown(*entries: ObservedEntry) -> Observation:
    return Observation(ReadingOutcome.COMPLETE, (GATE,), (), entries)


@dataclass
class Provider:
    """Lists what one party has, and does what it is asked to, or something else."""

    listed: dict[str, ObservedEntry]
    given: int = 0
    late: list[Callable[[], None]] = field(default_factory=list)

    def carry_out(self, step: Step) -> None:
        if step.gift is not None:
            self.give(step.gift)
        elif step.change is not None:
            if step.entry in self.listed:
                change, was = step.change, self.listed[step.entry]
                self.listed[step.entry] = replace(
                    was,
                    level=change.level or was.level,
                    resources=was.resources if change.resources is None else change.resources,
                    ends_at=None if "end" in change.lifts else change.ends_at or was.ends_at,
                    hours=None if "hours" in change.lifts else change.hours or was.hours,
                    state=was.state if change.paused is None else State.PAUSED if change.paused else State.LIVE,
                )
        elif step.call in ("end", "ask"):
            self.listed.pop(step.entry, None)

    def give(self, gift: Gift) -> None:
        self.given += 1
        made = observed(
            f"given {self.given}", account=gift.account, kind=gift.kind, level=gift.level, resources=gift.resources,
            ends_at=gift.ends_at, hours=gift.hours,
        )  # fmt: skip
        self.listed[made.key] = made

    def look(self) -> Observation:
        for one in self.late:
            one()
        self.late.clear()
        return shown(*self.listed.values())

    def extents(self) -> list[tuple[str, str, str]]:
        """What the party has, whatever it is called; what is given with an end or without is of one kind."""
        kinds = {Kind.DELEGATE: "grant"}
        return sorted((kinds.get(e.kind, e.kind.value), e.account, repr(Extent.of(e))) for e in self.listed.values())


def twisted(step: Step, data: st.DataObject) -> Step | None:
    """Something else than a provider was asked to do: less, more, for another entry, or nothing at all."""
    if step.gift is not None:
        field_, values = data.draw(
            st.sampled_from([("level", LEVEL), ("resources", PARTS), ("ends_at", ENDS), ("hours", HOURS)])
        )
        return replace(step, gift=replace(step.gift, **{field_: data.draw(values)}))
    if step.change is not None and data.draw(st.booleans()):
        name, more = data.draw(
            st.sampled_from([("level", LEVEL), ("resources", PARTS), ("ends_at", ENDS), ("hours", HOURS)])
        )
        return replace(step, change=replace(step.change, **{name: data.draw(more)}))
    if step.change is not None and data.draw(st.booleans()):
        return replace(step, change=None)  # ended instead of changed
    return replace(step, entry="beside") if data.draw(st.booleans()) else None


asks = st.builds(
    Ask,
    st.sampled_from(
        [a for a in Action if a not in (Action.LET_IN, Action.EXTEND, Action.HAND_OVER, Action.CHANGE_SECRET)]
    ),
    st.sampled_from(["", *LEVELS]),
    st.none() | st.sets(st.sampled_from(["till", "safe"])).map(lambda s: tuple(sorted(s))),
    ENDS,
)


@dataclass
class Case:
    """An order on `target`, at a provider that also lists `beside`; what is let in or given back is not there yet."""

    steps: list[Step]
    action: Action
    gives: bool
    listed: dict[str, ObservedEntry]


def drawn(data: st.DataObject) -> Case | None:
    """Any order that can be given, at any provider; None where the plan is refused or stopped."""
    target = theirs(
        data.draw(LEVEL), key="target", kind=data.draw(st.sampled_from([Kind.DELEGATE, Kind.GRANT])),
        state=data.draw(st.sampled_from([State.LIVE, State.PAUSED])), resources=data.draw(PARTS),
        ends_at=data.draw(ENDS), hours=data.draw(HOURS),
    )  # fmt: skip
    beside = theirs(data.draw(LEVEL), key="beside", resources=data.draw(PARTS), ends_at=data.draw(ENDS))
    consent = data.draw(st.sampled_from(["", "somebody"]))
    abilities = replace(ALL, consent=consent, ends=data.draw(st.sampled_from([KINDS, frozenset()])))
    ask = more(data, target) if data.draw(st.sampled_from([False, False, True])) else data.draw(asks)
    back = ask.action is Action.GIVE_BACK
    try:
        if data.draw(st.sampled_from([False, False, True])):
            part = Part(
                target.id, GATE_ACCOUNT.id, Kind.GRANT, data.draw(LEVEL), (), data.draw(PARTS), (), data.draw(ENDS),
                data.draw(HOURS), key=ME,
            )  # fmt: skip
            standing = [target, beside]
            made = let_in(around(target, beside, abilities=abilities), part, None, NOW, "UTC")
        else:
            of = replace(target, state=State.ENDED, end_reason=EndReason.REVOKED) if back else target
            standing = [beside] if back else [target, beside]
            made = make_plan(around(of, beside, others("administrator"), abilities=abilities), ask, NOW)
    except (Conflict, Invalid):
        return None
    listed = {
        e.key: observed(
            e.key, kind=e.kind, level=e.level, resources=e.resources, state=e.state, ends_at=e.ends_at, hours=e.hours
        )
        for e in standing
    }
    action = Action(made.action)
    return None if made.stop else Case(list(made.steps), action, action in (Action.LET_IN, Action.GIVE_BACK), listed)


def done(provider: Provider, step: Step, data: st.DataObject) -> None:
    """A step as this provider does it."""
    how = data.draw(st.sampled_from(["just so", "something else", "late", "anew"]))
    if how == "just so":
        provider.carry_out(step)
    elif how == "something else":
        other = twisted(step, data)
        if other is not None:
            provider.carry_out(other)
    elif how == "late":
        provider.late.append(lambda: provider.carry_out(step))
        if data.draw(st.booleans()):
            provider.look()
    else:
        again = provider.listed.get(step.entry)
        provider.carry_out(step)
        if again is not None:
            provider.listed["again"] = replace(again, key="again")


def proved(case: Case, provider: Provider, faithful: Provider, data: st.DataObject) -> bool:
    """Carry an order out at both, and say whether what the first one shows proves it."""
    steps = case.steps
    for place in range(len(steps)):
        step = steps[place]
        if step.call == "read":
            seen = provider.look()
            verdict = verify(seen, steps, place, "UTC")
            if not verdict.reached or already_there(seen, steps, place, "UTC"):
                return False
            steps[:] = noted(seen, steps, place, verdict.found)
        elif step.call not in ("wait", "receipt"):
            faithful.carry_out(step)
            done(provider, step, data)
    return True


@settings(max_examples=400)
@given(st.data())
def test_no_order_is_proved_unless_the_provider_shows_just_what_was_ordered(data: st.DataObject) -> None:
    case = drawn(data)
    assume(case is not None)
    assert case is not None
    provider, faithful = Provider(dict(case.listed)), Provider(dict(case.listed))
    if not proved(case, provider, faithful, data):
        event("not proved")
        return
    event(f"proved {case.action}")
    if case.gives:
        new = [one for one in faithful.extents() if one not in Provider(dict(case.listed)).extents()]
        assert all(one in provider.extents() for one in new), "what was given is there, as it was to be"
        return
    for key in ("target", "again"):
        there, meant = provider.listed.get(key), faithful.listed.get(key)
        if key == "again" and "target" in faithful.listed:
            continue  # a second entry beside the first, which is as it was to be
        assert (there is None) == (meant is None), key
        assert there is None or meant is None or Extent.of(there) == Extent.of(meant)


# The same by example


GIFT = Gift("gate", Kind.GRANT, "observer", ends_at=NOW + timedelta(days=200))
EXACT = observed("new", account="gate", kind=Kind.GRANT, level="observer", ends_at=GIFT.ends_at)


def test_an_older_entry_that_gives_no_more_proves_nothing() -> None:
    older = replace(EXACT, key="old", ends_at=NOW + timedelta(days=90))
    give = Step("give", "", party=ME, gift=GIFT, before=(("old", Extent.of(older)),))
    assert not verify(shown(older), read(give), 1, "UTC").reached
    longer = replace(older, ends_at=GIFT.ends_at)
    proved = verify(shown(longer), read(give), 1, "UTC")
    assert (proved.reached, proved.found) == (True, ("old",)), "some providers keep one entry, and change it"


@pytest.mark.parametrize(
    ("other", "said"),
    [
        (replace(EXACT, level="owner"), "with the level 'owner', not 'observer'"),
        (replace(EXACT, resources=("till",)), "for till, not all parts"),
        (
            replace(EXACT, ends_at=NOW + timedelta(days=9)),
            "until 12:00 on 19 May 2026 (UTC), not until 12:00 on 26 November 2026",
        ),
        (replace(EXACT, ends_at=None), "without an end, not until"),
        (replace(EXACT, state=State.PAUSED), "as paused, not live"),
        (replace(EXACT, hours=SATURDAYS), "for other hours of the week"),
        (replace(EXACT, account="elsewhere"), "“observer” on Gate is not listed"),
    ],
)
def test_what_was_given_is_that_and_nothing_else_and_what_differs_is_said(other: ObservedEntry, said: str) -> None:
    give = Step("give", "", party=ME, gift=GIFT, before=())
    assert verify(shown(EXACT), read(give), 1, "UTC").reached
    verdict = verify(shown(other), read(give), 1, "UTC")
    assert (verdict.reached, said in verdict.evidence) == (False, True), verdict.evidence


def test_what_is_there_already_is_seen_before_it_is_given() -> None:
    steps = (*read(), Step("give", "", party=ME, gift=GIFT))
    assert "(new) is there already" in already_there(shown(EXACT), steps, 0, "UTC")
    assert already_there(shown(replace(EXACT, ends_at=None)), steps, 0, "UTC") == ""


def test_only_the_absence_of_the_entry_itself_proves_that_it_is_gone() -> None:
    end = Step("end", "", "1", ME)
    for listed, gone in ((("1", "2"), False), (("2",), True), ((), True)):
        assert verify(shown(*map(observed, listed)), read(end), 1, "UTC").reached is gone


def test_a_receipt_never_says_that_nothing_is_left_while_a_team_lets_them_in() -> None:
    end = Step("end", "", "1", ME)
    alone = verify(shown(observed("2")), read(end), 1, "UTC").evidence
    assert alone.endswith("what is left of this party there: 1 other entry")
    crew = replace(observed_party("crew"), kind=PartyKind.TEAM, name="Saturday crew")
    teams = (ObservedMembership("crew", ME), ObservedMembership("night", ME), ObservedMembership("night", "another"))
    seen = replace(shown(), parties=(crew,), memberships=teams)
    assert verify(seen, read(end), 1, "UTC").evidence.endswith(
        "what is left of this party there: a member of “Saturday crew”, “night”"
    )
    assert verify(shown(), read(end), 1, "UTC").evidence.endswith("what is left of this party there: nothing")


def test_whoever_is_let_in_again_by_another_key_is_not_out() -> None:
    had = theirs(key="1")
    end = next(step for step in make_plan(around(had), Ask(), NOW).steps if step.call == "end")
    assert verify(shown(), read(end), 1, "UTC").reached
    renewed = verify(shown(replace(observed("2"), account=GATE_ACCOUNT.key)), read(end), 1, "UTC")
    assert (renewed.reached, "lets them in anew" in renewed.evidence) == (False, True)


def test_what_an_order_left_as_it_was_has_to_be_as_it_was() -> None:
    was = observed("1", level="cashier", resources=("till",), ends_at=NOW + timedelta(days=9))
    entry_ = theirs(key="1", resources=("till",), ends_at=was.ends_at)
    (step, *_) = make_plan(around(entry_), Ask(Action.NARROW, "desk"), NOW).steps
    assert verify(shown(replace(was, level="desk")), read(step), 1, "UTC").reached
    for other in (
        replace(was, level="desk", resources=()),
        replace(was, level="desk", ends_at=None),
        replace(was, level="guide"),
        replace(was, level="desk", state=State.PAUSED),
    ):
        assert not verify(shown(other), read(step), 1, "UTC").reached
    assert not verify(shown(), read(step), 1, "UTC").reached, "gone is not narrowed"


@given(st.data())
def test_what_is_given_back_is_what_was_held_before_the_first_step_took_anything(data: st.DataObject) -> None:
    target = theirs(
        data.draw(LEVEL), key="target", resources=data.draw(PARTS), ends_at=data.draw(ENDS), hours=None,
        permissions=data.draw(st.sampled_from([(), ("read", "write")])),
    )  # fmt: skip
    asking = replace(
        ALL, consent="an administrator", consent_for=data.draw(st.sampled_from([frozenset(), {Power.VIEW}]))
    )
    zone = data.draw(st.sampled_from(["UTC", "America/New_York", "Pacific/Kiritimati"]))
    made = make_plan(around(target, others("administrator"), abilities=asking), Ask(), NOW)
    ended = replace(target, state=State.ENDED, end_reason=EndReason.REVOKED)
    for step in made.steps:
        if step.change is not None:  # reduced first, as the inventory then knows it
            ended = replace(ended, level=step.change.level, powers=LEVELS[step.change.level], permissions=())
    if ended.level != target.level:
        event("reduced first")
    back = make_plan(around(ended, zone=zone), Ask(Action.GIVE_BACK), NOW, held_before(made.steps, target.key))
    (gift,) = [step.gift for step in back.steps if step.gift is not None]
    assert (gift.level, gift.resources, gift.permissions) == (target.level, target.resources, target.permissions)
    assert gift.ends_at == target.ends_at
    powers = next(one.text for one in back.consequences if one.kind == "can-again")
    assert ", ".join(in_order(target.powers)) in powers, "what comes back is told as what comes back"
