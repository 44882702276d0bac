"""The client library: `from openlatch.client import Client`; or AsyncClient of `openlatch.client.aio`, to be awaited.

Answers are the models of `openlatch.wire.messages`; errors are those of `openlatch.errors`, the same as the service's.
"""

from openlatch.client.client import Client
from openlatch.errors import OpenLatchError

__all__ = ["Client", "OpenLatchError"]
