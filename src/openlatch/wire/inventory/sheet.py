"""Entries as rows of a sheet: one column for each fact, the same in CSV, spreadsheets and on the command line.

Several values in one cell are separated by "; ", with a backslash before a semicolon that is part of one. Text that a
spreadsheet would take for a formula gets an apostrophe before it. A list that is imported is written the same way.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from datetime import datetime
from typing import Protocol

from openlatch.wire import flat
from openlatch.wire.flat import defused
from openlatch.wire.messages import Entry
from openlatch.words import Power

__all__ = ["COLUMNS", "INSTANTS", "LEFT_OUT", "dependencies_of", "in_cell", "row", "uses_of"]

_FIRST = (
    *("id", "ref", "provider", "account", "party", "addresses", "party_kind", "party_status", "outside"),
    *("publisher", "home", "kind", "state", "end_reason", "level", "powers", "used_powers", "unknown"),
    *("permissions", "resources", "given_at", "given_by", "accepted_at", "last_used", "use_known", "uses"),
    *("ends_at", "end_unknown", "hours", "reviewed_at", "basis", "hangs_on", "dependencies", "device", "network"),
    *("first_seen", "last_seen", "ended_at", "vouched_at", "vouched_by", "by_hand", "key", "subject"),
    *("severity", "risk", "flags"),
)
LEFT_OUT = frozenset({"vouched", "risk_lines", "advice", "acts", "order"})
"""What has no column of its own: what stands in two, how a risk adds up, and what can be done."""
COLUMNS = (*_FIRST, *(name for name in Entry.model_fields if name not in LEFT_OUT.union(_FIRST)))
INSTANTS = flat.instants(Entry) & set(COLUMNS) | {"vouched_at"}
"""The columns that hold an instant each."""
_ASIS = tuple(name for name in COLUMNS if name in Entry.model_fields)


def row(entry: Entry) -> dict[str, str]:
    """Return an entry as one row, with a text for every column; unknown is an empty text."""
    values: dict[str, object] = {
        **{name: getattr(entry, name) for name in _ASIS},
        "provider": entry.provider.name,
        "account": entry.account.name,
        "party": entry.party.name,
        "addresses": entry.party.addresses,
        "party_kind": entry.party.kind,
        "party_status": entry.party.status,
        "outside": entry.party.outside,
        "publisher": entry.party.publisher,
        "home": entry.party.home,
        "powers": list(entry.powers) if entry.powers or entry.unknown else ["none"],
        "hours": entry.hours.written if entry.hours else "",
        "uses": uses_of(entry.uses or {}),
        "dependencies": dependencies_of(entry.dependencies),
        "vouched_at": entry.vouched.at if entry.vouched else None,
        "vouched_by": entry.vouched.by if entry.vouched else "",
        "severity": entry.flags[0].severity if entry.flags else "",
        "flags": [flag.reason for flag in entry.flags],
    }
    return {name: defused(in_cell(values[name])) for name in COLUMNS}


class _Dependency(Protocol):
    """What runs through an entry, wherever it is told."""

    @property
    def kind(self) -> str: ...
    @property
    def what(self) -> str: ...
    @property
    def next_at(self) -> datetime | None: ...


def uses_of(uses: Mapping[Power, datetime]) -> list[str]:
    """Return when each power was used last, as it stands in a cell."""
    return [f"{power} {at.isoformat()}" for power, at in uses.items()]


def dependencies_of(dependencies: Iterable[_Dependency]) -> list[str]:
    """Return what runs through an entry, as it stands in a cell."""
    return [f"{d.kind}: {d.what}" + (f" (next {d.next_at.isoformat()})" if d.next_at else "") for d in dependencies]


def in_cell(value: object) -> str:
    """Return a value as the text of one cell; unknown is an empty text."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, datetime):
        return value.isoformat()
    if isinstance(value, list):
        return "; ".join(in_cell(each_value).replace("\\", "\\\\").replace(";", "\\;") for each_value in value)
    return str(value)
