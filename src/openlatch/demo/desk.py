"""Ticket Desk: bookings and gate. Levels with and without spending; removes no administrator without consent."""

from __future__ import annotations

import random
from datetime import datetime, timedelta
from typing import Any

from openlatch.demo.cast import DOMAIN, OUTSIDERS, STAFF, TEAMS, VOLUNTEERS, Someone
from openlatch.demo.feeds import BY_KEY, Feed, ago

__all__ = ["BRIGHTMERE", "inventory"]

BRIGHTMERE = "delegate:gate:brightmere"
LEVELS: dict[str, list[str]] = {
    "visitor desk": ["view", "edit"],
    "guide": ["view"],
    "cashier": ["view", "edit", "spend"],
    "site contractor": ["view", "edit", "spend"],
    "group booker": ["view", "edit"],
    "administrator": ["view", "edit", "publish", "export", "spend", "admit"],
    "signed in": ["view"],
}
PERMISSIONS: dict[str, list[str]] = {
    "see bookings": ["view"],
    "take bookings": ["edit"],
    "answer for us": ["publish"],
    "refund": ["withdraw"],
    "season list": ["export"],
}
"""What can be given one by one there, without a level."""
ACCOUNTS = (
    {"key": "bookings", "name": "Bookings", "criticality": "vital"},
    {"key": "gate", "name": "Gate", "criticality": "normal"},
)
ADMINISTRATORS = 11


def inventory(now: datetime) -> dict[str, Any]:
    """Return what the stand-in for Ticket Desk begins with: the same for the same day."""
    feed = Feed("Ticket Desk", now, LEVELS, ACCOUNTS)
    chance = feed.chance
    for someone in (*STAFF, *VOLUNTEERS, *(s for s in OUTSIDERS if s.key != "amara.levy")):
        feed.party(someone)
    for team in TEAMS:
        feed.party(team, "team", verified=True)
    orla, *volunteers = VOLUNTEERS
    helpers = ADMINISTRATORS - len(STAFF)
    for someone in (*STAFF, *volunteers[:helpers]):
        recent = chance.choice((0, 0, 1, 2, 5, 9, 30))
        feed.add(someone, "bookings", "administrator", chance.randrange(200, 1500), recent, reviewed_at=[ago(now, 80)])
    for someone in volunteers[helpers:]:
        given = chance.randrange(30, 1400)
        used = None if chance.random() < 0.06 else min(given - 2, int(chance.expovariate(1 / 25)))
        level = chance.choice(("visitor desk", "visitor desk", "guide", "guide", "guide", "cashier"))
        reviews = [ago(now, days) for days in (80, 445) if days < given]
        feed.add(someone, "bookings", level, given, used, reviewed_at=reviews)
    # One administrator who looks at bookings every day, and has long neither bought nor admitted anything or anyone.
    hanne = next(e for e in feed.entries if e["party"] == "hanne.prior")
    hanne |= {
        "last_used": ago(now, 0),
        "uses": {
            "view": ago(now, 0),
            "edit": ago(now, 1),
            "publish": ago(now, 3),
            "export": ago(now, 20),
            "spend": ago(now, 140),
            "admit": ago(now, 310),
        },
    }
    # The same rights directly and through two teams, one of them inside the other.
    feed.add(orla, "bookings", "visitor desk", 700, 1, reviewed_at=[ago(now, 80), ago(now, 445)])
    for team, level in zip(TEAMS, ("guide", "guide", "visitor desk"), strict=True):
        feed.add(team.key, "bookings", level, 900, 0)
    for someone in chance.sample(volunteers, 14):
        feed.add(someone, "gate", "guide", chance.randrange(40, 900), chance.randrange(0, 40))
    _outsiders(feed, now)
    consent = "an administrator is removed only with that administrator's consent"
    feed.doings(
        {
            "view": "looked at the day's bookings",
            "edit": "changed a booking",
            "spend": "bought ticket paper",
            "admit": "let someone in",
            "export": "took the season's bookings away",
        }
    )
    return feed.inventory(
        abilities={
            "consent": "an administrator who is to be removed",
            "consent_for": ["admit"],
            "narrows": ["delegate"],
            "raises": ["delegate", "grant"],
            "prolongs": ["delegate", "grant"],
            "widens": ["delegate", "grant"],
            "gives": ["delegate", "grant"],
            "gives_until": ["grant"],
            "gives_hours": ["grant"],
            "pauses": ["delegate"],
        },
        described={"permissions": PERMISSIONS, "single": "by permission"},
        strangers=True,
        memberships=_memberships(chance),
        refuse={e["key"]: consent for e in feed.entries if e["level"] == "administrator"},
    )


def _outsiders(feed: Feed, now: datetime) -> None:
    payment = {
        "kind": "payment",
        "what": "gate maintenance, 48.00 on the 1st of each month",
        "next_at": _first_of_next_month(now),
    }
    feed.add(
        BY_KEY["brightmere"],
        "gate",
        "site contractor",
        420,
        214,
        given_by="Tobias Quill",
        resources=["gate controller"],
        uses={"view": ago(now, 214), "edit": ago(now, 219)},
        dependencies=[payment],
        basis="Rewiring of the gate, finished in spring",
        reviewed_at=[ago(now, 300)],
    )
    feed.add(BY_KEY["coach.parties"], "bookings", "group booker", 130, 4, basis="School groups book through them")
    feed.add(BY_KEY["lise.hartnell"], "bookings", "cashier", 1100, 390, given_by="", basis="Treasurer until last year")
    # Meant for Tobias Quill, whose address is tobias.quill: it went to nobody.
    typo = Someone("tquil", "Tobias Quill", f"tquil@{DOMAIN}", "unknown")
    feed.party(typo, verified=False)
    feed.add(
        typo,
        "gate",
        "cashier",
        26,
        None,
        kind="offer",
        state="offered",
        accepted_at=None,
        given_by="Maren Ashdown",
        basis="To pay for the gate's new reader",
    )
    tablet = feed.party(Someone("gate.tablet", "Gate tablet", f"gate@{DOMAIN}"), "app", publisher="")
    feed.add(
        tablet,
        "gate",
        "signed in",
        402,
        0,
        key="session:gate-tablet",
        kind="session",
        device="tablet",
        network="192.0.2.41",
        accepted_at=None,
        given_by="",
    )


def _memberships(chance: random.Random) -> list[dict[str, str]]:
    """Everyone is a volunteer through one of two teams; some guides, and Orla, are in both."""
    volunteers, guides, saturday = (team.key for team in TEAMS)
    members = [(volunteers, guides), (volunteers, saturday), (guides, VOLUNTEERS[0].key), (saturday, VOLUNTEERS[0].key)]
    for someone in VOLUNTEERS[1:]:
        members.append((chance.choice((guides, guides, saturday)), someone.key))
    return [{"team": team, "member": member} for team, member in members]


def _first_of_next_month(now: datetime) -> str:
    following = (now.replace(day=1) + timedelta(days=32)).replace(day=1)
    return following.replace(hour=0, minute=0, second=0, microsecond=0).isoformat()
