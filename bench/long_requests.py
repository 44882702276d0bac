"""What one long request costs: how fast it is, how much memory it takes, and how long others wait meanwhile."""

from __future__ import annotations

import json
import statistics
import threading
import time
from collections.abc import Callable

import httpx

from bench.holder import ADDRESS, PASSWORD, connected, made, stack
from bench.measure import service_memory, side_by_side
from openlatch.client import Client
from openlatch.core.model import Workspace
from openlatch.local.stack import Stack
from openlatch.operations.call import as_service
from openlatch.operations.rules import whole

__all__ = ["export", "importing"]

EXPORTED = 100_000
IMPORTED = 60_000
ROUNDS = 3
QUIET = 60


def export() -> str:
    """Export a large inventory as CSV, by itself and while somebody else looks at a page of it."""
    with stack() as running:
        workspace = made(running, EXPORTED)
        with running.service.store.transaction(workspace.id) as tx:
            whole.evaluate_everything(as_service(tx, running.service.services))
        url, headers = _signed_in(running, workspace.slug)
        first, sent = [0.0], [0]

        def long() -> None:
            start = time.perf_counter()
            with httpx.stream("GET", f"{url}/entries/export?format=csv", headers=headers, timeout=600) as answer:
                answer.raise_for_status()
                for piece in answer.iter_bytes():
                    first[0] = first[0] or time.perf_counter() - start
                    sent[0] += piece.count(b"\r\n")

        pair = side_by_side(long, lambda: _copied(running, workspace), ROUNDS)
        assert sent[0] == ROUNDS * (EXPORTED + 1), sent
        told = _beside(running, workspace.slug, long)
    return _line(
        "export",
        EXPORTED,
        told,
        first_byte_seconds=round(first[0], 2),
        alone_seconds=round(pair.seconds, 2),
        floor_seconds=round(pair.floor, 2),
        ratio=round(pair.seconds / pair.floor, 2),
    )


def _copied(running: Stack, workspace: Workspace) -> None:
    """The same rows as the database gives them by itself: with their accounts, parties, providers and flags."""
    query = (
        "select e.*, p.*, a.*, v.name, v.last_complete, f.facts from entries e "
        "join parties p on p.workspace_id = e.workspace_id and p.id = e.party_id "
        "join accounts a on a.workspace_id = e.workspace_id and a.id = e.account_id "
        "join providers v on v.workspace_id = e.workspace_id and v.id = e.provider_id "
        "left join lateral (select array_agg(facts) as facts from flags f where f.workspace_id = e.workspace_id "
        "and f.subject_id in (e.id, e.party_id) and f.cleared_at is null) f on true "
        "where e.state <> 'ended' order by -e.severity, coalesce(e.last_used, 'epoch'), e.id"
    )
    copied = f"copy ({query}) to stdout (format csv)"
    with (
        connected(running.service, workspace) as connection,
        connection.cursor() as cursor,
        cursor.copy(copied) as copy,
    ):
        for _ in copy:
            pass


def importing() -> str:
    """Import a long list that somebody keeps by hand while somebody else looks at a page of the inventory."""
    lines = ["party,addresses,account,level,powers"]
    lines += [f"Person {n},p{n}@a.example,Account {n % 50},member,view" for n in range(IMPORTED)]
    with stack() as running:
        workspace = made(running, 1000)
        url, headers = _signed_in(running, workspace.slug)
        body = {"name": "List", "connector": "by-hand", "settings": {}, "secret": ""}
        provider = httpx.post(f"{url}/providers", json=body, headers=headers).raise_for_status().json()["id"]
        content = "\n".join(lines).encode()
        begun = [0.0]

        def long() -> None:
            sent = headers | {"Content-Type": "text/csv", "Idempotency-Key": "one"}
            start = time.perf_counter()
            where = f"{url}/providers/{provider}/imports"
            answer = httpx.post(where, content=content, headers=sent, timeout=900).raise_for_status()
            begun[0] = time.perf_counter() - start
            made = answer.json()["made"]
            while made["finished_at"] is None:
                time.sleep(0.5)
                made = httpx.get(f"{url}/imports/{made['id']}", headers=headers, timeout=60).raise_for_status().json()
            assert (made["state"], made["counts"]["new"]) == ("done", IMPORTED), made

        told = _beside(running, workspace.slug, long)
    return _line("import", IMPORTED, told, request_seconds=round(begun[0], 2))


def _signed_in(stack: Stack, slug: str) -> tuple[str, dict[str, str]]:
    """The address of the API, and what proves who we are: a token of its own each time."""
    client, token = Client.sign_in(stack.url, workspace=slug, address=ADDRESS, password=PASSWORD)
    client.close()
    return f"{stack.url}/api/v1", {"Authorization": f"Bearer {token.secret}"}


def _beside(stack: Stack, slug: str, long: Callable[[], None]) -> dict[str, float]:
    """Seconds of something long, the memory it adds, and what a page costs others before it and meanwhile."""
    url, other = _signed_in(stack, slug)
    with httpx.Client(base_url=url, headers=other, timeout=120) as http:

        def page() -> float:
            start = time.perf_counter()
            http.get("/entries?limit=100&sort=party").raise_for_status()
            return time.perf_counter() - start

        page()
        quiet = [page() for _ in range(QUIET)]
        before, peak, meanwhile = service_memory(), 0, list[float]()
        failed: list[BaseException] = []

        def run() -> None:
            try:
                long()
            except BaseException as error:
                failed.append(error)

        work = threading.Thread(target=run)
        start = time.perf_counter()
        work.start()
        while work.is_alive():
            meanwhile.append(page())
            peak = max(peak, service_memory())
            time.sleep(0.05)
        seconds = time.perf_counter() - start
        if failed:
            raise failed[0]
    return {
        "seconds": seconds,
        "before": before / 2**20,
        "megabytes": (peak - before) / 2**20,
        "others": statistics.median(meanwhile) / statistics.median(quiet),
        "worst": max(meanwhile),
        "calls": len(meanwhile),
    }


def _line(name: str, rows: int, told: dict[str, float], **more: float) -> str:
    return json.dumps(
        {
            "benchmark": name,
            "what": f"{rows} entries in one request, while somebody else looks at a page every 50 ms",
            "seconds": round(told["seconds"], 1),
            "rows_a_second": round(rows / told["seconds"]),
            "megabytes": round(told["before"], 1),
            "added_megabytes": round(told["megabytes"], 1),
            "others_latency_ratio": round(told["others"], 2),
            "others_worst_seconds": round(told["worst"], 2),
            "others_calls": int(told["calls"]),
            **more,
        }
    )
