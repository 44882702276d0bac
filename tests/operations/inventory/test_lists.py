"""Accounts, parties and apps as lists: what each line says is what the entries say, in every order, page and file."""

from __future__ import annotations

import csv
import io
from collections import defaultdict
from collections.abc import Iterable, Iterator

import pytest

from openlatch.client import Client
from openlatch.demo.cast import DOMAIN
from openlatch.errors import Invalid, NotFound
from openlatch.wire import messages as wire
from openlatch.words import Criticality, ProviderOrder, Severity
from tests.harness.acts import Spares
from tests.harness.furniture import Furniture
from tests.harness.ridge import Ridge
from tests.operations.effects.world import World

ADMITTING = {"admit", "own"}


@pytest.fixture(scope="module")
def client(furnished: Ridge, things: Furniture) -> Iterator[Client]:
    made = World(furnished, things, Spares())
    # Two accounts of one name, two people of one name, and a secret that two know.
    made.owner.keep("Hill Road Signage", account="Bookings", party="Orla Finch", addresses=["orla@elsewhere.example"])
    for who in ("Finn Crane", "Joss Brook"):
        made.owner.record_secret(made.owner.account(named(made.owner, "Hill Road Signage").ref).ref, who, "the code")
    yield made.owner
    made.close()


def named(client: Client, provider: str) -> wire.Account:
    return next(account for account in client.accounts("Bookings") if account.provider.name == provider)


def worst(entries: Iterable[wire.Entry]) -> int:
    return max(
        (Severity(flag.severity).rank for entry in entries for flag in entry.flags if not flag.accepted), default=0
    )


def rank(severity: Severity | str | None) -> int:
    return Severity(severity).rank if severity else 0


def test_what_a_line_says_of_an_account_is_what_the_entries_on_it_say(client: Client) -> None:
    on: dict[object, list[wire.Entry]] = defaultdict(list)
    for entry in client.entries():
        on[entry.account.id].append(entry)
    accounts = list(client.accounts())
    assert len(accounts) == len({account.id for account in accounts}) >= len(on)
    for account in accounts:
        held = on[account.id]
        parties = {entry.party.id: entry.party for entry in held}
        assert account.shared_with == len(parties)
        assert account.administrators == len({e.party.id for e in held if ADMITTING & set(e.powers)}), account.name
        assert account.outsiders == sum(party.outside for party in parties.values())
        assert account.secrets == sum(entry.kind == "secret" for entry in held)
        assert account.last_used == max((e.last_used for e in held if e.last_used), default=None)
        assert account.last_reviewed == max((at for e in held for at in e.reviewed_at), default=None)
        assert account.risk == client.account_risk(account.ref).risk
        assert rank(account.worst) >= worst(held)
    assert named(client, "Hill Road Signage").secrets == 2
    assert named(client, "Ticket Desk").secrets == 0


def test_what_a_line_says_of_a_party_is_what_its_entries_say(client: Client) -> None:
    of: dict[object, list[wire.Entry]] = defaultdict(list)
    for entry in client.entries():
        of[entry.party.id].append(entry)
    for party in client.parties():
        held = of[party.id]
        assert party.on_accounts == len({entry.account.id for entry in held})
        assert party.last_used == max((e.last_used for e in held if e.last_used), default=None)
        assert rank(party.worst) >= worst(held)
        assert party.risk == client.party_risk(party.ref).risk
    (orla,) = client.parties(f"orla.finch@{DOMAIN}")
    assert orla.teams == len(
        {c.via[0].party.id for c in client.reach(orla.ref).chains if c.via and c.via[0].how == "member"}
    )


@pytest.mark.parametrize("sort", ["name", "risk", "provider", "criticality"])
def test_accounts_come_in_their_order_each_once_whatever_the_pages(client: Client, sort: str) -> None:
    accounts = list(client.accounts(sort=sort))
    order = {
        "name": lambda a: (a.name.lower(), str(a.id)),
        "risk": lambda a: (-a.risk, a.name.lower(), str(a.id)),
        "provider": lambda a: (a.provider.name.lower(), a.name.lower(), str(a.id)),
        "criticality": lambda a: (["vital", "normal", "minor"].index(a.criticality), a.name.lower(), str(a.id)),
    }[sort]
    assert accounts == sorted(accounts, key=order)
    cursor, paged = None, []
    while True:
        asked = {"sort": sort, "limit": "7"} | ({"cursor": cursor} if cursor else {})
        page = client._send(wire.AccountList, "GET", "/accounts", params=asked)
        paged += page.items
        if (cursor := page.next) is None:
            break
    assert paged == accounts


def test_filters_leave_what_they_say(client: Client) -> None:
    every = list(client.accounts())
    assert list(client.accounts(criticality=Criticality.VITAL)) == [a for a in every if a.criticality == "vital"]
    assert list(client.accounts(risk=80)) == [a for a in every if a.risk >= 80]
    assert list(client.accounts(practice=True)) == [a for a in every if a.practice]
    assert list(client.accounts(provider="Ticket Desk")) == [a for a in every if a.provider.name == "Ticket Desk"]
    people = list(client.parties())
    assert list(client.parties(kind="team,app")) == [p for p in people if p.kind in ("team", "app")]
    assert list(client.parties(outside=True)) == [p for p in people if p.outside]
    assert list(client.parties(sort="risk")) == sorted(people, key=lambda p: (-p.risk, p.name.lower(), str(p.id)))
    for wrong in (
        lambda: list(client.parties(kind="robot")),
        lambda: list(client.accounts(provider="Nowhere")),
        lambda: list(client.parties_export("xlsx", kind="robot")),
        lambda: list(client.accounts_export("csv", provider="Nowhere")),
    ):
        with pytest.raises((Invalid, NotFound), match=r"robot|Nowhere"):
            wrong()


def test_providers_are_a_list_like_any_other(client: Client) -> None:
    every = client.providers()
    assert [p.name for p in every] == sorted((p.name for p in every), key=str.casefold)
    for trouble in (True, False):
        assert client.providers(trouble=trouble) == [p for p in every if p.trouble is trouble]
    assert client.providers("FEED") == [p for p in every if "feed" in f"{p.name} {p.connector}".lower()]
    assert client.providers(connector="feed") == [p for p in every if p.connector == "feed"]
    for sort in ProviderOrder:
        assert sorted(p.ref for p in client.providers(sort=sort)) == sorted(p.ref for p in every)
    troubled = [p.trouble for p in client.providers(sort="trouble")]
    assert troubled == sorted(troubled, reverse=True)
    seen = [p.latest.seen if p.latest else 0 for p in client.providers(sort="entries")]
    assert seen == sorted(seen, reverse=True)
    assert client.providers("nowhere at all") == []
    lines = b"".join(client.providers_export("jsonl", sort="entries")).splitlines()
    assert [wire.Provider.model_validate_json(line) for line in lines] == client.providers(sort="entries")
    rows = csv.DictReader(io.StringIO(b"".join(client.providers_export("csv", connector="feed")).decode(), newline=""))
    assert [row["name"] for row in rows] == [p.name for p in client.providers(connector="feed")]
    assert client.save_view("Worst", "trouble=true&sort=trouble", of="providers").of == "providers"
    with pytest.raises(Invalid, match="“risk” is not a filter of providers"):
        client.save_view("Wrong", "risk=5", of="providers")


def test_an_app_on_several_accounts_is_one_app_with_a_line_for_each(client: Client) -> None:
    (planner,) = client.apps("Night Planner")
    assert {entry.account.name for entry in planner.entries} == {"North Dome", "South Dome", "Weather Mast"}
    assert planner.accounts == planner.party.on_accounts == 3
    two = [app for app in client.apps("Star Chart") if app.party.name == "Star Chart Weekly"]
    assert len(two) == len({app.party.id for app in two}) == 2, "of one name at two providers, and not taken for one"


def test_an_entry_has_its_flags_wherever_it_is_shown(client: Client) -> None:
    """Entries of an app, and those that a party reaches, are the entries of the inventory, flags and all."""
    flagged = {entry.id: {flag.id for flag in entry.flags} for entry in client.entries()}
    shown = [entry for app in client.apps() for entry in app.entries]
    shown += [chain.entry for chain in client.reach(f"orla.finch@{DOMAIN}").chains]
    assert any(flagged[entry.id] for entry in shown)
    for entry in shown:
        assert {flag.id for flag in entry.flags} == flagged[entry.id]


def test_a_file_has_the_lines_of_the_list_and_each_view_is_of_its_own_list(client: Client) -> None:
    text = b"".join(client.accounts_export("csv", sort="risk", criticality="vital")).decode()
    rows = list(csv.DictReader(io.StringIO(text, newline="")))
    assert [(row["ref"], row["risk"]) for row in rows] == [
        (account.ref, str(account.risk)) for account in client.accounts(sort="risk", criticality=Criticality.VITAL)
    ]
    lines = b"".join(client.parties_export("jsonl", outside=True)).splitlines()
    assert [wire.PartyOverview.model_validate_json(line) for line in lines] == list(client.parties(outside=True))
    saved = {of: client.save_view("Worst", "sort=risk", of=of) for of in ("entries", "accounts", "parties", "apps")}
    assert len({view.id for view in saved.values()}) == 4
    assert client.save_view("Worst", "sort=risk&risk=5", of="accounts").id == saved["accounts"].id
    with pytest.raises(Invalid, match="“flagged” is not a filter of accounts"):
        client.save_view("Wrong", "flagged=true", of="accounts")
    assert {(view.of, view.name) for view in client.views()} >= {(of, "Worst") for of in saved}
