"""Signing what a workspace says with its own key: receipts, reports, and heads of its log."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from typing import Any

from openlatch.operations.call import Call, operation
from openlatch.wire.record import signatures

__all__ = ["keys", "signed", "signer"]


def signed(call: Call, said: Mapping[str, Any], kind: str = "receipt") -> str:
    """Return what a receipt, a report or a head says, signed."""
    return signer(call, kind)(said)


def signer(call: Call, kind: str = "receipt") -> Callable[[Mapping[str, Any]], str]:
    """Return what signs receipts, reports or heads; the key is made when it is needed first."""
    kept = call.tx.keys.latest()
    if kept is None:
        key = signatures.new_key(str(call.services.new_id()))
        call.tx.keys.add(key["kid"], signatures.public(key), call.close(json.dumps(key)), call.now)
        kept = call.tx.keys.latest()
        assert kept is not None  # noqa: S101 - it was just added
    key = json.loads(call.open(kept))
    return lambda said: signatures.seal(said, key, kind)


@operation("receipts.keys")
def keys(call: Call) -> tuple[Mapping[str, Any], ...]:
    """The public keys with which receipts of this workspace can be checked, the latest first."""
    return call.tx.keys.public()
