"""A clock that jumps while orders are carried out, as after a machine slept or its time was set."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from openlatch.cli.record.log import verified
from openlatch.client import Client
from openlatch.demo.cast import DOMAIN
from openlatch.wire import messages as wire
from tests.harness.acts import Desk, settle
from tests.harness.ridge import Ridge


@pytest.mark.parametrize("hours", [-1.0, -49.0, 26.0])
def test_what_is_under_way_is_proved_once_and_everything_comes_round_once_whichever_way_a_clock_jumps(
    ridge: Ridge, client: Client, spare: Callable[[], wire.Entry], desk: Desk, hours: float
) -> None:
    name = f"After {hours}"
    client.add_review(name, where={}, named=[f"ines.okoro@{DOMAIN}"], recurs="FREQ=DAILY")
    before, after = spare(), spare()
    with desk.fault(down=True):
        waits = client.command(before.ref, "end")
        ridge.drain()
        ridge.clock.go_on(hours=hours)
        ridge.drain()
    # Whoever goes on has to sign in anew, where the time of their session is over.
    with ridge.client() as later:
        begun_later = later.command(after.ref, "end")
        ridge.clock.go_on(hours=max(1.0, 1.0 - hours))
        for order, entry in ((waits, before), (begun_later, after)):
            assert settle(later, order.ref).state == "proved"
            assert desk.effects(entry) == 1
        ridge.drain()
        occurrences = [one.occurrence for one in later.rounds() if one.review.name == name]
        assert len(occurrences) == len(set(occurrences))
        assert verified(later).broken is None
