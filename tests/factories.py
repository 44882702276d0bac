"""Values of the core with every field filled in, each of which a test can override."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any
from uuid import UUID

from openlatch.core.ids import uuid7
from openlatch.core.model import Account, Entry, Party
from openlatch.core.providers.observation import ObservedAccount, ObservedEntry, ObservedParty
from openlatch.words import Kind, PartyKind, Power

NOW = datetime(2026, 5, 10, 12, tzinfo=UTC)
PROVIDER = UUID(int=1)


def ago(days: float) -> datetime:
    """An instant so many days before NOW."""
    return NOW - timedelta(days=days)


def ids() -> Callable[[], UUID]:
    """A source of new ids, different and always the same ones."""
    numbers = itertools.count(1)
    return lambda: uuid7(NOW, next(numbers))


_new = ids()


def party(**overrides: Any) -> Party:
    values = {"id": _new(), "kind": PartyKind.PERSON, "name": "Orla Finch", "addresses": ("orla@kestrelridge.example",)}
    return Party(**values | overrides)


def account(**overrides: Any) -> Account:
    return Account(**{"id": _new(), "provider_id": PROVIDER, "key": "gate", "name": "Gate"} | overrides)


def entry(**overrides: Any) -> Entry:
    values: dict[str, Any] = {
        "id": _new(),
        "provider_id": PROVIDER,
        "account_id": _new(),
        "party_id": _new(),
        "key": f"delegate:{_new()}",
        "kind": Kind.DELEGATE,
        "level": "guide",
        "powers": (Power.VIEW,),
        "given_at": ago(300),
        "use_known": True,
        "last_used": ago(1),
    }
    return Entry(**values | overrides)


def observed(key: str, person: str = "orla", **overrides: Any) -> ObservedEntry:
    values = {"account": "gate", "kind": Kind.DELEGATE, "level": "guide", "powers": (Power.VIEW,), "use_known": True}
    return ObservedEntry(key=key, party=person, **values | overrides)


def observed_party(key: str, *addresses: str) -> ObservedParty:
    return ObservedParty(key, PartyKind.PERSON, key.title(), addresses or (f"{key}@kestrelridge.example",))


GATE = ObservedAccount("gate", "Gate")
