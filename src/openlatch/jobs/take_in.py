"""Taking a list in, part by part; what cannot go on says why, and keeps what is in."""

from __future__ import annotations

from uuid import UUID

from openlatch.errors import Changed, OpenLatchError
from openlatch.operations.call import Services, as_service
from openlatch.operations.inventory import imports
from openlatch.store import Store

__all__ = ["take_in"]

ATTEMPTS = 5


def take_in(store: Store, services: Services, workspace_id: UUID, import_id: UUID) -> None:
    """Take in what is left of an import."""
    try:
        while _part(store, services, workspace_id, import_id):
            pass
    except OpenLatchError as error:
        with store.transaction(workspace_id) as tx:
            imports.failed(as_service(tx, services), import_id, error.message)


def _part(store: Store, services: Services, workspace_id: UUID, import_id: UUID) -> bool:
    """Take in the next part; again, if someone changed one of the same entries at that moment."""
    for attempt in range(ATTEMPTS):
        try:
            with store.transaction(workspace_id) as tx:
                return imports.go_on(as_service(tx, services), import_id)
        except Changed:
            if attempt == ATTEMPTS - 1:
                raise
    raise AssertionError
