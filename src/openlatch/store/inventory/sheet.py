"""Entries in columns, as a sheet has them: what a list shows of each, read in one go and given piece by piece."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import psycopg
from sqlalchemy import Text, cast
from sqlalchemy.orm import Session

from openlatch.store.inventory.entries import SORTS, EntryFilter, listing
from openlatch.store.inventory.rows import AccountRow, EntryRow, PartyRow
from openlatch.store.providers.rows import ProviderRow

__all__ = ["statement"]

_ASIS = (
    *("kind", "state", "end_reason", "level", "powers", "unknown", "permissions", "resources", "given_at", "given_by"),
    *("accepted_at", "last_used", "use_known", "ends_at", "end_unknown", "reviewed_at", "basis", "hangs_on", "device"),
    *("network", "first_seen", "last_seen", "ended_at", "vouched_at", "vouched_by", "by_hand", "key", "subject"),
    *("ref", "risk", "outside"),
)
_COLUMNS: Mapping[str, Any] = {
    **{name: getattr(EntryRow, name) for name in _ASIS},
    **{name: cast(getattr(EntryRow, name), Text) for name in ("id", "party_id", "uses", "hours", "dependencies")},
    "provider": ProviderRow.name,
    "complete": ProviderRow.last_complete,
    "account": AccountRow.name,
    "party": PartyRow.name,
    "addresses": PartyRow.addresses,
    "party_kind": PartyRow.kind,
    "party_status": PartyRow.status,
    "publisher": PartyRow.publisher,
    "home": PartyRow.home,
}


def statement(session: Session, wanted: EntryFilter, sort: str) -> str:
    """Return the statement that reads what a list shows of entries, with all values in it, for another connection."""
    by = SORTS[sort]
    ordered = [each.desc() if by.descending else each.asc() for each in by.by]
    query = listing(wanted).with_only_columns(
        *(column.label(name) for name, column in _COLUMNS.items()), maintain_column_froms=True
    )
    dialect = session.get_bind().dialect
    compiled = query.order_by(*ordered).compile(dialect=dialect, compile_kwargs={"render_postcompile": True})
    connection = session.connection().connection.driver_connection
    assert isinstance(connection, psycopg.Connection)  # noqa: S101 - there is no other driver
    return psycopg.ClientCursor(connection).mogrify(str(compiled), compiled.params)
