"""Reviews over a year and a month with a clock of the test's own: they come round once, whoever opens them."""

from __future__ import annotations

import random
from calendar import monthrange
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from datetime import UTC, date, datetime, time, timedelta
from typing import Any

import pytest

from openlatch.core.telling.notices import Letter
from openlatch.errors import Changed, Conflict, Invalid, NotAllowed, ProviderDown, ProviderRefused
from openlatch.operations.call import Call
from openlatch.operations.inventory import by_hand
from openlatch.operations.providers import providers
from openlatch.operations.reviews import calendars, plans, rounds
from openlatch.operations.reviews.rounds import ItemSight, Said
from openlatch.operations.telling import notices
from openlatch.words import Choice, Occasion, Reviewers, RoundState, Telling, Unanswered
from tests.store.conftest import BEGIN, END, LONDON, Holder


def pages_of(call: Call, ref: str, size: int, outcome: str = "") -> list[tuple[ItemSight, ...]]:
    """The items of a round, so many at a time."""
    pages, cursor, more = [], None, True
    while more:
        page = rounds.items(call, ref, size, cursor, mine=False, outcome=outcome)
        pages.append(page.items)
        cursor, more = page.next, page.next is not None
    return pages


def items_of(call: Call, ref: str, size: int = 500) -> list[ItemSight]:
    """The items of a round."""
    return [sight for page in pages_of(call, ref, size) for sight in page]


def at_eight(days: Iterator[date]) -> list[datetime]:
    return [datetime.combine(day, time(8), LONDON).astimezone(UTC) for day in days if BEGIN < day < END]


def every_day() -> Iterator[date]:
    return (BEGIN + timedelta(days=n) for n in range((END - BEGIN).days))


def test_a_year_of_reviews_opens_each_round_once_with_two_schedulers_and_restarts(holder: Holder) -> None:
    wanted: dict[str, tuple[str, Callable[[date], bool]]] = {
        "The last day of a month": ("FREQ=MONTHLY;BYMONTHDAY=-1", lambda d: d.day == monthrange(d.year, d.month)[1]),
        "The first Monday": ("FREQ=MONTHLY;BYDAY=1MO", lambda d: d.weekday() == 0 and d.day < 8),
        "A quarter": ("FREQ=MONTHLY;INTERVAL=3;BYMONTHDAY=1", lambda d: d.day == 1 and d.month in (2, 5, 8, 11)),
        "The leap day": ("FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=29", lambda d: (d.month, d.day) == (2, 29)),
        "The clock goes forward": ("FREQ=YEARLY;BYMONTH=3;BYDAY=-1SU", lambda d: d == date(2028, 3, 26)),
    }
    expected = {name: (rule, at_eight(filter(falls, every_day()))) for name, (rule, falls) in wanted.items()}
    holder.keep("Orla Finch")
    for name, (rule, _) in expected.items():
        holder.plan(name, rule, answer_days=14)
    chance = random.Random(7)

    def scheduler(_: int) -> None:
        with holder.as_() as call:
            plans.open_due(call)

    end = datetime.combine(END, time(0), LONDON)
    with ThreadPoolExecutor(2) as pool:
        while holder.now < end:
            # A day or so apart, and now and then a week in which nothing ran.
            holder.now += timedelta(hours=chance.choice((5, 20, 30, 170)))
            list(pool.map(scheduler, range(2)))
    for name, (_, occurrences) in expected.items():
        opened = [sight.round for sight in holder.rounds(name) if sight.round.occurrence < end]
        assert [review_round.occurrence for review_round in opened] == [at for at in occurrences if at < end], name
        assert all(
            timedelta(0) <= review_round.opened_at - review_round.occurrence < timedelta(days=14)
            for review_round in opened
        )


def test_what_nobody_answers_comes_to_what_the_review_says_after_it_was_said_in_time(holder: Holder) -> None:
    for name in ("Orla Finch", "Bram Alder", "Celia Brook"):
        holder.keep(name)
    holder.plan(
        "Who writes",
        "FREQ=MONTHLY;BYMONTHDAY=2",
        answer_days=10,
        remind_days=4,
        unanswered=Unanswered.END,
        most=2,
        otherwise="tobias@kestrelridge.example",
    )
    holder.now += timedelta(days=1)
    holder.tick()
    (sight,) = holder.rounds("Who writes")
    opened = sight.round
    assert holder.told("ines")[0].startswith("“Who writes” is due: 3 items for you until")
    for days, ines, tobias in ((5, 1, 0), (6.1, 2, 0), (7, 2, 0), (8.1, 2, 1), (9, 2, 1)):
        holder.now = opened.opened_at + timedelta(days=days)
        holder.tick()
        assert (len(holder.told("ines")), len(holder.told("tobias"))) == (ines, tobias), days
    assert holder.told("tobias")[0].startswith("“Who writes”: 3 items not answered, due")
    holder.now = opened.due_at
    for _ in range(3):
        holder.tick()
    (sight,) = holder.rounds("Who writes")
    # Two end at most, and since nothing here can end them, someone is asked to.
    assert sight.round.state is RoundState.SETTLING
    assert sight.outcomes["kept"] == 1
    assert sum(sight.outcomes.values()) == 3
    assert "they end, 2 at most" in holder.told("tobias")[0]
    with holder.as_("maren") as call:
        for item in items_of(call, opened.ref):
            if item.outcome != "kept":
                rounds.leave_open(
                    call, opened.ref, item.item.place, "The letter is printed", "tobias@kestrelridge.example"
                )
    (sight,) = holder.rounds("Who writes")
    assert sight.round.state is RoundState.CLOSED
    assert sight.round.compared is not None
    assert sight.round.compared.entries == (3, 3)


def test_a_decision_is_refused_to_whoever_may_not_and_where_somebody_else_was_first(holder: Holder) -> None:
    holder.keep("Ines", addresses="ines@kestrelridge.example")
    orla = holder.keep("Orla Finch")
    holder.plan("Who writes", "FREQ=YEARLY;BYMONTH=12;BYMONTHDAY=1")
    with holder.as_("maren") as call:
        opened = plans.open_now(call, "Who writes").round
        places = {item.item.entry_id: item for item in items_of(call, opened.ref)}
    own = next(sight for sight in places.values() if sight.item.entry_id != orla)
    assert own.reviewer is None or own.reviewer.name != "Ines"
    keep = Said(Choice.KEEP, "Still needed")

    def decide(who: str, place: int, said: Said = keep, versions: dict[int, int] | None = None) -> int:
        with holder.as_(who) as call:
            return rounds.decide(call, opened.ref, [place], said, versions or {}).count

    with pytest.raises(NotAllowed, match="your own access"):
        decide("ines", own.item.place)
    place = places[orla].item.place
    seen = {place: places[orla].item.version}
    assert decide("ines", place, versions=seen) == 1
    with pytest.raises(Changed, match="decided by someone else"):
        decide("maren", place, Said(Choice.END_NOW), seen)
    with pytest.raises(Invalid, match="over already"):
        decide("maren", place, Said(Choice.END_ON, until=BEGIN - timedelta(days=3)))
    with holder.as_("maren") as call:
        by_hand.gone(call, str(orla), "They told us")
    with pytest.raises(Conflict, match="has ended: there is nothing left"):
        decide("maren", place)
    with pytest.raises(Conflict, match="not decided yet"), holder.as_("maren") as call:
        rounds.finish(call, opened.ref)
    assert decide("maren", own.item.place) == 1
    with holder.as_("maren") as call:
        done = rounds.finish(call, opened.ref)
    assert done.round.state is RoundState.CLOSED
    assert done.outcomes == {"kept": 1, "gone": 1}
    with pytest.raises(Conflict, match="is closed"):
        decide("maren", own.item.place)


def test_a_round_over_nothing_is_closed_at_once_and_one_that_rests_is_not_due(holder: Holder) -> None:
    holder.plan("Nothing", "FREQ=YEARLY;BYMONTH=12;BYMONTHDAY=1", where={"outside": True})
    holder.plan("Something", "FREQ=YEARLY;BYMONTH=12;BYMONTHDAY=1", answer_days=5)
    holder.keep("Orla Finch")
    with holder.as_("maren") as call:
        assert plans.open_now(call, "Nothing").round.state is RoundState.CLOSED
        opened = plans.open_now(call, "Something").round
        rounds.pause(call, opened.ref, paused=True)
    holder.now += timedelta(days=30)
    holder.tick()
    with holder.as_("maren") as call:
        again = rounds.pause(call, opened.ref, paused=False).round
    assert again.state is RoundState.OPEN
    assert again.due_at == opened.due_at + timedelta(days=30)


def test_what_happens_opens_one_round_for_all_that_comes_together(holder: Holder) -> None:
    holder.plan("After a breach", on=(Occasion.PROVIDER_BREACH,))
    holder.plan("New administrators", on=(Occasion.ADMINISTRATOR_ADDED,))
    holder.keep("Orla Finch")
    for name in ("Bram Alder", "Celia Brook"):
        holder.keep(name, powers="view; admit")
    with holder.as_("maren") as call:
        providers.report_breach(call, "Members' Letter", BEGIN, "Someone read their mail")
        with pytest.raises(Invalid, match="still to come"):
            providers.report_breach(call, "Members' Letter", END, "It will")
    holder.tick()
    assert not holder.rounds("New administrators")
    holder.now += timedelta(minutes=2)
    for _ in range(3):
        holder.tick()
        holder.now += timedelta(minutes=2)
    (sight,) = holder.rounds("New administrators")
    assert sight.round.why == "Bram Alder became an administrator of Newsletter"
    (breach,) = holder.rounds("After a breach")
    assert breach.round.plan.where == {"provider": "Members' Letter"}
    assert holder.told("tobias")[-1].startswith("Members' Letter has reported a breach")


def test_items_are_split_by_account_and_pass_from_whoever_leaves(holder: Holder) -> None:
    for account in ("Newsletter", "Archive"):
        for name in ("Orla Finch", "Bram Alder"):
            holder.keep(name, account)
    holder.plan("Who writes", "FREQ=YEARLY;BYMONTH=12;BYMONTHDAY=1")
    with holder.as_("maren") as call:
        opened = plans.open_now(call, "Who writes").round
        rounds.assign(call, opened.ref, range(1, 5), ["ines@kestrelridge.example", "tobias@kestrelridge.example"])
        items = items_of(call, opened.ref)
    asked = {(item.item.account_id, item.reviewer.name if item.reviewer else "") for item in items}
    assert len(asked) == 2
    assert {name for _, name in asked} == {"Ines", "Tobias"}
    holder.keep("Ines", addresses="ines@kestrelridge.example", party_status="left")
    holder.tick()
    with holder.as_("maren") as call:
        items = items_of(call, opened.ref)
    assert {item.reviewer.name for item in items if item.reviewer} == {"Tobias", "Maren"}


def test_pages_of_any_size_have_every_item_once_and_the_same_questions(holder: Holder) -> None:
    # Two accounts, and on one of them somebody who may do more.
    for account in ("Newsletter", "Archive"):
        for name in ("Orla Finch", "Bram Alder", "Ines", "Edda Brook"):
            holder.keep(name, account, level="administrator" if (name, account) == ("Ines", "Archive") else "editor")
    holder.plan("Who writes", "FREQ=YEARLY;BYMONTH=12;BYMONTHDAY=1")
    with holder.as_("maren") as call:
        opened = plans.open_now(call, "Who writes").round
        whole = items_of(call, opened.ref)
        for size in range(1, len(whole) + 2):
            assert items_of(call, opened.ref, size) == whole
            for page in pages_of(call, opened.ref, size):
                assert 0 < len(page) <= size
        rounds.decide(call, opened.ref, [2, 5], Said(Choice.KEEP, "Still needed"), {})
        left = pages_of(call, opened.ref, 3, "undecided")
    assert [sight.item.place for sight in whole] == list(range(1, 9))
    assert [sight.item.place for page in left for sight in page] == [1, 3, 4, 6, 7, 8]
    asked = {(sight.item.account_id, sight.item.facts.level, sight.group) for sight in whole}
    assert len(asked) == len({group for _, _, group in asked}) == 3


@pytest.mark.parametrize(
    ("draft", "says"),
    [
        ({"recurs": "FREQ=SECONDLY"}, "more often than once a day"),
        ({"recurs": "FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30"}, "never comes"),
        ({"recurs": ""}, "needs a schedule, an event, or both"),
        ({"named": ("nobody@kestrelridge.example",)}, "nobody of this workspace"),
        ({"named": (), "reviewers": Reviewers.NAMED}, "No reviewer is named"),
        ({"where": {"account": "No such account"}}, "No such account"),
    ],
)
def test_a_review_that_makes_no_sense_is_refused_and_stores_nothing(
    holder: Holder, draft: dict[str, Any], says: str
) -> None:
    with pytest.raises(Exception, match=says):
        holder.plan("A review", **{"recurs": "FREQ=DAILY", **draft})
    with holder.as_("maren") as call:
        assert plans.browse(call) == ()


# Letters


class Post:
    """Carries letters, or does not, as a test wants it."""

    def __init__(self, *troubles: Exception | None) -> None:
        self.troubles = list(troubles)
        self.sent: list[Letter] = []

    def send(self, letter: Letter) -> None:
        trouble = self.troubles.pop(0) if self.troubles else None
        self.sent.append(letter)
        if trouble is not None:
            raise trouble


def deliver(holder: Holder, post: Post, crash: bool = False) -> None:
    """What the worker does with letters, and perhaps dies before it can say that one was sent."""
    while True:
        with holder.as_() as call:
            pair = notices.next_letter(call)
        if pair is None:
            return
        trouble: Exception | None = None
        try:
            post.send(pair[1])
        except (ProviderDown, ProviderRefused) as error:
            trouble = error
        if crash:
            return
        with holder.as_() as call:
            if trouble is None:
                notices.sent(call, pair[0])
            else:
                notices.not_sent(call, pair[0], str(trouble), again=isinstance(trouble, ProviderDown))


def test_a_letter_stays_the_same_letter_until_it_is_sent_and_is_given_up_only_where_trying_is_no_use(
    holder: Holder,
) -> None:
    holder.keep("Orla Finch")
    holder.plan("Who writes", "FREQ=YEARLY;BYMONTH=12;BYMONTHDAY=1")
    holder.plan("Who edits", "FREQ=YEARLY;BYMONTH=12;BYMONTHDAY=1")
    with holder.as_("ines") as call:
        notices.choose(call, Telling.DAILY)
    with holder.as_("maren") as call:
        plans.open_now(call, "Who writes")
    post = Post()
    deliver(holder, post)
    assert post.sent == []  # Ines is told once a day
    with holder.as_("maren") as call:
        plans.open_now(call, "Who edits")
    holder.now += timedelta(days=1)
    deliver(holder, post, crash=True)
    deliver(holder, post)
    deliver(holder, post)
    first, second = post.sent
    assert first.id == second.id  # which whoever receives both can see
    assert first.subject.endswith("and 1 more")
    busy, no = ProviderDown("busy", next_step=""), ProviderRefused("no such address", next_step="")
    with holder.as_("maren") as call:
        providers.report_breach(call, "Members' Letter", BEGIN, "Someone read their mail")
    post = Post(busy, no)
    for _ in range(3):
        deliver(holder, post)
        holder.now += timedelta(hours=1)
    maren, tobias = sorted({letter.to for letter in post.sent})
    assert sorted(letter.to for letter in post.sent) in ([maren, maren, tobias], [maren, tobias, tobias])
    with holder.as_("maren") as call, holder.as_("tobias") as other:
        last = [notices.browse(some_call, 1, None).items[0] for some_call in (call, other)]
    assert sorted((one.sent_at is None, one.trouble) for one in last) == [(False, ""), (True, "no such address")]


def test_a_calendar_is_read_by_its_secret_address_alone_and_holds_what_concerns_its_reader(holder: Holder) -> None:
    holder.keep("Orla Finch", ends_at="2027-12-24")
    holder.keep("Ines", addresses="ines@kestrelridge.example", ends_at="2027-11-30")
    holder.plan("Who writes", "FREQ=MONTHLY;BYDAY=1MO")
    with holder.as_("maren") as call:
        plans.open_now(call, "Who writes")
    titles: dict[str, list[str]] = {}
    make: Callable[[Call], str] = calendars.make
    for who in ("maren", "ines"):
        with holder.as_(who) as call:
            former, address = make(call), make(call)
        with holder.as_() as call:
            titles[who] = [happening.title for happening in calendars.follow(call, address).happenings]
            with pytest.raises(Exception, match="no calendar"):
                calendars.follow(call, former)
    assert "Who writes: 1 item waits for you" in titles["ines"]
    assert "Your access to Newsletter ends" in titles["ines"]
    assert "Orla Finch's access to Newsletter ends" in titles["maren"]
    assert not any("Orla" in title for title in titles["ines"])
    assert sum(title == "Who writes takes place" for title in titles["ines"]) == 11  # to October


def test_a_review_of_what_is_not_there_any_more_says_so_and_holds_up_no_other(holder: Holder) -> None:
    holder.keep("Orla Finch", "Archive")
    holder.plan("The archive", "FREQ=MONTHLY;BYMONTHDAY=2", where={"account": "Archive"})
    holder.plan("Everything", "FREQ=MONTHLY;BYMONTHDAY=2")
    with holder.as_("maren") as call:
        opened = plans.open_now(call, "The archive").round
        rounds.decide(call, opened.ref, [1], Said(Choice.KEEP, "Still needed"), {})
    with holder.as_() as call:
        account = call.tx.accounts.find("Archive")
        call.tx.accounts.save_all([replace(account, name="Old letters", version=account.version + 1)])
    holder.now += timedelta(days=2)
    holder.tick()
    assert len(holder.rounds("The archive")) == 1
    assert len(holder.rounds("Everything")) == 1
    assert "names something that is not there any more" in holder.told("maren")[0]
    with holder.as_("maren") as call:
        says = {sight.plan.name: sight.says for sight in plans.browse(call)}
        assert "not there any more" in says["The archive"]
        done = rounds.finish(call, opened.ref)
    assert done.round.state is RoundState.CLOSED
    assert done.round.compared is not None
    assert done.round.compared.entries == (1, 1), "the same entry, whatever becomes of what the review looks at"
