"""The policy and its flags: what the stories raise, trying, adopting, accepting, and time."""

from __future__ import annotations

import re
from dataclasses import replace
from datetime import date, datetime, timedelta

import pytest

from openlatch.client import Client
from openlatch.core.inventory.imports import read_rows
from openlatch.demo.cast import DOMAIN
from openlatch.demo.seed import SLUG
from openlatch.errors import Changed, Conflict, Invalid, NotAllowed
from openlatch.operations.call import Call, as_service
from openlatch.operations.inventory import by_hand
from openlatch.operations.rules import flags, whole
from openlatch.operations.rules.evaluation import MOST_ROWS
from openlatch.wire import messages as wire
from tests.harness.acts import events
from tests.harness.ridge import Ridge
from tests.test_habits import ROOT, load

STORIES = load(ROOT / "docs" / "reference" / "stories.py")


@pytest.fixture
def ridge(apart: Ridge) -> Ridge:
    """A policy is one for a whole workspace: each test has a workspace of its own."""
    return apart


def standing(client: Client, **wanted: str) -> dict[tuple[str, str], wire.Flag]:
    """The flags that stand, accepted or not, by rule and what they are on."""
    every = [*client.flags(**wanted), *client.flags(**wanted, state="accepted")]  # type: ignore[arg-type]
    return {(f.rule, str(f.about.id)): f for f in every}


def same(client: Client) -> dict[tuple[str, str], tuple[str, object]]:
    return {key: (f.severity, f.facts) for key, f in standing(client).items()}


def test_every_story_raises_exactly_the_flags_that_the_table_says(client: Client) -> None:
    assert STORIES.table(client) == STORIES.FILE.read_text(), "run python docs/reference/stories.py, and look at it"


def test_every_rule_has_an_example_in_the_demo(client: Client) -> None:
    # What providers report comes in by itself, and none of the demo's sends anything of the kind.
    assert {rule.id for rule in client.rules() if not rule.standing} == {"reported"}


def test_looking_at_everything_in_columns_finds_what_looking_at_each_change_found(ridge: Ridge, client: Client) -> None:
    before, ids = same(client), {f.id for f in standing(client).values()}
    risks = {e.ref: (e.risk, [f.rule for f in e.flags]) for e in client.entries()}
    with ridge.store.transaction(SLUG) as tx:
        whole.evaluate_everything(as_service(tx, ridge.services))
    assert same(client) == before
    assert {f.id for f in standing(client).values()} == ids
    assert {e.ref: (e.risk, [f.rule for f in e.flags]) for e in client.entries()} == risks


def test_a_risk_is_what_its_lines_add_up_to(client: Client) -> None:
    for entry in client.entries(sort="risk", limit=25):
        whole = client.entry(entry.ref)
        assert sum(line.points for line in whole.risk_lines) == whole.risk == entry.risk
    risk = client.account_risk("Bookings")
    assert sum(share.points for share in risk.shares) == risk.risk
    assert risk.over_time[-1].risk == risk.risk


WRONG = [
    (
        "entry.lets_in && entry.ends_at",
        "entry.lets_in && entry.end_at",
        r"live-past-end, line \d+, column \d+.*ends_at",
    ),
    ('unused = "90d"', "unused = 90d", r"line \d+, column \d+"),
    ('id = "never-used"', 'id = "app-unused"', "two rules “app-unused”"),
    ("when = 'has(party.near)", 'when = \'party.name.matches("(a+)+$") && has(party.near)', "matches is not offered"),
    ("when = 'has(party.near)", f"when = '{'(' * 40}has(party.near)", "nested more than"),
    ("when = 'has(party.near)", f"when = '{'true && ' * 600}has(party.near)", "characters"),
    ("when = 'has(party.near)", 'when = \'party.nam == "x" && has(party.near)', "no field “party.nam”"),
    ("when = 'has(party.near)", "when = 'party.name > 3 && has(party.near)", "cannot be compared"),
    ('severity = "low"', 'severity = "lowest"', "line"),
    ("[limits]", "[limitz]", "limitz"),
]


@pytest.mark.parametrize(("text", "instead", "says"), WRONG)
def test_a_policy_with_a_mistake_is_refused_with_its_place_and_changes_nothing(
    client: Client, text: str, instead: str, says: str
) -> None:
    present = client.policy()
    assert text in present.text
    wrong = present.text.replace(text, instead, 1)
    for act in (client.check_policy, client.try_policy, client.adopt_policy):
        with pytest.raises(Invalid, match="present policy stays in force") as raised:
            act(wrong)
        assert re.search(says, str(raised.value), re.DOTALL)
    assert client.policy() == present


def test_a_trial_says_beforehand_what_adopting_then_does_and_going_back_undoes_it(client: Client) -> None:
    present, before, first = client.policy(), same(client), client.policy(0)
    assert 'domains = ["kestrelridge.example"' in first.text
    text = present.text.replace('unused = "90d"', 'unused = "20d"', 1)
    text = text.replace('domains = ["', 'domains = ["brightmere.example", "', 1)
    text = text.replace('id = "secret-told"\n', 'id = "secret-told"\noff = true\n', 1)
    tried = client.try_policy(text)
    assert same(client) == before, "trying changes nothing"
    expected = {line.rule: line.then for line in tried.lines if line.then}
    assert any(line.appear for line in tried.lines)
    assert any(line.go for line in tried.lines)

    with pytest.raises(Changed, match="in force"):
        client.adopt_policy(text, expected=present.number + 7)
    adopted = client.adopt_policy(text, note="A stricter spring", expected=present.number)
    assert {"Limit unused: 90 days, now 20 days.", "Takes brightmere.example into the circle."} <= set(adopted.changes)
    assert {rule.id: rule.standing for rule in client.rules() if rule.standing} == expected
    brightmere = next(client.entries(q="Brightmere", provider="Ticket Desk"))
    assert not brightmere.party.outside
    assert client.policies()[0].note == "A stricter spring"
    assert client.policy(0) == first, "the policy of the beginning stays what it was"

    back = client.return_to_policy(present.number)
    assert (back.number, back.text) == (adopted.number + 1, present.text)
    assert same(client) == before
    with pytest.raises(Conflict):
        client.return_to_policy(present.number)


def test_reviewers_may_try_a_policy_and_only_managers_adopt_it(ridge: Ridge, client: Client) -> None:
    with ridge.client("ines.okoro") as reviewer:
        assert not any(line.appear or line.go for line in reviewer.try_policy(client.policy().text).lines)
        with pytest.raises(NotAllowed):
            reviewer.adopt_policy(client.policy().text)


def later(ridge: Ridge, at: datetime, act: object) -> None:
    """Do something as the service at another time."""
    services = replace(ridge.services, clock=lambda: at)
    with ridge.store.transaction(SLUG) as tx:
        call: Call = as_service(tx, services)
        act(call)  # type: ignore[operator]


def test_an_accepted_flag_leaves_the_lists_and_comes_back_by_itself(ridge: Ridge, client: Client) -> None:
    flag = next(client.flags(rule="open-to-change"))
    entry = client.entry(flag.about.ref)
    with pytest.raises(Invalid, match="from today"):
        client.accept(flag.ref, "too long", date(2999, 1, 1))
    with pytest.raises(Invalid, match="from today"):
        client.accept(flag.ref, "too late", date(2020, 1, 1))
    until = flag.raised_at.date() + timedelta(days=1)
    accepted = client.accept(flag.ref, "The printers still send proofs", until)
    assert accepted.accepted is not None
    assert list(client.flags(rule="open-to-change")) == []
    assert [f.id for f in client.flags(rule="open-to-change", state="accepted")] == [flag.id]
    assert all(f.accepted for f in client.entry(entry.ref).flags if f.rule == "open-to-change")
    later(ridge, accepted.accepted.until - timedelta(seconds=1), flags.evaluate_due)
    assert client.flag(flag.ref).accepted is not None
    later(ridge, accepted.accepted.until, flags.evaluate_due)
    assert client.flag(flag.ref).accepted is None
    assert {"flag.accepted", "flag.back"} <= set(events(client, entry))


def test_what_time_alone_changes_is_found_at_its_instant(ridge: Ridge, client: Client) -> None:
    grant = next(e for e in client.entries(q="Levy", provider="Dome Control") if e.kind == "grant")
    assert grant.ends_at is not None
    later(ridge, grant.ends_at - timedelta(hours=30), flags.evaluate_all)
    later(ridge, grant.ends_at + timedelta(minutes=59), flags.evaluate_due)
    assert "live-past-end" not in {f.rule for f in client.entry(grant.ref).flags}
    later(ridge, grant.ends_at + timedelta(minutes=60), flags.evaluate_due)
    assert "live-past-end" in {f.rule for f in client.entry(grant.ref).flags}
    later(ridge, ridge.clock(), flags.evaluate_all)
    assert "live-past-end" not in {f.rule for f in client.entry(grant.ref).flags}


def test_advice_is_the_narrowest_level_that_covers_what_was_used(client: Client) -> None:
    hanne = next(e for e in client.entries(q="Hanne", account="Bookings"))
    flag = next(f for f in client.flags(entry=hanne.ref) if f.rule == "power-idle")
    told = client.flag(flag.ref).advice
    assert told is None or set(told.drops) <= {"spend", "admit"}
    lise = next(e for e in client.entries(q=f"l.hartnell@{DOMAIN}", account="Bookings"))
    assert client.entry(lise.ref).advice is None, "the provider does not tell which powers she used"
    brightmere = client.entry(next(client.entries(q="Brightmere", provider="Ticket Desk")).ref)
    assert brightmere.advice is not None
    assert (brightmere.advice.level, brightmere.advice.drops) == ("", ["view", "edit", "spend"])


def test_a_change_that_is_too_large_for_its_transaction_is_evaluated_by_a_job_right_after(
    ridge: Ridge, client: Client
) -> None:
    many = MOST_ROWS + 100
    rows = [f"Wall {n % 40},Helper {n},helper{n}@{DOMAIN},view,2020-01-01" for n in range(many)]
    board = client.add_provider("Notice wall", "by-hand", {}).name
    table = [("Account", "Who", "Address", "Powers", "Last used"), *(tuple(row.split(",")) for row in rows)]
    with ridge.call() as call:
        at = call.tx.providers.find(board)
        seen = read_rows(list(enumerate(table, 1)), zone="UTC", provider=board, now=call.now).observation
        assert len(by_hand.take(call, at, seen, "a list", by="Maren Ashdown").new_entries) == many
    assert client.summary(provider=board, rule="unused-past-limit").entries == 0
    ridge.drain()
    assert client.summary(provider=board, rule="unused-past-limit").entries == many
    assert client.summary(provider=board, flagged=True).entries == many
