"""Printing reports: what is in one is read in a transaction, and drawn outside of it."""

from __future__ import annotations

from uuid import UUID

import structlog

from openlatch import printing
from openlatch.operations.call import Services, as_service
from openlatch.operations.reviews import prints
from openlatch.store import Store

__all__ = ["print_report"]

log = structlog.get_logger()


def print_report(store: Store, services: Services, workspace_id: UUID, print_id: UUID) -> None:
    """Print one report; however that ends, someone who waits for it sees how."""
    with store.transaction(workspace_id) as tx:
        pair = prints.begin(as_service(tx, services), print_id)
    if pair is None:
        return
    try:
        file = printing.pdf(*pair)
    except Exception as error:  # what draws it is a large library
        log.exception("a report could not be printed", printed=str(print_id))
        with store.transaction(workspace_id) as tx:
            prints.failed(as_service(tx, services), print_id, f"it could not be drawn ({type(error).__name__})")
        return
    with store.transaction(workspace_id) as tx:
        prints.finished(as_service(tx, services), print_id, file.name, file.content)
