"""Small inventories at random, in the three forms in which they are evaluated: rows, columns, and CEL values."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from random import Random
from typing import Any

import polars as pl

from openlatch.core.powers import ORDER
from openlatch.core.rules.catalogue import COLUMNS, FIELDS, mask
from openlatch.core.rules.check import EPOCH, micros
from openlatch.core.rules.frames import Frames
from openlatch.core.rules.program import Program
from openlatch.core.rules.singly import Row
from openlatch.core.rules.tree import Type
from openlatch.words import Power, Subject
from tests.factories import NOW

Values = Mapping[str, Any]
DTYPES = {
    Type.BOOL: pl.Boolean,
    Type.INT: pl.Int64,
    Type.STRING: pl.String,
    Type.TIME: pl.Int64,
    Type.DURATION: pl.Int64,
    Type.STRINGS: pl.List(pl.String),
    Type.POWERS: pl.Int64,
}
WORDS = ["", "a", "view", "Orla", 'q"uote\\', "é\n", "kestrelridge.example"]
KINDS = ["delegate", "grant", "app", "session", "offer", "secret", "open"]
CHOICES = {
    "entry_kind": KINDS,
    "entry_state": ["offered", "live", "paused", "ending"],
    "account_criticality": ["minor", "normal", "vital"],
    "party_kind": ["person", "team", "app", "anyone"],
    "party_status": ["current", "left", "unknown"],
}
EDGES = [NOW - timedelta(microseconds=1), NOW, NOW + timedelta(microseconds=1)]


def _value(name: str, chance: Random) -> Any:
    column = COLUMNS[name]
    if name in CHOICES:
        return chance.choice(CHOICES[name])
    if column.maybe and chance.random() < 0.3:
        return None
    match column.type:
        case Type.BOOL:
            return chance.random() < 0.5
        case Type.INT:
            return chance.randrange(4)
        case Type.STRING:
            return chance.choice(WORDS)
        case Type.TIME:
            return chance.choice([*EDGES, *(NOW + timedelta(days=chance.randint(-40, 40)) for _ in range(9))])
        case Type.DURATION:
            return timedelta(days=chance.randrange(40))
        case Type.STRINGS:
            return chance.sample(WORDS, chance.randrange(3))
    return set(chance.sample(list(Power), chance.randrange(4)))


def _of(table: str, chance: Random) -> dict[str, Any]:
    names = [name for name in COLUMNS if name.startswith(f"{table}_") and not name.endswith("_id")]
    return {name: _value(name, chance) for name in names}


@dataclass(frozen=True, slots=True)
class Inventory:
    """Entries with the places of their account and party; accounts with that of their provider."""

    providers: list[dict[str, Any]]
    accounts: list[tuple[dict[str, Any], int]]
    parties: list[dict[str, Any]]
    entries: list[tuple[dict[str, Any], int, int]]

    def wide(self, place: int) -> dict[str, Any]:
        """One entry with its account, its party and its provider."""
        own, account, party = self.entries[place]
        return {
            "entry_id": place,
            "account_id": account,
            "party_id": party,
            **own,
            **self.account(account),
            **self.parties[party],
        }

    def account(self, place: int) -> dict[str, Any]:
        own, provider = self.accounts[place]
        return {"account_id": place, **own, **self.providers[provider]}

    def rows(self, program: Program) -> dict[Subject, list[Row]]:
        """The rows that a program reads, of every kind of subject."""
        whole = {
            Subject.ENTRY: [self.wide(place) for place in range(len(self.entries))],
            Subject.ACCOUNT: [self.account(place) for place in range(len(self.accounts))],
            Subject.PARTY: [{"party_id": place, **document} for place, document in enumerate(self.parties)],
        }
        return {
            s: [tuple(plain(document[c]) for c in program.columns(s)) for document in ones] for s, ones in whole.items()
        }

    def frames(self) -> Frames:
        """The inventory as columns."""
        entries = [
            {"entry_id": n, "account_id": a, "party_id": p, "provider_id": self.accounts[a][1], **own}
            for n, (own, a, p) in enumerate(self.entries)
        ]
        accounts = [{"account_id": n, "provider_id": p, **own} for n, (own, p) in enumerate(self.accounts)]
        parties = [{"party_id": n, **document} for n, document in enumerate(self.parties)]
        providers = [{"provider_id": n, **fields} for n, fields in enumerate(self.providers)]
        return Frames(
            *(
                _frame(t, rows)
                for t, rows in (("entry", entries), ("account", accounts), ("party", parties), ("provider", providers))
            )
        )


def _frame(table: str, rows: list[dict[str, Any]]) -> pl.DataFrame:
    keys = {"entry": ["entry_id", "account_id", "party_id", "provider_id"], "account": ["account_id", "provider_id"]}
    schema: dict[str, Any] = dict.fromkeys(keys.get(table, [f"{table}_id"]), pl.Int64)
    schema |= {n: DTYPES[c.type] for n, c in COLUMNS.items() if n.startswith(f"{table}_") and not n.endswith("_id")}
    return pl.DataFrame([{n: plain(row[n]) for n in schema} for row in rows], schema=schema)


def plain(value: Any) -> Any:
    """A value as columns and rows keep it."""
    if isinstance(value, datetime):
        return micros(value - EPOCH)
    if isinstance(value, timedelta):
        return micros(value)
    return mask(value) if isinstance(value, set) else value


def inventory(chance: Random, entries: int) -> Inventory:
    """An inventory at random of two accounts, two parties and so many entries."""
    return Inventory(
        [_of("provider", chance) for _ in range(2)],
        [(_of("account", chance), chance.randrange(2)) for _ in range(2)],
        [_of("party", chance) for _ in range(2)],
        [(_of("entry", chance), chance.randrange(2), chance.randrange(2)) for _ in range(entries)],
    )


# What a condition sees, said once more and by other means than the catalogue's trees.


def seen(inventory: Inventory, subject: Subject, place: int) -> dict[str, Any]:
    """What a condition on a subject can name: records without what is absent."""
    if subject is Subject.ENTRY:
        wide = inventory.wide(place)
        return records(inventory, wide) | {
            "account": _with_entries(inventory, "account", wide["account_id"]),
            "party": _with_entries(inventory, "party", wide["party_id"]),
        }
    documents = {str(subject): _with_entries(inventory, subject, place)}
    if subject is Subject.ACCOUNT:
        documents["provider"] = record("provider", inventory.account(place))
    return documents


def _with_entries(inventory: Inventory, what: str, place: int) -> dict[str, Any]:
    ours = [wide for wide in (inventory.wide(n) for n in range(len(inventory.entries))) if wide[f"{what}_id"] == place]
    values = inventory.account(place) if what == "account" else inventory.parties[place]
    shared = [w for w in ours if w["entry_kind"] not in ("session", "open", "offer")]
    document = record(what, values) | {"entries": [records(inventory, wide) for wide in ours]}
    if what == "party":
        return document | {"on_accounts": len({w["account_id"] for w in shared})}
    administrators = [w for w in shared if w["entry_powers"] & {Power.ADMIT, Power.OWN} and lets_in(w)]
    return document | {
        "shared_with": len({w["party_id"] for w in shared}),
        "administrators": len({w["party_id"] for w in administrators}),
    }


def lets_in(wide: Values) -> bool:
    return wide["entry_state"] in ("live", "ending")


def records(inventory: Inventory, wide: Values) -> dict[str, Any]:
    """An entry as a condition over entries sees it, beside its account, party and provider."""
    entry = record("entry", wide)
    powers: set[Power] = wide["entry_powers"]
    began = wide["entry_accepted_at"] or wide["entry_given_at"]
    uses = {p: wide[f"entry_uses_{p}"] for p in ORDER}
    entry |= {
        "lets_in": lets_in(wide),
        "money": bool(powers & {Power.SPEND, Power.WITHDRAW}),
        "admits": bool(powers & {Power.ADMIT, Power.OWN}),
        "alike": sum(
            1
            for other in (inventory.wide(n) for n in range(len(inventory.entries)))
            if (other["account_id"], other["party_id"]) == (wide["account_id"], wide["party_id"])
            and other["entry_level"] == wide["entry_level"]
            and other["entry_kind"] in ("delegate", "grant")
            and not other["entry_resources"]
        ),
    }
    entry["heavy"] = entry["money"] or entry["admits"]
    if entry["heavy"]:
        entry["heavy_powers"] = sorted(powers & {Power.SPEND, Power.WITHDRAW, Power.ADMIT, Power.OWN})
    moved = [uses[p] for p in (Power.SPEND, Power.WITHDRAW) if uses[p]]
    least = [uses[p] or began for p in powers if uses[p] or began]
    over = [value for value in (wide["account_over"], wide["party_over"]) if value]
    times = {
        "started": began,
        "idle_since": (wide["entry_last_used"] or began) if wide["entry_use_known"] else None,
        "least_used": min(least) if wide["entry_uses_known"] and least else None,
        "money_idle_since": (max(moved) if moved else began) if wide["entry_uses_known"] and entry["money"] else None,
        "over_at": min(over) if over else None,
    }
    entry |= {name: value for name, value in times.items() if value is not None}
    return {"entry": entry, **{what: record(what, wide) for what in ("account", "party", "provider")}, **entry}


def record(what: str, values: Values) -> dict[str, Any]:
    """What is kept of a thing, as a record by the names that conditions use."""
    document: dict[str, Any] = {"uses": {}} if what == "entry" else {}
    for name, column in COLUMNS.items():
        path = next((p for p, f in FIELDS.items() if f.node is column), None)
        if path is None or not path.startswith(f"{what}.") or values[name] is None:
            continue
        value = sorted(values[name]) if isinstance(values[name], set) else values[name]
        *outer, last = path.split(".")[1:]
        (document["uses"] if outer else document)[last] = value
    return document
