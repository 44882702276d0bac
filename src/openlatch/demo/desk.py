"""Ticket Desk: bookings and gate. Levels with and without spending; removes no administrator without consent."""

from __future__ import annotations

import random
from datetime import datetime, timedelta
from typing import Any

from openlatch.demo.cast import DOMAIN, OUTSIDERS, STAFF, TEAMS, VOLUNTEERS, Someone

__all__ = ["BRIGHTMERE", "inventory"]

BRIGHTMERE = "delegate:gate:brightmere"
LEVELS: dict[str, list[str]] = {
    "visitor desk": ["view", "edit"],
    "guide": ["view"],
    "cashier": ["view", "edit", "spend"],
    "site contractor": ["view", "edit", "spend"],
    "group booker": ["view", "edit"],
    "administrator": ["view", "edit", "publish", "export", "spend", "admit"],
}
ADMINISTRATORS = 11


def inventory(now: datetime) -> dict[str, Any]:
    """Return what the stand-in for Ticket Desk begins with: the same for the same day."""
    chance = random.Random("kestrel ridge")  # noqa: S311 - a repeatable invention, not a secret
    entries: list[dict[str, Any]] = []

    def add(someone: Someone, account: str, level: str, given: int, used: int | None, **more: Any) -> None:
        """Give someone a level; `given` and `used` are days ago."""
        entry = {
            "key": f"delegate:{account}:{someone.key}",
            "account": account,
            "party": someone.key,
            "kind": "delegate",
            "level": level,
            "powers": LEVELS[level],
            "given_at": _ago(now, given),
            "accepted_at": _ago(now, given - 1),
            "given_by": "Maren Ashdown",
            "use_known": True,
            "last_used": None if used is None else _ago(now, used),
        }
        entries.append(entry | more)

    orla, *volunteers = VOLUNTEERS
    helpers = ADMINISTRATORS - len(STAFF)
    administrators = (*STAFF, *volunteers[:helpers])
    for someone in administrators:
        recent = chance.choice((0, 0, 1, 2, 5, 9, 30))
        add(someone, "bookings", "administrator", chance.randrange(200, 1500), recent, reviewed_at=[_ago(now, 80)])
    for someone in volunteers[helpers:]:
        given = chance.randrange(30, 1400)
        used = None if chance.random() < 0.06 else min(given - 2, int(chance.expovariate(1 / 25)))
        level = chance.choice(("visitor desk", "visitor desk", "guide", "guide", "guide", "cashier"))
        reviews = [_ago(now, days) for days in (80, 445) if days < given]
        add(someone, "bookings", level, given, used, reviewed_at=reviews)
    # The same rights directly and through two teams, one of them inside the other.
    add(orla, "bookings", "visitor desk", 700, 1, reviewed_at=[_ago(now, 80), _ago(now, 445)])
    for team, level in zip(TEAMS, ("guide", "guide", "visitor desk"), strict=True):
        add(team, "bookings", level, 900, 0)
    for someone in chance.sample(volunteers, 14):
        add(someone, "gate", "guide", chance.randrange(40, 900), chance.randrange(0, 40))
    by_key = {someone.key: someone for someone in OUTSIDERS}
    payment = {
        "kind": "payment",
        "what": "gate maintenance, 48.00 on the 1st of each month",
        "next_at": _first_of_next_month(now),
    }
    add(
        by_key["brightmere"], "gate", "site contractor", 420, 214, given_by="Tobias Quill", resources=["gate controller"],  # noqa: E501
        uses={"view": _ago(now, 214), "edit": _ago(now, 219)}, basis="Rewiring of the gate, finished in spring",
        dependencies=[payment], reviewed_at=[_ago(now, 300)],
    )  # fmt: skip
    add(by_key["coach.parties"], "bookings", "group booker", 130, 4, basis="School groups book through them")
    add(by_key["lise.hartnell"], "bookings", "cashier", 1100, 390, given_by="", basis="Treasurer until last year")
    entries.append(
        {
            "key": "session:gate-tablet", "account": "gate", "party": "gate.tablet", "kind": "session",
            "level": "signed in", "powers": ["view"], "given_at": _ago(now, 402), "last_used": _ago(now, 0),
            "use_known": True, "device": "tablet", "network": "192.0.2.41",
        }
    )  # fmt: skip
    teams = [{"key": t.key, "kind": "team", "name": t.name, "addresses": [t.address], "verified": True} for t in TEAMS]
    people = [
        {"key": s.key, "kind": "person", "name": s.name, "addresses": [s.address], "status": s.status, "verified": True}
        for s in (*STAFF, *VOLUNTEERS, *(s for s in OUTSIDERS if s.key != "amara.levy"))
    ]
    tablet = {"key": "gate.tablet", "kind": "app", "name": "Gate tablet", "addresses": [f"gate@{DOMAIN}"]}
    consent = "an administrator is removed only with that administrator's consent"
    return {
        "description": {
            "feed": "open-latch-feed/1",
            "name": "Ticket Desk",
            "abilities": {
                "lists": ["delegate", "grant", "session"],
                "ends": ["delegate", "grant", "session"],
                "consent": "an administrator who is to be removed",
            },
        },
        "accounts": [
            {"key": "bookings", "name": "Bookings", "criticality": "vital"},
            {"key": "gate", "name": "Gate", "criticality": "normal"},
        ],
        "parties": [*people, *teams, tablet],
        "entries": entries,
        "memberships": _memberships(chance),
        "refuse": {e["key"]: consent for e in entries if e["level"] == "administrator"},
    }


def _memberships(chance: random.Random) -> list[dict[str, str]]:
    """Everyone is a volunteer through one of two teams; some guides, and Orla, are in both."""
    volunteers, guides, saturday = (team.key for team in TEAMS)
    members = [(volunteers, guides), (volunteers, saturday), (guides, VOLUNTEERS[0].key), (saturday, VOLUNTEERS[0].key)]
    for someone in VOLUNTEERS[1:]:
        members.append((chance.choice((guides, guides, saturday)), someone.key))
    return [{"team": team, "member": member} for team, member in members]


def _ago(now: datetime, days: int) -> str:
    return (now - timedelta(days=days, minutes=days % 50 + 5)).isoformat(timespec="seconds")


def _first_of_next_month(now: datetime) -> str:
    following = (now.replace(day=1) + timedelta(days=32)).replace(day=1)
    return following.replace(hour=0, minute=0, second=0, microsecond=0).isoformat()
