"""Everything is looked at beside whoever changes it: nothing of theirs is undone by that, and nothing is missed."""

from __future__ import annotations

from collections.abc import Callable
from random import Random

import pytest
from sqlalchemy import text

from openlatch.client import Client
from openlatch.demo.seed import SLUG
from openlatch.operations.call import Call, as_service
from openlatch.operations.rules import flags, whole
from openlatch.operations.rules.policy_file import BUILT_IN
from openlatch.words import Criticality, Subject
from tests.harness.ridge import Ridge

Act = Callable[[Random, Client], None]
Marks = dict[str, tuple[object, ...]]


@pytest.fixture
def ridge(apart: Ridge) -> Ridge:
    return apart


def accept(chance: Random, client: Client) -> None:
    client.accept(chance.choice(list(client.flags())).ref, "Known")


def refuse(chance: Random, client: Client) -> None:
    accepted = list(client.flags(state="accepted"))
    if accepted:
        client.refuse(chance.choice(accepted).ref)


def describe(chance: Random, client: Client) -> None:
    account = chance.choice(list(client.accounts()))
    client.describe_account(account.ref, criticality=chance.choice(list(Criticality)).value)


def gone(chance: Random, client: Client) -> None:
    client.gone(chance.choice([entry for entry in client.entries() if entry.by_hand]).ref, "Looked at it")


def vouch(chance: Random, client: Client) -> None:
    client.vouch(chance.choice([entry for entry in client.entries() if entry.by_hand]).ref)


def tell(chance: Random, client: Client) -> None:
    account = chance.choice(list(client.accounts()))
    client.record_secret(account.ref, f"n{chance.random()}@elsewhere.example", "door code", somebody_else=True)


ACTS: tuple[Act, ...] = (accept, accept, refuse, describe, describe, gone, vouch, tell)


def marks(client: Client) -> Marks:
    """What stands: each flag by its id, and what is kept beside entries, accounts and parties."""
    every = [*client.flags(), *client.flags(state="accepted")]
    kept: Marks = {str(f.id): (f.rule, f.about.id, f.severity, f.facts, f.accepted is not None) for f in every}
    kept |= {e.ref: (e.risk, sorted(f.rule for f in e.flags), e.party.outside) for e in client.entries()}
    kept |= {a.ref: (a.risk,) for a in client.accounts()}
    return kept | {p.ref: (p.risk,) for p in client.parties()}


def used_long_ago(ridge: Ridge, chance: Random) -> None:
    """Change entries without anybody looking at them: as many as a whole evaluation then finds something about."""
    with ridge.store.transaction(SLUG) as tx:
        statement = (
            "update entries set last_used = last_used - :days * interval '1 day' where hashtext(ref) % 2 = :half"
        )
        tx._session.execute(text(statement), {"days": chance.randrange(30, 400), "half": chance.randrange(2)})


def beside(ridge: Ridge, monkeypatch: pytest.MonkeyPatch, meanwhile: Callable[[], None]) -> bool:
    """Look at everything, with something done between looking and storing."""
    look = whole._look_at_everything

    def interrupted(call: Call) -> flags._Seen:
        seen = look(call)
        meanwhile()
        return seen

    with ridge.store.transaction(SLUG) as tx:
        whole.begin_beside(as_service(tx, ridge.services))
    with monkeypatch.context() as patched, ridge.store.transaction(SLUG) as tx:
        patched.setattr(whole, "_look_at_everything", interrupted)
        return whole.evaluate_beside(as_service(tx, ridge.services))


def in_turn(ridge: Ridge) -> None:
    with ridge.store.transaction(SLUG) as tx:
        whole.evaluate_everything(as_service(tx, ridge.services))


def size(ridge: Ridge) -> int:
    with ridge.store.transaction(SLUG) as tx:
        rows = tx._session.execute(text("select count(*) from events"))
        return int(rows.scalar_one())


def test_what_others_do_meanwhile_stays_and_nothing_is_missed(
    ridge: Ridge, client: Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    for seed in range(6):
        chance = Random(seed)
        used_long_ago(ridge, chance)
        accept(chance, client)
        told: dict[str, object] = {}

        def meanwhile(chance: Random = chance, told: dict[str, object] = told) -> None:
            for act in chance.choices(ACTS, k=5):
                act(chance, client)
            told.update({str(f.id): f.accepted for f in client.flags(state="accepted")})

        before = size(ridge)
        assert beside(ridge, monkeypatch, meanwhile)
        assert size(ridge) > before
        assert {str(f.id): f.accepted for f in client.flags(state="accepted")} == told
        seen, logged = marks(client), size(ridge)
        in_turn(ridge)
        assert marks(client) == seen, f"seed {seed}: looked at alone, there is nothing left to change"
        assert size(ridge) == logged


def test_where_too_much_changes_or_the_policy_everything_is_looked_at_anew(
    ridge: Ridge, client: Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    def much() -> None:
        with ridge.store.transaction(SLUG) as tx:
            flags.evaluate_later(as_service(tx, ridge.services))

    def adopt() -> None:
        client.adopt_policy(BUILT_IN.replace('unused = "90d"', 'unused = "50d"'))

    for meanwhile in (much, adopt):
        used_long_ago(ridge, Random(1))
        before, logged = marks(client), size(ridge)
        assert not beside(ridge, monkeypatch, meanwhile)
        if meanwhile is much:
            assert (marks(client), size(ridge)) == (before, logged), "nothing was stored"
        in_turn(ridge)
        assert marks(client) != before


def test_nothing_is_noted_while_nobody_looks_at_everything(ridge: Ridge, client: Client) -> None:
    def noted() -> int:
        with ridge.store.transaction(SLUG) as tx:
            return int(tx._session.execute(text("select count(*) from looks")).scalar_one())

    accept(Random(2), client)
    assert noted() == 0
    with ridge.store.transaction(SLUG) as tx:
        whole.begin_beside(as_service(tx, ridge.services))
    accept(Random(3), client)
    assert noted() > 1
    with ridge.store.transaction(SLUG) as tx:
        looked = tx.flags.looks()
        assert looked is not None
        assert any(looked[subject] for subject in Subject)
    assert noted() == 0
