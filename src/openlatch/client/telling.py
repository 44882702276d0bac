"""News, the calendar and webhooks, as the client asks for them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from openlatch.client.transport import Transport, part
from openlatch.wire import messages as wire

__all__ = ["TellingCalls"]


class TellingCalls(Transport):
    """News."""

    def notices(self, limit: int | None = None) -> Iterator[wire.Notice]:
        """Return what one was told, the latest first."""
        return self._pages(wire.NoticeList, "/notices", {"limit": limit})

    def choose_telling(self, telling: str) -> wire.Person:
        """Choose how one is told: `at-once`, `daily` (in one letter), or `console` (in the console only)."""
        return self._send(wire.Person, "PUT", "/notices/telling", json={"telling": telling})

    def make_calendar(self) -> str:
        """Return a new secret address of one's calendar; the former one leads nowhere from then on."""
        return self._send(wire.Calendar, "POST", "/calendar").url

    def webhooks(self) -> list[wire.Webhook]:
        """Return every webhook."""
        return self._send(wire.WebhookList, "GET", "/webhooks").items

    def add_webhook(
        self, url: str, acts: Sequence[str] = (), *, form: str = "news", audience: str = ""
    ) -> wire.WebhookSecret:
        """Have an address told of what happens from now on; returns the secret that it is signed with, this once."""
        body = {"url": url, "acts": list(acts), "form": form, "audience": audience}
        return self._send(wire.WebhookSecret, "POST", "/webhooks", json=body)

    def pause_webhook(self, webhook: str, *, paused: bool = True) -> wire.Webhook:
        """Tell a webhook nothing for a while, or go on where it was left."""
        return self._send(wire.Webhook, "POST", f"/webhooks/{part(webhook)}/pause", json={"paused": paused})

    def remove_webhook(self, webhook: str) -> None:
        """Tell a webhook nothing any more."""
        self._request("DELETE", f"/webhooks/{part(webhook)}")
