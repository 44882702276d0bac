"""One class, one method for each thing that can be asked of the service."""

from __future__ import annotations

import time
from collections.abc import Callable

import httpx

from openlatch.client.imports import ImportsCalls
from openlatch.client.inventory import InventoryCalls
from openlatch.client.letting_in import LettingInCalls
from openlatch.client.orders import OrdersCalls
from openlatch.client.parties import PartiesCalls
from openlatch.client.people import PeopleCalls
from openlatch.client.providers import ProvidersCalls
from openlatch.client.record import RecordCalls
from openlatch.client.reviews import ReviewsCalls
from openlatch.client.rules import RulesCalls
from openlatch.client.running import RunningCalls
from openlatch.client.search import SearchCalls
from openlatch.client.taking_back import TakingBackCalls
from openlatch.client.telling import TellingCalls
from openlatch.client.what_if import WhatIfCalls
from openlatch.wire import messages as wire

__all__ = ["Client"]


class Client(
    PeopleCalls,
    ProvidersCalls,
    InventoryCalls,
    PartiesCalls,
    ImportsCalls,
    RulesCalls,
    OrdersCalls,
    LettingInCalls,
    TakingBackCalls,
    ReviewsCalls,
    WhatIfCalls,
    TellingCalls,
    RecordCalls,
    RunningCalls,
    SearchCalls,
):
    """A sign-in to one service, `url` such as https://latch.example, with a token of one workspace.

    Lists are iterators that fetch page after page. What can be sent again is sent again when the service does not
    answer; a change carries an idempotency key, so that it is carried out once. `password` is called for the person's
    own where an act is dangerous and it was not given lately; without it, that raises NotConfirmed. `transport` carries
    the requests and `pause` waits some seconds between them; tests put their own there. `heed` is told why something
    that is waited for does not go on, such as that no worker is at work.
    """

    @classmethod
    def sign_in(
        cls,
        url: str,
        *,
        workspace: str,
        address: str,
        password: str,
        code: str | None = None,
        name: str = "client",
        scope: str = "change",
        days: int = 30,
        transport: httpx.BaseTransport | None = None,
        pause: Callable[[float], None] = time.sleep,
    ) -> tuple[Client, wire.TokenSecret]:
        """Make a token with a password, and a code where one has a second factor; returns a client, and the token."""
        body = {"workspace": workspace, "address": address, "password": password, "name": name, "scope": scope}
        body |= {"code": code} if code else {}
        with cls(url, "", transport=transport, pause=pause) as nobody:
            made = nobody._send(wire.TokenSecret, "POST", "/tokens", json=body | {"days": days})
        return cls(url, made.secret, transport=transport, pause=pause), made
