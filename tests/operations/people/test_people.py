"""Taking access back from one's own users: what a disabled person had dies at once, and others keep nobody out."""

from __future__ import annotations

import re
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor

import httpx
import pytest

from openlatch.client import Client
from openlatch.demo.cast import DOMAIN
from openlatch.demo.seed import SLUG
from openlatch.errors import Busy, Changed, Conflict, NotConfirmed, NotSignedIn, OpenLatchError, TooManyRequests
from openlatch.operations.credentials import Passwords
from openlatch.operations.people import people, sign_ins
from openlatch.words import Role
from tests.harness.ridge import Ridge

WORDS = "four words in a row"
OTHER_WORDS = "another lantern crosses quietly"


def link(ridge: Ridge, address: str, about: str) -> str:
    """What stands behind the # in the last letter to an address about something."""
    ridge.drain()
    found = re.search(r"/link#(\S+)", ridge.post.to(address, about)[-1].text)
    assert found is not None
    return found[1]


@pytest.fixture
def nobody(ridge: Ridge) -> Iterator[Client]:
    with Client(ridge.url, "", transport=ridge.transport) as visitor:
        yield visitor


def added(ridge: Ridge, name: str, role: Role) -> str:
    address = f"{name.lower().replace(' ', '.')}@{DOMAIN}"
    with ridge.call() as call:
        people.add_first(call, name, address, role, WORDS)
    return address


def console(ridge: Ridge, address: str, password: str, agent: str = "Firefox/140 Linux") -> httpx.Client:
    """A browser that is signed in, with its cookie and the word against forgery."""
    browser = ridge.http()
    browser.headers["User-Agent"] = agent
    signed_in = browser.post("/session", json={"workspace": SLUG, "address": address, "password": password})
    assert signed_in.status_code == 201, signed_in.text
    browser.headers["X-Latch-CSRF"] = signed_in.json()["csrf"]
    return browser


def test_whoever_is_disabled_loses_session_token_calendar_and_what_they_were_asked(
    ridge: Ridge, client: Client
) -> None:
    address = added(ridge, "Keeva Lorne", Role.REVIEWER)
    browser = console(ridge, address, WORDS)
    keeva = ridge.client(address, password=WORDS)
    calendar = keeva.make_calendar().rpartition("/calendar/")[2]
    entry = next(client.entries(account="Bookings"))
    where = {"party": entry.party.ref, "account": "Bookings"}
    client.add_review("Hers", where=where, named=[address], recurs="FREQ=YEARLY", otherwise=f"tobias.quill@{DOMAIN}")
    opened = client.open_round("Hers").ref
    assert {item.reviewer for item in client.round_items(opened)} == {"Keeva Lorne"}
    client.forgot_password(SLUG, address)
    forgotten = link(ridge, address, "Choose a new password")

    client.disable_person(address)
    assert browser.get("/me").status_code == 401
    with pytest.raises(NotSignedIn):
        keeva.me()
    assert ridge.http().get(f"/calendar/{calendar}").status_code == 404
    with pytest.raises(Conflict, match="withdrawn"):
        client.use_sign_in_link(forgotten, password=OTHER_WORDS)
    with pytest.raises(NotSignedIn):
        ridge.client(address, password=WORDS)
    ridge.drain()
    assert {item.reviewer for item in client.round_items(opened)} == {"Tobias Quill"}, "what they were asked passes on"
    keeva.close()


def test_a_role_that_decides_nothing_is_asked_nothing(ridge: Ridge, client: Client) -> None:
    address = added(ridge, "Nolan Tide", Role.REVIEWER)
    entry = next(client.entries(account="Gate"))
    client.add_review("His", where={"party": entry.party.ref}, named=[address], recurs="FREQ=YEARLY")
    opened = client.open_round("His").ref
    client.change_role(address, "auditor")
    ridge.drain()
    assert "Nolan Tide" not in {item.reviewer for item in client.round_items(opened)}


def test_a_forgotten_password_is_answered_alike_for_everyone_and_ends_all_that_the_former_one_opened(
    ridge: Ridge, nobody: Client
) -> None:
    address = added(ridge, "Brea Holt", Role.MEMBER)
    token = ridge.client(address, password=WORDS)
    answers = [
        ridge.http().post("/session/forgotten", json={"workspace": workspace, "address": each_text})
        for workspace, each_text in ((SLUG, address), (SLUG, f"nobody@{DOMAIN}"), ("nowhere", address))
    ]
    assert {(answer.status_code, answer.content) for answer in answers} == {(202, b"")}
    text = link(ridge, address, "Choose a new password")
    assert not ridge.post.to(f"nobody@{DOMAIN}")
    nobody.use_sign_in_link(text, password=OTHER_WORDS)
    with pytest.raises(NotSignedIn, match="revoked"):
        token.me()
    with pytest.raises(NotSignedIn):
        ridge.client(address, password=WORDS)
    ridge.client(address, password=OTHER_WORDS).close()
    ridge.drain()
    assert ridge.post.to(address, "was changed by a link")
    with pytest.raises(Conflict, match="answered already"):
        nobody.use_sign_in_link(text, password=WORDS)
    token.close()


def test_no_more_letters_than_a_few_go_to_one_address(ridge: Ridge, nobody: Client) -> None:
    address = added(ridge, "Piran Moss", Role.MEMBER)
    for _ in range(6):
        nobody.forgot_password(SLUG, address)
        ridge.drain()
    assert len(ridge.post.to(address, "Choose a new password")) == 3


def test_a_link_ends_by_its_day(ridge: Ridge, client: Client, nobody: Client) -> None:
    address = f"late@{DOMAIN}"
    client.invite(address, "member")
    text = link(ridge, address, "invited")
    ridge.clock.go_on(days=8)
    assert "lapsed" in nobody.look_at_sign_in_link(text).trouble
    with pytest.raises(Conflict, match="lapsed"):
        nobody.use_sign_in_link(text, name="Late", password=WORDS)


def test_sessions_are_told_with_what_and_from_where_and_end_one_by_one_or_all(ridge: Ridge) -> None:
    address = added(ridge, "Sennen Vale", Role.MEMBER)
    first, second, third = (
        console(ridge, address, WORDS, agent) for agent in ("Firefox/1 Linux", "Chrome/9 Android", "wget")
    )
    there = first.get("/me/sessions").json()["items"]
    assert [value["device"] for value in there] == ["wget", "Chrome on Android", "Firefox on Linux"]
    assert [value["present"] for value in there] == [False, False, True]
    assert first.delete(f"/me/sessions/{there[1]['id']}").status_code == 204
    assert second.get("/me").status_code == 401
    assert first.put("/me/password", json={"password": OTHER_WORDS}).json() == {"sessions": 1}
    assert third.get("/me").status_code == 401
    assert first.get("/me").status_code == 200


def test_so_many_wrong_passwords_are_looked_at_however_many_come_at_once(ridge: Ridge) -> None:
    address = added(ridge, "Wenna Gale", Role.MEMBER)

    def attempt(number: int) -> str:
        with ridge.call() as call:
            try:
                sign_ins.attempt(call, address, "")
            except TooManyRequests:
                return "refused"
            return "looked at"

    with ThreadPoolExecutor(8) as several:
        came = list(several.map(attempt, range(24)))
    assert came.count("looked at") == sign_ins.MOST_ATTEMPTS
    with pytest.raises(TooManyRequests, match="within 15 minutes"):
        ridge.client(address, password=WORDS)
    ridge.clock.go_on(minutes=16)
    ridge.client(address, password=WORDS).close()


def test_what_others_try_keeps_nobody_from_confirming_who_is_signed_in(ridge: Ridge) -> None:
    address = added(ridge, "Jago Reed", Role.MANAGER)
    jago = ridge.client(address, password=WORDS)
    for _ in range(sign_ins.MOST_ATTEMPTS):
        with pytest.raises(NotSignedIn):
            ridge.client(address, password="a wrong one, again")
    with pytest.raises(TooManyRequests):
        ridge.client(address, password=WORDS)
    assert jago.confirm(WORDS).person.name == "Jago Reed"
    for _ in range(sign_ins.MOST_ATTEMPTS):
        with pytest.raises(NotConfirmed, match="not your password"):
            jago.confirm("a wrong one, again")
    with pytest.raises(TooManyRequests):
        jago.confirm(WORDS)
    assert jago.me().person.name == "Jago Reed", "they stay signed in"
    jago.close()


def test_one_network_does_not_try_everybodys_passwords(ridge: Ridge, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(sign_ins, "MOST_FROM_ONE_NETWORK", 5)
    with ridge.call() as call:
        for number in range(5):
            sign_ins.attempt(call, f"guess{number}@{DOMAIN}", "192.0.2.7")
        with pytest.raises(TooManyRequests, match="from your network"):
            sign_ins.attempt(call, f"guess9@{DOMAIN}", "192.0.2.7")
        sign_ins.attempt(call, f"guess9@{DOMAIN}", "192.0.2.8")


def test_what_goes_wrong_with_passwords_is_in_the_log_and_what_nobody_has_is_not(ridge: Ridge, client: Client) -> None:
    address = added(ridge, "Hebe Quay", Role.MEMBER)
    for wrong in (address, f"nobody.at.all@{DOMAIN}"):
        for _ in range(sign_ins.MOST_ATTEMPTS):
            with pytest.raises(OpenLatchError):
                ridge.client(wrong, password="a wrong one, again")
    ridge.drain()
    acts = [event.content["act"] for event in client.events(client.person(address).id)]
    assert acts.count("person.sign-in-failed") == sign_ins.MOST_ATTEMPTS
    assert acts.count("person.locked-out") == 1


def test_whoever_comes_while_too_many_passwords_are_worked_out_is_told_to_come_again() -> None:
    passwords = Passwords(Passwords.LEAST)
    for _ in range(Passwords.AT_ONCE + Passwords.WAITING):
        assert passwords._places.acquire(blocking=False)
    with pytest.raises(Busy, match="Nothing was changed"):
        passwords.fits(None, WORDS)
    passwords._places.release()
    assert passwords.fits(passwords.hash(WORDS), WORDS) is True


def test_whoever_is_told_to_come_again_has_tried_nothing(ridge: Ridge) -> None:
    address = added(ridge, "Perrin Lorne", Role.AUDITOR)
    signed_in = console(ridge, address, WORDS)
    passwords = ridge.services.passwords
    every = Passwords.AT_ONCE + Passwords.WAITING
    for _ in range(every):
        assert passwords._places.acquire(blocking=False)
    body = {"workspace": SLUG, "address": address, "password": WORDS}
    try:
        for _ in range(sign_ins.MOST_ATTEMPTS + 2):
            assert ridge.http().post("/session", json=body).json()["code"] == "busy"
            assert signed_in.post("/session/confirmation", json={"password": WORDS}).json()["code"] == "busy"
    finally:
        for _ in range(every):
            passwords._places.release()
    assert signed_in.post("/session/confirmation", json={"password": WORDS}).status_code == 200
    assert ridge.http().post("/session", json=body).status_code == 201


def test_a_leaver_who_signs_in_here_cannot_any_more(ridge: Ridge, client: Client) -> None:
    entry = next(
        entry for entry in client.entries(provider="Ticket Desk") if entry.party.addresses and entry.kind == "delegate"
    )
    address = entry.party.addresses[0]
    with ridge.call() as call:
        people.add_first(call, entry.party.name, address, Role.MANAGER, WORDS)
    leaver = ridge.client(address, password=WORDS)
    planned = client.plan_leaver(entry.party.ref)
    text = f"Disable {entry.party.name}’s sign-in to this workspace, as manager."
    assert [item.text for item in planned.items if item.action == "disable-sign-in"] == [text]
    with ridge.client("tobias.quill") as tobias:
        asked = [item for item in tobias.plan_leaver(entry.party.ref).items if "sign-in" in item.text]
        assert [(item.action, item.text) for item in asked] == [
            ("ask", text.replace("Disable", "Have an owner disable"))
        ]
    batch = client.leave(entry.party.ref, count=len(planned.items))
    ridge.drain()
    (item,) = [item for item in client.batch(batch.ref).items if item.text == text]
    assert item.outcome == "done"
    assert client.person(address).state == "disabled"
    with pytest.raises(NotSignedIn):
        leaver.me()
    leaver.close()


def test_two_owners_who_take_back_each_others_sign_in_at_once_leave_one(apart: Ridge) -> None:
    ridge = apart
    other = added(ridge, "Cador Pell", Role.OWNER)
    maren = f"maren.ashdown@{DOMAIN}"
    with ridge.client() as first, ridge.client(other, password=WORDS) as second:

        def take_back(pair: tuple[Client, str]) -> str:
            try:
                return str(pair[0].disable_person(pair[1]).state)
            except (Conflict, Changed, NotSignedIn) as refused:
                return type(refused).__name__

        with ThreadPoolExecutor(2) as both:
            came = list(both.map(take_back, ((first, other), (second, maren))))
    assert came.count("disabled") == 1
    with ridge.call() as call:
        assert sum(person.active and person.role is Role.OWNER for person in call.tx.people.all()) == 1


def test_what_is_changed_of_one_thing_undoes_nothing_that_somebody_else_changed_at_the_same_moment(
    ridge: Ridge,
) -> None:
    address = added(ridge, "Elowen Marsh", Role.MANAGER)
    with ridge.call() as call:
        before, provider = call.tx.people.find(address), call.tx.providers.find("Dome Control")
    with ridge.call() as call:
        call.tx.people.change(before, role=Role.AUDITOR)
        call.tx.providers.read(provider.id, call.now, call.now, None)
    with ridge.call() as call:
        call.tx.people.change(before, name="Elowen Tide")
        call.tx.providers.change(provider, read_every=45)
    with ridge.call() as call:
        after, now = call.tx.people.find(address), call.tx.providers.get(provider.id)
    assert (after.name, after.role) == ("Elowen Tide", Role.AUDITOR)
    assert now.read_every == 45
    assert now.last_complete != provider.last_complete
