"""The fifteen journeys that people come for most, each told once: for a test by keyboard, and to be measured."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, timedelta

from openlatch.client import Client
from openlatch.demo.cast import DOMAIN
from openlatch.wire import messages as wire
from tests.journeys.hands import Hand

__all__ = ["JOURNEYS", "Journey", "Scene"]

STUDENT = "wren.hale@fenwick-college.example"
SOON = (date.today() + timedelta(days=45)).isoformat()  # noqa: DTZ011 - the demo's own days are relative


@dataclass
class Scene:
    """What a journey is played on: the owner's client, and access that nothing else looks at."""

    client: Client
    spare: Callable[[], wire.Entry]
    letter: Callable[[str, str], str]
    """the path of the link in the letter to an address that says something"""


@dataclass(frozen=True)
class Journey:
    """A journey: whose, what they want, where they begin, and what they do."""

    title: str
    who: str
    wants: str
    play: Callable[[Hand, Scene], None]
    begin: str = "/"
    """the address at which they begin, signed in; or what `before` returns"""
    before: Callable[[Scene], str] | None = None


def first_thing(hand: Hand, scene: Scene) -> None:
    hand.see("What to look at first")
    hand.press("^risk")
    hand.see("What would clear it|Why it matters|This clears it|Flags")


def end_it(hand: Hand, scene: Scene) -> None:
    entry = scene.spare()
    hand.see("What to look at first")
    hand.press("^Search")
    hand.pick("^Search", entry.ref, f"^entry {re.escape(entry.party.name)}")
    hand.see(f"Entry {entry.ref}")
    hand.press("^End or narrow")
    hand.see("What happens")
    hand.press("^End access$")
    hand.see("A fresh reading of the provider shows it gone")
    assert scene.client.entry(entry.ref).state == "ended"


def give_an_end(hand: Hand, scene: Scene) -> None:
    entry = scene.spare()
    hand.see("What to look at first")
    hand.press("^Search")
    hand.pick("^Search", entry.ref, f"^entry {re.escape(entry.party.name)}")
    hand.press("^End or narrow")
    hand.see("What happens")
    hand.press("^Last day")
    hand.fill("^The last day", SOON)
    hand.press("^Set the last day")
    hand.see("Wait until .* is over")


def let_in(hand: Hand, scene: Scene) -> None:
    address = f"new.guide@{DOMAIN}"
    hand.see("What to look at first")
    hand.press("^Offers and requests")
    hand.press("^Let someone in")
    hand.see("To whom")
    hand.fill("^To whom", address)
    hand.press("^Next: what they need")
    hand.pick("^Account$", "Night-Sky", "^Night-Sky Plates")
    hand.choose("What they need to do there", "Observe")
    hand.see("is the narrowest that covers")
    hand.press("^Next: how long")
    hand.fill("^Last day", SOON)
    hand.press("^Next: why")
    hand.fill("^What it is for", "A course for guides")
    hand.press("^Next: read it")
    hand.see("Flags it would raise")
    hand.tick("^I have read this")
    hand.press("^Send the offer")
    hand.see("waiting for an answer")
    (made,) = [offer for offer in scene.client.offers("waiting") if offer.address == address]
    scene.client.withdraw_offer(made.ref)


def an_offer(scene: Scene) -> str:
    part = {"account": "Night-Sky Plates", "needs": ["view"]}
    wish = wire.OfferWish.model_validate({"to": STUDENT, "name": "Wren Hale", "parts": [part], "until": SOON})
    scene.client.offer(wish, scene.client.check_offer(wish).digest)
    return scene.letter(STUDENT, "offers you access to Night-Sky Plates")


def accept(hand: Hand, scene: Scene) -> None:
    hand.see("offers you access")
    hand.fill("A password of your own", "four-words-in-a-row-7!")
    hand.press("^Accept")
    hand.see("You have access")


def a_round(scene: Scene) -> str:
    entry = scene.spare()
    review = scene.client.add_review(
        f"What {entry.party.name} can do, by {entry.ref}",
        where={"party": entry.party.ref},
        named=[f"ines.okoro@{DOMAIN}"],
        reviewers="named",
        recurs="FREQ=YEARLY",
    )
    return f"/rounds/{scene.client.open_round(review.ref).ref}"


def answer_review(hand: Hand, scene: Scene) -> None:
    hand.see("Item 1 of")
    hand.press("^End now")
    hand.fill("Reason", "No longer a guide")
    hand.press("^Decide$")
    hand.see("Item 2 of|to come")


def plan_review(hand: Hand, scene: Scene) -> None:
    hand.see("What to look at first")
    hand.press("^Reviews", "Places")
    hand.press("^New review")
    hand.fill("^Name", "Everyone outside")
    hand.press("^Add the review")
    hand.see("Everyone outside")
    scene.client.remove_review("Everyone outside")


def leaver(hand: Hand, scene: Scene) -> None:
    party = scene.client.party(str(scene.spare().party.id))
    count = len(scene.client.plan_leaver(party.ref).items)
    hand.see("What to look at first")
    hand.press("^Search")
    hand.pick("^Search", party.addresses[0], f"^party {re.escape(party.name)}")
    hand.press("^Start leaving")
    hand.see(f"{party.name} leaves")
    hand.fill("^Who takes care", "Tobias Quill")
    hand.fill("type how many", str(count))
    hand.press("^End all of it")
    hand.see("[0-9] proved")


def what_if(hand: Hand, scene: Scene) -> None:
    hand.see("What to look at first")
    hand.press("^What-if", "Places")
    hand.press("^Propose something")
    hand.fill("^What it is about", "Plates locked")
    hand.press("^lock$")
    hand.pick("^Account$", "plates", "^Night-Sky Plates")
    hand.press("^Work it out")
    hand.see("would gain access|gains|loses")


def limit(hand: Hand, scene: Scene) -> None:
    before = scene.client.policy()
    hand.see("What to look at first")
    hand.press("^Policy", "Places")
    hand.press("^Limits")
    hand.fill("^access that nobody has used for so long", "200")
    hand.page.keyboard.press("Tab")
    hand.see("would be raised|No flag would be")
    hand.press("^Look at it, and adopt it")
    hand.fill("^Reason, for the log", "Volunteers come once in a season")
    hand.press("^Adopt it as policy")
    hand.see("Volunteers come once in a season")
    scene.client.return_to_policy(before.number)


def accept_flag(hand: Hand, scene: Scene) -> None:
    flag = next(one for one in scene.client.flags() if one.subject == "entry")
    hand.see("What to look at first")
    hand.press("^Flags", "Places")
    hand.press(f"{re.escape(flag.party)} on {re.escape(flag.account)}")
    hand.see("Why it is flagged")
    hand.press("why, or accept it")
    hand.press("^Accept…")
    hand.fill("Reason", "It is over in a week")
    hand.press("^Accept$")
    hand.press("^accepted$")
    hand.see("until the end of|until [0-9]")
    for accepted in list(scene.client.flags(state="accepted")):
        if accepted.accepted and accepted.accepted.why == "It is over in a week":
            scene.client.refuse(accepted.ref)


def ask_for_more(hand: Hand, scene: Scene) -> None:
    hand.see("What you can do where|My access")
    hand.press("^Ask for more", "Bookings")
    hand.see("Ask for more on Bookings")
    hand.tick("publish$")
    hand.fill("What you need it for", "The spring programme")
    hand.press("^Send the request")
    hand.see("What you have asked for")


def turn_down(hand: Hand, scene: Scene) -> None:
    hand.see("What to look at first")
    hand.press("^Offers and requests")
    hand.press("^Requests")
    hand.press("^Orla Finch")
    hand.fill("^Or decline it", "It is over in a week")
    hand.press("^Decline it")
    hand.see("declined")


def who_did_it(hand: Hand, scene: Scene) -> None:
    hand.see("What to look at first")
    hand.press("^Log$", "Places")
    hand.see("events, each linked")
    hand.choose("^What it is about", "order")
    hand.fill("^Who did it", "Maren")
    hand.page.keyboard.press("Enter")
    hand.see("Ordered|ordered|proved|Proved")


def invite(hand: Hand, scene: Scene) -> None:
    hand.see("What to look at first")
    hand.press("^People", "Places")
    hand.press("^Invite someone")
    hand.fill("^Address", f"ada.fell@{DOMAIN}")
    hand.press("^Send the invitation")
    hand.see("A letter is on its way")


JOURNEYS = (
    Journey("See what to look at first", "maren.ashdown", "know the riskiest access, and why", first_thing),
    Journey("End an access, with proof", "maren.ashdown", "take one guide's access back", end_it),
    Journey("Give an access a last day", "maren.ashdown", "let it end by itself", give_an_end),
    Journey("Let someone in", "maren.ashdown", "give the narrowest access, for a while", let_in),
    Journey("Accept an offer", "", "get what was offered", accept, before=an_offer),
    Journey("Answer a review", "ines.okoro", "say that an access is to end", answer_review, before=a_round),
    Journey("Plan a review", "maren.ashdown", "have access looked at again", plan_review),
    Journey("Someone leaves", "maren.ashdown", "end all that a person has", leaver),
    Journey("See what a change would change", "maren.ashdown", "know before it is done", what_if),
    Journey("Change a limit of the policy", "maren.ashdown", "be flagged less, or more", limit),
    Journey("Accept a flag", "maren.ashdown", "live with something for a reason", accept_flag),
    Journey("Ask for more", "orla.finch", "get a power for a while", ask_for_more, begin="/mine"),
    Journey("Decline a request", "maren.ashdown", "answer a colleague", turn_down),
    Journey("See who did something", "maren.ashdown", "find orders of a colleague in the log", who_did_it),
    Journey("Invite a colleague", "maren.ashdown", "have someone else sign in", invite),
)
