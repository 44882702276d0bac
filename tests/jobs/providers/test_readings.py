"""How a reading ends, whatever the connector does in the middle of it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from datetime import timedelta
from itertools import count

import pytest

from openlatch.core.inventory.reconcile import Identifier
from openlatch.core.model import Abilities, Provider, Reading
from openlatch.core.providers.observation import ObservedAccount, ObservedEntry, ObservedMembership, ObservedParty
from openlatch.core.providers.ports import Page
from openlatch.errors import ProviderDown, ProviderRefused, ProviderTrouble
from openlatch.jobs.read import read
from openlatch.operations.providers import readings
from openlatch.words import Kind, PartyKind, PartyStatus, Power
from tests.harness.ridge import Ridge

WHO = ObservedParty("w", PartyKind.PERSON, "Wren Hale", ("wren@northcape-uni.example",))
CREW = ObservedParty("crew", PartyKind.TEAM, "Night crew")
NUMBERS = count(1)
SHED = ObservedAccount("shed", "Tool shed")


def entry(key: str, level: str = "keeper") -> ObservedEntry:
    return ObservedEntry(key, "shed", "w", Kind.DELEGATE, level, (Power.VIEW,))


class Fake:
    """A connector that shows these pages, and then this trouble."""

    words: Mapping[str, tuple[Power, ...]] = {}
    levels: Mapping[str, tuple[Power, ...]] = {}
    shown: tuple[Page, ...] = ()
    trouble: ProviderTrouble | None = None
    able = Abilities(lists=frozenset({Kind.DELEGATE}))

    def __init__(self, settings: Mapping[str, str], secret: str, transport: object = None) -> None:
        pass

    def abilities(self) -> Abilities:
        return self.able

    def pages(self) -> Iterator[Page]:
        yield from self.shown
        if self.trouble is not None:
            raise self.trouble


class Shed:
    """A provider of its own, read through a connector that does as it is told."""

    def __init__(self, ridge: Ridge) -> None:
        self.ridge = ridge
        with ridge.call() as call:
            self.provider = Provider(call.services.new_id(), f"Shed {next(NUMBERS)}", "fake", {})
            call.tx.providers.add(self.provider, call.close("-"))
            self.workspace = call.tx.workspace.id

    def read(
        self, *shown: Page, trouble: ProviderTrouble | None = None, discreet: bool = False, accept_loss: bool = False
    ) -> Reading:
        """Read these pages and then this trouble; returns how the reading ended."""
        able = replace(Fake.able, discreet=discreet)
        kind = type("Kind", (Fake,), {"shown": shown, "trouble": trouble, "able": able})
        services = replace(self.ridge.services, connectors={"fake": kind})
        with self.ridge.call() as call:
            reading, _ = readings.queue(call, self.provider, accept_loss=accept_loss)
        read(self.ridge.store, services, self.workspace, reading.id)
        with self.ridge.call() as call:
            return call.tx.readings.get(reading.id)

    def standing(self) -> dict[str, str]:
        with self.ridge.call() as call:
            return {each_entry.key: each_entry.level for each_entry in call.tx.entries.standing(self.provider.id)}


@pytest.fixture
def shed(ridge: Ridge) -> Shed:
    return Shed(ridge)


ALL = Page((SHED,), (WHO, CREW), (entry("1"), entry("2")))


@pytest.mark.parametrize(
    ("shown", "trouble", "ends"),
    [
        ((ALL,), None, "complete"),
        ((ALL,), ProviderDown("It does not answer.", next_step="-"), "partial"),
        ((ALL,), ProviderRefused("401.", next_step="-"), "failed"),
        ((Page((SHED,)),), ProviderDown("It does not answer.", next_step="-"), "failed"),
        ((), ProviderRefused("401.", next_step="-"), "failed"),
    ],
)
def test_a_reading_that_is_refused_or_shows_nobody_has_failed_and_one_that_breaks_off_later_is_partial(
    shed: Shed, shown: tuple[Page, ...], trouble: ProviderTrouble | None, ends: str
) -> None:
    assert shed.read(*shown, trouble=trouble).state == ends
    assert bool(shed.standing()) == (ends in ("complete", "partial"))


def test_what_contradicts_itself_is_left_out_and_told_and_all_else_is_read(shed: Shed) -> None:
    shed.read(ALL)
    twice = Page((SHED,), (WHO, CREW), (entry("2", "warden"), entry("2", "keeper"), entry("3")))
    reading = shed.read(twice)
    assert reading.state == "partial"
    assert reading.trouble.startswith("Entry '2' is listed 2 times. What was known of that is kept")
    assert shed.standing() == {"1": "keeper", "2": "keeper", "3": "keeper"}
    assert shed.read(replace(twice, entries=(entry("3"), entry("3")))).state == "complete", "alike twice is once"
    assert shed.standing() == {"3": "keeper"}


def test_a_member_that_is_not_listed_is_kept_as_unknown_and_told(shed: Shed) -> None:
    links = (ObservedMembership("crew", "w"), ObservedMembership("crew", "gone-7"))
    reading = shed.read(replace(ALL, memberships=links))
    assert (reading.state, reading.remarks) == (
        "complete",
        ("“gone-7”, a member of Night crew, is not among those who are listed.",),
    )
    with shed.ridge.call() as call:
        (party,) = call.tx.parties.known([Identifier(str(shed.provider.id), "gone-7")]).values()
        known = call.tx.parties.some([party])[party]
    assert (known.name, known.status) == ("gone-7", PartyStatus.UNKNOWN)


def test_a_provider_that_may_only_have_stopped_telling_us_ends_nothing_before_somebody_says_so(shed: Shed) -> None:
    shed.read(ALL, discreet=True)
    empty = replace(ALL, entries=())
    reading = shed.read(empty, discreet=True)
    assert (reading.state, reading.withheld, "credentials" in reading.trouble) == ("partial", 2, True)
    assert set(shed.standing()) == {"1", "2"}
    assert shed.read(empty, discreet=True, accept_loss=True).state == "complete"
    assert shed.standing() == {}
    assert shed.read(empty, discreet=True).state == "complete", "nothing is nothing"


def test_one_of_several_that_is_not_shown_any_more_has_ended_at_a_discreet_provider_too(shed: Shed) -> None:
    shed.read(ALL, discreet=True)
    assert shed.read(replace(ALL, entries=(entry("1"),)), discreet=True).counts["gone"] == 1


class Died(BaseException):
    """What ends a worker in the middle of something."""


class Paged(Fake):
    """A connector whose pages can be gone on with, and which counts what it was asked for."""

    asked: list[str]
    dies_after = 99
    forgets = False

    def pages(self, cursor: str = "", before: Sequence[Page] = ()) -> Iterator[Page]:
        self.asked.append(cursor)
        if cursor and self.forgets:
            raise ProviderRefused("That cursor is not known any more.", next_step="Begin anew.")
        assert [page.cursor for page in before] == [str(n) for n in range(1, int(cursor or 0) + 1)]
        first = int(cursor or 0)
        for number in range(first, len(self.shown)):
            if number - first == self.dies_after:
                raise Died
            last = number + 1 == len(self.shown)
            yield replace(self.shown[number], cursor="" if last else str(number + 1))


PAGES = (
    Page((SHED,), (WHO,), (entry("a"),)),
    *(Page(entries=(entry(key),)) for key in "bcd"),
)


def resumed(shed: Shed, *, later: timedelta = timedelta(), **more: object) -> tuple[list[str], set[str]]:
    """A reading whose worker dies after two pages, taken up by another; returns what was asked for, and is known."""
    asked: list[str] = []
    with shed.ridge.call() as call:
        reading, _ = readings.queue(call, shed.provider, accept_loss=False)
    for dies_after in (2, 99):
        kind = type("Kind", (Paged,), {"shown": PAGES, "asked": asked, "dies_after": dies_after, **more})
        services = replace(shed.ridge.services, connectors={"fake": kind})
        try:
            read(shed.ridge.store, services, shed.workspace, reading.id)
        except Died:
            shed.ridge.clock.now += later
    with shed.ridge.call() as call:
        done = call.tx.readings.get(reading.id)
        assert call.tx.readings.pages_since(reading.id, call.now - timedelta(days=9)) == (), "nothing is kept twice"
    assert (done.state, done.seen) == ("complete", 4)
    return asked, set(shed.standing())


def test_a_reading_goes_on_at_the_page_at_which_its_worker_died(shed: Shed) -> None:
    assert resumed(shed) == (["", "2"], {"a", "b", "c", "d"})


def test_a_reading_begins_anew_where_the_provider_does_not_go_on_or_too_long_ago(shed: Shed) -> None:
    assert resumed(shed, forgets=True) == (["", "2", ""], {"a", "b", "c", "d"})
    assert resumed(shed, later=timedelta(hours=1))[0] == ["", ""]
