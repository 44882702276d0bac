"""Signing receipts with the workspace's own key, and publishing that key."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from typing import Any

from openlatch.errors import Conflict
from openlatch.operations.call import Call, operation
from openlatch.wire.orders import receipt as receipts

__all__ = ["keys", "receipt", "signed", "signer"]


def signed(call: Call, said: Mapping[str, Any], kind: str = "receipt") -> str:
    """Return what a receipt or a report says, signed."""
    return signer(call, kind)(said)


def signer(call: Call, kind: str = "receipt") -> Callable[[Mapping[str, Any]], str]:
    """Return what signs receipts or reports; the key is made when it is needed first."""
    kept = call.tx.keys.latest()
    if kept is None:
        key = receipts.new_key(str(call.services.new_id()))
        call.tx.keys.add(key["kid"], receipts.public(key), call.services.vault.close(json.dumps(key)), call.now)
        kept = call.tx.keys.latest()
        assert kept is not None  # noqa: S101 - it was just added
    key = json.loads(call.services.vault.open(kept))
    return lambda said: receipts.seal(said, key, kind)


@operation("receipts.keys")
def keys(call: Call) -> tuple[Mapping[str, Any], ...]:
    """The public keys with which receipts of this workspace can be checked, the latest first."""
    return call.tx.keys.public()


@operation("receipts.show")
def receipt(call: Call, order: str) -> str:
    """The receipt of a proved order, signed."""
    found = call.tx.orders.find(order)
    if not found.receipt or "signed" not in found.receipt:
        raise Conflict(
            f"Order {found.ref} is {found.state}, and has no receipt yet.",
            next_step=f"Follow it until it is proved: openlatch order {found.ref} --follow",
            order=found.ref,
        )
    return str(found.receipt["signed"])
