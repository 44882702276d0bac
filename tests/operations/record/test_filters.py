"""The log by who, what, where and when: each filter leaves what it says of the whole, and nothing else."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest

from openlatch.client import Client
from openlatch.errors import Invalid
from openlatch.wire import messages as wire

ZONE = ZoneInfo("Europe/London")


def day_of(event: wire.Event) -> date:
    return datetime.fromisoformat(event.content["at"]).astimezone(ZONE).date()


def test_each_filter_leaves_what_it_says(client: Client) -> None:
    client.pause_provider("Live Sky")
    client.resume_provider("Live Sky")
    every = list(client.events())
    today = max(map(day_of, every))
    about_orders_or = {"order", "provider"}

    def left(keeps: Callable[[wire.Event], bool]) -> list[object]:
        return [event.id for event in every if keeps(event)]

    for wanted, keeps in (
        ({"actor": "MAREN"}, lambda e: "Maren" in e.content["actor"] or "Maren" in (e.content["on_behalf_of"] or "")),
        ({"what": "provider.paused"}, lambda e: e.content["act"] == "provider.paused"),
        ({"what": "order, provider"}, lambda e: e.content["act"].partition(".")[0] in about_orders_or),
        ({"since": today}, lambda e: day_of(e) >= today),
        ({"until": today - timedelta(days=1)}, lambda e: day_of(e) < today),
        ({"since": today + timedelta(days=1)}, lambda _: False),
        ({"actor": "maren", "what": "provider", "since": today, "until": today}, None),
    ):
        found = [event.id for event in client.events(**wanted)]  # type: ignore[arg-type]
        if keeps is not None:
            assert found == left(keeps), wanted
        assert set(found) <= {event.id for event in every}
    assert left(lambda e: e.content["act"] == "provider.paused")


def test_the_history_of_an_entry_has_its_orders_and_nothing_else(client: Client) -> None:
    one, other = [e for e in client.entries(account="Weather Mast", state="live") if "admit" not in e.powers][:2]
    given = client.end(one.ref)
    told = list(client.events(entry=one.ref))
    assert {"entry.found", "order.given"} <= {event.content["act"] for event in told}
    assert {event.about.ref for event in told if event.about} == {one.ref}
    assert all(f"{one.party.name} on Weather Mast" in event.says for event in told)
    every = [event.id for event in client.events() if event.about and event.about.ref == one.ref]
    assert [event.id for event in told] == every
    assert given.ref not in {event.content["subject_id"] for event in client.events(entry=other.ref)}


def test_how_an_entry_came_about_is_in_its_history_its_accounts_and_its_partys(client: Client) -> None:
    parts = [{"account": "Night-Sky Plates", "needs": ["view"]}]
    until = max(map(day_of, client.events())) + timedelta(days=20)
    to = {"to": "wren.hale@northcape-uni.example", "name": "Wren Hale"}
    wish = wire.OfferWish.model_validate({**to, "parts": parts, "until": until})
    made = client.offer(wish, client.check_offer(wish).digest)
    client.withdraw_offer(made.ref)
    told = {"offer.made", "offer.withdrawn"}
    for offered in (client.entry(str(part.entry)) for part in made.parts):
        for wanted in ({"entry": offered.ref}, {"account": offered.account.ref}, {"party": offered.party.ref}):
            acts = [e.content["act"] for e in client.events(**wanted) if e.content["subject_id"] == str(made.id)]
            assert sorted(acts) == sorted(told), wanted
    other = next(e for e in client.entries(account="Bookings", state="live"))
    assert not told & {event.content["act"] for event in client.events(entry=other.ref)}


def test_what_the_log_never_tells_of_is_refused_with_what_is_meant(client: Client) -> None:
    with pytest.raises(Invalid, match="nothing that the log tells of") as refused:
        list(client.events(what="ordr"))
    assert "“order”" in refused.value.next_step
