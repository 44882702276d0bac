"""Hearing a security event: the keys are read outside any transaction, and what is proved is kept in one."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any
from uuid import UUID

from openlatch.core.providers.security_events import Refused
from openlatch.operations.call import Services, as_service
from openlatch.operations.providers import security_events
from openlatch.operations.providers.security_events import Heard
from openlatch.store import Store

__all__ = ["hear"]


def hear(store: Store, services: Services, workspace_id: UUID, heard: Heard, token: str) -> int:
    """Keep what a token reports, if its signature holds and it is for us; returns how much of it was not known yet.

    Raises Refused for what is not taken, and ProviderTrouble where the issuer's keys cannot be read.
    """
    claims = _proved(store, services, workspace_id, heard, token)
    with store.transaction(workspace_id) as tx:
        return len(security_events.heard(as_service(tx, services), heard.stream, claims))


def _proved(store: Store, services: Services, workspace_id: UUID, heard: Heard, token: str) -> Mapping[str, Any]:
    issuer = security_events.issuer(services, heard)
    if heard.key_set is not None:
        try:
            return issuer.proved(token, heard.key_set)
        except Refused as error:
            if error.err != "invalid_key" or not heard.anew:
                raise
    key_set = issuer.key_set()
    with store.transaction(workspace_id) as tx:
        security_events.keep_keys(as_service(tx, services), heard.stream.id, key_set)
    return issuer.proved(token, key_set)
