"""What one is told, as the client asks for it."""

from __future__ import annotations

from collections.abc import Iterator

from openlatch.client.transport import Transport
from openlatch.wire import messages as wire

__all__ = ["NoticeCalls"]


class NoticeCalls(Transport):
    """News for whoever is signed in, and their calendar."""

    def notices(self, limit: int | None = None) -> Iterator[wire.Notice]:
        """Return what one was told, the latest first."""
        return self._pages(wire.NoticeList, "/notices", {"limit": limit})

    def choose_telling(self, telling: str) -> wire.Person:
        """Choose how one is told: `at-once`, `daily` (in one letter), or `console` (in the console only)."""
        return self._send(wire.Person, "PUT", "/notices/telling", json={"telling": telling})

    def make_calendar(self) -> str:
        """Return a new secret address of one's calendar; the former one leads nowhere from then on."""
        return self._send(wire.Calendar, "POST", "/calendar").url
