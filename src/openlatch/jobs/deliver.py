"""Sending letters: each is chosen in one transaction, sent outside of any, and reported in the next."""

from __future__ import annotations

import structlog

from openlatch.errors import ProviderDown, ProviderTrouble
from openlatch.operations.call import Services, as_service
from openlatch.operations.telling import notices
from openlatch.store import Store

__all__ = ["deliver"]

MOST = 200
"""So many letters of one workspace are sent in one go."""

log = structlog.get_logger()


def deliver(store: Store, services: Services) -> None:
    """Send the letters that are due. A worker that dies in between leaves the same letter, with the same Message-ID."""
    if services.post is None:
        return
    for workspace in store.workspaces():
        for _ in range(MOST):
            with store.transaction(workspace.id) as tx:
                pair = notices.next_letter(as_service(tx, services))
            if pair is None:
                break
            letter_id, letter = pair
            trouble: ProviderTrouble | None = None
            try:
                services.post.send(letter)
            except ProviderTrouble as error:
                trouble = error
                log.warning("letter not sent", letter=str(letter_id), why=error.message)
            with store.transaction(workspace.id) as tx:
                call = as_service(tx, services)
                if trouble is None:
                    notices.sent(call, letter_id)
                else:
                    again = isinstance(trouble, ProviderDown)
                    notices.not_sent(call, letter_id, trouble.message, again=again)
