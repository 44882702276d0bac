"""The service itself."""

from __future__ import annotations

from datetime import timedelta

import psycopg
from sqlalchemy.engine import make_url

from openlatch.errors import NotAllowed
from openlatch.wiring import now
from tests.operations.effects.world import World, of


@of("service.show")
def _(w: World) -> None:
    # What waits is counted by the clock of the database, which is the real one.
    w.ridge.clock.now = max(w.ridge.clock.now, now() + timedelta(minutes=1))
    w.ridge.drain()
    well = w.manager.service()
    assert (well.workers, well.waiting, well.unsealed, well.sends_letters) == (1, 0, 0, True)
    url = make_url(w.ridge.service.settings.database_url).render_as_string(hide_password=False)
    with psycopg.connect(url, autocommit=True) as connection:
        (signs,) = connection.execute("delete from procrastinate_workers returning last_heartbeat").fetchall()
        try:
            w.owner.read("Ticket Desk")
            there = w.owner.service()
            assert (there.workers, there.last_sign, there.waiting > 0) == (0, None, True)
            assert next(trouble.next for trouble in there.troubles).endswith("openlatch service work")
        finally:
            connection.execute("insert into procrastinate_workers (last_heartbeat) values (%s)", signs)
    w.ridge.drain()
    with w.refused(NotAllowed, "service.show"):
        w.auditor.service()
