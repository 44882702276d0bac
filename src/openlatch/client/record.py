"""The log, as the client asks for it."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date
from typing import Any
from uuid import UUID

from openlatch.client.transport import Transport
from openlatch.wire import messages as wire

__all__ = ["RecordCalls"]


class RecordCalls(Transport):
    """The log."""

    def events(
        self,
        subject: UUID | None = None,
        *,
        account: str = "",
        party: str = "",
        entry: str = "",
        actor: str = "",
        what: str = "",
        since: date | None = None,
        until: date | None = None,
        sealed: bool = False,
        oldest: bool = False,
    ) -> Iterator[wire.Event]:
        """Return events of the log: of one subject, of all that is about an account, a party or an entry, or all.

        `actor` is part of a name of whoever did it; `what` are acts or what they are about, such as order or
        order.given; `since` and `until` are days in the workspace's zone, both included.
        """
        wanted: dict[str, Any] = {
            "subject": subject,
            "account": account,
            "party": party,
            "entry": entry,
            "sealed": sealed,
            "oldest": oldest,
        }
        wanted |= {"actor": actor, "what": what, "since": since, "until": until}
        return self._pages(wire.EventList, "/log", wanted)

    def log_copy(self) -> Iterator[bytes]:
        """Return the sealed log as it is sent: JSON, an event a line, with number, link and content.

        All of it, but for the oldest events if those were archived (`LogHead.archived`).
        """
        return self._pieces("/log/copy")

    def log_head(self) -> wire.LogHead:
        """Return the end of the sealed log."""
        return self._send(wire.LogHead, "GET", "/log/head")

    def prove_event(self, event_id: UUID) -> wire.LogProof:
        """Return the proof that an event is in the log, against its present head."""
        return self._send(wire.LogProof, "GET", f"/log/{event_id}/proof")

    def prove_consistency(self, before: int, size: int | None = None) -> wire.LogConsistency:
        """Return the proof that the log only added to what it was with so many events: as it is, or with `size`."""
        wanted = {"before": before} | ({} if size is None else {"size": size})
        return self._send(wire.LogConsistency, "GET", "/log/consistency", params=wanted)
