"""Days are the holder's own: in New York, in London, and on Kiritimati, where it is a day later than in New York."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from pathlib import Path
from uuid import uuid4
from zoneinfo import ZoneInfo

import pytest

from openlatch.cli.connection import Carrier
from openlatch.client import Client
from openlatch.core.model import Circle, Workspace
from openlatch.demo.cast import DOMAIN, PASSWORD
from openlatch.errors import Invalid
from openlatch.operations.call import as_service
from openlatch.operations.people import people
from openlatch.words import Role
from tests.harness.acts import settle
from tests.harness.ridge import Ridge
from tests.harness.terminal import Terminal

MAREN = f"maren.ashdown@{DOMAIN}"
MOMENTS = [datetime(2030, 3, 31, 0, 30, tzinfo=UTC), datetime(2030, 3, 31, 11, 30, tzinfo=UTC)]
"""Just after midnight UTC, when it is the day before in New York; and when it is the day after on Kiritimati."""
ZONES = ["America/New_York", "Europe/London", "Pacific/Kiritimati"]


@dataclass
class Holder:
    """A holder in a zone, with one list that is recorded by hand, and a terminal."""

    ridge: Ridge
    zone: str
    client: Client
    run: Terminal

    @property
    def today(self) -> date:
        return self.ridge.clock.now.astimezone(ZoneInfo(self.zone)).date()

    def over(self, day: date) -> datetime:
        """The instant at which a day is over here."""
        return datetime.combine(day + timedelta(days=1), time(), ZoneInfo(self.zone))

    def written(self, day: date) -> str:
        return f"{day.day} {day:%b %Y}"


@pytest.fixture(
    params=[(zone, moment) for zone in ZONES for moment in MOMENTS], ids=lambda value: f"{value[0]} {value[1]:%H}"
)
def holder(blank: Ridge, tmp_path: Path, request: pytest.FixtureRequest) -> Iterator[Holder]:
    zone, blank.clock.now = request.param
    slug = f"w-{uuid4().hex[:12]}"
    workspace = Workspace(uuid4(), slug, "A holder elsewhere", zone, Circle(frozenset({DOMAIN})))
    with blank.store.found(workspace, blank.clock()) as tx:
        people.add_first(as_service(tx, blank.services), "Maren Ashdown", MAREN, Role.OWNER, PASSWORD)
    run = Terminal(tmp_path, Carrier(blank.transport, blank.pause))
    run("sign-in", blank.url, "--workspace", slug, "--address", MAREN, "--password", PASSWORD)
    with blank.client(MAREN, workspace=slug) as client:
        client.add_provider("Members' Letter", "by-hand", {})
        yield Holder(blank, zone, client, run)


def kept(holder: Holder, last_day: date | None) -> str:
    entry = holder.client.keep(
        "Members' Letter",
        account="Newsletter",
        party="Orla Finch",
        addresses=[f"orla.finch@{DOMAIN}"],
        kind="grant" if last_day else "delegate",
        level="writer",
        powers=["view"],
        ends_at=last_day,
    )
    return entry.ref


def test_a_last_day_is_over_at_the_holders_midnight_and_is_printed_as_it_was_said(holder: Holder) -> None:
    last = holder.today + timedelta(days=9)
    ref = kept(holder, last)
    assert holder.client.entry(ref).ends_at == holder.over(last)
    assert holder.written(last) in holder.run("show", ref)
    assert holder.written(last) in holder.run("inventory", "--wide")


def test_an_order_for_a_last_day_waits_for_the_holders_midnight_and_says_that_day(holder: Holder) -> None:
    ref, last = kept(holder, None), holder.today
    said = f"{last.day} {last:%B %Y}"
    plan = holder.client.plan(ref, "end-on", until=last)
    assert said in " ".join(step.text for step in plan.steps)
    with pytest.raises(Invalid):
        holder.client.plan(ref, "end-on", until=last - timedelta(days=1))
    order = settle(holder.client, holder.client.command(ref, "end-on", until=last).ref)
    assert (order.state, order.again_at) == ("waiting", holder.over(last))
    assert said in holder.run("order", "show", order.ref) or holder.written(last) in holder.run(
        "order", "show", order.ref
    )


def test_a_flag_is_accepted_through_the_holders_day(holder: Holder) -> None:
    kept(holder, None)
    holder.client.record_secret("Newsletter", "Orla Finch", "the shared password")
    flag = next(holder.client.flags())
    with pytest.raises(Invalid, match="from today"):
        holder.client.accept(flag.ref, "over already", holder.today - timedelta(days=1))
    accepted = holder.client.accept(flag.ref, "for today", holder.today)
    assert accepted.accepted is not None
    assert accepted.accepted.until == holder.over(holder.today)
    assert holder.written(holder.today) in holder.run("flag", "explain", flag.ref)
    assert f"until {holder.written(holder.today)}" in holder.run("flags", "--accepted")


def test_an_offer_and_its_letter_say_the_day_that_was_meant(holder: Holder) -> None:
    kept(holder, None)
    last = holder.today + timedelta(days=30)
    to = f"dov.finch@{DOMAIN}"
    words = ("offer", "make", to, "--account", "Newsletter=writer", "--until", last.isoformat())
    said = f"until the end of {last.day} {last:%B %Y}"
    assert said in " ".join(holder.run(*words, "--dry-run").split())
    ref = holder.run(*words, "--yes").partition("(")[2].partition(")")[0]
    assert holder.client.offered(ref).parts[0].ends_at == holder.over(last)
    holder.ridge.drain()
    letter = holder.ridge.post.to(to, "offers you access")[-1]
    lapses = holder.client.offered(ref).lapses_at.astimezone(ZoneInfo(holder.zone))
    assert holder.written(lapses.date()) in holder.run("offer", "list")
    link = next(word for word in letter.text.split() if "/answer/" in word)
    assert holder.written(lapses.date()) in holder.run("answer", link)


def test_a_review_comes_round_at_eight_in_the_morning_of_the_holder(holder: Holder) -> None:
    kept(holder, None)
    review = holder.client.add_review("Daily", named=[MAREN], recurs="FREQ=DAILY")
    first = review.coming[0].astimezone(ZoneInfo(holder.zone))
    assert (first.hour, first.minute) == (8, 0)
    assert holder.zone in review.says
    assert holder.written(first.date()) in holder.run("review", "list")
