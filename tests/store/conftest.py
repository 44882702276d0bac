"""A holder whose time is the test's own."""

from __future__ import annotations

import random
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from datetime import UTC, date, datetime, time, timedelta
from typing import Any
from uuid import UUID, uuid4
from zoneinfo import ZoneInfo

import pytest

from openlatch.core.ids import uuid7
from openlatch.core.model import Circle, Person, Workspace
from openlatch.operations.call import Actor, Call, as_service
from openlatch.operations.inventory import by_hand
from openlatch.operations.people import people
from openlatch.operations.providers import providers
from openlatch.operations.reviews import plans, rounds, settle
from openlatch.operations.telling import notices
from openlatch.wire.providers.providers import NewProvider
from openlatch.wire.reviews.reviews import NewReview
from openlatch.words import Role, Scope
from tests.harness.ridge import Ridge
from tests.harness.sealing import seal_all

LONDON = ZoneInfo("Europe/London")
BEGIN, END = date(2027, 11, 1), date(2028, 12, 1)
"""Over a leap day and both changes of the clock."""
PASSWORD = "a long enough password"


@dataclass
class Holder:
    """A workspace whose time is the test's, with three people who can be asked and entries that are kept by hand."""

    blank: Ridge
    now: datetime
    id: UUID = field(default_factory=uuid4)
    people: dict[str, Person] = field(default_factory=dict)

    @contextmanager
    def as_(self, who: str = "") -> Iterator[Call]:
        """Act as someone, or as the service itself."""
        services = replace(self.blank.service.services, clock=lambda: self.now, new_id=self._new_id)
        with self.blank.service.store.transaction(self.id) as tx:
            call = as_service(tx, services)
            person = self.people.get(who)
            if person is not None:
                call = replace(call, actor=Actor(person.name, person, Scope.CHANGE, self.now))
            yield call

    def _new_id(self) -> UUID:
        return uuid7(self.now, random.getrandbits(74))

    def sealed(self) -> None:
        """Seal the log to its end."""
        services = replace(self.blank.service.services, clock=lambda: self.now)
        seal_all(self.blank.service.store, services)

    def tick(self) -> None:
        """What the worker does every few seconds."""
        self.sealed()
        with self.as_() as call:
            plans.open_due(call)
        with self.as_() as call:
            settle.go_on(call)

    def keep(self, party: str, account: str = "Newsletter", **more: str) -> UUID:
        fields = {
            "account": account,
            "party": party,
            "addresses": f"{party.lower().replace(' ', '.')}@kestrelridge.example",
            "kind": "delegate",
            "level": "writer",
            "powers": "view; edit",
        }
        with self.as_("maren") as call:
            return by_hand.keep(call, "Members' Letter", fields | more).listed.entry.id

    def plan(self, name: str, recurs: str = "", **more: Any) -> None:
        values: dict[str, Any] = {"where": {}, "named": ("ines@kestrelridge.example",), "begins": BEGIN}
        with self.as_("maren") as call:
            plans.create(call, NewReview(name=name, **{**values, "recurs": recurs, **more}))
        self.now += timedelta(seconds=1)

    def rounds(self, name: str) -> list[rounds.RoundSight]:
        with self.as_("maren") as call:
            sights = rounds.browse(call, "", name, 500, None).items
        return sorted(sights, key=lambda sight: sight.round.occurrence)

    def told(self, who: str) -> list[str]:
        with self.as_(who) as call:
            return [item.notice.title for item in notices.browse(call, 100, None).items]


@pytest.fixture
def holder(blank: Ridge) -> Holder:
    made = Holder(blank, datetime.combine(BEGIN, time(0), LONDON).astimezone(UTC))
    workspace = Workspace(
        made.id, f"w-{made.id.hex[:12]}", "Another holder", "Europe/London", Circle(frozenset({"kestrelridge.example"}))
    )
    with blank.service.store.found(workspace, made.now) as tx:
        call = as_service(tx, replace(blank.service.services, clock=lambda: made.now))
        for name, role in (("maren", Role.OWNER), ("tobias", Role.MANAGER), ("ines", Role.REVIEWER)):
            address = f"{name}@kestrelridge.example"
            made.people[name] = people.add_first(call, name.title(), address, role, PASSWORD)
    with made.as_("maren") as call:
        providers.add(call, NewProvider(name="Members' Letter", connector="by-hand"))
    made.now += timedelta(hours=9)
    return made
