"""The log, sealed to its end, as the service's own sealer does it in time."""

from __future__ import annotations

import time

from openlatch.jobs import tasks
from openlatch.operations.call import Services
from openlatch.store.transaction import Store

__all__ = ["seal_all"]

TRIES = 100


def seal_all(store: Store, services: Services) -> None:
    """Seal all that was added to the logs.

    Only what is older than the oldest transaction of the whole server can be sealed, and that may be another test's: it
    is over in a moment.
    """
    for _ in range(TRIES):
        tasks.seal(store, services)
        if not list(store.unsealed()):
            return
        time.sleep(0.02)
