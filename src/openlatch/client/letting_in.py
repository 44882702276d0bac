"""Letting people in: tasks, offers, requests and links, as the client asks for them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import date
from typing import Any

from openlatch.client.transport import Transport, part
from openlatch.wire import messages as wire

__all__ = ["LettingInCalls"]


def _plain(wish: wire.OfferWish) -> dict[str, Any]:
    return wish.model_dump(mode="json", include=set(wire.OfferWish.model_fields))


class LettingInCalls(Transport):
    """Letting people in: tasks."""

    def tasks(self) -> list[wire.Task]:
        """Return what people are let in for: the holder's own tasks first, then those that are built in."""
        return self._send(wire.TaskList, "GET", "/tasks").items

    def fit(self, account: str, task: str = "", needs: Sequence[str] = ()) -> wire.Fit:
        """Return what covers a task, or powers, on an account: the narrowest first."""
        params = {"task": task, "needs": ",".join(needs)}
        return self._send(wire.Fit, "GET", f"/accounts/{part(account)}/fit", params=params)

    def choices(self, account: str, part_: str = "", limit: int = 50) -> wire.AccountChoices:
        """Return what can be given on an account: levels with their powers, and its parts that have `part_` in them."""
        params = {"part": part_, "limit": limit}
        return self._send(wire.AccountChoices, "GET", f"/accounts/{part(account)}/choices", params=params)

    def check_offer(self, wish: wire.OfferWish, instead_of: str = "") -> wire.OfferTerms:
        """Return the exact terms of an offer, and what is worth knowing before it is made; changes nothing."""
        path = f"/offers/{part(instead_of)}/check" if instead_of else "/offers/check"
        return self._send(wire.OfferTerms, "POST", path, json=_plain(wish))

    def offer(self, wish: wire.OfferWish, digest: str) -> wire.Offer:
        """Hold an offer out, by the terms that `check_offer` has shown; a link goes to the address."""
        return self._send(wire.Offer, "POST", "/offers", json=_plain(wish) | {"digest": digest})

    def correct_offer(self, offer: str, wish: wire.OfferWish, digest: str, *, version: int | None = None) -> wire.Offer:
        """Put other terms in the place of those of an offer that waits."""
        body = _plain(wish) | {"digest": digest, "version": version}
        return self._send(wire.Offer, "PUT", f"/offers/{part(offer)}", json=body)

    def offers(self, state: str = "") -> Iterator[wire.Offer]:
        """Return offers, the latest first; several states are separated by commas."""
        return self._pages(wire.OfferList, "/offers", {"state": state})

    def offered(self, offer: str) -> wire.Offer:
        """Return one offer, by id or short form."""
        return self._send(wire.Offer, "GET", f"/offers/{part(offer)}")

    def my_offers(self) -> list[wire.Offer]:
        """Return the latest offers to whoever is signed in."""
        return self._send(wire.OfferList, "GET", "/me/offers").items

    def send_offer_again(self, offer: str) -> wire.Offer:
        """Send the link of an offer once more."""
        return self._send(wire.Offer, "POST", f"/offers/{part(offer)}/send")

    def withdraw_offer(self, offer: str, reason: str = "") -> wire.Offer:
        """Take an offer back that nobody has answered."""
        return self._send(wire.Offer, "POST", f"/offers/{part(offer)}/withdraw", json={"reason": reason})

    def answer_offer(self, offer: str, answer: str, reason: str = "") -> wire.Offer:
        """Answer an offer to oneself: `take-up`, `decline` or `later`."""
        body = {"answer": answer, "reason": reason}
        return self._send(wire.Offer, "POST", f"/offers/{part(offer)}/answer", json=body)

    def ask(
        self, account: str, needs: Sequence[str] = (), *, level: str = "", reason: str = "", until: date | None = None
    ) -> wire.Request:
        """Ask for powers on an account, or a level of it."""
        body = {
            "account": account,
            "needs": list(needs),
            "level": level,
            "reason": reason,
            "until": until.isoformat() if until else None,
        }
        return self._send(wire.Request, "POST", "/requests", json=body)

    def requests(self, state: str = "") -> Iterator[wire.Request]:
        """Return what others asked for, the latest first; several states are separated by commas."""
        return self._pages(wire.RequestList, "/requests", {"state": state})

    def my_requests(self) -> list[wire.Request]:
        """Return what one has asked for oneself, the latest first."""
        return self._send(wire.RequestList, "GET", "/me/requests").items

    def request(self, request: str) -> wire.Request:
        """Return one request, by id or short form."""
        return self._send(wire.Request, "GET", f"/requests/{part(request)}")

    def turn_down(self, request: str, reason: str) -> wire.Request:
        """Turn a request down; whoever asked is told why."""
        return self._send(wire.Request, "POST", f"/requests/{part(request)}/turn-down", json={"reason": reason})

    def withdraw_request(self, request: str) -> wire.Request:
        """Take back what one has asked for oneself."""
        return self._send(wire.Request, "POST", f"/requests/{part(request)}/withdraw")

    def question(self, link: str) -> wire.Question:
        """Return what a link asks; looking changes nothing."""
        return self._send(wire.Question, "GET", f"/answers/{part(link)}")

    def answer(
        self, link: str, *, agrees: bool, later: bool = False, reason: str = "", name: str = "", password: str = ""
    ) -> wire.Question:
        """Answer a link, once; `later` leaves it for later. Someone new registers with a name and a password."""
        body: dict[str, object] = {"agrees": agrees, "later": later, "reason": reason}
        if name or password:
            body["register_as"] = {"name": name, "password": password}
        return self._send(wire.Question, "POST", f"/answers/{part(link)}", json=body)
