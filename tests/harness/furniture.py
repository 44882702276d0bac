"""One of each thing that the product knows, on the demo: what routes and commands are tried with."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from datetime import timedelta

from openlatch.client import Client
from openlatch.demo.reviews import FIRST
from openlatch.wire import messages as wire
from tests.harness.acts import Desk, Spares, read, settle
from tests.harness.ridge import Ridge

PLATES = "Night-Sky Plates"


@dataclass(frozen=True)
class Furniture:
    """Each thing by its short form, or by its name or id where it has none."""

    account: str
    batch: str
    by_hand: str
    """an entry that is recorded by hand"""
    entry: str
    """a guide's access to Bookings, that nothing has happened to"""
    flag: str
    guide: str
    """another guide's access to Bookings"""
    letter: str
    """the link in the letter of the offer"""
    offer: str
    order: str
    """one that is proved"""
    party: str
    proposal: str
    """one with two versions, worked out"""
    provider: str
    reading: str
    request: str
    review: str
    round: str
    stuck: str
    """an order that needs a person"""
    token: str
    view: str
    waiting: str
    """an order that asks a person to do something"""
    webhook: str

    def as_mapping(self) -> Mapping[str, str]:
        return asdict(self)


def furnish(ridge: Ridge) -> Furniture:
    """Make one of each thing."""
    spares, desk = Spares(), Desk(ridge, transport=ridge.transport)
    with ridge.client() as maren:
        reading = read(maren)
        proved = settle(maren, maren.end(spares.take(maren).ref, reason="Left in spring").ref)
        lantern = next(maren.entries(provider="Hill Road Signage", q="Lantern"))
        waiting = settle(maren, maren.end(lantern.ref).ref)
        by_hand = next(maren.entries(provider="Members' Letter"))
        refused = spares.take(maren)
        desk.refuse(refused, "consent is missing")
        stuck = settle(maren, maren.end(refused.ref).ref)
        made = _offered(ridge, maren)
        ridge.drain()
        (letter,) = ridge.post.to("bram.finch@kestrelridge.example", "offers you access")
        proposal = maren.propose(_locked(PLATES, locked=True))
        maren.worked_out(proposal.ref)
        maren.change_proposal(proposal.ref, _locked(PLATES, locked=False))
        maren.worked_out(proposal.ref)
        there = len(list(maren.entries(account="Lost property")))
        batch = maren.command_batch({"account": "Lost property"}, "pause", count=there)
        opened = maren.open_round(FIRST)
        view = maren.save_view("Plates", "account=Night-Sky+Plates")
        (webhook,) = maren.webhooks()
        ridge.drain()
        entry, guide = spares.take(maren), spares.take(maren)
        flag = next(maren.flags(rule="sole-administrator"))
        request = next(maren.requests("waiting"))
        link = re.search(r"http\S+/answer/\S+", letter.text)
        assert link is not None
        with ridge.client() as other:
            token = next(t for t in other.tokens() if t.id != maren.tokens()[0].id)
    desk.close()
    return Furniture(
        account="Bookings",
        batch=batch.ref,
        by_hand=by_hand.ref,
        entry=entry.ref,
        flag=flag.ref,
        guide=guide.ref,
        letter=link[0],
        offer=made.ref,
        order=proved.ref,
        party=entry.party.ref,
        proposal=proposal.ref,
        provider="Ticket Desk",
        reading=str(reading.id),
        request=request.ref,
        review=FIRST,
        round=opened.ref,
        stuck=stuck.ref,
        token=str(token.id),
        view=str(view.id),
        waiting=waiting.ref,
        webhook=webhook.ref,
    )


def _locked(account: str, *, locked: bool) -> dict[str, object]:
    return {"proposal": 1, "title": "A lock", "changes": [{"do": "lock", "account": account, "locked": locked}]}


def _offered(ridge: Ridge, maren: Client) -> wire.Offer:
    wanted = wire.OfferWish.model_validate(
        {
            "to": "bram.finch@kestrelridge.example",
            "parts": [{"account": PLATES, "level": "plate reader"}],
            "until": (ridge.clock.now + timedelta(days=45)).date().isoformat(),
        }
    )
    return maren.offer(wanted, maren.check_offer(wanted).digest)
