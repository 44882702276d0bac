"""No statement turns quadratic: the plans of all that a first reading of a large provider needs, and of a later one.

On a database that nobody has analysed the planner knows next to nothing: there a join without a key in it, or with
something staged of which it has no statistics, becomes a loop over everything.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any
from uuid import uuid4

from sqlalchemy import event

from openlatch.core.model import Abilities, Circle, Provider, Reading, Workspace
from openlatch.core.providers.observation import (
    Observation,
    ObservedAccount,
    ObservedEntry,
    ObservedMembership,
    ObservedParty,
)
from openlatch.operations.call import as_service
from openlatch.operations.providers import readings
from openlatch.words import Kind, PartyKind, Power, ReadingOutcome, ReadingState
from tests.harness.ridge import Ridge

MANY = 4_000
LARGE = {"staged", "entries", "parties", "identifiers", "memberships", "flags", "events", "facts"}


@contextmanager
def explained(ridge: Ridge) -> Iterator[list[tuple[str, dict[str, Any]]]]:
    """The plan of every statement that is sent meanwhile, as the planner has it at that moment."""
    plans: list[tuple[str, dict[str, Any]]] = []

    def look(_connection: Any, cursor: Any, statement: str, parameters: Any, _context: Any, many: bool) -> None:
        if many or statement.split(None, 1)[0].lower() not in ("select", "insert", "update", "delete", "with"):
            return
        with cursor.connection.cursor() as beside:
            (value,) = beside.execute(f"explain (format json) {statement}", parameters).fetchone()
        plans.append((statement, (json.loads(value) if isinstance(value, str) else value)[0]["Plan"]))

    engine = ridge.store._engine
    event.listen(engine, "before_cursor_execute", look)
    try:
        yield plans
    finally:
        event.remove(engine, "before_cursor_execute", look)


def quadratic(plan: dict[str, Any]) -> list[str]:
    """The large tables that a plan looks through as a whole, once for each row of something else."""
    children = plan.get("Plans", [])
    texts = [name for child in children for name in quadratic(child)]
    if plan["Node Type"] == "Nested Loop":
        texts += looked_through(children[1])
    return texts


def looked_through(plan: dict[str, Any]) -> list[str]:
    """The large tables that are read from end to end each time that the inner side of a loop is begun anew."""
    own = [plan["Relation Name"]] if plan["Node Type"] == "Seq Scan" and plan["Relation Name"] in LARGE else []
    return own + [name for value in plan.get("Plans", []) for name in looked_through(value)]


def shown(level: str) -> Observation:
    parties = tuple(
        ObservedParty(f"p{n}", PartyKind.PERSON, f"Someone {n}", (f"p{n}@ridge.example",), verified=True)
        for n in range(MANY)
    )
    entries = tuple(
        ObservedEntry(f"e{n}", f"a{n % 60}", f"p{n}", Kind.DELEGATE, level, (Power.VIEW, Power.SPEND))
        for n in range(MANY)
    )
    crew = ObservedParty("crew", PartyKind.TEAM, "Crew")
    accounts = tuple(ObservedAccount(f"a{n}", f"Account {n}") for n in range(60))
    members = tuple(ObservedMembership("crew", party.key) for party in parties)
    return Observation(ReadingOutcome.COMPLETE, accounts, (*parties, crew), entries, members)


def test_no_statement_of_a_reading_looks_at_every_pair_of_rows(blank: Ridge) -> None:
    service = blank.service
    workspace = Workspace(uuid4(), "large", "A large holder", circle=Circle(frozenset({"ridge.example"})))
    provider = Provider(uuid4(), "Ticket Desk", "feed", {"url": "http://desk.example"})
    with service.store.found(workspace, service.services.clock()) as tx:
        tx.providers.add(provider, b"")

    def read(observation: Observation) -> Reading:
        wanted = Reading(uuid4(), provider.id, ReadingState.RUNNING, "test", service.services.clock())
        with service.store.transaction(workspace.id) as tx:
            reading, _ = tx.readings.open(wanted)
        with service.store.transaction(workspace.id) as tx:
            return readings.conclude(as_service(tx, service.services), reading, observation, Abilities())

    with explained(blank) as plans:
        first, second = read(shown("guide")), read(shown("editor"))
    assert (first.counts["new"], second.counts["changed"]) == (MANY, MANY)
    staged = {statement.split(None, 3)[1] for statement, _ in plans if "staged" in statement}
    assert len(staged) > 1, "it sees the statements that matter"
    wrong = {statement[:300]: texts for statement, plan in plans if (texts := quadratic(plan))}
    assert wrong == {}
