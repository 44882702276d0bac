"""P2: from the database to flags stored, of a whole holder; P3: flags right again after one entry changed."""

from __future__ import annotations

import time

from bench.holder import connected, made, settle, stack
from bench.measure import Pair, growth, line
from openlatch.core.model import Workspace
from openlatch.operations.call import as_service
from openlatch.operations.rules import flags, whole
from openlatch.wiring import Service

__all__ = ["after_one_change", "database_to_flags"]

SIZES = (2_000, 20_000, 200_000)
ROUNDS = 3
CHANGES = 60
# What the rules read of the tables, and nothing else: the same columns as COPY gives them.
READ = (
    "select e.id, e.account_id, e.party_id, e.provider_id, e.severity, e.outside, e.risk, e.accepted_at, e.basis, "
    "e.by_hand, e.device, e.end_unknown, e.ends_at, e.given_at, e.kind, e.last_used, e.level, e.network, e.power_bits, "
    "e.resources, e.state, e.unknown, e.use_known, e.uses is not null, e.vouched_at, "
    "(e.uses->>'view')::timestamptz, (e.uses->>'edit')::timestamptz, (e.uses->>'publish')::timestamptz, "
    "(e.uses->>'export')::timestamptz, (e.uses->>'spend')::timestamptz, (e.uses->>'withdraw')::timestamptz, "
    "(e.uses->>'admit')::timestamptz, (e.uses->>'own')::timestamptz, "
    "e.reviewed_at[cardinality(e.reviewed_at)], jsonb_array_length(e.dependencies) from entries e "
    "where e.state <> 'ended'",
    "select id, provider_id, risk, criticality, locked, name, practice from accounts",
    "select id, risk, addresses, kind, name, near, near_how, outside, publisher, status, verified from parties",
    "select id, rule, subject, subject_id, severity, facts, accepted_severity, accepted_until from flags "
    "where cleared_at is null",
)


def database_to_flags() -> str:
    """Measure at three sizes, one entry in a hundred changed; the ratio printed is that of the largest."""
    with stack() as running:
        pairs = []
        for size in SIZES:
            workspace = made(running, size)
            _everything(running.service, workspace)
            settle(running.service)
            taken, floors, changed = [], [], 0
            for round_ in range(ROUNDS):
                _touch(running.service, workspace, round_)
                start = time.perf_counter()
                changed = _everything(running.service, workspace)
                taken.append(time.perf_counter() - start)
                floors.append(_floor(running.service, workspace, changed))
            pairs.append(Pair(sorted(taken)[ROUNDS // 2], sorted(floors)[ROUNDS // 2], max(taken)))
    what = (
        "read a whole holder, evaluate all rules, store what differs (1% changed), against COPY of the same out and in"
    )
    return line("P2", what, pairs[-1], SIZES, growth(SIZES, [p.seconds for p in pairs]), flags_changed=changed)


def after_one_change() -> str:
    """Measure how long flags take to be right again after one entry changed, in a large holder and in a small one."""
    with stack() as running:
        sizes = SIZES[:1] + SIZES[-1:]
        found = []
        for size in sizes:
            workspace = made(running, size)
            _everything(running.service, workspace)
            settle(running.service)
            found.append(_changes(running.service, workspace))
    pair = Pair(found[-1], found[0], found[-1])
    what = f"one entry changed, flags right again, with {SIZES[-1]} entries against the same with {SIZES[0]}"
    return line("P3", what, pair, sizes, growth(sizes, found))


def _everything(service: Service, workspace: Workspace) -> int:
    """Evaluate all rules in columns; returns how many flags were raised or cleared by it."""
    with service.store.transaction(workspace.id) as tx:
        call = as_service(tx, service.services)
        whole.evaluate_everything(call)
        now = call.now
    with connected(service, workspace) as connection:
        row = connection.execute(
            "select count(*) from flags where raised_at >= %s or cleared_at >= %s", [now, now]
        ).fetchone()
    return int(row[0]) if row else 0


def _touch(service: Service, workspace: Workspace, round_: int) -> None:
    """Have one entry in a hundred used, or not used for long."""
    statement = (
        "update entries set last_used = now() - case when %(r)s %% 2 = 0 then interval '1 hour' "
        "else interval '200 days' end "
        "where workspace_id = %(w)s and mod(hashtext(id::text), 100) = %(r)s"
    )
    with connected(service, workspace) as connection:
        connection.execute(statement, {"w": workspace.id, "r": round_})
    settle(service)


def _floor(service: Service, workspace: Workspace, changed: int) -> float:
    """Seconds of a bare COPY of the same columns out, and of as many flags in."""
    start = time.perf_counter()
    with connected(service, workspace) as connection, connection.cursor() as cursor:
        for query in READ:
            with cursor.copy(f"copy ({query}) to stdout (format binary)") as copy:
                for _ in copy:
                    pass
        cursor.execute("create temporary table staged as select * from flags limit 0")
        cursor.execute("select * from flags where workspace_id = %s limit %s", [workspace.id, changed])
        rows = cursor.fetchall()
        with cursor.copy("copy staged from stdin") as copy:
            for row in rows:
                copy.write_row(row)
    return time.perf_counter() - start


def _changes(service: Service, workspace: Workspace) -> float:
    """The median of seconds that an evaluation takes within its transaction."""
    with connected(service, workspace) as connection:
        rows = connection.execute("select id from entries order by hashtext(id::text) limit %s", [CHANGES]).fetchall()
    taken = []
    for (entry,) in rows:
        with service.store.transaction(workspace.id) as tx:
            call = as_service(tx, service.services)
            start = time.perf_counter()
            flags.evaluate(call, [entry])
            taken.append(time.perf_counter() - start)
    return sorted(taken)[len(taken) // 2]
