"""Changing the keys that close secrets, while everything runs."""

from __future__ import annotations

from openlatch.core.record.secrecy import without_secrets
from openlatch.operations.call import Call

__all__ = ["rotate"]


def rotate(call: Call) -> int:
    """Close everything secret of a workspace with a new key of its own; all of its keys are wrapped by the first one.

    Returns how much was closed anew. Whoever closes something meanwhile with the former key is understood still: that
    stays, wrapped by the first key too.
    """
    former = call.tx.data_keys.all(lock=True)
    for number, wrapped in former.items():
        call.tx.data_keys.wrap(number, call.services.vault.wrap(call.services.vault.unwrap(wrapped)))
    call.tx.data_keys.add(max(former, default=0) + 1, call.services.vault.new_data_key(), call.now)
    ring = call.keyring()
    # Addresses of before they were closed.
    for webhook_id, url in call.tx.webhooks.whole():
        call.tx.webhooks.hide(webhook_id, without_secrets(url), ring.close(url))
    count = call.tx.close_anew(lambda closed: ring.close(ring.open(closed)))
    call.log("workspace.keys-changed", "workspace", call.tx.workspace.id, secrets=count)
    return count
