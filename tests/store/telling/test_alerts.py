"""Who is told what of access that changes or ends, and of links that are answered once."""

from __future__ import annotations

from datetime import date, timedelta
from uuid import UUID, uuid4

import pytest

from openlatch.core.hours import end_of
from openlatch.core.orders.orders import Order
from openlatch.errors import Conflict, NotFound
from openlatch.operations.call import Call
from openlatch.operations.orders.orders import seen_with
from openlatch.operations.taking_back import order_news
from openlatch.operations.telling import alerts, links
from openlatch.words import OrderState
from tests.store.conftest import Holder


def test_both_sides_are_told_a_week_and_a_day_before_access_ends_and_each_once(holder: Holder) -> None:
    holder.keep("Ines", addresses="ines@kestrelridge.example", ends_at="2027-12-01")
    holder.keep("Orla Finch", ends_at="2027-11-03", given_at="2027-11-01")
    ends = end_of(date(2027, 12, 1), "Europe/London")
    told = {8.0: 0, 6.9: 1, 2.0: 1, 0.9: 2, 0.5: 2, -1.0: 2}
    for days, number in told.items():
        holder.now = ends - timedelta(days=days)
        for _ in range(2):
            with holder.as_() as call:
                alerts.ending(call)
        assert len(holder.told("ines")) == number, days
        # What was given for less than a week is not announced a week before.
        assert [title for title in holder.told("maren") if title.startswith("Ines")] == holder.told("maren")
        assert len(holder.told("maren")) == number
    assert (
        holder.told("ines")[0]
        == "Your access to Newsletter at Members' Letter ends soon: you have it until 1 December 2027"
    )


def made(call: Call, subject: UUID) -> str:
    """A link about something as it stands in a letter, its last part."""
    path = links.make(call, "hand-over", subject, "orla@kestrelridge.example", timedelta(days=7))
    return links.whole(call, path).removeprefix(links.PATH)


def test_a_link_is_answered_once_in_time_by_whoever_has_all_of_it(holder: Holder) -> None:
    subject = uuid4()
    with holder.as_() as call:
        first, second = made(call, subject), made(call, subject)
    assert links.workspace_in(second) == holder.id
    with holder.as_() as call:
        assert links.opened(call, second).trouble == ""
        assert "withdrawn" in links.opened(call, first).trouble
        altered = second[:-1] + ("A" if second[-1] != "A" else "B")
        for wrong in (altered, second.rpartition(".")[0], "", "x.y.z", second.replace(".", "")):
            with pytest.raises(NotFound, match="leads nowhere"):
                links.opened(call, wrong)
        link = links.answerable(call, second)
        call.tx.links.used(link.id, "agreed", call.now)
    with holder.as_() as call, pytest.raises(Conflict, match="answered already"):
        links.answerable(call, second)
    with holder.as_() as call:
        third = made(call, subject)
    holder.now += timedelta(days=7)
    with holder.as_() as call, pytest.raises(Conflict, match="lapsed on 8 November 2027"):
        links.answerable(call, third)


def test_whoever_gives_up_or_declines_is_told_and_so_is_the_holder_in_the_words_that_fit(holder: Holder) -> None:
    access = holder.keep("Ines", addresses="ines@kestrelridge.example")
    offer = holder.keep("Ines", "Archive", addresses="ines@kestrelridge.example", kind="offer")
    for entry_id, action in ((access, "give-up"), (offer, "give-up"), (access, "end"), (offer, "end")):
        with holder.as_() as call:
            listed = call.tx.entries.find(str(entry_id))
            order = Order(
                uuid4(), entry_id, action, OrderState.PROVED, {}, (), "", "Maren", holder.now, "key", receipt={}
            )
            order_news.proved(call, [seen_with(order, listed)])
        holder.now += timedelta(seconds=1)
    assert holder.told("maren") == [
        "Ines has declined the offer of access to Archive at Members' Letter",
        "Ines has given up their access to Newsletter at Members' Letter",
    ]
    assert holder.told("ines") == [
        "The offer of access to Archive at Members' Letter was withdrawn",
        "Your access to Newsletter at Members' Letter has ended",
        "You declined the offer of access to Archive at Members' Letter",
        "Your access to Newsletter at Members' Letter has ended, as you wished",
    ]
