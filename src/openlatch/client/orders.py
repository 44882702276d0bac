"""Plans, orders and receipts, as the client asks for them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import date
from typing import Any

from openlatch.client.transport import Transport, part
from openlatch.wire import messages as wire

__all__ = ["OrdersCalls"]


def _resting(order: wire.Order) -> bool:
    return order.rests


class OrdersCalls(Transport):
    """Plans."""

    def plan(
        self,
        entry: str,
        action: str = "end",
        *,
        level: str = "",
        resources: Sequence[str] | None = None,
        until: date | None = None,
        successor: str = "",
        hours: str = "",
        lifts: Sequence[str] = (),
    ) -> wire.Plan:
        """Return what an order would do, such as `end`, `narrow` or `extend`, and how; changes nothing."""
        params = {"action": action, "level": level, "successor": successor, "hours": hours, "lifts": ",".join(lifts)}
        if resources is not None:
            params["resources"] = ",".join(resources)
        if until is not None:
            params["until"] = until.isoformat()
        return self._send(wire.Plan, "GET", f"/entries/{part(entry)}/plan", params=params)

    def command(
        self,
        entry: str,
        action: str = "end",
        *,
        level: str = "",
        resources: Sequence[str] | None = None,
        until: date | None = None,
        successor: str = "",
        hours: str = "",
        lifts: Sequence[str] = (),
        reason: str = "",
        digest: str | None = None,
    ) -> wire.Order:
        """Order what `plan` says for the same arguments; with `digest`, only if the plan is still that one."""
        body = {
            "entry": entry,
            "action": action,
            "level": level,
            "until": until.isoformat() if until else None,
            "resources": None if resources is None else list(resources),
            "successor": successor,
            "hours": hours,
            "lifts": list(lifts),
            "reason": reason,
            "digest": digest,
        }
        return self._send(wire.Order, "POST", "/orders", json=body)

    def end(self, entry: str, *, successor: str = "", reason: str = "", digest: str | None = None) -> wire.Order:
        """Order the end of an entry; `successor` is the entry of whoever is to follow the last administrator."""
        return self.command(entry, "end", successor=successor, reason=reason, digest=digest)

    def give_up(self, entry: str, *, reason: str = "", digest: str | None = None) -> wire.Order:
        """Order the end of one's own access."""
        return self.command(entry, "give-up", reason=reason, digest=digest)

    def order(self, order: str) -> wire.Order:
        """Return one order, by id or short form."""
        return self._send(wire.Order, "GET", f"/orders/{part(order)}")

    def orders(self, state: str = "", *, batch: str = "") -> Iterator[wire.Order]:
        """Return orders, the latest first; several states are separated by commas."""
        return self._pages(wire.OrderList, "/orders", {"state": state, "batch": batch})

    def cancel(self, order: str) -> wire.Order:
        """Cancel an order."""
        return self._send(wire.Order, "POST", f"/orders/{part(order)}/cancel")

    def try_again(self, order: str) -> wire.Order:
        """Try an order that is stuck once more."""
        return self._send(wire.Order, "POST", f"/orders/{part(order)}/try-again")

    def done(self, order: str, said: str = "") -> wire.Order:
        """Report that what an order asks a person to do is done."""
        return self._send(wire.Order, "POST", f"/orders/{part(order)}/done", json={"said": said})

    def receipt(self, order: str) -> str:
        """Return the receipt of a proved order, signed: a compact JSON Web Signature."""
        return self._send(wire.SignedReceipt, "GET", f"/orders/{part(order)}/receipt").signed

    def receipt_proof(self, order: str) -> wire.LogProof | None:
        """Return the proof that the log holds a receipt's event; None for the seconds until it is sealed."""
        return self._send(wire.SignedReceipt, "GET", f"/orders/{part(order)}/receipt").proof

    def receipt_keys(self) -> dict[str, Any]:
        """Return the public keys that receipts can be checked with, as a JSON Web Key set."""
        return self._send(wire.ReceiptKeys, "GET", "/receipt-keys").model_dump()

    def follow(self, order: str, *, every: float = 0.3, within: float | None = None) -> Iterator[wire.Order]:
        """Yield an order whenever it has moved on, until it is proved or cancelled, or waits for a person or a day."""
        return self._follow(lambda: self.order(order), _resting, every, within)
