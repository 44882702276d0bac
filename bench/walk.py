"""Every operation that reads, and those that take long, in holders of three sizes: what grows, and how."""

from __future__ import annotations

import json
import re
import sys
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any

import httpx

from bench.holder import ADDRESS, PASSWORD, made, settle, stack
from bench.measure import growth, service_memory
from openlatch.client import Client
from openlatch.operations.call import as_service
from openlatch.operations.rules import whole
from openlatch.operations.rules.policy_file import BUILT_IN
from openlatch.web.app import description

__all__ = ["walk"]

SIZES = (10_000, 100_000, 1_000_000)
ROUNDS = 3
MEMORY = "(memory of the service and its worker, MB)"
SOON = 1.0
"""Within so many seconds something is to be seen."""
PATIENCE = 1800
MOST_AT_ONCE = 1000
"""So many items of a round are decided in one request."""
ROUND: dict[str, Any] = {"name": "Gate", "reviewers": "named", "named": [ADDRESS], "recurs": "FREQ=MONTHLY;BYDAY=1MO"}
ROUND |= {"where": {"provider": "Gate System"}}
"""A review of up to 10,000 entries, all asked of one person."""
DESCRIBED: Mapping[str, Any] = description()
Seen = dict[str, tuple[float, float]]
"""By operation the seconds to the first byte of its answer, and to the last."""
LISTS: Mapping[str, str] = {
    "account": "/accounts",
    "batch": "/batches",
    "entry": "/entries",
    "flag": "/flags",
    "party": "/parties",
    "person": "/people",
    "provider": "/providers",
    "review": "/reviews",
    "review_round": "/rounds",
    "proposal": "/proposals",
    "event_id": "/log",
}
"""Where the first of each kind of thing is found that an operation can be asked about."""
SORTED = ("/entries?sort={}", "/accounts?sort={}", "/parties?sort={}", "/apps?sort={}")
SOUGHT = (
    "/search?q=party 77",
    "/entries?q=party 77",
    "/entries?q=nobody-of-this-name",
    "/entries?flagged=true&rule=unused-past-limit",
    "/entries?outside=true&power=spend",
    "/parties?q=party 77",
    "/accounts?q=account 77",
    "/flags?severity=high",
    "/log?what=flag.raised",
)


def walk() -> str:
    """Measure at each size; prints a table, and as its last line what took longer than a second to the first byte."""
    sizes = SIZES
    found = {size: _at(size) for size in sizes}
    largest = found[sizes[-1]]
    for name in sorted(largest, key=lambda name: -largest[name][1]):
        seen = [found[size].get(name) for size in sizes]
        cells = [f"{one[0]:.3f} / {one[1]:.3f}" if one else "-" for one in seen]
        known = [max(one[1], 0.001) for one in seen if one]
        exponent = f"{growth(sizes, known):.2f}" if len(known) == len(sizes) > 1 else "-"
        print("|", " | ".join([name, *cells, exponent]), "|")
    late = {name: round(first, 2) for name, (first, _) in largest.items() if first > SOON and name != MEMORY}
    what = f"operations at {' '.join(map(str, sizes))} entries: seconds to the first byte / the last, exponent"
    return json.dumps({"id": "walk", "what": what, "operations": len(largest), "late": late, "sizes": list(sizes)})


def _at(size: int) -> Seen:
    seen: Seen = {}
    with stack() as running:
        start = time.perf_counter()
        workspace = made(running, size)
        print(f"{size}: made in {time.perf_counter() - start:.0f} s", file=sys.stderr, flush=True)
        with running.service.store.transaction(workspace.id) as tx:
            start = time.perf_counter()
            whole.evaluate_everything(as_service(tx, running.service.services))
        took = time.perf_counter() - start
        seen["(first evaluation of all rules)"] = (took, took)
        settle(running.service)
        client, token = Client.sign_in(running.url, workspace=workspace.slug, address=ADDRESS, password=PASSWORD)
        with (
            client,
            httpx.Client(
                base_url=f"{running.url}/api/v1",
                headers={"Authorization": f"Bearer {token.secret}"},
                timeout=PATIENCE,
            ) as http,
        ):
            for name, act in _acts(http):
                took = act()
                seen[name] = (took, took)
                print(f"{size}: {name} {took:.2f}", file=sys.stderr, flush=True)
            for path, described in _paths(http):
                if (taken := _read(http, path)) is not None:
                    seen[f"GET {described}"] = taken
                    print(f"{size}: GET {described} {taken[0]:.3f} {taken[1]:.3f}", file=sys.stderr, flush=True)
        seen[MEMORY] = (service_memory() / 2**20,) * 2
    return seen


def _acts(http: httpx.Client) -> Iterator[tuple[str, Callable[[], float]]]:
    """What takes long, in the order in which it can be done; each returns its seconds until it was through."""

    def post(path: str, body: Any = None, **more: Any) -> Any:
        answer = http.post(path, json=body, **more)
        assert answer.is_success, (path, answer.status_code, answer.text)
        return answer.json() if answer.content else {}

    def timed(work: Callable[[], object]) -> Callable[[], float]:
        def run() -> float:
            start = time.perf_counter()
            work()
            return time.perf_counter() - start

        return run

    def until(path: str, done: Callable[[Any], bool]) -> Any:
        end = time.monotonic() + PATIENCE
        while not done(answer := http.get(path).raise_for_status().json()):
            if time.monotonic() > end:
                raise TimeoutError(path)
            time.sleep(0.2)
        return answer

    review = post("/reviews/check", ROUND)
    kept: dict[str, str] = {}
    yield f"POST /reviews/check ({review['entries']} entries)", timed(lambda: post("/reviews/check", ROUND))
    post("/reviews", ROUND)

    def opened() -> None:
        kept["round"] = f"/rounds/{post('/reviews/Gate/rounds')['ref']}"

    yield "POST /reviews/{review}/rounds (a round of it)", timed(opened)
    places = range(1, http.get(kept["round"]).raise_for_status().json()["count"] + 1)

    def decided(some: Sequence[int]) -> None:
        for start in range(0, len(some), MOST_AT_ONCE):
            sent = {"places": list(some[start : start + MOST_AT_ONCE]), "choice": "keep", "reason": "Seen"}
            post(f"{kept['round']}/decisions", sent)

    yield "POST /rounds/{round}/decisions (1,000 items)", timed(lambda: decided(places[:MOST_AT_ONCE]))
    yield "POST /rounds/{round}/decisions (all others)", timed(lambda: decided(places[MOST_AT_ONCE:]))
    sent_back = {"places": [], "choice": "end-now"}
    yield "POST /rounds/{round}/plan", timed(lambda: post(f"{kept['round']}/plan", sent_back))
    yield "POST /rounds/{round}/finish", timed(lambda: post(f"{kept['round']}/finish", {"count": None}))
    yield (
        "(a round until it is closed)",
        timed(lambda: until(kept["round"], lambda seen: seen["closed_at"])),
    )
    few = {"provider": "Gate System", "power": "spend"}
    yield "POST /batches/plan", timed(lambda: post("/batches/plan", {"where": few, "action": "end"}))
    stricter = {"text": BUILT_IN.replace('unused = "90d"', 'unused = "60d"')}
    yield "POST /policy/try", timed(lambda: post("/policy/try", stricter))
    entry = http.get("/entries?limit=1").raise_for_status().json()["items"][0]["ref"]

    def proposed(change: dict[str, str]) -> None:
        ref = post("/proposals", {"body": {"proposal": 1, "title": change["do"], "changes": [change]}})["ref"]
        seen = until(f"/proposals/{ref}", lambda seen: seen["state"] != "working")
        assert seen["state"] == "done", seen

    yield "POST /proposals (an entry ends), until worked out", timed(lambda: proposed({"do": "end", "entry": entry}))


def _paths(http: httpx.Client) -> Iterator[tuple[str, str]]:
    """Every address that can be read, as it is asked and as it is described."""
    refs = {name: _first(http, path) for name, path in LISTS.items()}
    for path, about in DESCRIBED["paths"].items():
        if "get" not in about:
            continue
        names = re.findall(r"\{(\w+)\}", path)
        if all(refs.get(name) for name in names):
            asked = path.format(**{name: refs[name] for name in names})
            yield asked, path
    for path in SOUGHT:
        yield path, path
    queries = {path: about["get"].get("parameters", ()) for path, about in DESCRIBED["paths"].items() if "get" in about}
    for template in SORTED:
        for parameter in queries[template.partition("?")[0]]:
            if parameter["name"] == "sort":
                for word in _words(parameter["schema"]):
                    yield template.format(word), template.format(word)


def _words(schema: Mapping[str, Any]) -> Sequence[str]:
    """The words that a parameter can be."""
    if "$ref" in schema:
        name = schema["$ref"].rpartition("/")[2]
        return _words(DESCRIBED["components"]["schemas"][name])
    words: Sequence[str] = schema.get("enum", ())
    return words


def _first(http: httpx.Client, path: str) -> str:
    answer = http.get(path)
    items = answer.json().get("items", []) if answer.is_success else []
    return str(items[0].get("ref") or items[0]["id"]) if items else ""


def _read(http: httpx.Client, path: str) -> tuple[float, float] | None:
    """The median of a few requests; of what takes long, of one. None of what cannot be asked like this."""
    taken = []
    for _ in range(ROUNDS):
        start = time.perf_counter()
        first = 0.0
        with http.stream("GET", path) as answer:
            for _piece in answer.iter_raw():
                first = first or time.perf_counter() - start
        whole = time.perf_counter() - start
        taken.append((first or whole, whole))
        if not answer.is_success:
            print(f"{path}: {answer.status_code}", file=sys.stderr, flush=True)
            return None
        if whole > 5 * SOON:
            break
    return sorted(taken)[len(taken) // 2]
