"""A workspace with one provider that lists as many entries as are wanted, all read."""

from __future__ import annotations

import json
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

import httpx

from bench.holder import ADDRESS, PASSWORD, settle
from openlatch.client import Client
from openlatch.core.model import Circle, Provider, Workspace
from openlatch.errors import OpenLatchError
from openlatch.local.stack import Stack
from openlatch.operations.call import as_service
from openlatch.operations.people import people
from openlatch.words import Role

__all__ = ["connected", "desk", "founded", "inventory", "once", "provider"]


@contextmanager
def desk(size: int) -> Iterator[tuple[Stack, Client]]:
    """A workspace with one provider that lists so many entries, read; half of their parties are called first."""
    with tempfile.TemporaryDirectory(prefix="openlatch-bench-", dir="/tmp") as folder:
        Path(folder).chmod(0o711)
        place = Path(folder) / "stack"
        place.mkdir()
        (place / "desk.json").write_text(json.dumps(inventory(size)))
        with Stack(place, fast=True, seeded=False) as stack:
            stack.start_desk()
            founded(stack)
            with connected(stack.url) as client:
                settle(stack.service)
                yield stack, client


def founded(stack: Stack) -> Workspace:
    """Found a workspace with an owner and the desk as its provider."""
    service = stack.service
    circle = Circle(frozenset({"kestrelridge.example"}))
    workspace = Workspace(service.services.new_id(), "holder", "holder", circle=circle)
    settings = {"url": stack.stand_in_url("desk")}
    at = Provider(service.services.new_id(), "Ticket Desk", "feed", settings, read_every=1440)
    with service.store.found(workspace, service.services.clock()) as tx:
        call = as_service(tx, service.services)
        people.add_first(call, "Owner", ADDRESS, Role.OWNER, PASSWORD)
        tx.providers.add(at, call.close(stack.secret("desk")))
    return workspace


@contextmanager
def connected(url: str) -> Iterator[Client]:
    """A client of the owner's, once the desk has been read."""
    client, _ = Client.sign_in(url, workspace="holder", address=ADDRESS, password=PASSWORD)
    with client:
        *_, last = client.follow_reading(client.read("Ticket Desk").id)
        if last.state != "complete":
            raise AssertionError(last.trouble)
        yield client


def inventory(size: int) -> dict[str, Any]:
    """What the desk lists: so many entries, each of another party, ten on an account."""
    kinds = ["delegate"]
    return {
        "page": 1000,
        "description": {
            "feed": "open-latch-feed/1",
            "name": "Ticket Desk",
            "abilities": {"lists": kinds, "ends": kinds},
        },
        "accounts": [{"key": f"a{n}", "name": f"account {n}"} for n in range(max(size // 10, 1))],
        "parties": [
            {
                "key": f"p{n}",
                "kind": "person",
                "name": f"{'first' if n < size // 2 else 'other'} {n}",
                "addresses": [f"p{n}@kestrelridge.example"],
                "verified": True,
            }
            for n in range(size)
        ],
        "entries": [
            {
                "key": f"e{n}",
                "account": f"a{n % max(size // 10, 1)}",
                "party": f"p{n}",
                "kind": "delegate",
                "level": "guide",
                "powers": ["view"],
                "given_at": "2026-05-10T08:00:00Z",
            }
            for n in range(size)
        ],
    }


def once(client: Client, ref: str, there: Callable[[Any], bool]) -> Any:
    """Return the batch once it is so far; the service may be gone in between."""
    end = time.monotonic() + 900
    while time.monotonic() < end:
        with suppress(OpenLatchError):
            batch = client.batch(ref, most=0)
            if there(batch):
                return batch
        time.sleep(0.2)
    raise AssertionError(f"The batch did not come so far in 15 minutes: {client.batch(ref).outcomes}")


def provider(stack: Stack) -> httpx.Client:
    """Bare HTTP to the desk."""
    headers = dict(stack.stand_in_headers("desk"))
    return httpx.Client(base_url=stack.stand_in_url("desk"), headers=headers, timeout=60)
