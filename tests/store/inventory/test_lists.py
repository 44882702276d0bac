"""Lists show exactly what was asked for: the database's answer against the same question asked of values."""

from __future__ import annotations

import contextlib
from collections.abc import Iterable, Iterator
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from typing import Any, NamedTuple
from uuid import UUID, uuid4

import pytest
from hypothesis import Phase, given, settings
from hypothesis import strategies as st

from openlatch.core.inventory.activity import Activity
from openlatch.core.model import Entry, Party, Provider, Workspace
from openlatch.core.record.ledger import Event
from openlatch.operations.inventory.entries import STANDING
from openlatch.store import Store, Transaction
from openlatch.store.inventory.entries import EntryFilter, Mark
from openlatch.store.inventory.tallies import Summary
from openlatch.store.providers.words import Used
from openlatch.store.record.events import EventFilter
from openlatch.words import EndReason, How, Kind, Power, State
from tests.factories import account, ago, entry, ids, party
from tests.harness.ridge import Ridge

NOW = datetime(2026, 5, 10, tzinfo=UTC)
new_id = ids()
# What has a meaning in a pattern must have none in a search.
letters = st.text("aB%_\\ .'\"", max_size=3)
provider = Provider(uuid4(), "Ticket Desk", "feed", {})
places = [account(id=uuid4(), provider_id=provider.id, key=str(n), name=name) for n, name in enumerate(("Gate", "a_B"))]
people = [
    party(id=uuid4(), name=name, addresses=addresses)
    for name, addresses in (("Orla", ("a%b@x.example",)), ("Ba", ()), ("\\_", ("AB@y.example", "b.a@z.example")))
]
made = st.builds(
    entry,
    id=st.builds(uuid4),
    provider_id=st.just(provider.id),
    account_id=st.sampled_from([place.id for place in places]),
    party_id=st.sampled_from([who.id for who in people]),
    key=st.uuids().map(str),
    kind=st.sampled_from(Kind),
    level=letters,
    powers=st.lists(st.sampled_from([Power.VIEW, Power.SPEND, Power.ADMIT]), unique=True).map(tuple),
    state=st.sampled_from(State),
    unknown=st.sampled_from([(), ("x",)]),
    resources=st.lists(letters, max_size=2).map(tuple),
    ends_at=st.sampled_from([None, ago(-9)]),
    end_unknown=st.booleans(),
).map(lambda e: replace(e, end_reason=EndReason.REVOKED, ended_at=NOW) if e.state is State.ENDED else e)
listed = st.lists(st.tuples(made, st.integers(0, 4), st.booleans()), max_size=15)
maybe = st.none() | st.booleans()
wanted = st.builds(
    EntryFilter,
    q=letters,
    states=st.lists(st.sampled_from(State), max_size=2).map(tuple),
    kinds=st.lists(st.sampled_from(Kind), max_size=2).map(tuple),
    powers=st.lists(st.sampled_from(Power), max_size=2).map(tuple),
    account_id=st.none() | st.sampled_from([place.id for place in places]),
    party_id=st.none() | st.sampled_from([who.id for who in people]),
    flagged=maybe,
    outside=maybe,
    unknown=maybe,
    ends=st.sampled_from(["", "none", "dated", "unknown"]),
    own_party=st.none() | st.sampled_from([who.id for who in people]),
)


@pytest.fixture
def store(blank: Ridge) -> Store:
    return blank.service.store


def founded(store: Store) -> UUID:
    workspace = Workspace(uuid4(), f"w-{uuid4().hex[:12]}", "A holder")
    with store.found(workspace, NOW) as tx:
        tx.providers.add(provider, b"")
        tx.accounts.add(places)
        tx.parties.add(people, [])
    return workspace.id


def fits(the_entry: Entry, severity: int, outside: bool, asked: EntryFilter) -> bool:
    """The filter, said as directly as can be."""
    who: Party = next(p for p in people if p.id == the_entry.party_id)
    where = next(a for a in places if a.id == the_entry.account_id)
    texts = (
        who.name,
        " ".join(who.addresses),
        where.name,
        provider.name,
        the_entry.level,
        "\n".join(the_entry.resources),
    )
    ends = "dated" if the_entry.ends_at else "unknown" if the_entry.end_unknown else "none"
    return (
        any(asked.q.lower() in text.lower() for text in texts)
        and (not asked.states or the_entry.state in asked.states)
        and (not asked.kinds or the_entry.kind in asked.kinds)
        and (not asked.powers or bool({*asked.powers} & {*the_entry.powers}))
        and asked.account_id in (None, the_entry.account_id)
        and asked.party_id in (None, the_entry.party_id)
        and asked.own_party in (None, the_entry.party_id)
        and asked.flagged in (None, severity > 0)
        and asked.outside in (None, outside)
        and asked.unknown in (None, bool(the_entry.unknown))
        and (asked.ends in ("", ends) or (asked.ends == "unknown" and the_entry.end_unknown))
    )


# Every try founds a workspace of its own, so a failure is shown as it was found, not made smaller.
@settings(max_examples=25, phases=[Phase.generate])
@given(listed, st.lists(wanted, min_size=1, max_size=8))
def test_a_filter_leaves_exactly_what_fits_and_counts_it(
    blank: Ridge, found: list[tuple[Entry, int, bool]], filters: list[EntryFilter]
) -> None:
    store = blank.service.store
    workspace = founded(store)
    with store.transaction(workspace) as tx:
        tx.entries.add([each_entry for each_entry, *_ in found])
        tx.entries.mark(Mark(one.id, severity, outside) for one, severity, outside in found)
    with store.transaction(workspace) as tx:
        for asked in filters:
            left = [item for item in found if fits(*item, asked)]
            page = tx.entries.browse(asked, sort="party", limit=500, cursor=None)
            assert {item.entry.id for item in page.items} == {one.id for one, *_ in left}
            assert tx.entries.summary(asked) == Summary(
                len(left),
                len({one.account_id for one, *_ in left}),
                len({one.party_id for one, *_ in left}),
                sum(severity > 0 for _, severity, _ in left),
                sum(severity > 2 for _, severity, _ in left),
            )


def test_the_history_of_an_account_and_of_a_party_is_all_that_is_about_it_and_nothing_else(store: Store) -> None:
    workspace = founded(store)
    gate, other = places
    orla, ba, _ = people
    here, there = (
        entry(id=uuid4(), provider_id=provider.id, account_id=where.id, party_id=who.id)
        for where, who in ((gate, orla), (other, ba))
    )
    subjects = {"gate": gate.id, "orla": orla.id, "here": here.id, "there": there.id, "elsewhere": uuid4()}
    with store.transaction(workspace) as tx:
        tx.entries.add([here, there])
        tx.events.append(
            Event(uuid4(), NOW + timedelta(seconds=n), "Maren Ashdown", name, "entry", subject, {})
            for n, (name, subject) in enumerate(subjects.items())
        )

    def told(tx: Transaction, **about: Any) -> list[str]:
        page = tx.events.browse(EventFilter(**about), oldest_first=True, limit=100, cursor=None)
        return [event.content["act"] for event in page.items]

    with store.transaction(workspace) as tx:
        assert told(tx, account_id=gate.id) == ["gate", "here"]
        assert told(tx, party_id=orla.id) == ["orla", "here"]
        assert told(tx, party_id=orla.id, account_id=gate.id) == ["here"]
        assert told(tx, account_id=other.id) == ["there"]
        assert told(tx) == list(subjects)


def test_what_was_done_is_kept_once_counted_by_how_and_forgotten_in_time(store: Store) -> None:
    workspace = founded(store)
    gate, other = places
    orla, ba, _ = people
    doings = [
        Activity(uuid4(), provider.id, str(n), ago(n), where.id, who.id, how, behalf and behalf.id, None, None, "came")
        for n, (where, who, how, behalf) in enumerate(
            [
                (gate, orla, How.OWN, None),
                (gate, ba, How.DELEGATE, orla),
                (gate, ba, How.APP, None),
                (other, ba, How.OWN, None),
            ]
        )
    ]
    with store.transaction(workspace) as tx:
        tx.activity.add(doings)
        # Shown once more by the provider, under the same keys.
        tx.activity.add([replace(activity, id=uuid4()) for activity in doings])
        assert tx.activity.known(provider.id, ["0", "3", "9"]) == {"0", "3"}

    def keys(tx: Transaction, **about: Any) -> list[str]:
        where = {"account_id": None, "party_id": None, "how": None} | about
        return [item.activity.key for item in tx.activity.browse(**where, limit=100, cursor=None).items]

    with store.transaction(workspace) as tx:
        assert keys(tx) == ["0", "1", "2", "3"]
        assert keys(tx, account_id=gate.id) == ["0", "1", "2"]
        assert keys(tx, party_id=orla.id) == ["0", "1"], "by her, and on her behalf"
        assert keys(tx, party_id=ba.id, how=How.APP) == ["2"]
        assert tx.activity.counts(gate.id, None) == {How.OWN: 1, How.DELEGATE: 1, How.APP: 1}
        assert tx.activity.counts(None, orla.id) == {How.OWN: 1, How.DELEGATE: 1, How.APP: 0}
        tx.activity.forget(ago(1.5))
        assert keys(tx) == ["0", "1"]


LEVELS = ("", "guide", "guide", "owner", "A")


class Change(NamedTuple):
    """What happens to one of some entries."""

    at: int
    state: State
    severity: int
    party: int
    account: int


changes = st.lists(
    st.builds(
        Change,
        at=st.integers(0, 14),
        state=st.sampled_from(State),
        severity=st.integers(0, 4),
        party=st.integers(0, len(people) - 1),
        account=st.integers(0, len(places) - 1),
    ),
    max_size=6,
)


@settings(max_examples=25, phases=[Phase.generate])
@given(listed, st.lists(st.tuples(changes, st.booleans(), st.booleans()), max_size=4))
def test_what_is_kept_of_how_much_there_is_is_what_would_be_counted(
    blank: Ridge, found: list[tuple[Entry, int, bool]], turns: list[tuple[list[Change], bool, bool]]
) -> None:
    store = blank.service.store
    workspace = founded(store)
    everything = EntryFilter(states=STANDING)
    with store.transaction(workspace) as tx:
        tx.entries.add([each_entry for each_entry, *_ in found])
        tx.entries.mark(Mark(one.id, severity, outside) for one, severity, outside in found)
    now = {number: one for number, (one, *_) in enumerate(found)}
    for several, undone, folded in turns:
        with contextlib.suppress(Undone), store.transaction(workspace) as tx:
            after = {}
            for change in several:
                if change.at in now:
                    one = now[change.at]
                    ended = {"end_reason": EndReason.REVOKED, "ended_at": NOW} if change.state is State.ENDED else {}
                    after[change.at] = replace(
                        one,
                        state=change.state,
                        party_id=people[change.party].id,
                        account_id=places[change.account].id,
                        level=LEVELS[change.severity],
                        version=one.version + 1,
                        **{"end_reason": None, "ended_at": None, **ended},
                    )
            tx.entries.save_all(after.values())
            tx.entries.mark(Mark(now[c.at].id, c.severity, outside=False) for c in several if c.at in now)
            if undone:
                raise Undone
            now |= after
        with store.transaction(workspace) as tx:
            if folded:
                tx.tallies.fold()
            assert tx.tallies.standing() == tx.entries.summary(everything)
            assert sorted(tx.words.used(provider.id), key=repr) == sorted(levels_of(now.values()), key=repr)
    with store.transaction(workspace) as tx:
        assert tx.tallies.standing() == tx.entries.summary(everything)


def levels_of(entries: Iterable[Entry]) -> Iterator[Used]:
    """The levels that stand among entries, counted one by one."""
    held: dict[Any, list[Kind]] = {}
    for one in entries:
        if one.stands:
            held.setdefault((one.level, one.permissions, one.stated), []).append(one.kind)
    for (level, permissions, stated), kinds in held.items():
        yield Used(level, permissions, stated, len(kinds), frozenset(kinds))


class Undone(Exception):
    """Something goes wrong in a transaction."""


def test_two_who_change_what_is_on_one_account_do_not_wait_for_each_other(store: Store) -> None:
    workspace = founded(store)
    where = {"provider_id": provider.id, "account_id": places[0].id}
    one, other = (entry(id=uuid4(), party_id=who.id, **where) for who in people[:2])
    with store.transaction(workspace) as first:
        first.entries.add([one])
        with store.transaction(workspace) as second:
            second.entries.add([replace(other, key="another")])
            second.tallies.fold()
        assert first.tallies.standing().entries == 2
    with store.transaction(workspace) as tx:
        tx.tallies.fold()
        assert tx.tallies.standing() == Summary(entries=2, accounts=1, parties=2, flagged=0, severe=0)
