"""What the stand-ins begin with that speak the feed protocol: one builder, and one function for each provider."""

from __future__ import annotations

import random
from collections.abc import Iterable, Mapping
from datetime import datetime, timedelta
from importlib import resources
from typing import Any

from openlatch.demo.cast import OUTSIDERS, STAFF, VOLUNTEERS, Someone

__all__ = ["BY_KEY", "Feed", "ago", "dome_control", "live_sky", "live_sky_described", "plate_archive"]

BY_KEY: Mapping[str, Someone] = {s.key: s for s in (*STAFF, *VOLUNTEERS, *OUTSIDERS)}


_OF_PROGRAMS = ("signed in", "full copy", "stream key")
"""Levels that sessions and apps have, and nobody can be given."""


def ago(now: datetime, days: float) -> str:
    """An instant so many days before now (or after, if negative), not always at the same minute."""
    return (now - timedelta(days=days, minutes=int(days) % 50 + 5)).isoformat(timespec="seconds")


class Feed:
    """The inventory of one provider, built up entry by entry; days are days ago."""

    def __init__(self, name: str, now: datetime, levels: Mapping[str, list[str]], accounts: Iterable[dict[str, Any]]):
        self.now = now
        self.chance = random.Random(f"kestrel ridge {name}")  # noqa: S311 - a repeatable invention, not a secret
        self._name = name
        self._levels = levels
        self._accounts = list(accounts)
        self._parties: dict[str, dict[str, Any]] = {}
        self.entries: list[dict[str, Any]] = []
        self.activity: list[dict[str, Any]] = []

    def party(self, someone: Someone, kind: str = "person", **more: Any) -> str:
        """Make a party known to the provider; returns its key."""
        shown: dict[str, Any] = {
            "key": someone.key,
            "kind": kind,
            "name": someone.name,
            "addresses": [someone.address] if someone.address else [],
            "status": someone.status if kind == "person" else "unknown",
            "verified": someone.key in BY_KEY,
        }
        self._parties[someone.key] = shown | more
        return someone.key

    def add(self, who: Someone | str, account: str, level: str, given: int, used: int | None, **more: Any) -> None:
        """Give someone a level on an account; `used` None means never."""
        party = who if isinstance(who, str) else self._parties.get(who.key, {}).get("key") or self.party(who)
        kind = more.get("kind", "delegate")
        entry = {
            "key": f"{kind}:{account}:{party}",
            "account": account,
            "party": party,
            "kind": kind,
            "level": level,
            "powers": self._levels[level],
            "given_at": ago(self.now, given),
            "accepted_at": ago(self.now, given - 1),
            "given_by": "Maren Ashdown",
            "use_known": True,
            "last_used": None if used is None else ago(self.now, used),
        }
        self.entries.append(entry | more)

    def inventory(self, **more: Any) -> dict[str, Any]:
        """Return what the stand-in begins with; abilities are those of most providers unless said otherwise."""
        kinds = sorted({entry["kind"] for entry in self.entries} | ({"open"} if more.get("documents") else set()))
        abilities = {"lists": kinds, "ends": kinds} | more.pop("abilities", {})
        return {
            "description": {
                "feed": "open-latch-feed/1",
                "name": self._name,
                "abilities": abilities,
                "levels": {name: gives for name, gives in self._levels.items() if name not in _OF_PROGRAMS},
            }
            | more.pop("described", {}),
            "accounts": self._accounts,
            "parties": list(self._parties.values()),
            "entries": self.entries,
            "activity": self.activity,
        } | more

    def doings(self, said: Mapping[str, str]) -> None:
        """Have everyone who used an entry do something with it, `said` by power; some more than once."""
        for entry in self.entries:
            used, powers = entry["last_used"], [p for p in entry["powers"] if p in said]
            if self._parties[entry["party"]]["kind"] == "team":
                continue
            for place in range(self.chance.randrange(1, 4) if used and powers else 0):
                power = self.chance.choice(powers)
                at = datetime.fromisoformat(used) - timedelta(hours=place * self.chance.randrange(3, 60))
                doing = {"account": entry["account"], "party": entry["party"], "entry": entry["key"]}
                doing |= {"key": f"{entry['key']}:{place}", "at": at.isoformat(), "power": power, "what": said[power]}
                self.activity.append(doing)


def dome_control(now: datetime) -> dict[str, Any]:
    """Two telescopes and a weather mast: nights are grants with weekly hours; tablets keep their sessions."""
    levels = {
        "observer": ["view", "edit"],
        "night assistant": ["view", "edit", "export"],
        "instrument keeper": ["view", "edit", "export", "admit", "own"],
        "mast reader": ["view"],
        "planner": ["view", "edit"],
        "signed in": ["view", "edit"],
    }
    accounts = [
        {"key": "north", "name": "North Dome", "criticality": "vital"},
        {"key": "south", "name": "South Dome", "criticality": "vital"},
        {"key": "mast", "name": "Weather Mast"},
    ]
    feed = Feed("Dome Control", now, levels, accounts)
    maren, _, ines, pell, _, _, jory, sabine, ivo = STAFF
    for dome, keepers in (("north", (pell, jory)), ("south", (pell, sabine))):
        for someone in keepers:
            feed.add(someone, dome, "instrument keeper", 900, 2, reviewed_at=[ago(now, 75)])
        for someone in (ines, ivo, *feed.chance.sample(VOLUNTEERS, 4)):
            used = feed.chance.randrange(1, 30)
            feed.add(
                someone, dome, "night assistant", feed.chance.randrange(100, 700), used, reviewed_at=[ago(now, 75)]
            )
    # One who looks after the mast, and nobody else who could let anyone in.
    feed.add(ivo, "mast", "instrument keeper", 1200, 12)
    for someone in (maren, jory, *VOLUNTEERS[20:24]):
        feed.add(someone, "mast", "mast reader", 400, feed.chance.randrange(0, 60))
    nights = {"zone": "Europe/London", "windows": [{"days": ["tue", "fri"], "start": "19:00", "end": "04:00"}]}
    amara = BY_KEY["amara.levy"]
    feed.add(
        amara,
        "north",
        "observer",
        24,
        3,
        kind="grant",
        ends_at=ago(now, -18),
        hours=nights,
        basis="Nine nights on faint variables, agreed by Ines Okoro",
        given_by="Ines Okoro",
    )
    school = Someone("school.visits", "Hillfoot School", "science@hillfoot-school.example")
    evenings = {"zone": "Europe/London", "windows": [{"days": ["thu"], "start": "16:00", "end": "18:30"}]}
    feed.add(school, "south", "observer", 60, 11, kind="grant", ends_at=ago(now, -40), hours=evenings)
    tablet = feed.party(Someone("visitor.tablet", "Visitor tablet", ""), "app", publisher="Kestrel Ridge Observatory")
    feed.add(
        tablet,
        "north",
        "signed in",
        24,
        3,
        key="session:north:tablet",
        kind="session",
        device="tablet",
        network="192.0.2.77",
        hangs_on="grant:north:amara.levy",
        accepted_at=None,
    )
    # One app on all three: it plans both domes, and only looks at the weather.
    planner = feed.party(
        Someone("night-planner", "Night Planner", ""),
        "app",
        publisher="Open Sky Tools",
        home="https://nightplanner.example",
        verified=True,
    )
    for dome in ("north", "south"):
        asked = ["read the queue", "write the night's plan"]
        feed.add(planner, dome, "planner", 210, 1, kind="app", permissions=asked)
    feed.add(planner, "mast", "mast reader", 210, 0, kind="app", permissions=["read the weather"])
    # One who has asked for an observer's number, and has not shown who they are yet.
    unseen = {"kind": "not-verified", "reason": "Their papers have not been seen yet. Have them shown at the gate."}
    unshown = {
        "key": "noor.haddad",
        "name": "Noor Haddad",
        "addresses": ["noor.haddad@northcape-uni.example"],
        "hindrances": [unseen],
    }
    feed.doings({"view": "looked at the night's plan", "edit": "moved a target", "export": "took frames away"})
    return feed.inventory(
        abilities={
            "at_once": False,
            "dates": ["grant"],
            "pauses": ["delegate", "grant"],
            "raises": ["delegate", "grant"],
            "prolongs": ["grant"],
            "widens": ["delegate", "grant"],
            "one_each": True,
            "gives": ["delegate", "grant"],
            "gives_until": ["grant"],
            "gives_hours": ["grant"],
        },
        connects_after=40,
        directory=[unshown],
    )


def plate_archive(now: datetime) -> dict[str, Any]:
    """400 folders of plates, some shared with partners or open to anyone, one of them to change; a reading app."""
    levels = {
        "plate reader": ["view"],
        "plate contributor": ["view", "edit"],
        "archive keeper": ["view", "edit", "publish", "export", "admit"],
        "full copy": ["view", "export"],
        "signed in": ["view", "edit", "export"],
    }
    plates = {"key": "plates", "name": "Night-Sky Plates", "criticality": "vital", "locked": False}
    feed = Feed("Plate Archive", now, levels, [plates])
    _, _, ines, pell, *_ = STAFF
    for someone in (ines, pell):
        feed.add(someone, "plates", "archive keeper", 1400, 1, reviewed_at=[ago(now, 70)])
    for someone in VOLUNTEERS[30:42]:
        given = feed.chance.randrange(60, 900)
        folders = [f"folder {n:03}" for n in sorted(feed.chance.sample(range(1, 401), 3))]
        used = min(given - 2, int(feed.chance.expovariate(1 / 40)))
        feed.add(someone, "plates", "plate contributor", given, used, resources=folders, reviewed_at=[ago(now, 70)])
    chart = feed.party(
        Someone("star-chart", "Star Chart Weekly", ""),
        "app",
        publisher="Star Chart Press",
        home="https://starchartweekly.example",
        verified=False,
    )
    feed.add(
        chart, "plates", "full copy", 310, None, kind="app", permissions=["read every folder", "download originals"]
    )
    solver = feed.party(
        Someone("plate-solver", "Plate Solver", ""),
        "app",
        publisher="Open Sky Tools",
        home="https://platesolver.example",
        verified=True,
    )
    feed.add(solver, "plates", "plate reader", 500, 0, kind="app", permissions=["read folders", "list plates"])
    feed.add(
        pell,
        "plates",
        "signed in",
        3,
        0,
        kind="session",
        device="laptop, Plate Viewer 4",
        network="198.51.100.12",
        hangs_on="delegate:plates:pell.varga",
        accepted_at=None,
    )
    feed.add(
        ines,
        "plates",
        "signed in",
        130,
        47,
        key="session:plates:lent-laptop",
        kind="session",
        device="lent laptop",
        network="198.51.100.40",
        hangs_on="delegate:plates:ines.okoro",
        accepted_at=None,
    )
    feed.doings({"view": "looked through a folder", "edit": "added plates", "export": "downloaded originals"})
    # The laptop's session is Pell's; the solver works for whoever asked for the plates.
    feed.activity += [
        {
            "key": f"solver:{n}",
            "at": ago(now, n / 3),
            "account": "plates",
            "party": "plate-solver",
            "behalf_of": someone.key,
            "entry": "app:plates:plate-solver",
            "power": "view",
            "what": "solved a plate",
        }
        for n, someone in enumerate((ines, pell, ines, ines, pell))
    ]
    abilities = {"gives": ["delegate", "grant"], "gives_until": ["grant"]}
    return feed.inventory(documents=_folders(feed), abilities=abilities, strangers=True)


def _folders(feed: Feed) -> list[dict[str, Any]]:
    """Who may do what with each folder: nobody but the keepers with most, partners and anyone with some."""
    lakeside = feed.party(Someone("lakeside", "Lakeside Institute", "archive@lakeside-institute.example"))
    # A capital I where an l should be: someone else's domain.
    exchange = feed.party(Someone("near.miss", "Kestrel Ridge exchange", "exchange@kestreIridge.example"))
    anyone, north_cape = {"anyone": True}, {"domain": "northcape-uni.example"}

    def allow(to: dict[str, Any], powers: list[str], level: str, days: int, by: str, **more: Any) -> dict[str, Any]:
        statement = {"effect": "allow", "to": [to], "powers": powers, "level": level}
        return statement | {"given_at": ago(feed.now, days), "given_by": by} | more

    used = {"use_known": True, "basis": "Exchange of plates"}
    partners = [
        allow(north_cape, ["view"], "plate reader", 230, "Pell Varga", last_used=ago(feed.now, 5), **used),
        allow({"party": lakeside}, ["view"], "plate reader", 230, "Pell Varga", last_used=ago(feed.now, 70), **used),
    ]
    folders: dict[str, list[dict[str, Any]]] = {f"folder {n:03}": [] for n in range(1, 401)}
    for number in range(120, 181):
        folders[f"folder {number:03}"] += partners
    for number in (4, 17, 33, 58, 91, 140, 205, 266, 301, 377):
        read = allow(anyone, ["view"], "anyone may read", 300 + number, "Pell Varga")
        folders[f"folder {number:03}"].append(read)
    # Only in the reading room, and while it is open; and one where a later deny took half of it back.
    days = ["wed", "sat"]
    folders["folder 266"][0] |= {
        "networks": ["192.0.2.0/26", "2001:db8:1::/48"],
        "hours": [{"days": days, "start": "10:00", "end": "17:30"}],
    }
    folders["folder 301"][0]["powers"] = ["view", "edit"]
    folders["folder 301"].append({"effect": "deny", "to": [anyone], "powers": ["edit"]})
    folders["unreleased 2026"] = [
        allow({"party": exchange}, ["view"], "plate reader", 230, "Pell Varga", **used),
        allow(
            anyone, ["view", "edit"], "anyone may change", 41, "Ivo Marsh", basis="So that printers could send proofs"
        ),
    ]
    return [
        {"key": name, "account": "plates", "resource": name, "zone": "Europe/London", "statements": statements}
        for name, statements in folders.items()
    ]


def live_sky_described() -> str:
    """Return the description by which Live Sky is read."""
    return resources.files("openlatch.demo").joinpath("live-sky.toml").read_text("utf-8")


def live_sky(now: datetime) -> dict[str, Any]:
    """A broadcast channel: presenters publish in the observatory's name; they are known by handles, not addresses."""
    levels = {
        "presenter": ["view", "publish"],
        "moderator": ["view", "edit"],
        "channel keeper": ["view", "edit", "publish", "admit", "own"],
        "stream key": ["publish"],
    }
    feed = Feed("Live Sky", now, levels, [{"key": "channel", "name": "Kestrel Ridge Live"}])
    maren, *_, sabine, _ = STAFF
    for someone, handle in ((maren, "@maren-kr"), (sabine, "@sabine-kr")):
        feed.party(someone, addresses=[handle, someone.address])
        feed.add(someone, "channel", "channel keeper", 1100, 6, reviewed_at=[ago(now, 75)])
    for someone in VOLUNTEERS[44:50]:
        handle = f"@{someone.key.replace('.', '-')}"
        feed.party(someone, addresses=[handle])
        feed.add(someone, "channel", feed.chance.choice(("presenter", "moderator")), 260, feed.chance.randrange(1, 90))
    guest = Someone("guest.night", "Bea Lorrimer", "@bea-under-stars")
    feed.add(
        guest,
        "channel",
        "presenter",
        6,
        None,
        kind="offer",
        state="offered",
        accepted_at=None,
        basis="Guest for the winter star party; has to opt in to being invited first",
    )
    lantern = Someone("lantern", "Lantern Works", "boards@lanternworks.example")
    feed.party(lantern)
    feed.add(lantern, "channel", "channel keeper", 80, 12, ends_at=ago(now, -30), basis="Sets up the winter broadcast")
    # Two who presented once: one grant has outlived its end, the other never had one; and one access given twice.
    for someone, more in (
        (VOLUNTEERS[50], {"ends_at": ago(now, 6)}),
        (VOLUNTEERS[51], {}),
    ):
        feed.party(someone)
        feed.add(someone, "channel", "presenter", 96, 9, kind="grant", reviewed_at=[ago(now, 75)], **more)
    feed.add(VOLUNTEERS[51], "channel", "presenter", 400, 9, reviewed_at=[ago(now, 390)])
    stream = feed.party(Someone("dome-camera", "Dome camera", ""), "app", publisher="Kestrel Ridge Observatory")
    feed.add(stream, "channel", "stream key", 640, 0, kind="app", permissions=["send pictures"])
    feed.doings({"publish": "went live", "edit": "answered in the chat", "view": "watched the schedule"})
    not_yet = {"kind": "not-opted-in", "reason": "They have not agreed to be invited. They can, in their own settings."}
    directory = [
        {"key": "guest.amara", "name": "Dr Amara Levy", "addresses": ["@amara-levy", BY_KEY["amara.levy"].address]},
        {"key": "orla.finch", "name": "Orla Finch", "addresses": ["@orla-finch", VOLUNTEERS[0].address]},
        {"key": "guest.tomas", "name": "Tomas Rell", "addresses": ["@tomas-rell"], "hindrances": [not_yet]},
    ]
    gives = ["delegate", "grant"]
    return feed.inventory(
        abilities={"redone_by": "either", "narrows": ["delegate"], "gives": gives, "gives_until": ["grant"]},
        described={"limits": {"opt_in": True, "never": ["own"]}},
        directory=directory,
    )
