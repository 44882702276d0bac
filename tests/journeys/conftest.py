"""What the journeys share: entries that nobody else ends, and Ticket Desk's faults."""

from __future__ import annotations

import contextlib
import json
from collections.abc import Callable, Iterator
from typing import Any

import httpx
import pytest

from openlatch.client import Client
from openlatch.local.stack import Stack
from openlatch.wire import messages as wire


class Desk:
    """The stand-in for Ticket Desk, made to misbehave for as long as a test wants it to."""

    def __init__(self, stack: Stack) -> None:
        self._http = httpx.Client(
            base_url=stack.stand_in_url("desk"), headers=dict(stack.stand_in_headers("desk")), timeout=30
        )

    def set(self, **faults: Any) -> None:
        self._http.put("/faults", json=faults).raise_for_status()

    @contextlib.contextmanager
    def fault(self, **faults: Any) -> Iterator[None]:
        self.set(**faults)
        try:
            yield
        finally:
            self.set(**dict.fromkeys(faults))

    def effects(self, entry: wire.Entry) -> int:
        """How often an ending really took effect."""
        return [e["entry"] for e in self._http.get("/effects").json()["effects"]].count(entry.key)

    def end_behind_our_back(self, entry: wire.Entry) -> None:
        body = {"entry": entry.key, "party": "-"}
        self._http.post("/endings", json=body, headers={"Idempotency-Key": f"theirs-{entry.key}"}).raise_for_status()

    def refuse(self, entry: wire.Entry, reason: str | None) -> None:
        """Have the desk refuse to end one more entry, or end it again."""
        self._refused = {**getattr(self, "_refused", {}), entry.key: reason}
        self.set(refuse={key: why for key, why in self._refused.items() if why})

    def close(self) -> None:
        self._http.close()


@pytest.fixture
def desk(stack: Stack) -> Iterator[Desk]:
    desk = Desk(stack)
    yield desk
    desk.close()


@pytest.fixture(scope="session")
def _taken() -> set[str]:
    return set()


@pytest.fixture
def spare(client: Client, _taken: set[str]) -> Callable[[], wire.Entry]:
    """Return a guide's or a visitor desk's entry on Bookings that no other test has had."""

    def take() -> wire.Entry:
        for entry in client.entries(account="Bookings", state="live", sort="party"):
            if entry.level in ("guide", "visitor desk") and entry.ref not in _taken:
                _taken.add(entry.ref)
                return entry
        raise LookupError("every spare entry is taken")

    return take


def read(client: Client, provider: str = "Ticket Desk") -> wire.Reading:
    """Read a provider and return how it ended."""
    started = client.read(provider)
    return list(client.follow_reading(started.id))[-1]


def settle(client: Client, order: str) -> wire.Order:
    """Follow an order until it is proved, cancelled or stuck."""
    return list(client.follow(order))[-1]


def events(client: Client, entry: wire.Entry) -> list[str]:
    """What the log says happened to an entry, the first first."""
    return [event.content["act"] for event in client.events(entry.id, oldest=True)]


def problem(answer: httpx.Response) -> dict[str, Any]:
    """The problem document of an answer, which every error has to be."""
    assert answer.headers["Content-Type"] == "application/problem+json", answer.text
    found: dict[str, Any] = json.loads(answer.content)
    assert found["status"] == answer.status_code
    assert found["detail"]
    assert found["next"]
    return found
