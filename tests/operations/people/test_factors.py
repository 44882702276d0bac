"""Second factors: nobody gets in with half of what it takes, and nobody is kept out by what others do."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import count
from typing import Any

import httpx
import pyotp
import pytest

from openlatch.client import Client
from openlatch.demo.cast import DOMAIN
from openlatch.demo.seed import SLUG
from openlatch.errors import Conflict, FactorMissing, FactorNeeded, NotConfirmed, NotSignedIn, TooManyRequests
from openlatch.words import Role
from tests.harness.authenticator import Authenticator
from tests.harness.ridge import Ridge
from tests.operations.people.test_people import WORDS, added, console, link

HOST = "localhost"
NUMBERS = count(1)


class Someone:
    """Someone with codes from an app: what the app shows, and what they sign in with."""

    def __init__(self, ridge: Ridge, name: str, role: Role = Role.MANAGER) -> None:
        self.ridge, self.address = ridge, added(ridge, name, role)
        self.client = ridge.client(self.address, password=WORDS)
        begun = self.client.begin_codes("phone")
        self._app = pyotp.TOTP(begun.secret)
        self.recovery = self.client.prove_codes(begun.id, self.code())

    def code(self, later: int = 0) -> str:
        return str(self._app.at(self.ridge.clock.now, counter_offset=later))

    def body(self, **more: Any) -> dict[str, Any]:
        return {"workspace": SLUG, "address": self.address, "password": WORDS, **more}

    def sign_in(self, code: str | None) -> httpx.Response:
        return self.ridge.http().post("/session", json=self.body(code=code))

    def next_step(self) -> None:
        """The app shows another code."""
        self.ridge.clock.go_on(seconds=31)


@pytest.fixture
def keeva(ridge: Ridge) -> Iterator[Someone]:
    someone = Someone(ridge, f"Keeva {next(NUMBERS)}")
    yield someone
    someone.client.close()


def test_a_password_alone_opens_nothing_and_a_code_counts_once(keeva: Someone) -> None:
    half = keeva.sign_in(None)
    assert (half.status_code, half.json()["code"], half.json()["facts"]["ways"]) == (401, "factor-needed", ["codes"])
    assert "set-cookie" not in half.headers
    assert keeva.sign_in(keeva.code()).status_code == 401, "it was used when it was set up"
    keeva.next_step()
    code = keeva.code()
    assert keeva.sign_in(code).status_code == 201
    assert keeva.sign_in(code).status_code == 401, "whoever looked over the shoulder comes too late"
    wrong = keeva.ridge.http().post("/session", json=keeva.body(password="another one", code=keeva.code(later=1)))
    assert wrong.status_code == 401
    assert "ways" not in wrong.text, "of a wrong password nobody learns whether there is a second factor"


def test_codes_cannot_be_tried_one_after_the_other(keeva: Someone) -> None:
    keeva.next_step()
    right = keeva.code()
    tried = [keeva.sign_in(f"{(int(right) + number) % 1_000_000:06}").status_code for number in range(1, 12)]
    assert tried == [401] * 10 + [429]
    with pytest.raises(TooManyRequests):
        Client.sign_in(keeva.ridge.url, **keeva.body(code=right), transport=keeva.ridge.transport)
    assert keeva.client.me().person.address == keeva.address, "whoever is signed in goes on"


def test_a_letter_is_one_factor_and_the_second_is_asked_for_still(keeva: Someone) -> None:
    keeva.client.forgot_password(SLUG, keeva.address)
    text = link(keeva.ridge, keeva.address, "Choose a new password")
    answer = keeva.ridge.http().post("/session/link/use", json={"link": text, "password": "seven brass otters wading"})
    assert answer.json()["signed_in"] is False
    assert not answer.headers.get("set-cookie", "").startswith("openlatch_session=latch")
    with pytest.raises(FactorNeeded):
        keeva.ridge.client(keeva.address, password="seven brass otters wading")


def test_confirming_takes_a_code_of_ones_own(keeva: Someone) -> None:
    keeva.ridge.clock.go_on(minutes=40)
    with pytest.raises(NotConfirmed):
        keeva.client.change_password("seven brass otters wading")
    with pytest.raises(NotConfirmed, match="not right"):
        keeva.client.confirm(code=keeva.code(later=9))
    keeva.client.confirm(code=keeva.code())
    keeva.client.change_password("seven brass otters wading")
    keeva.ridge.clock.go_on(minutes=40)
    keeva.client.confirm(code=keeva.recovery[0])
    with pytest.raises(NotConfirmed, match="used before"):
        keeva.client.confirm(code=keeva.recovery[0])


def test_a_workspace_demands_a_second_factor_of_whoever_has_a_role(ridge: Ridge, client: Client) -> None:
    with pytest.raises(Conflict, match="no second factor yourself"):
        client.change_workspace(second_factor=["owner", "manager"])
    client.change_workspace(second_factor=["manager"])
    manager = ridge.client(added(ridge, "Nolan Tide", Role.MANAGER), password=WORDS)
    assert manager.me().may == sorted(manager.me().may, key=manager.me().may.index)
    assert all(name.startswith(("me.", "factors.", "tokens.", "people.me")) for name in manager.me().may)
    with pytest.raises(FactorMissing, match="Your role, manager, needs a second factor"):
        list(manager.entries(limit=1))
    begun = manager.begin_codes("phone")
    manager.prove_codes(begun.id, str(pyotp.TOTP(begun.secret).at(ridge.clock.now)))
    assert manager.providers()
    (factor,) = manager.factors().items
    with pytest.raises(Conflict, match="your only one"):
        manager.remove_factor(factor.id)
    with ridge.client(added(ridge, "Ottilie Bram", Role.AUDITOR), password=WORDS) as auditor:
        assert auditor.people(), "of other roles nothing is demanded"
    client.change_workspace(second_factor=[])
    manager.remove_factor(factor.id)
    manager.close()


def passkey(ridge: Ridge, client: Client, **more: Any) -> Authenticator:
    key = Authenticator(ridge.url, HOST, **more)
    asked = client.begin_passkey()
    client.add_passkey(asked.id, key.make(asked.options), f"key {key.id[:2].hex()}")
    return key


def signed_in(ridge: Ridge, key: Authenticator, workspace: str = SLUG) -> httpx.Response:
    browser = ridge.http()
    asked = browser.post("/session/passkey/asked", json={"workspace": workspace}).json()
    body = {"workspace": workspace, "asked": asked["id"], "credential": key.sign(asked["options"])}
    return browser.post("/session/passkey", json=body)


def test_a_passkey_is_enough_and_only_one_that_is_known(ridge: Ridge) -> None:
    with ridge.client(added(ridge, "Petra Vance", Role.REVIEWER), password=WORDS) as petra:
        key = passkey(ridge, petra)
        opened = signed_in(ridge, key)
        assert (opened.status_code, opened.json()["person"]["name"]) == (201, "Petra Vance")
        (event,) = [event for event in petra.events() if event.content["act"] == "person.signed-in"][:1]
        assert event.content["facts"]["how"].startswith("passkey key ")
        for stranger in (
            Authenticator(ridge.url, HOST),
            Authenticator(ridge.url, HOST, id=key.id),
            Authenticator("http://localhost:8481", HOST, id=key.id, key=key.key, count=9),
            Authenticator(ridge.url, "localhost.example", id=key.id, key=key.key, count=9),
            Authenticator(ridge.url, HOST, verifies=False, id=key.id, key=key.key, count=9),
            Authenticator(ridge.url, HOST, id=key.id, key=key.key, count=0),
        ):
            assert signed_in(ridge, stranger).status_code == 401, stranger
        assert signed_in(ridge, key).status_code == 201
        petra.forgot_password(SLUG, petra.me().person.address)


def test_what_a_passkey_has_signed_is_good_once_and_for_a_while(ridge: Ridge) -> None:
    with ridge.client(added(ridge, "Rhona Sill", Role.REVIEWER), password=WORDS) as rhona:
        key = passkey(ridge, rhona)
        browser = ridge.http()
        asked = browser.post("/session/passkey/asked", json={"workspace": SLUG}).json()
        body = {"workspace": SLUG, "asked": asked["id"], "credential": key.sign(asked["options"])}
        assert browser.post("/session/passkey", json=body).status_code == 201
        assert browser.post("/session/passkey", json=body).status_code == 409
        late = browser.post("/session/passkey/asked", json={"workspace": SLUG}).json()
        ridge.clock.go_on(minutes=6)
        body = {"workspace": SLUG, "asked": late["id"], "credential": key.sign(late["options"])}
        assert browser.post("/session/passkey", json=body).status_code == 409


def test_nobody_confirms_with_somebody_elses_passkey(ridge: Ridge) -> None:
    with ridge.client(added(ridge, "Sable Wynn", Role.MANAGER), password=WORDS) as sable:
        with ridge.client(added(ridge, "Tamsin Yarrow", Role.MANAGER), password=WORDS) as tamsin:
            theirs = passkey(ridge, tamsin)
        own = passkey(ridge, sable)
        ridge.clock.go_on(minutes=40)
        bare = ridge.http(sable)
        for key, status in ((theirs, 403), (own, 200)):
            asked = sable.ask_for_passkey(SLUG)
            body = {"passkey": {"asked": str(asked.id), "credential": key.sign(asked.options)}}
            assert bare.post("/session/confirmation", json=body).status_code == status
        sable.change_password("seven brass otters wading")


def test_a_workspace_that_is_not_here_asks_for_passkeys_too(ridge: Ridge) -> None:
    here, elsewhere = (
        ridge.http().post("/session/passkey/asked", json={"workspace": workspace}) for workspace in (SLUG, "hill-farm")
    )
    assert here.status_code == elsewhere.status_code == 200
    assert here.json().keys() == elsewhere.json().keys()


def test_what_anybody_asks_for_is_counted_by_network_and_by_address(ridge: Ridge) -> None:
    ridge.clock.go_on(minutes=16)
    stranger = ridge.http()
    body = {"workspace": SLUG, "address": "edwin@sorrel-press.example", "name": "WIN A PRIZE", "account": "WIN A PRIZE"}
    body |= {"reason": "WIN A PRIZE", "needs": ["view"]}
    answers = [stranger.post("/asking", json=body | {"account": f"WIN A PRIZE {n}"}) for n in range(8)]
    assert {answer.status_code for answer in answers} == {202}, "whoever asks does not learn that no letter goes out"
    ridge.drain()
    (letter,) = ridge.post.to("edwin@sorrel-press.example", "")
    assert letter.text.count("Did you ask") == 5, "of the eight no more are told"
    assert "PRIZE" not in letter.subject + letter.text, "no stranger writes through us"
    unknown = stranger.post("/asking", json=body | {"workspace": "hill-farm"})
    assert unknown.status_code == 202
    statuses = [
        stranger.post("/session/forgotten", json={"workspace": SLUG, "address": f"a{n}@{DOMAIN}"}).status_code
        for n in range(60)
    ]
    assert statuses == [202] * 52 + [429] * 8


def test_sessions_that_are_not_used_end(ridge: Ridge) -> None:
    browser = console(ridge, added(ridge, "Una Drake", Role.AUDITOR), WORDS)
    for _ in range(3):
        ridge.clock.go_on(minutes=100)
        assert browser.get("/me").status_code == 200
    ridge.clock.go_on(minutes=121)
    ended = browser.get("/me")
    assert (ended.status_code, "not used for long" in ended.text) == (401, True)
    with pytest.raises(NotSignedIn):
        Client(ridge.url, "nonsense", transport=ridge.transport).me()
