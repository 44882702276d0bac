"""Entries as rows of a sheet: one column for each fact, the same in CSV, spreadsheets and on the command line.

Several values in one cell are separated by "; ". Text that a spreadsheet would take for a formula gets an apostrophe
before it.
"""

from __future__ import annotations

from datetime import datetime

from openlatch.wire.messages import Entry

__all__ = ["COLUMNS", "defused", "row"]

COLUMNS = (
    *("id", "ref", "provider", "account", "party", "addresses", "party_kind", "party_status", "outside"),
    *("kind", "state", "end_reason", "level", "powers", "used_powers", "unknown", "permissions", "resources"),
    *(
        "given_at",
        "given_by",
        "accepted_at",
        "last_used",
        "use_known",
        "ends_at",
        "end_unknown",
        "hours",
        "reviewed_at",
    ),
    *("basis", "device", "network", "first_seen", "last_seen", "ended_at", "key", "severity", "flags"),
)
_FORMULA = ("=", "+", "-", "@", "\t", "\r")


def defused(text: str) -> str:
    """Return a text that no spreadsheet takes for a formula."""
    return f"'{text}" if text.startswith(_FORMULA) else text


def row(entry: Entry) -> dict[str, str]:
    """Return an entry as one row, with a text for every column; unknown is an empty text."""
    values: dict[str, object] = {
        **{name: getattr(entry, name) for name in COLUMNS if name in Entry.model_fields},
        "provider": entry.provider.name,
        "account": entry.account.name,
        "party": entry.party.name,
        "addresses": entry.party.addresses,
        "party_kind": entry.party.kind,
        "party_status": entry.party.status,
        "outside": entry.party.outside,
        "hours": entry.hours.text if entry.hours else "",
        "severity": entry.flags[0].severity if entry.flags else "",
        "flags": [flag.reason for flag in entry.flags],
    }
    return {name: defused(_text(values[name])) for name in COLUMNS}


def _text(value: object) -> str:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, datetime):
        return value.isoformat()
    if isinstance(value, list):
        return "; ".join(_text(one) for one in value)
    return str(value)
