"""The workspace of Kestrel Ridge, its people, and its providers."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import timedelta

from openlatch.core.model import BY_HAND, Circle, Person, Workspace
from openlatch.demo import kept
from openlatch.demo.cast import DOMAIN, PASSWORD, SIGN_INS, STAFF, VOLUNTEERS
from openlatch.demo.policy import policy
from openlatch.demo.reviews import REVIEWS
from openlatch.operations.call import SERVICE, Actor, Call, Services
from openlatch.operations.inventory import by_hand
from openlatch.operations.letting_in import requests
from openlatch.operations.people import people
from openlatch.operations.providers import providers
from openlatch.operations.reviews import plans
from openlatch.operations.rules import adoption, flags
from openlatch.operations.telling import webhooks
from openlatch.store import Store
from openlatch.store.providers.words import Correction
from openlatch.wire.letting_in.requests import RequestWish
from openlatch.wire.providers.providers import NewProvider
from openlatch.words import Power, RequestState, Role, Scope

__all__ = ["SLUG", "Outside", "seed"]

SLUG = "kestrel-ridge"


@dataclass(frozen=True, slots=True)
class Outside:
    """A provider that runs, and how to reach it."""

    name: str
    connector: str
    settings: Mapping[str, str]
    secret: str


def seed(store: Store, services: Services, outside: tuple[Outside, ...], bell: str = "") -> None:
    """Found the workspace; if it is there already, only say where its providers are reached today.

    `bell` is the address of a program that is told of offers and requests.
    """
    if any(workspace.slug == SLUG for workspace in store.workspaces()):
        with store.transaction(SLUG) as tx:
            for each_outside in outside:
                tx.providers.reached_by(tx.providers.find(each_outside.name).id, each_outside.settings)
        return
    now = services.clock()
    workspace = Workspace(
        services.new_id(), SLUG, "Kestrel Ridge Observatory", "Europe/London", Circle(frozenset({DOMAIN}))
    )
    addresses = {someone.name: someone.address for someone in (*STAFF, *VOLUNTEERS)}
    with store.found(workspace, now) as tx:
        call = Call(tx, services, Actor("Open Latch"), now)
        added = [people.add_first(call, name, addresses[name], Role(role), PASSWORD) for name, role in SIGN_INS]
        owner = Call(tx, services, Actor(added[0].name, added[0], Scope.CHANGE, now), now)
        for each_outside in outside:
            wanted = NewProvider(
                name=each_outside.name,
                connector=each_outside.connector,
                settings=dict(each_outside.settings),
                secret=each_outside.secret,
            )
            providers.add(owner, wanted)
        adoption.adopt(owner, policy(now.date()), "What the accounts committee agreed on.", 0)
        _keep(owner)
        for draft in REVIEWS:
            plans.create(owner, draft)
        if bell:
            webhooks.add(owner, bell, ("offer", "request"))
        _ask(owner, {person.name: person for person in added}["Orla Finch"])


def _ask(owner: Call, orla: Person) -> None:
    """What was asked for lately: by a volunteer, and by someone from outside who has said that it was her."""
    tx, services, now = owner.tx, owner.services, owner.now
    today = now.date()
    as_orla = Call(tx, services, Actor(orla.name, orla, Scope.CHANGE, now), now - timedelta(hours=5))
    party = RequestWish(
        account="Kestrel Ridge Live",
        needs=[Power.VIEW, Power.PUBLISH],
        reason="To present the winter star party with Sabine",
        until=today + timedelta(days=50),
    )
    requests.ask(as_orla, party)
    comet = RequestWish(
        account="South Dome",
        needs=[Power.VIEW, Power.EDIT, Power.EXPORT],
        reason="Four nights on the comet, and the frames of them",
        until=today + timedelta(days=33),
    )
    outside = Call(tx, services, SERVICE, now - timedelta(days=1))
    requests.ask_from_outside(outside, "noor.haddad@northcape-uni.example", "Noor Haddad", comet)
    asked = tx.requests.browse((RequestState.UNCONFIRMED,), 1, None).items[0]
    requests.confirm(outside, asked, it_was=True)


def _keep(owner: Call) -> None:
    """What people say themselves: what is there, since when they vouch for it, and what providers' words mean."""
    for name in kept.PROVIDERS:
        providers.add(owner, NewProvider(name=name, connector=BY_HAND))
    for entry in kept.ENTRIES:
        sight = by_hand.keep(owner, entry.provider, entry.fields)
        owner.tx.entries.vouch([sight.listed.entry.id], "Tobias Quill", owner.now - timedelta(days=entry.vouched))
        if entry.unanswered:
            asked = owner.now - timedelta(days=entry.unanswered)
            owner.tx.entries.reviewed([], [sight.listed.entry.id], asked)
        flags.evaluate(owner, [sight.listed.entry.id])
    for provider, word, powers in kept.WORDS:
        correction = Correction(word, tuple(Power(p) for p in powers), owner.actor.name, owner.now)
        owner.tx.words.correct(owner.tx.providers.find(provider).id, correction)
