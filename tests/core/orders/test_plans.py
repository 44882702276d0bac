"""Taking back: consequences before, the way that works at a provider, and what counts as proof."""

from __future__ import annotations

from dataclasses import replace
from datetime import time, timedelta
from typing import Any
from uuid import UUID

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.hours import Hours, Window, day_in, last_day
from openlatch.core.model import Abilities, Dependency, Entry, Membership
from openlatch.core.model import Party as PartyValue
from openlatch.core.orders.impact import Situation
from openlatch.core.orders.plans import make_plan, why_ended
from openlatch.core.orders.steps import Ask, Plan, Step
from openlatch.core.providers.observation import Observation, ObservedEntry
from openlatch.core.taking_back.leaver import Phase, leaver_items
from openlatch.core.taking_back.proof import verify
from openlatch.errors import Conflict, Invalid
from openlatch.words import Action, EndReason, Kind, PartyKind, PartyStatus, Power, ReadingOutcome, Side, State
from tests.factories import GATE, NOW, account, entry, observed, party

KINDS = frozenset(Kind)
ALL = Abilities(
    KINDS, KINDS, narrows=KINDS, pauses=KINDS, dates=KINDS, raises=KINDS, prolongs=KINDS, widens=KINDS, gives=KINDS
)
WHO, OTHER = party(name="Brightmere Electrical"), party(name="Maren Ashdown", status=PartyStatus.CURRENT, verified=True)
GATE_ACCOUNT = account()
LEVELS = {
    "guide": (Power.VIEW,),
    "desk": (Power.VIEW, Power.EDIT),
    "cashier": (Power.VIEW, Power.EDIT, Power.SPEND),
    "administrator": (Power.VIEW, Power.EDIT, Power.SPEND, Power.ADMIT),
    "keeper": (Power.VIEW, Power.EDIT, Power.SPEND, Power.ADMIT, Power.OWN),
}


def theirs(level: str = "cashier", **overrides: Any) -> Entry:
    given = {"party_id": WHO.id, "account_id": GATE_ACCOUNT.id, "level": level, "powers": LEVELS.get(level, ())}
    return entry(**given | overrides)


def others(level: str = "desk", **overrides: Any) -> Entry:
    return theirs(level, **{"party_id": OTHER.id} | overrides)


def around(
    target: Entry,
    *neighbours: Entry,
    abilities: Abilities = ALL,
    who: PartyValue = WHO,
    zone: str = "UTC",
    asked_at: str = "works@brightmere.example",
) -> Situation:
    ids = {WHO.id, OTHER.id, *(n.party_id for n in neighbours)}
    holders = {each_id: party(id=each_id, name=str(each_id)) for each_id in ids} | {WHO.id: who, OTHER.id: OTHER}
    return Situation(
        target,
        who,
        GATE_ACCOUNT,
        "Ticket Desk",
        abilities,
        neighbours,
        {n.account_id: "Gate" for n in (target, *neighbours)},
        holders,
        frozenset(),
        LEVELS,
        {each_id: f"key of {each_id}" for each_id in ids},
        zone=zone,
        asked_at=asked_at,
    )


def plan(target: Entry, *neighbours: Entry, ask: Ask | None = None, abilities: Abilities = ALL) -> Plan:
    return make_plan(around(target, *neighbours, abilities=abilities), ask or Ask(), NOW)


def kinds(made: Plan) -> list[str]:
    return [c.kind for c in made.consequences]


def calls(made: Plan) -> list[str]:
    return [step.call for step in made.steps]


# What happens


def test_a_payment_that_hangs_on_it_comes_first_and_names_the_day() -> None:
    paying = theirs(dependencies=(Dependency("payment", "gate maintenance", NOW + timedelta(days=22)),))
    first = plan(paying, theirs()).consequences[0]
    assert (first.kind, "1 June 2026" in first.text) == ("dependency", True)
    narrowed = plan(paying, ask=Ask(Action.NARROW, "desk"))
    assert "dependency" in kinds(narrowed), "it runs on the power to spend, which the level does not give"


def test_what_hangs_on_it_goes_with_it_however_deep_and_the_rest_is_another_way_in() -> None:
    login = theirs(key="login")
    member = theirs("readers", key="member", hangs_on="login")
    session = theirs(key="session", hangs_on="member", kind=Kind.SESSION)
    elsewhere = entry(party_id=WHO.id, level="van key")
    text = {c.kind: c.text for c in plan(login, member, session, elsewhere).consequences}
    assert "“readers”" in text["goes-with-it"]
    assert "One open session" in text["sessions-closed"]
    assert "“van key”" in text["other-ways-in"]
    assert "“readers”" not in text["other-ways-in"]


def test_a_session_that_would_outlive_it_is_closed_with_it_where_that_is_possible() -> None:
    target, session = theirs(), theirs(key="tablet", kind=Kind.SESSION)
    assert [s.entry for s in plan(target, session).steps if s.call == "end"] == [target.key, "tablet"]
    unable = replace(ALL, ends=KINDS - {Kind.SESSION})
    made = plan(target, session, abilities=unable)
    assert "session-outlives" in kinds(made)
    assert [s.entry for s in made.steps if s.call == "end"] == [target.key]


def test_a_team_that_gives_the_same_and_a_secret_that_is_known_are_told() -> None:
    team = entry(account_id=GATE_ACCOUNT.id, level="guide")
    secret = theirs("gate code", kind=Kind.SECRET)
    situation = replace(around(theirs(), team, secret), teams=frozenset({team.party_id}))
    told = [c.kind for c in make_plan(situation, Ask(), NOW).consequences]
    assert {"through-teams", "secret-known"} <= set(told)


# The last who can let others in


def test_the_last_who_can_admit_is_not_ended_before_somebody_else_can() -> None:
    last, colleague = theirs("administrator"), others()
    stopped = plan(last, colleague)
    assert kinds(stopped)[0] == "last-administrator"
    assert [way.entry for way in stopped.ways_out] == [colleague.ref]
    assert "Name a new administrator" in stopped.stop

    made = plan(last, colleague, ask=Ask(successor=colleague.id))
    assert (made.stop, "last-administrator" in kinds(made)) == ("", False)
    first, look = made.steps[:2]
    assert (first.call, first.entry, look.call) == ("change", colleague.key, "read")
    assert first.change is not None
    assert (first.change.level, first.change.wider) == ("administrator", True)
    assert calls(plan(last, colleague, ask=Ask(successor=colleague.id), abilities=replace(ALL, raises=frozenset())))[
        :2
    ] == ["ask", "read"]


def test_another_administrator_lifts_the_stop_and_one_who_has_gone_does_not() -> None:
    last = theirs("administrator")
    assert not plan(last, others("administrator")).stop
    assert plan(last, theirs("administrator")).stop, "the same party twice is not another one"
    assert plan(last, others("administrator", state=State.ENDED, end_reason=EndReason.GONE)).stop
    with pytest.raises(Invalid):
        plan(last, ask=Ask(successor=last.id))
    assert plan(last, ask=Ask(Action.NARROW, "desk")).stop, "narrowing can lock out as well"
    assert not plan(theirs("cashier"), ask=Ask(Action.NARROW, "desk")).stop


# The way that works


def test_what_needs_consent_is_reduced_to_the_least_level_first() -> None:
    asking = replace(ALL, consent="an administrator who is to be removed", consent_for=frozenset({Power.ADMIT}))
    made = plan(theirs("administrator"), others("administrator"), abilities=asking)
    assert calls(made) == ["change", "read", "end", "read", "receipt"]
    change = made.steps[0].change
    assert change is not None
    assert change.level == "guide"
    assert calls(plan(theirs("cashier"), abilities=asking)) == ["end", "read", "receipt"]


def test_what_only_people_can_end_is_asked_of_people() -> None:
    assert calls(plan(theirs(by_hand=True))) == ["ask", "receipt"]
    assert calls(plan(theirs(), abilities=Abilities(KINDS))) == ["ask", "read", "receipt"]
    with pytest.raises(Conflict, match="makes them forget"):
        plan(theirs(kind=Kind.SECRET))
    assert calls(plan(theirs(kind=Kind.SECRET), ask=Ask(Action.CHANGE_SECRET))) == ["ask", "receipt"]


def test_an_end_is_kept_by_the_provider_or_else_waited_for_here() -> None:
    until = NOW + timedelta(days=3)
    assert calls(plan(theirs(), ask=Ask(Action.END_ON, until=until))) == ["change", "read", "receipt"]
    waiting = plan(theirs(), ask=Ask(Action.END_ON, until=until), abilities=replace(ALL, dates=frozenset()))
    assert calls(waiting) == ["wait", "end", "read", "receipt"]
    assert waiting.steps[0].until == until


@pytest.mark.parametrize(
    ("overrides", "ask"),
    [
        ({}, Ask(Action.NARROW, "administrator")),
        ({}, Ask(Action.NARROW, "no such level")),
        ({}, Ask(Action.NARROW)),
        ({}, Ask(Action.NARROW, "cashier")),
        ({"resources": ("till",)}, Ask(Action.NARROW, resources=("till",))),
        ({"resources": ("till",)}, Ask(Action.NARROW, resources=("safe",))),
        ({"resources": ("till",)}, Ask(Action.NARROW, resources=())),
        ({}, Ask(Action.END_ON)),
        ({}, Ask(Action.END_ON, until=NOW)),
        ({"given_at": NOW + timedelta(days=9)}, Ask(Action.END_ON, until=NOW + timedelta(days=2))),
        ({"ends_at": NOW + timedelta(days=1)}, Ask(Action.END_ON, until=NOW + timedelta(days=2))),
    ],
)
def test_what_would_widen_or_makes_no_sense_is_refused(overrides: dict[str, Any], ask: Ask) -> None:
    with pytest.raises(Invalid, match="Nothing was changed"):
        plan(theirs(**overrides), ask=ask)


@pytest.mark.parametrize(
    ("target", "ask"),
    [
        (theirs(state=State.ENDED, end_reason=EndReason.GONE), Ask()),
        (theirs(state=State.PAUSED), Ask(Action.PAUSE)),
        (theirs(), Ask(Action.RESUME)),
        (theirs(), Ask(Action.CLOSE_SESSIONS)),
        (theirs(), Ask(Action.CHANGE_SECRET)),
    ],
)
def test_what_is_not_possible_as_things_stand_is_refused(target: Entry, ask: Ask) -> None:
    with pytest.raises(Conflict):
        plan(target, ask=ask)


# Any plan at any provider, carried out by a provider that does what it is told

abilities = st.builds(
    Abilities,
    st.just(KINDS),
    st.frozensets(st.sampled_from(Kind)),
    consent=st.sampled_from(["", "someone"]),
    consent_for=st.frozensets(st.sampled_from(Power), max_size=2),
    narrows=st.frozensets(st.sampled_from(Kind)),
    pauses=st.frozensets(st.sampled_from(Kind)),
    dates=st.frozensets(st.sampled_from(Kind)),
    raises=st.frozensets(st.sampled_from(Kind)),
)
asks = st.builds(
    Ask,
    st.sampled_from(Action),
    st.sampled_from(["", *LEVELS]),
    st.none() | st.sets(st.sampled_from(["till", "safe"])).map(lambda s: tuple(sorted(s))),
    st.none() | st.integers(-3, 9).map(lambda days: NOW + timedelta(days=days)),
)


class Provider:
    """Lists entries, and does what steps ask of it."""

    def __init__(self, *entries: Entry) -> None:
        self.listed = {
            e.key: (e.party_id, observed(e.key, kind=e.kind, level=e.level, resources=e.resources, state=e.state))
            for e in entries
        }

    def carry_out(self, step: Step) -> None:
        if step.call == "end" or (step.call == "ask" and step.change is None):
            self.listed.pop(step.entry, None)
        elif step.change is not None and step.entry in self.listed:
            party_id, before = self.listed[step.entry]
            change = step.change
            state = before.state if change.paused is None else State.PAUSED if change.paused else State.LIVE
            self.listed[step.entry] = (
                party_id,
                replace(
                    before,
                    level=change.level or before.level,
                    resources=before.resources if change.resources is None else change.resources,
                    ends_at=change.ends_at or before.ends_at,
                    state=state,
                ),
            )

    def look(self, situation: Situation, party_key: str) -> Observation:
        theirs: list[ObservedEntry] = [
            e for party_id, e in self.listed.values() if situation.keys[party_id] == party_key
        ]
        return Observation(ReadingOutcome.COMPLETE, (GATE,), (), tuple(theirs))


@given(st.data())
def test_any_plan_ends_in_what_was_asked_and_touches_nothing_else(data: st.DataObject) -> None:
    target = theirs(
        data.draw(st.sampled_from(list(LEVELS))),
        key="target",
        kind=data.draw(st.sampled_from(Kind)),
        state=data.draw(st.sampled_from([State.LIVE, State.PAUSED])),
        by_hand=data.draw(st.booleans()),
        resources=data.draw(st.sampled_from([(), ("till", "safe")])),
    )
    session = theirs(
        "signed in", key="session", kind=Kind.SESSION, hangs_on=data.draw(st.sampled_from([None, "target"]))
    )
    colleague = others(data.draw(st.sampled_from(["desk", "administrator"])), key="colleague")
    ask = data.draw(asks)
    ask = replace(ask, successor=data.draw(st.sampled_from([None, colleague.id])))
    situation = around(target, session, colleague, abilities=data.draw(abilities))
    try:
        made = make_plan(situation, ask, NOW)
    except (Conflict, Invalid):
        return
    if made.stop and not made.steps:
        return  # someone has to say first to whom it goes
    assert made.steps[-1].call == "receipt"
    assert made.digest == make_plan(situation, ask, NOW).digest
    provider = Provider(target, session, colleague)
    before = dict(provider.listed)
    for place, step in enumerate(made.steps):
        if step.call == "read":
            assert verify(provider.look(situation, step.party), made.steps, place, "UTC").reached
        unread = before | {}
        provider.carry_out(step)
        if step.call in ("end", "change") and provider.listed != before:
            shown = Provider(target, session, colleague)
            shown.listed = unread
            look = Step("read", "", party=step.party)
            assert not verify(
                shown.look(situation, step.party), (*made.steps[: place + 1], look), place + 1, "UTC"
            ).reached, "what has not been done yet is not taken for done"
        before = dict(provider.listed)
    touched = {
        key for key, pair in Provider(target, session, colleague).listed.items() if provider.listed.get(key) != pair
    }
    assert touched <= {"target", "session"} | ({"colleague"} if ask.successor else set())
    if ask.action in (Action.END, Action.GIVE_UP):
        assert "target" not in provider.listed
    elif ask.action is Action.NARROW:
        level = provider.listed["target"][1].level
        assert set(LEVELS[level]) <= set(target.powers)


def test_what_ended_for_good_is_not_given_back_without_a_new_last_day() -> None:
    ended = theirs(state=State.ENDED, end_reason=EndReason.REVOKED, ends_at=NOW - timedelta(days=3))
    with pytest.raises(Invalid, match="is over"):
        plan(ended, ask=Ask(Action.GIVE_BACK))
    assert calls(plan(ended, ask=Ask(Action.GIVE_BACK, until=NOW + timedelta(days=3))))[:2] == ["read", "give"]


def test_only_what_has_ended_and_is_not_there_again_can_be_given_back() -> None:
    ended = theirs(state=State.ENDED, end_reason=EndReason.REVOKED)
    for target, neighbours, abilities in (
        (theirs(), (), ALL),
        (ended, (theirs(key="again"),), ALL),
        (ended, (), replace(ALL, gives=frozenset())),
        (replace(ended, by_hand=True), (), ALL),
    ):
        with pytest.raises(Conflict):
            plan(target, *neighbours, ask=Ask(Action.GIVE_BACK), abilities=abilities)
    left = around(ended, who=replace(WHO, status=PartyStatus.LEFT))
    assert kinds(make_plan(left, Ask(Action.GIVE_BACK), NOW))[0] == "left"


def test_the_digest_names_exactly_what_was_shown() -> None:
    target = theirs()
    assert plan(target).digest != plan(target, theirs()).digest
    assert plan(target).digest != plan(target, ask=Ask(Action.GIVE_UP)).digest


def test_why_something_ended_follows_from_what_was_ordered() -> None:
    assert why_ended(Action.END, Kind.OFFER) is EndReason.WITHDRAWN
    assert why_ended(Action.GIVE_UP, Kind.OFFER) is EndReason.DECLINED
    assert why_ended(Action.GIVE_UP, Kind.DELEGATE) is EndReason.GIVEN_UP
    assert why_ended(Action.END_ON, Kind.GRANT) is EndReason.EXPIRED


# Someone goes


def test_when_somebody_goes_others_take_over_first_and_secrets_come_last() -> None:
    paying = theirs("administrator", dependencies=(Dependency("payment", "gate maintenance", None),))
    session = theirs(key="s", kind=Kind.SESSION)
    fallen = theirs(key="f", kind=Kind.SESSION, hangs_on=paying.key)
    code, again = (theirs("gate code", key=key, kind=Kind.SECRET) for key in ("c", "d"))
    held = (code, session, paying, fallen, again)
    situations = [around(each_entry, *(n for n in held if n is not each_entry)) for each_entry in held]
    team = UUID(int=7)
    memberships = (Membership(UUID(int=8), GATE_ACCOUNT.provider_id, team, WHO.id),)
    items = leaver_items(WHO, situations, memberships, {team: "Guides"})
    assert [item.phase for item in items] == [
        Phase.HAND_OVER,
        Phase.HAND_OVER,
        Phase.ACCESS,
        Phase.SESSIONS,
        Phase.SECRETS,
        Phase.BY_HAND,
    ]
    assert [item.entry_id for item in items if item.entry_id] == [paying.id, session.id, code.id]
    assert "gate maintenance" in items[0].text
    assert "Guides" in items[-1].text


# Handing an account over


def test_an_account_is_handed_over_only_by_its_owner_to_somebody_confirmed_and_only_once_they_agreed() -> None:
    owner, colleague = theirs("keeper"), others()
    stopped = plan(owner, colleague, ask=Ask(Action.HAND_OVER))
    assert [way.entry for way in stopped.ways_out] == [colleague.ref]
    assert not stopped.steps
    made = plan(owner, colleague, ask=Ask(Action.HAND_OVER, successor=colleague.id))
    assert calls(made) == ["consent", "change", "read", "change", "read", "receipt"]
    raised, lowered = (step.change for step in made.steps if step.call == "change")
    assert raised is not None
    assert lowered is not None
    assert (raised.level, raised.wider, lowered.level) == ("keeper", True, "administrator")
    assert kinds(made)[0] == "owns"
    asking = plan(
        owner,
        colleague,
        ask=Ask(Action.HAND_OVER, successor=colleague.id),
        abilities=replace(ALL, raises=frozenset(), narrows=frozenset()),
    )
    assert calls(asking) == ["consent", "ask", "read", "ask", "read", "receipt"], "people do what cannot be done here"
    with pytest.raises(Conflict, match="does not let"):
        plan(theirs("administrator"), colleague, ask=Ask(Action.HAND_OVER))
    with pytest.raises(Conflict, match="recorded by hand"):
        plan(theirs("keeper", by_hand=True), colleague, ask=Ask(Action.HAND_OVER))
    with pytest.raises(Invalid, match="owns Gate already"):
        plan(owner, colleague, ask=Ask(Action.HAND_OVER, successor=owner.id))
    second = others("keeper")
    with pytest.raises(Invalid, match="owns Gate already"):
        plan(owner, second, ask=Ask(Action.HAND_OVER, successor=second.id))
    assert plan(owner, second, ask=Ask(Action.HAND_OVER)).ways_out == ()


def test_handing_over_says_beforehand_whom_it_asks_where_and_what_they_keep() -> None:
    owner, colleague = theirs("keeper"), others()
    ask = Ask(Action.HAND_OVER, successor=colleague.id)
    made = make_plan(around(owner, colleague), ask, NOW)
    assert "by a link in a letter to works@brightmere.example" in made.steps[0].text
    keeps = next(consequence.text for consequence in made.consequences if consequence.kind == "keeps")
    assert keeps.endswith("keeps “administrator” (view, edit, spend, admit).")
    nobody = make_plan(around(owner, colleague, asked_at=""), ask, NOW)
    assert "they have no confirmed address" in nobody.stop
    assert nobody.steps == ()
    only = replace(around(owner, colleague), levels={"keeper": LEVELS["keeper"]})
    keeps = next(
        consequence.text for consequence in make_plan(only, ask, NOW).consequences if consequence.kind == "keeps"
    )
    assert "keeps “keeper” as well: no level of Ticket Desk is known" in keeps


def test_a_plan_says_what_anyone_can_do_all_the_same() -> None:
    anyone = party(kind=PartyKind.ANYONE, name="Anyone")
    opened = theirs("readable", kind=Kind.OPEN, party_id=anyone.id, powers=(Power.VIEW,), resources=("hall",))
    situation = replace(around(theirs(), opened), holders={WHO.id: WHO, anyone.id: anyone})
    told = [
        consequence.text
        for consequence in make_plan(situation, Ask(), NOW).consequences
        if consequence.kind == "open-anyway"
    ]
    assert told == [
        f"Anyone can do this whatever happens to it, and so can {WHO.name}: view (on parts of {GATE_ACCOUNT.name})."
    ]
    kept = make_plan(situation, Ask(Action.NARROW, level="guide"), NOW)
    assert "open-anyway" not in kinds(kept)


def test_sessions_that_are_said_to_be_closed_are_closed_by_the_plan_and_what_undoes_it_is_said_by_act() -> None:
    target = theirs(key="target")
    hanging = theirs("signed in", key="session", kind=Kind.SESSION, hangs_on="target")
    made = plan(target, hanging)
    assert [step.entry for step in made.steps if step.call == "end"] == ["target", "session"]
    quiet = replace(ALL, ends=KINDS - {Kind.SESSION})
    left = plan(target, hanging, abilities=quiet)
    (said,) = [consequence.text for consequence in left.consequences if consequence.kind == "sessions-closed"]
    assert said.endswith("cannot be used without it."), "nothing closes it from here"

    def undone(ask: Ask, abilities: Abilities = ALL) -> str:
        return next(
            consequence.text
            for consequence in plan(target, ask=ask, abilities=abilities).consequences
            if consequence.kind == "effect"
        )

    assert undone(Ask(Action.PAUSE)).endswith("; you can resume it at any time.")
    narrow = Ask(Action.NARROW, level="guide")
    assert undone(narrow).endswith("; you can extend it again at any time.")
    assert undone(narrow, replace(ALL, raises=frozenset())).endswith(
        "; it can be widened again at Ticket Desk itself only."
    )


some = st.frozensets(st.sampled_from(list(Kind)))


@given(
    gives=some,
    side=st.sampled_from(list(Side)),
    kind=st.sampled_from([Kind.DELEGATE, Kind.GRANT, Kind.APP]),
    hours=st.booleans(),
    action=st.sampled_from([Action.END, Action.END_ON, Action.GIVE_UP]),
)
def test_what_is_promised_to_be_given_again_from_here_can_be_and_nothing_else_is_promised(
    gives: frozenset[Kind], side: Side, kind: Kind, hours: bool, action: Action
) -> None:
    nights = Hours("UTC", (Window(frozenset({1}), time(19), time(4)),)) if hours else None
    target, able = theirs(kind=kind, hours=nights), replace(ALL, gives=gives, redone_by=side)
    ask = Ask(action, until=NOW + timedelta(days=30)) if action is Action.END_ON else Ask(action)
    (told,) = [c.text for c in plan(target, ask=ask, abilities=able).consequences if c.kind == "effect"]
    gone = replace(target, state=State.ENDED, end_reason=EndReason.REVOKED, ended_at=NOW)
    try:
        plan(gone, ask=Ask(Action.GIVE_BACK), abilities=able)
        possible = True
    except Conflict:
        possible = False
    if action is Action.GIVE_UP:
        assert "only the holder can let you in again" in told
    elif side is Side.PARTY:
        assert "only the other side can bring it back" in told
    else:
        assert ("at Ticket Desk itself" not in told) == possible
    assert ("at once" in told) == (action is not Action.END_ON)


@given(st.integers(1, 200), st.integers(1, 200))
def test_a_payment_is_said_to_fail_on_the_day_on_which_it_does(runs: int, ends: int) -> None:
    paying = theirs(dependencies=(Dependency("payment", "gate maintenance", NOW + timedelta(days=runs)),))
    until = NOW + timedelta(days=ends)
    (text,) = [c.text for c in plan(paying, ask=Ask(Action.END_ON, until=until)).consequences if c.kind == "dependency"]
    if runs >= ends:
        assert f"It fails from {day_in(NOW + timedelta(days=runs), 'UTC')}" in text
    else:
        assert f"It goes on through {last_day(until, 'UTC')}, and fails then" in text
