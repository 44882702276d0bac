"""Taking back, one by one and many at once, as the client asks for it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import date
from typing import Any

from openlatch.client.transport import Transport, part, plain
from openlatch.wire import messages as wire

__all__ = ["OrderCalls"]


class OrderCalls(Transport):
    """Plans, orders, receipts, batches and leavers."""

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
            "entry": entry, "action": action, "level": level, "until": until.isoformat() if until else None,
            "resources": None if resources is None else list(resources), "successor": successor, "hours": hours,
            "lifts": list(lifts), "reason": reason, "digest": digest,
        }  # fmt: skip
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
        """Call an order off."""
        return self._send(wire.Order, "POST", f"/orders/{part(order)}/cancel")

    def try_again(self, order: str) -> wire.Order:
        """Try an order that is stuck once more."""
        return self._send(wire.Order, "POST", f"/orders/{part(order)}/try-again")

    def done(self, order: str, said: str = "") -> wire.Order:
        """Say that what an order asks a person to do is done."""
        return self._send(wire.Order, "POST", f"/orders/{part(order)}/done", json={"said": said})

    def receipt(self, order: str) -> str:
        """Return the receipt of a proved order, signed: a compact JSON Web Signature."""
        return self._send(wire.SignedReceipt, "GET", f"/orders/{part(order)}/receipt").signed

    def receipt_keys(self) -> dict[str, Any]:
        """Return the public keys that receipts can be checked with, as a JSON Web Key set."""
        return self._send(wire.ReceiptKeys, "GET", "/receipt-keys").model_dump()

    def follow(self, order: str, *, every: float = 0.3) -> Iterator[wire.Order]:
        """Yield an order whenever it has moved on, until it is proved or cancelled, or waits for a person or a day."""
        return self._follow(lambda: self.order(order), _resting, every)

    # Orders given together

    def plan_batch(
        self, where: dict[str, Any], action: str = "end", *, level: str = "", until: date | None = None
    ) -> wire.BatchPlan:
        """Return what doing the same to all entries that a filter lets through would do; changes nothing."""
        body = {"where": where, "action": action, "level": level, "until": until.isoformat() if until else None}
        return self._send(wire.BatchPlan, "POST", "/batches/plan", json=body)

    def command_batch(
        self,
        where: dict[str, Any],
        action: str = "end",
        *,
        count: int,
        level: str = "",
        until: date | None = None,
        reason: str = "",
    ) -> wire.Batch:
        """Order the same for all entries that a filter lets through; refused if they are not `count`."""
        body = {
            "where": where, "action": action, "level": level, "until": until.isoformat() if until else None,
            "count": count, "reason": reason,
        }  # fmt: skip
        return self._send(wire.Batch, "POST", "/batches", json=body)

    def batches(self, kind: str = "") -> Iterator[wire.Batch]:
        """Return batches, the latest first; `kind` is bulk or leaver."""
        return self._pages(wire.BatchList, "/batches", {"kind": kind})

    def batch(self, batch: str, outcome: str = "") -> wire.Batch:
        """Return one batch, by id or short form, with what came of each thing in it."""
        return self._send(wire.Batch, "GET", f"/batches/{part(batch)}", params=plain({"outcome": outcome}))

    def cancel_batch(self, batch: str) -> wire.Batch:
        """Let nothing more come of a batch; orders that were given go on."""
        return self._send(wire.Batch, "POST", f"/batches/{part(batch)}/cancel")

    def batch_report(self, batch: str, form: str = "json") -> bytes:
        """Return the report of a batch as a file: `json` (with its signature), `html`, `pdf`, `csv` or `jsonl`."""
        return self._report(f"/batches/{part(batch)}", form)

    def done_in_batch(self, batch: str, place: int) -> wire.Batch:
        """Say that a thing in a batch that a person is to do is done; `place` counts from 1."""
        return self._send(wire.Batch, "POST", f"/batches/{part(batch)}/items/{place}/done")

    def leave_open_in_batch(self, batch: str, place: int, reason: str, owner: str) -> wire.Batch:
        """Say that something in a batch is left open, why, and by address who sees to it."""
        body = {"place": place, "reason": reason, "owner": owner}
        return self._send(wire.Batch, "POST", f"/batches/{part(batch)}/left-open", json=body)

    def follow_batch(self, batch: str, *, every: float = 0.5) -> Iterator[wire.Batch]:
        """Yield a batch whenever it has moved on, until nothing in it goes on by itself."""
        return self._follow(lambda: self.batch(batch), _batch_rests, every)

    def plan_leaver(self, party: str) -> wire.LeaverPlan:
        """Return what is to be done if a party goes; changes nothing."""
        return self._send(wire.LeaverPlan, "GET", f"/parties/{part(party)}/leaver-plan")

    def leave(
        self, party: str, *, count: int, last_day: date | None = None, who: str = "", reason: str = ""
    ) -> wire.Batch:
        """Take back everything that a party holds, once its last day is over or at once."""
        body = {
            "party": party, "count": count, "last_day": last_day.isoformat() if last_day else None, "who": who,
            "reason": reason,
        }  # fmt: skip
        return self._send(wire.Batch, "POST", "/leavers", json=body)


def _resting(order: wire.Order) -> bool:
    return order.rests


def _batch_rests(batch: wire.Batch) -> bool:
    return batch.over or batch.rests
