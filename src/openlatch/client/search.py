"""Finding anything, as the client asks for it."""

from __future__ import annotations

from openlatch.client.transport import Transport
from openlatch.wire import messages as wire

__all__ = ["SearchCalls"]


class SearchCalls(Transport):
    """Search."""

    def search(self, text: str, *, limit: int = 5) -> list[wire.Found]:
        """Return what has a name or an address like a text, or that short form; of each kind `limit` at most."""
        return self._send(wire.FoundList, "GET", "/search", params={"q": text, "limit": limit}).items
