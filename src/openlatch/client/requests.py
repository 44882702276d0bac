"""Asking for access, and answering those who ask; secrets that were told; webhooks: as the client asks for it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import date

from openlatch.client.transport import Transport, part
from openlatch.wire import messages as wire

__all__ = ["RequestCalls"]


class RequestCalls(Transport):
    """Requests, secrets that were told, and webhooks."""

    def ask(
        self, account: str, needs: Sequence[str] = (), *, level: str = "", reason: str = "", until: date | None = None
    ) -> wire.Request:
        """Ask for powers on an account, or a level of it."""
        body = {"account": account, "needs": list(needs), "level": level, "reason": reason,
                "until": until.isoformat() if until else None}  # fmt: skip
        return self._send(wire.Request, "POST", "/requests", json=body)

    def requests(self, state: str = "") -> Iterator[wire.Request]:
        """Return what others asked for, the latest first; several states are separated by commas."""
        return self._pages(wire.RequestList, "/requests", {"state": state})

    def my_requests(self) -> list[wire.Request]:
        """Return what one has asked for oneself, the latest first."""
        return self._send(wire.RequestList, "GET", "/me/requests").items

    def request(self, request: str) -> wire.Request:
        """Return one request, by id or short form."""
        return self._send(wire.Request, "GET", f"/requests/{part(request)}")

    def turn_down(self, request: str, reason: str) -> wire.Request:
        """Turn a request down; whoever asked is told why."""
        return self._send(wire.Request, "POST", f"/requests/{part(request)}/turn-down", json={"reason": reason})

    def withdraw_request(self, request: str) -> wire.Request:
        """Take back what one has asked for oneself."""
        return self._send(wire.Request, "POST", f"/requests/{part(request)}/withdraw")

    def record_secret(
        self,
        account: str,
        who: str,
        what: str = "",
        *,
        powers: Sequence[str] = (),
        reason: str = "",
        somebody_else: bool = False,
    ) -> wire.Entry:
        """Write down that somebody was told a password, key or code of an account.

        An address that comes close to a known one is refused (Invalid), unless it is `somebody_else`'s.
        """
        body = {
            "account": account, "who": who, "what": what, "powers": list(powers), "reason": reason,
            "somebody_else": somebody_else,
        }  # fmt: skip
        return self._send(wire.Entry, "POST", "/secrets", json=body)

    def webhooks(self) -> list[wire.Webhook]:
        """Return every webhook."""
        return self._send(wire.WebhookList, "GET", "/webhooks").items

    def add_webhook(self, url: str, acts: Sequence[str] = ()) -> wire.WebhookSecret:
        """Have an address told of what happens from now on; returns the secret that it is signed with, this once."""
        return self._send(wire.WebhookSecret, "POST", "/webhooks", json={"url": url, "acts": list(acts)})

    def pause_webhook(self, webhook: str, *, paused: bool = True) -> wire.Webhook:
        """Tell a webhook nothing for a while, or go on where it was left."""
        return self._send(wire.Webhook, "POST", f"/webhooks/{part(webhook)}/pause", json={"paused": paused})

    def remove_webhook(self, webhook: str) -> None:
        """Tell a webhook nothing any more."""
        self._request("DELETE", f"/webhooks/{part(webhook)}")
