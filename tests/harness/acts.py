"""What tests do with a product again and again, whichever way it runs: read, settle, look into the log, misbehave."""

from __future__ import annotations

import contextlib
import json
from collections.abc import Iterable, Iterator, Mapping
from typing import Any, Protocol

import httpx

from openlatch.client import Client
from openlatch.demo.cast import DOMAIN
from openlatch.wire import messages as wire


class Outside(Protocol):
    """Whatever has stand-ins that run: a stack, or the product in this process."""

    def stand_in_url(self, name: str) -> str: ...

    def stand_in_headers(self, name: str) -> Mapping[str, str]: ...


class Desk:
    """The stand-in for Ticket Desk, or another one, made to misbehave for as long as a test wants it to."""

    def __init__(self, outside: Outside, name: str = "desk", transport: httpx.BaseTransport | None = None) -> None:
        url, headers = outside.stand_in_url(name), dict(outside.stand_in_headers(name))
        self._http = httpx.Client(base_url=url, headers=headers, timeout=30, transport=transport)
        self._refused: dict[str, str] = {}

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
        """How often a change of an entry really took effect."""
        return [e["entry"] for e in self._http.get("/effects").json()["effects"]].count(entry.key)

    def end_behind_our_back(self, entry: wire.Entry) -> None:
        body = {"entry": entry.key, "party": "-"}
        self._http.post("/endings", json=body, headers={"Idempotency-Key": f"theirs-{entry.key}"}).raise_for_status()

    def give(self, account: str, party: str, level: str, ends_at: str) -> None:
        """Someone is let in at the provider itself."""
        body = {"account": account, "party": party, "kind": "grant", "level": level, "ends_at": ends_at}
        key = {"Idempotency-Key": f"theirs-{account}-{party}-{level}"}
        assert self._http.post("/givings", json=body, headers=key).json()["outcome"] == "given"

    def disable(self, person: str) -> None:
        """Someone is made inactive at a directory itself."""
        body = {"Operations": [{"op": "replace", "path": "active", "value": False}]}
        self._http.patch(f"/Users/{person}", json=body).raise_for_status()

    def refuse(self, entry: wire.Entry, reason: str | None) -> None:
        """Have the desk refuse to end one more entry, or end it again."""
        self._refused = {key: why for key, why in (self._refused | {entry.key: reason or ""}).items() if why}
        self.set(refuse=self._refused)

    def close(self) -> None:
        self._http.close()


class Spares:
    """Guides' and visitor desks' entries on Bookings, each given out once."""

    def __init__(self, but: Iterable[wire.Entry] = ()) -> None:
        self._taken = {entry.ref for entry in but}

    def take(self, client: Client) -> wire.Entry:
        for entry in client.entries(account="Bookings", state="live", sort="party"):
            if entry.level in ("guide", "visitor desk") and entry.ref not in self._taken:
                self._taken.add(entry.ref)
                return entry
        raise LookupError("every spare entry is taken")


def read(client: Client, provider: str = "Ticket Desk") -> wire.Reading:
    """Read a provider and return how it ended."""
    return list(client.follow_reading(client.read(provider).id))[-1]


def settle(client: Client, order: str) -> wire.Order:
    """Follow an order until it is proved, cancelled or stuck."""
    return list(client.follow(order))[-1]


def events(client: Client, entry: wire.Entry) -> list[str]:
    """What the log says happened to an entry, the first first."""
    return [event.content["act"] for event in client.events(entry.id, oldest=True)]


def problem(answer: httpx.Response) -> dict[str, Any]:
    """The problem document of an answer, which every error has to be."""
    assert answer.headers["Content-Type"] == "application/problem+json", answer.text
    document: dict[str, Any] = json.loads(answer.content)
    assert document["status"] == answer.status_code
    assert document["detail"]
    assert document["next"]
    return document


def review(client: Client, name: str, party: str, **more: Any) -> wire.Round:
    """A round about everything that one party has, put to Ines Okoro."""
    fields = {
        "named": [f"ines.okoro@{DOMAIN}"],
        "recurs": "FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=29",
        "where": {"party": party},
        **more,
    }
    client.add_review(name, **fields)
    return client.open_round(name)
