"""Single sign-on, against a provider that nobody here wrote: who gets in as whom, and who does not."""

from __future__ import annotations

from itertools import count
from typing import Any
from uuid import UUID

import httpx
import pytest

from openlatch.demo.cast import DOMAIN
from openlatch.demo.seed import SLUG
from openlatch.errors import Conflict, NotFound, ProviderDown
from openlatch.wire import messages as wire
from openlatch.words import PersonState, Role
from tests.harness.openid import ISSUER, Login
from tests.harness.ridge import Ridge
from tests.operations.people.test_factors import Someone
from tests.operations.people.test_people import WORDS, added

NUMBERS = count(1)
GROUPS = {"astronomers": Role.MANAGER, "guides": Role.MEMBER}


def wish(name: str = "Ridge Login", issuer: str = ISSUER, **more: Any) -> wire.SignOnWish:
    return wire.SignOnWish(name=name, issuer=issuer, client_id="latch", secret="not told to anyone", **more)


class Door:
    """One service at which people sign in, and someone at it with one browser."""

    def __init__(self, ridge: Ridge, issuer: str = ISSUER, **more: Any) -> None:
        self.ridge, self.login = ridge, Login(ridge, issuer)
        with ridge.client() as owner:
            for former in owner.sign_ons().items:
                if former.issuer == issuer:
                    owner.remove_sign_on(former.ref)
            self.service = owner.add_sign_on(wish(f"Door {next(NUMBERS)}", issuer, **more))

    def leave(self, *, fresh: bool = False) -> dict[str, Any]:
        body = {"workspace": SLUG, "sign_on": str(self.service.id), "fresh": fresh}
        answer = self.ridge.http().post("/session/sign-on/asked", json=body)
        assert answer.status_code == 201, answer.text
        return dict(answer.json())

    def returned(self, subject: str, *, fresh: bool = False) -> dict[str, str]:
        """What the browser of someone has who signed in there as a subject and came back."""
        left = self.leave(fresh=fresh)
        back = self.login.come_back(left["url"], subject)
        return {"began": left["began"], "browser": left["browser"], "state": back["state"], "code": back["code"]}

    def post(self, body: dict[str, Any]) -> httpx.Response:
        return self.ridge.http().post("/session/sign-on", json={"workspace": SLUG, **body})

    def browser(self, signed_in: httpx.Response) -> httpx.Client:
        """The browser in which someone has signed in."""
        browser = self.ridge.http()
        browser.headers["Cookie"] = signed_in.headers["set-cookie"].partition(";")[0]
        browser.headers["X-Latch-CSRF"] = signed_in.json()["csrf"]
        return browser

    def sign_in(self, subject: str, **more: Any) -> httpx.Response:
        return self.post(self.returned(subject) | more)


def address_of(name: str) -> str:
    return f"{name}.{next(NUMBERS)}@{DOMAIN}"


def test_a_stranger_is_let_in_as_what_their_groups_say_and_is_known_again_by_the_subject_alone(ridge: Ridge) -> None:
    door, address = Door(ridge, claim="groups", roles=GROUPS), address_of("juno.marsh")
    door.login.knows("7", email=address, email_verified=True, name="Juno  Marsh", groups=["guides", "astronomers"])
    first = door.sign_in("7")
    assert first.status_code == 201, first.text
    person = first.json()["person"]
    assert (person["name"], person["address"], person["role"]) == ("Juno Marsh", address, "manager")
    # She marries, and another Juno Marsh is given her address.
    door.login.knows("7", email=address_of("juno.finch"), email_verified=True, name="Juno Finch", groups=["guides"])
    door.login.knows("8", email=address, email_verified=True, name="Juno Marsh", groups=["guides"])
    again = door.sign_in("7").json()["person"]
    assert (again["id"], again["role"]) == (person["id"], "member"), "her role is what her groups say now"
    other = door.sign_in("8")
    assert (other.status_code, other.json()["code"]) == (401, "not-signed-in")
    assert "who is another person at" in other.json()["detail"]
    with ridge.client() as owner:
        said = [event.says for event in owner.events(UUID(person["id"]))]
    assert said.count("Linked Juno Marsh to a single sign-on, Door 1") == 1
    assert "Changed the role of Juno Marsh from manager to member" in said


def test_whoever_is_not_sure_or_in_no_group_or_disabled_stays_out_and_nothing_is_kept(ridge: Ridge) -> None:
    door, address = Door(ridge, claim="groups", roles=GROUPS), address_of("corin.vale")
    with ridge.client() as owner:
        before = {person.address for person in owner.people()}
        door.login.knows("1", email=address, groups=["guides"])
        door.login.knows("2", email=address, email_verified=False, groups=["guides"])
        door.login.knows("3", email=address, email_verified=True, groups=["Guides", "visitors"])
        door.login.knows("4", groups=["guides"])
        for subject in "1234":
            assert door.sign_in(subject).status_code == 401, subject
        assert {person.address for person in owner.people()} == before
        door.login.knows("5", email=address, email_verified=True, groups=["guides"])
        assert door.sign_in("5").status_code == 201
        owner.disable_person(address)
        assert "no longer sign in" in door.sign_in("5").json()["detail"]
        owner.remove_person(address)
        assert "removed from this workspace" in door.sign_in("5").json()["detail"]
        owner.invite(address, "auditor")
        assert door.sign_in("5").json()["person"]["address"] == address
        assert owner.person(address).state is PersonState.ACTIVE


def test_without_groups_it_lets_in_who_is_invited_or_here_and_nobody_else(ridge: Ridge) -> None:
    door, address = Door(ridge), address_of("tilda.crane")
    door.login.knows("7", email=address, email_verified=True, name="Tilda Crane")
    assert "not among the people of this workspace" in door.sign_in("7").json()["detail"]
    with ridge.client() as owner:
        owner.invite(address, "reviewer")
    person = door.sign_in("7").json()["person"]
    assert (person["name"], person["role"], person["state"]) == ("Tilda Crane", "reviewer", "active")
    here = added(ridge, f"Wren {next(NUMBERS)}", Role.AUDITOR)
    door.login.knows("8", email=here.upper(), email_verified=True, name="Someone Else")
    assert door.sign_in("8").json()["person"]["name"].startswith("Wren"), "a name that one has chosen stays"


def test_the_only_owner_stays_one_whatever_the_groups_say(ridge: Ridge) -> None:
    door = Door(ridge, claim="groups", roles=GROUPS)
    with ridge.client() as owner:
        me = owner.me().person
        others = [person for person in owner.people() if person.role is Role.OWNER and person.id != me.id]
        assert others == []
        door.login.knows("owner", email=me.address, email_verified=True, groups=["guides"])
        assert door.sign_in("owner").json()["person"]["role"] == "owner"


def test_what_somebody_else_has_got_hold_of_signs_nobody_in(ridge: Ridge) -> None:
    door = Door(ridge)
    here = added(ridge, f"Alder {next(NUMBERS)}", Role.AUDITOR)
    door.login.knows("7", email=here, email_verified=True)
    theirs, mine = door.returned("7"), door.returned("7")
    for stolen in (
        mine | {"browser": theirs["browser"]},
        {**theirs, "began": mine["began"]},
        mine | {"browser": "x"},
    ):
        assert door.post(stolen).status_code == 401
    assert door.post(theirs | {"state": mine["state"]}).status_code == 401, "another question was answered"
    assert door.post(theirs).status_code == 401, "and each try is the only one"
    assert door.post(mine | {"issuer": "https://login.hillfarm.example"}).status_code == 401
    good = door.returned("7")
    assert door.post(good | {"issuer": ISSUER}).status_code == 201
    assert door.post(good).status_code == 401
    late = door.returned("7")
    ridge.clock.go_on(minutes=11)
    assert "away for too long" in door.post(late).json()["detail"]


def test_two_services_of_two_issuers_know_nobody_of_each_other(ridge: Ridge) -> None:
    here, other = (
        added(ridge, f"Brin {next(NUMBERS)}", Role.AUDITOR),
        added(ridge, f"Sorrel {next(NUMBERS)}", Role.MEMBER),
    )
    first, second = Door(ridge), Door(ridge, "https://login.hillfarm.example")
    first.login.knows("7", email=here, email_verified=True)
    second.login.knows("7", email=other, email_verified=True)
    assert first.sign_in("7").json()["person"]["address"] == here
    assert second.sign_in("7").json()["person"]["address"] == other
    mixed = first.returned("7") | {"issuer": second.service.issuer}
    assert "another service" in first.post(mixed).json()["detail"]
    with ridge.client() as owner:
        with pytest.raises(Conflict, match="another service than"):
            owner.change_sign_on(first.service.ref, wish("Moved", second.service.issuer))
        owner.remove_sign_on(second.service.ref)
        with pytest.raises(NotFound):
            owner.remove_sign_on(second.service.ref)
    assert first.sign_in("7").status_code == 201


def test_a_second_factor_is_asked_for_here_unless_the_service_asks_for_one_itself(ridge: Ridge) -> None:
    door, keeva = Door(ridge), Someone(ridge, f"Keeva {next(NUMBERS)}")
    door.login.knows("7", email=keeva.address, email_verified=True)
    back = door.returned("7")
    half = door.post(back)
    assert (half.status_code, half.json()["code"]) == (401, "factor-needed")
    assert "set-cookie" not in half.headers
    again = {"began": back["began"], "browser": back["browser"]}
    keeva.next_step()
    assert door.post(again | {"factor": "000000"}).json()["code"] == "not-signed-in"
    assert door.post(again | {"browser": "x", "factor": keeva.code()}).status_code == 401
    assert door.post(again | {"factor": keeva.code()}).status_code == 201
    assert door.post(again | {"factor": keeva.code()}).status_code == 401, "once"
    back = door.returned("7")
    wrong = [door.post(back | {"factor": "000000"}).status_code for _ in range(11)]
    assert 429 in wrong, "guessing ends"
    ridge.clock.go_on(minutes=16)
    with ridge.client() as owner:
        owner.change_sign_on(
            door.service.ref, wish(door.service.name, second_factor=True).model_copy(update={"secret": None})
        )
    assert door.sign_in("7").status_code == 201
    keeva.client.close()


def test_a_workspace_that_demands_a_second_factor_is_content_with_a_service_that_asks_for_one(ridge: Ridge) -> None:
    here = added(ridge, f"Linnet {next(NUMBERS)}", Role.AUDITOR)
    door = Door(ridge, second_factor=True)
    door.login.knows("7", email=here, email_verified=True)
    with ridge.client() as owner:
        owner.change_workspace(second_factor=["auditor"])
        try:
            signed_in = door.sign_in("7")
            assert signed_in.json()["lacks_factor"] is False
            with door.browser(signed_in) as browser:
                assert browser.get("/entries").status_code == 200
                made = browser.post("/me/tokens", json={"name": "desk"})
                assert made.status_code == 201, made.text
            token = {"Authorization": f"Bearer {made.json()['secret']}"}
            assert ridge.http().get("/entries", headers=token).status_code == 200
            with ridge.client(here, password=WORDS) as by_password:
                assert by_password.me().lacks_factor, "by the password alone nothing has asked for one"
        finally:
            owner.change_workspace(second_factor=[])


def test_who_signed_in_there_proves_again_who_they_are_there(ridge: Ridge) -> None:
    door = Door(ridge, claim="groups", roles={"keepers": Role.OWNER})
    address = address_of("odile.brandt")
    door.login.knows("7", email=address, email_verified=True, groups=["keepers"])
    signed_in = door.sign_in("7")
    with door.browser(signed_in) as browser:
        ridge.clock.go_on(minutes=45)
        assert browser.post("/me/tokens", json={}).json()["code"] == "not-confirmed"
        door.login.knows("8", email=address_of("other"), email_verified=True, groups=["keepers"])
        # What was asked for signing in proves nothing later, nor does someone else.
        for answer in (door.returned("7"), door.returned("8", fresh=True)):
            refused = browser.post("/session/confirmation", json={"sign_on": answer})
            assert refused.json()["code"] in ("not-confirmed", "not-signed-in"), refused.text
        assert browser.post("/me/tokens", json={}).json()["code"] == "not-confirmed"
    with ridge.client() as owner:
        owner.remove_person(address)


def test_what_cannot_be_read_is_not_added_and_one_that_is_down_keeps_what_was_asked(ridge: Ridge) -> None:
    with ridge.client() as owner:
        before = owner.sign_ons().items
        with pytest.raises(ProviderDown):
            owner.add_sign_on(wish("Nobody", "https://nobody.example"))
        assert owner.sign_ons().items == before
    unknown = ridge.http().get("/session/sign-on", params={"workspace": "nowhere"})
    assert (unknown.status_code, unknown.json()) == (200, {"items": []})
