"""How the service stands."""

from __future__ import annotations

from openlatch import __version__
from openlatch.operations.call import Call
from openlatch.operations.running import state
from openlatch.web.api import Routes
from openlatch.web.filled import filled
from openlatch.wire import messages as wire

__all__ = ["routes"]

routes = Routes()


@routes.route("GET", "/service", returns=wire.ServiceState)
def show_service(call: Call) -> wire.ServiceState:
    """Whether all of the service runs: workers, jobs that wait, readings, letters, keys, and how large it is."""
    standing = state.show(call)
    return filled(wire.ServiceState, standing, standing.state, version=__version__)
