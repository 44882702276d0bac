"""Batches, and someone who leaves, as the client asks for them."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date
from typing import Any

from openlatch.client.transport import Transport, part, plain
from openlatch.wire import messages as wire

__all__ = ["TakingBackCalls"]


def _batch_rests(batch: wire.Batch) -> bool:
    return batch.over or batch.rests


class TakingBackCalls(Transport):
    """Batches."""

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
            "where": where,
            "action": action,
            "level": level,
            "until": until.isoformat() if until else None,
            "count": count,
            "reason": reason,
        }
        return self._send(wire.Batch, "POST", "/batches", json=body)

    def batches(self, kind: str = "") -> Iterator[wire.Batch]:
        """Return batches, the latest first; `kind` is bulk or leaver."""
        return self._pages(wire.BatchList, "/batches", {"kind": kind})

    def batch(self, batch: str, outcome: str = "", *, most: int = 1000) -> wire.Batch:
        """Return one batch, by id or short form, with what came of each thing in it, of `most` of them."""
        params = plain({"outcome": outcome, "limit": most})
        return self._send(wire.Batch, "GET", f"/batches/{part(batch)}", params=params)

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

    def follow_batch(self, batch: str, *, every: float = 0.5, within: float | None = None) -> Iterator[wire.Batch]:
        """Yield a batch whenever it has moved on, until nothing in it goes on by itself.

        Only the last time it is with what came of each thing in it.
        """
        for moved in self._follow(lambda: self.batch(batch, most=0), _batch_rests, every, within):
            yield self.batch(batch) if _batch_rests(moved) else moved

    def plan_leaver(self, party: str) -> wire.LeaverPlan:
        """Return what is to be done if a party goes; changes nothing."""
        return self._send(wire.LeaverPlan, "GET", f"/parties/{part(party)}/leaver-plan")

    def leave(
        self, party: str, *, count: int, last_day: date | None = None, who: str = "", reason: str = ""
    ) -> wire.Batch:
        """Take back everything that a party holds, once its last day is over or at once."""
        body = {
            "party": party,
            "count": count,
            "last_day": last_day.isoformat() if last_day else None,
            "who": who,
            "reason": reason,
        }
        return self._send(wire.Batch, "POST", "/leavers", json=body)
