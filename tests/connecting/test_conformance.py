"""Our own connectors pass the tests that we ask of those of others, each against a provider that misbehaves."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import Any

import httpx
import pytest

from openlatch.connecting import ObservedEntry, Reads
from openlatch.connecting.conformance import Between, Conformance, Fault, Trial
from openlatch.connectors.described import DescribedConnector
from openlatch.connectors.feed import FeedConnector
from openlatch.connectors.scim import ScimConnector
from openlatch.connectors.webdav import WebDavConnector
from openlatch.simulator import FeedStandIn, ScimStandIn
from tests.connectors.houses import Club, Rota
from tests.connectors.test_scim import SEED as ROLL
from tests.connectors.test_webdav import Letter

EXAMPLES = Path(__file__).parents[2] / "docs" / "described"


class Served(Trial):
    """A provider over HTTP, with something between that is at fault."""

    made: Any

    def __init__(self, app: Any, lies_with: int = 204) -> None:
        self.between = Between(app if isinstance(app, httpx.BaseTransport) else httpx.WSGITransport(app), lies_with)

    def connector(self) -> Reads:
        made: Reads = self.made(self.settings, self.secret, self.between)
        return made

    def fault(self, fault: Fault) -> None:
        if fault not in Between.CAN:
            super().fault(fault)
        self.between.fault = fault


class ScimTrial(Served):
    made = ScimConnector
    settings: Mapping[str, str] = {"url": "http://roll.example"}
    secret = "token"

    def __init__(self, folder: Path) -> None:
        load = folder / "roll.json"
        load.write_text(json.dumps(ROLL))
        self.server = ScimStandIn(folder / "roll.sqlite", load, self.secret)
        super().__init__(self.server)

    def _user(self, entry: ObservedEntry) -> httpx.Response:
        with httpx.Client(transport=httpx.WSGITransport(self.server), base_url=self.settings["url"]) as client:
            headers = {"Authorization": f"Bearer {self.secret}"}
            return client.get(f"/Users/{entry.key.partition(':')[2]}", headers=headers)

    def lets_in(self, entry: ObservedEntry) -> bool:
        return self._user(entry).json()["active"] is True

    def to_end(self, entries: Iterable[ObservedEntry]) -> ObservedEntry:
        return next(entry for entry in entries if entry.key.startswith("user:"))


class ClubTrial(Served):
    made = DescribedConnector
    settings: Mapping[str, str] = {
        "url": "http://club.example",
        "description": (EXAMPLES / "club.toml").read_text(),
    }
    secret = "club-secret"

    def __init__(self) -> None:
        self.house = Club()
        super().__init__(self.house.app)

    def _members(self, entry: ObservedEntry) -> list[Any]:
        return [one for one in self.house.members[entry.account] if one["user"]["login"] == entry.party]

    def lets_in(self, entry: ObservedEntry) -> bool:
        return bool(self._members(entry))

    def take_away(self, entry: ObservedEntry) -> None:
        for one in self._members(entry):
            self.house.members[entry.account].remove(one)

    def to_end(self, entries: Iterable[ObservedEntry]) -> ObservedEntry:
        return next(entry for entry in entries if entry.level == "guest" and entry.party == "ada")

    def fault(self, fault: Fault) -> None:
        if fault is Fault.REPEATS:
            self.house.faults["same_page"] = True
        else:
            super().fault(fault)


class RotaTrial(Served):
    made = DescribedConnector
    settings: Mapping[str, str] = {
        "url": "http://rota.example",
        "description": (EXAMPLES / "rota.toml").read_text(),
    }
    secret = json.dumps({"client_id": "latch", "client_secret": "rota-secret"})

    def __init__(self) -> None:
        self.house = Rota()
        super().__init__(self.house.app, 200)

    def _grant(self, entry: ObservedEntry) -> dict[str, Any]:
        return next(one for one in self.house.grants if entry.key.endswith(f"={one['id']}"))

    def lets_in(self, entry: ObservedEntry) -> bool:
        return self._grant(entry)["status"] == "active"

    def take_away(self, entry: ObservedEntry) -> None:
        self._grant(entry)["status"] = "closed"

    def fault(self, fault: Fault) -> None:
        if fault is Fault.LIES:
            pytest.skip("an answer to a request for a token cannot be a lie that is worth anything")
        if fault is Fault.LOSES_ANSWERS:
            # The first request that is no GET is for a token, which is asked for before.
            self.connector()
        if fault is Fault.REPEATS:
            self.house.faults["round"] = True
        else:
            super().fault(fault)


class FolderTrial(Served):
    made = WebDavConnector
    settings: Mapping[str, str] = {"url": "https://files.example/files", "login": "latch"}
    ACES = "".join(
        f"<D:ace><D:principal><D:href>/people/{who}/</D:href></D:principal>"
        "<D:grant><D:privilege><D:read/></D:privilege></D:grant></D:ace>"
        for who in ("ada", "ada2")
    )

    def __init__(self) -> None:
        self.letter = Letter(self.ACES)
        super().__init__(httpx.MockTransport(self.letter), 200)

    def lets_in(self, entry: ObservedEntry) -> bool:
        return f"{entry.party}<" in self.letter.aces

    def take_away(self, entry: ObservedEntry) -> None:
        self.letter.aces = "".join(
            f"{ace}</D:ace>" for ace in self.letter.aces.split("</D:ace>")[:-1] if f"{entry.party}<" not in ace
        )


class FeedTrial(Served):
    made = FeedConnector
    settings: Mapping[str, str] = {"url": "http://desk.example"}
    secret = "token"

    def __init__(self, folder: Path) -> None:
        load = folder / "desk.json"
        entries = [
            {
                "key": f"e{n}",
                "account": "desk",
                "party": party,
                "kind": "delegate",
                "level": "guide",
                "powers": ["view"],
            }
            for n, party in enumerate(("ada", "ada2", "bo"))
        ]
        seed = {
            "accounts": [{"key": "desk", "name": "Desk"}],
            "parties": [{"key": key, "kind": "person", "name": "Ada"} for key in ("ada", "ada2", "bo")],
            "entries": entries,
            "description": {
                "feed": "open-latch-feed/1",
                "name": "Desk",
                "abilities": {"lists": ["delegate"], "ends": ["delegate"]},
            },
        }
        load.write_text(json.dumps(seed))
        self.server = FeedStandIn(folder / "desk.sqlite", load, self.secret)
        super().__init__(self.server, 200)

    def lets_in(self, entry: ObservedEntry) -> bool:
        with httpx.Client(transport=httpx.WSGITransport(self.server), base_url=self.settings["url"]) as client:
            answer = client.get("/inventory", headers={"Authorization": f"Bearer {self.secret}"})
        return entry.key in {one["key"] for one in answer.json()["entries"]}


class TestScim(Conformance):
    @pytest.fixture
    def trial(self, tmp_path: Path) -> Trial:
        return ScimTrial(tmp_path)


class TestDescribedWithPages(Conformance):
    @pytest.fixture
    def trial(self) -> Trial:
        return ClubTrial()


class TestDescribedWithACursor(Conformance):
    @pytest.fixture
    def trial(self) -> Trial:
        return RotaTrial()


class TestWebDav(Conformance):
    @pytest.fixture
    def trial(self) -> Trial:
        return FolderTrial()


class TestFeed(Conformance):
    """What it may not be asked, the provider itself refuses: our stand-in does not."""

    test_what_is_not_promised_is_refused_and_changes_nothing = None  # type: ignore[assignment]

    @pytest.fixture
    def trial(self, tmp_path: Path) -> Trial:
        return FeedTrial(tmp_path)
