"""What proves an order, at providers that do something else than they were asked to."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from datetime import timedelta
from typing import Any

import pytest
from hypothesis import assume, event, given, settings
from hypothesis import strategies as st

from openlatch.core.hours import Hours
from openlatch.core.letting_in.arrival import let_in
from openlatch.core.letting_in.offers import Part
from openlatch.core.orders.plans import make_plan
from openlatch.core.orders.steps import Ask, Extent, Step, held_before
from openlatch.core.powers import in_order
from openlatch.core.providers.observation import Observation, ObservedEntry, ObservedMembership
from openlatch.core.providers.ports import Change, Gift
from openlatch.core.taking_back.proof import already_there, noted, verify
from openlatch.errors import Conflict, Invalid
from openlatch.words import Action, EndReason, Kind, PartyKind, Power, ReadingOutcome, State
from tests.core.orders.test_extending import HOURS, more
from tests.core.orders.test_plans import ALL, GATE_ACCOUNT, KINDS, LEVELS, WHO, around, others, theirs
from tests.factories import GATE, NOW, observed, observed_party

SATURDAYS = Hours.parse("sat 09:00-12:00 America/New_York")
HOURS_ELSE = Hours.parse("sun 09:00-12:00 America/New_York")
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
            f"given {self.given}",
            account=gift.account,
            kind=gift.kind,
            level=gift.level,
            resources=gift.resources,
            ends_at=gift.ends_at,
            hours=gift.hours,
        )
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
        data.draw(LEVEL),
        key="target",
        kind=data.draw(st.sampled_from([Kind.DELEGATE, Kind.GRANT])),
        state=data.draw(st.sampled_from([State.LIVE, State.PAUSED])),
        resources=data.draw(PARTS),
        ends_at=data.draw(ENDS),
        hours=data.draw(HOURS),
    )
    beside = theirs(data.draw(LEVEL), key="beside", resources=data.draw(PARTS), ends_at=data.draw(ENDS))
    consent = data.draw(st.sampled_from(["", "someone"]))
    abilities = replace(ALL, consent=consent, ends=data.draw(st.sampled_from([KINDS, frozenset()])))
    ask = more(data, target) if data.draw(st.sampled_from([False, False, True])) else data.draw(asks)
    back = ask.action is Action.GIVE_BACK
    try:
        if data.draw(st.sampled_from([False, False, True])):
            part = Part(
                target.id,
                GATE_ACCOUNT.id,
                Kind.GRANT,
                data.draw(LEVEL),
                (),
                data.draw(PARTS),
                (),
                data.draw(ENDS),
                data.draw(HOURS),
                key=ME,
            )
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
        new = [extent for extent in faithful.extents() if extent not in Provider(dict(case.listed)).extents()]
        assert all(row in provider.extents() for row in new), "what was given is there, as it was to be"
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
    assert (renewed.reached, "lets them in again" in renewed.evidence) == (False, True)


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
        data.draw(LEVEL),
        key="target",
        resources=data.draw(PARTS),
        ends_at=data.draw(ENDS),
        hours=None,
        permissions=data.draw(st.sampled_from([(), ("read", "write")])),
    )
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
    powers = next(consequence.text for consequence in back.consequences if consequence.kind == "can-again")
    assert ", ".join(in_order(target.powers)) in powers, "what comes back is told as what comes back"


# Every sentence of a proof, word for word

LATER = NOW + timedelta(days=9)
HAD = observed("1", level="cashier", permissions=("sell",), resources=("till",), ends_at=LATER, hours=SATURDAYS)
AS_IT_WAS = Extent.of(HAD)
LAST = "until 12:00 on 19 May 2026 (UTC)"
OF_IT = "“cashier” on Gate (1)"


def asked_for(*changes: Change, then_ends: bool = False) -> tuple[Step, ...]:
    before = (("1", AS_IT_WAS),)
    steps = [Step("change", "", "1", ME, change, account="gate", before=before) for change in changes]
    return (*read(*steps), *([Step("end", "", "1", ME)] if then_ends else []))


@pytest.mark.parametrize(
    ("changes", "now", "said"),
    [
        ([Change(level="desk")], {"level": "desk"}, "“desk” on Gate (1) is listed with the level 'desk'"),
        ([Change(resources=())], {"resources": ()}, f"{OF_IT} is listed for all parts"),
        ([Change(resources=("a", "b"))], {"resources": ("b", "a")}, f"{OF_IT} is listed for a, b"),
        ([Change(ends_at=NOW)], {"ends_at": NOW}, f"{OF_IT} is listed until 12:00 on 10 May 2026 (UTC)"),
        ([Change(lifts=("end",))], {"ends_at": None}, f"{OF_IT} is listed without an end"),
        ([Change(lifts=("hours",))], {"hours": None}, f"{OF_IT} is listed at all hours"),
        ([Change(hours=SATURDAYS)], {}, f"{OF_IT} is listed {SATURDAYS}"),
        ([Change(paused=True)], {"state": State.PAUSED}, f"{OF_IT} is listed as paused"),
        ([Change(paused=True), Change(paused=False)], {}, f"{OF_IT} is listed as live"),
        (
            [Change(lifts=("end", "hours")), Change(ends_at=NOW, level="desk")],
            {"ends_at": NOW, "hours": None, "level": "desk"},
            "“desk” on Gate (1) is listed with the level 'desk', until 12:00 on 10 May 2026 (UTC), at all hours",
        ),
        (
            [Change(level="desk", resources=("a",), ends_at=NOW), Change(level="guide", lifts=("end",))],
            {"level": "guide", "resources": ("a",), "ends_at": None},
            "“guide” on Gate (1) is listed with the level 'guide', for a, without an end",
        ),
        (
            [Change(wider=True, level="keeper"), Change(paused=False)],
            {"level": "keeper", "powers": tuple(Power)},
            "“keeper” on Gate (1) is listed with the level 'keeper', as live",
        ),
    ],
)
def test_a_proof_of_changes_says_each_thing_that_was_asked_for_as_it_is_now(
    changes: list[Change], now: dict[str, Any], said: str
) -> None:
    seen = verify(shown(replace(HAD, **now)), asked_for(*changes), len(changes), "UTC")
    assert (seen.reached, seen.evidence) == (True, f"{said}; what is left of this party there: nothing")


@pytest.mark.parametrize(
    ("change", "now", "said"),
    [
        (Change(level="desk"), {}, ["with the level 'cashier', not 'desk'"]),
        (Change(paused=True), {"permissions": ()}, ["with the permissions none, not sell", "as live, not paused"]),
        (Change(paused=False), {"hours": None}, ["for all hours of the week"]),
        (Change(resources=()), {"hours": HOURS_ELSE}, ["for till, not all parts", "for other hours of the week"]),
        (Change(lifts=("end",)), {}, [f"{LAST}, not without an end"]),
        (Change(paused=False), {"ends_at": None}, [f"without an end, not {LAST}"]),
        (Change(paused=False), {"powers": (Power.VIEW, Power.OWN, Power.ADMIT)}, ["with more than before: admit, own"]),
    ],
)
def test_what_is_not_as_it_was_to_be_is_said_thing_for_thing(
    change: Change, now: dict[str, Any], said: list[str]
) -> None:
    other = replace(HAD, **now)
    seen = verify(shown(other), asked_for(change), 1, "UTC")
    assert (seen.reached, seen.evidence) == (False, "; ".join(f"{OF_IT} is listed {text}" for text in said))


def test_an_end_that_is_a_moment_off_is_that_end_and_one_that_is_a_second_off_is_not() -> None:
    steps = asked_for(Change(paused=False))
    for off, same in ((timedelta(milliseconds=999), True), (timedelta(seconds=1), False)):
        for end in (LATER + off, LATER - off):
            assert verify(shown(replace(HAD, ends_at=end)), steps, 1, "UTC").reached is same


def test_what_is_gone_was_narrowed_only_if_it_was_to_be_ended_after_that() -> None:
    gone = verify(shown(), asked_for(Change(level="desk")), 1, "UTC")
    assert (gone.reached, gone.evidence) == (False, f"{OF_IT} is not listed")
    meant = verify(shown(), asked_for(Change(level="desk"), then_ends=True), 1, "UTC")
    assert meant.evidence == f"{OF_IT} is no longer listed; what is left of this party there: nothing"
    unnamed = replace(shown(), accounts=())
    assert verify(unnamed, asked_for(Change(level="desk")), 1, "UTC").evidence == "“cashier” (1) is not listed"


def test_what_was_given_and_ended_is_said_with_all_that_is_left() -> None:
    give = Step("give", "", party=ME, gift=GIFT)
    end = Step("end", "", "1", ME, account="gate", before=(("1", AS_IT_WAS),))
    elsewhere = Step("end", "", "9", "another")
    stands = verify(shown(HAD), read(end), 1, "UTC")
    assert stands.evidence == f"{OF_IT} is still listed"
    both = verify(shown(EXACT, observed("2"), observed("3")), read(end, elsewhere, give), 3, "UTC")
    assert (both.reached, both.found) == (False, ()), "whoever has something new there is not out"
    other = observed("2", account="elsewhere")
    app = replace(observed_party("reader"), kind=PartyKind.APP, name="Sky reader")
    seen = replace(shown(other, EXACT), parties=(app,), memberships=(ObservedMembership("reader", ME, how="app"),))
    given_ = verify(seen, read(give), 1, "UTC")
    assert (given_.reached, given_.found) == (True, ("new",))
    assert given_.evidence == (
        "“observer” on Gate (new) is listed; what is left of this party there: 1 other entry, connected to “Sky reader”"
    )
    two = verify(shown(other, observed("4", account="elsewhere"), EXACT), read(give), 1, "UTC")
    assert two.evidence.endswith("what is left of this party there: 2 other entries")


def test_what_is_not_there_that_was_given_is_said_by_what_comes_nearest() -> None:
    give = Step("give", "", party=ME, gift=GIFT, before=(("old", Extent.of(EXACT)),))
    assert verify(shown(), read(give), 1, "UTC").evidence == "“observer” on Gate is not listed"
    old = replace(EXACT, key="old")
    assert verify(shown(old), read(give), 1, "UTC").evidence == "“observer” on Gate is not listed anew"
    far, near = replace(EXACT, key="a", level="owner", resources=("till",)), replace(EXACT, key="b", level="owner")
    assert verify(shown(far, near), read(give), 1, "UTC").evidence == (
        "“owner” on Gate (b) is listed with the level 'owner', not 'observer'"
    )
    app = replace(EXACT, kind=Kind.APP, permissions=("extra",))
    assert verify(shown(app), read(give), 1, "UTC").evidence == "“observer” on Gate (new) is listed as app, not grant"
    standing = replace(EXACT, kind=Kind.DELEGATE, permissions=("extra",))
    assert verify(shown(standing), read(give), 1, "UTC").reached, "which permissions go with a level it says itself"


def test_what_a_reading_leaves_for_later_is_kept_with_the_steps() -> None:
    steps = (*read(), Step("give", "", party=ME, gift=GIFT), *read(), Step("receipt", ""))
    before = noted(shown(HAD, EXACT), steps, 0, ())
    assert before[1].before == (("1", AS_IT_WAS), ("new", Extent.of(EXACT)))
    after = noted(shown(HAD, EXACT), before, 2, ["new"])
    assert (after[2].found, after[0].found, after[1]) == (("new",), (), before[1])
