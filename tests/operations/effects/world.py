"""What every operation is tried in: the demo with one of each thing, and everyone signed in."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import date, timedelta
from functools import cached_property

import pytest

from openlatch.client import Client
from openlatch.errors import OpenLatchError
from openlatch.wire import messages as wire
from tests.harness.acts import Desk, Spares, settle
from tests.harness.furniture import PLATES, Furniture
from tests.harness.ridge import Ridge

OF: dict[str, Callable[[World], None]] = {}
"""The trial of each operation, by its name."""


def of(operation: str) -> Callable[[Callable[[World], None]], Callable[[World], None]]:
    """Declare the trial of an operation."""

    def declare(function: Callable[[World], None]) -> Callable[[World], None]:
        assert operation not in OF
        OF[operation] = function
        return function

    return declare


@dataclass
class World:
    """The product, what is in it, and its people; `refusals` counts what was refused in a trial."""

    ridge: Ridge
    things: Furniture
    spares: Spares
    refusals: int = 0
    _clients: dict[str, Client] = field(default_factory=dict)

    def _signed_in(self, who: str) -> Client:
        if who not in self._clients:
            self._clients[who] = self.ridge.client(who)
        return self._clients[who]

    @property
    def owner(self) -> Client:
        return self._signed_in("maren.ashdown")

    @property
    def manager(self) -> Client:
        return self._signed_in("tobias.quill")

    @property
    def reviewer(self) -> Client:
        return self._signed_in("ines.okoro")

    @property
    def auditor(self) -> Client:
        return self._signed_in("ruth.calder")

    @property
    def member(self) -> Client:
        return self._signed_in("orla.finch")

    @cached_property
    def desk(self) -> Desk:
        return Desk(self.ridge, transport=self.ridge.transport)

    @contextmanager
    def refused(self, kind: type[OpenLatchError], match: str) -> Iterator[pytest.ExceptionInfo[OpenLatchError]]:
        """Something that is refused with these words, and changes nothing."""
        before = self._happened()
        with pytest.raises(kind, match=match) as caught:
            yield caught
        assert caught.value.next_step, "it says what to do next"
        assert self._happened() == before
        self.refusals += 1

    def last(self) -> str:
        """The act of the latest event in the log."""
        with self.ridge.call() as call:
            page = call.tx.events.browse(limit=1, cursor=None)
        return str(page.items[0].content["act"])

    def _happened(self) -> int:
        with self.ridge.call() as call:
            head = call.tx.events.head()
        return head.size + head.unsealed

    def today(self) -> date:
        return self.ridge.clock.now.date()

    def day(self, days: int) -> date:
        return self.today() + timedelta(days=days)

    # New things, for a trial of its own

    def spare(self) -> wire.Entry:
        return self.spares.take(self.owner)

    def stuck(self) -> tuple[wire.Entry, wire.Order]:
        """An order that the provider has refused."""
        entry = self.spare()
        self.desk.refuse(entry, "consent is missing")
        return entry, settle(self.owner, self.owner.end(entry.ref).ref)

    def by_hand(self, name: str) -> wire.Entry:
        """An entry that is recorded by hand."""
        return self.owner.keep("Hill Road Signage", account="Hill Road display", party=name, powers=["view"])

    def wish(self, to: str, **more: object) -> wire.OfferWish:
        """An offer of some plates for some weeks."""
        part = {"account": PLATES, "level": "plate reader"}
        return wire.OfferWish.model_validate({"to": to, "parts": [part], "until": self.day(40).isoformat(), **more})

    def offer(self, to: str, **more: object) -> wire.Offer:
        wanted = self.wish(to, **more)
        return self.owner.offer(wanted, self.owner.check_offer(wanted).digest)

    def locked(self, *, locked: bool = True, title: str = "A lock") -> dict[str, object]:
        """A proposal about the lock of the plates."""
        change = {"do": "lock", "account": PLATES, "locked": locked}
        return {"proposal": 1, "title": title, "changes": [change]}

    def opened(self, name: str) -> wire.Round:
        """A round about what one guide has, put to Ines Okoro."""
        where = {"party": self.spare().party.ref}
        self.owner.add_review(name, where=where, named=["ines.okoro@kestrelridge.example"], recurs="FREQ=YEARLY")
        return self.owner.open_round(name)

    def close(self) -> None:
        for client in self._clients.values():
            client.close()
        self.desk.close()
