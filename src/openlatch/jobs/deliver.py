"""Sending letters: each is chosen in one transaction, sent outside of any, and reported in the next."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from uuid import UUID

import structlog

from openlatch.core.providers.ports import Post
from openlatch.errors import ProviderDown, ProviderTrouble
from openlatch.operations.call import Call, Services, as_service
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
    try:
        for workspace in store.workspaces():
            _deliver(store, services, workspace.id, services.post)
    finally:
        services.post.leave()


def _deliver(store: Store, services: Services, workspace_id: UUID, post: Post) -> None:
    said: Callable[[Call], None] | None = None
    for left in reversed(range(MOST + 1)):
        # What became of the letter before is kept, and the next one chosen, in one transaction.
        with store.transaction(workspace_id) as tx:
            call = as_service(tx, services)
            if said is not None:
                said(call)
            pair = notices.next_letter(call) if left else None
        if pair is None:
            return
        letter_id, letter = pair
        try:
            post.send(letter)
            said = partial(notices.sent, letter_id=letter_id)
        except ProviderTrouble as error:
            log.warning("letter not sent", letter=str(letter_id), why=error.message)
            again = isinstance(error, ProviderDown)
            said = partial(notices.not_sent, letter_id=letter_id, why=error.message, again=again)
