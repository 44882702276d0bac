"""The service itself, as the client asks for it."""

from __future__ import annotations

from openlatch.client.transport import Transport
from openlatch.wire import messages as wire

__all__ = ["RunningCalls"]


class RunningCalls(Transport):
    """The service itself."""

    def service(self) -> wire.ServiceState:
        """Return how the service stands: its workers, what waits, and what somebody has to see to."""
        return self._send(wire.ServiceState, "GET", "/service")
