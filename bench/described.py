"""How fast a provider is read through its description, against a connector that was written for it alone."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from typing import Any

import httpx

from bench.measure import growth, line, side_by_side
from openlatch.connecting.http import Caller
from openlatch.connectors.described import DescribedConnector
from openlatch.core.providers.observation import ObservedAccount, ObservedEntry, ObservedParty
from openlatch.words import Kind, PartyKind, PartyStatus, Power

__all__ = ["described"]

TEAMS, MEMBERS, SIZE = (5, 15, 50), 1_000, 500
ROUNDS = 5
DESCRIPTION = f"""
description = 1
[[lists]]
name = "teams"
url = "/teams{{?page,size}}"
items = "$.data[*]"
paging = "page"
size = {SIZE}
[[lists]]
name = "members"
each = "teams"
with = {{ team = "$.id" }}
url = "/teams/{{team}}/members{{?page,size}}"
items = "$.data[*]"
paging = "page"
size = {SIZE}
[[accounts]]
from = "teams"
key = "$.id"
name = "$.title"
[[parties]]
from = "members"
key = "$.user.login"
name = "$.user.name"
addresses = ["$.user.email"]
status = {{ value = "$.user.state", table = {{ active = "current" }}, otherwise = "unknown" }}
[[entries]]
from = "members"
key = {{ team = "$.of.id", login = "$.user.login" }}
account = "$.of.id"
party = "$.user.login"
level = "$.role"
given_at = "$.since"
last_used = {{ value = "$.seen", as = "epoch" }}
[levels]
lead = ["view", "edit"]
guest = ["view"]
"""
LEVELS = {"lead": (Power.VIEW, Power.EDIT), "guest": (Power.VIEW,)}


def _answers(count: int) -> dict[str, bytes]:
    """What the provider answers, by path and page."""
    teams = [{"id": f"t{team}", "title": f"Team {team}"} for team in range(count)]
    found = {"/teams?1": json.dumps({"data": teams}).encode(), "/teams?2": b'{"data": []}'}
    for team in range(count):
        members = [
            {
                "user": {
                    "login": f"u{n}",
                    "name": f"Someone {n}",
                    "email": f"u{n}@ridge.example",
                    "state": "active" if n % 9 else "gone",
                },
                "role": "lead" if n % 7 == 0 else "guest",
                "since": "2025-03-01T10:00:00Z",
                "seen": 1_760_000_000 + n,
            }
            for n in range(MEMBERS)
        ]
        for page in range(MEMBERS // SIZE + 1):
            some = {"data": members[page * SIZE : (page + 1) * SIZE]}
            found[f"/teams/t{team}/members?{page + 1}"] = json.dumps(some).encode()
    return found


class _ByHand:
    """The same, written for this one provider."""

    def __init__(self, carrier: httpx.BaseTransport) -> None:
        self._caller = Caller("the club's interface", {"Authorization": "Bearer s"}, carrier)

    def read(self) -> list[ObservedEntry]:
        accounts: list[ObservedAccount] = []
        parties: dict[str, ObservedParty] = {}
        entries: list[ObservedEntry] = []
        for team in self._all("/teams"):
            accounts.append(ObservedAccount(team["id"], team["title"]))
            for member in self._all(f"/teams/{team['id']}/members"):
                user = member["user"]
                status = PartyStatus.CURRENT if user["state"] == "active" else PartyStatus.UNKNOWN
                login = user["login"]
                parties[login] = ObservedParty(login, PartyKind.PERSON, user["name"], (user["email"],), status)
                entries.append(
                    ObservedEntry(
                        f"{team['id']}/{login}",
                        team["id"],
                        login,
                        Kind.DELEGATE,
                        member["role"],
                        powers=LEVELS.get(member["role"]),
                        given_at=datetime.fromisoformat(member["since"]),
                        last_used=datetime.fromtimestamp(member["seen"], UTC),
                        use_known=True,
                    )
                )
        return entries

    def _all(self, path: str) -> Iterator[dict[str, Any]]:
        page = 1
        while data := json.loads(self._caller.send("GET", f"http://club.example{path}?page={page}").content)["data"]:
            yield from data
            page += 1


def described() -> str:
    """Read up to 50,000 entries in 201 answers both ways, from memory."""
    pairs = [side_by_side(*_ways(count), ROUNDS) for count in TEAMS]
    sizes = [count * MEMBERS for count in TEAMS]
    what = f"{sizes[-1]:,} entries read by a description, against a connector written for the same interface"
    exponent = growth(sizes, [pair.seconds for pair in pairs])
    return line("described", what, pairs[-1], sizes, exponent, aim=2, a_second=round(sizes[-1] / pairs[-1].seconds))


def _ways(count: int) -> tuple[Callable[[], object], Callable[[], object]]:
    """Reading so many teams by the description, and by hand; both come to the same."""
    answers = _answers(count)

    def answer(request: httpx.Request) -> httpx.Response:
        return httpx.Response(200, content=answers[f"{request.url.path}?{request.url.params['page']}"])

    carrier = httpx.MockTransport(answer)

    def through() -> int:
        connector = DescribedConnector({"url": "http://club.example", "description": DESCRIPTION}, "s", carrier)
        return sum(len(page.entries) for page in connector.pages())

    def by_hand() -> int:
        return len(_ByHand(carrier).read())

    if not through() == by_hand() == count * MEMBERS:
        raise AssertionError("the two do not read the same")
    return through, by_hand
