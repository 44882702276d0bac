"""Signing in, tokens, the people of a workspace, and what waits for them."""

from __future__ import annotations

import json
import re
from datetime import datetime
from typing import Any
from uuid import UUID
from zoneinfo import ZoneInfo

import pyotp
import pytest

from openlatch.client import Client
from openlatch.demo.cast import DOMAIN
from openlatch.errors import Conflict, FactorNeeded, Invalid, NotAllowed, NotFound, NotSignedIn, ProviderDown
from openlatch.wire.messages import CodesBegun, SignOnWish
from openlatch.words import Role
from tests.harness.authenticator import Authenticator
from tests.harness.openid import Login
from tests.operations.effects.world import World, of

FOUR_WORDS = "four words in a row"
HOST = "localhost"


@of("people.me")
def _(w: World) -> None:
    me = w.reviewer.me()
    assert (me.person.name, me.person.role, me.workspace.slug) == ("Ines Okoro", "reviewer", "kestrel-ridge")
    with w.refused(NotSignedIn, "not known here|Nobody is signed in|no Open Latch token"):
        Client(w.ridge.url, "nonsense", transport=w.ridge.transport).me()


@of("workspaces.change")
def _(w: World) -> None:
    before = w.owner.workspace()
    review = w.owner.review(w.things.review)
    changed = w.owner.change_workspace(name="Kestrel Ridge", zone="America/New_York")
    assert (changed.name, changed.zone) == ("Kestrel Ridge", "America/New_York")
    assert w.owner.me().workspace == changed
    there = w.owner.review(w.things.review)
    assert review.next_at is not None
    assert there.next_at is not None

    def clock(at: datetime, zone: str) -> datetime:
        return at.astimezone(ZoneInfo(zone)).replace(tzinfo=None)

    assert clock(there.next_at, "America/New_York") == clock(review.next_at, before.zone), "the same day and hour"
    w.ridge.drain()
    for wrong, said in (("Europe/Londn", "did you mean Europe/London"), ("Mars", "such as Europe/London")):
        with w.refused(Invalid, said):
            w.owner.change_workspace(zone=wrong)
    with w.refused(Invalid, "name"):
        w.owner.change_workspace(name="x" * 400)
    with w.refused(NotAllowed, "workspaces.change"):
        w.manager.change_workspace(name="Ours")
    with w.refused(Invalid, "keep it for 90 at least, or 0 for ever"):
        w.owner.change_workspace(keep_events_days=89)
    with w.refused(Invalid, "keep it for 30 at least"):
        w.owner.change_workspace(keep_readings_days=1)
    kept = w.owner.change_workspace(keep_events_days=90, keep_activity_days=0, keep_readings_days=30)
    assert (kept.keep_events_days, kept.keep_activity_days, kept.keep_readings_days) == (90, 0, 30)
    told = next(e for e in w.owner.events(what="workspace.changed")).detail
    assert "events kept: for ever → 90 days" in told
    assert "activity kept: 400 days → for ever" in told
    again = {name: getattr(before, name) for name in ("keep_events_days", "keep_activity_days", "keep_readings_days")}
    assert w.owner.change_workspace(name=before.name, zone=before.zone, **again) == before


@of("people.browse")
def _(w: World) -> None:
    roles = {person.name: person.role for person in w.auditor.people()}
    assert (roles["Maren Ashdown"], roles["Orla Finch"]) == ("owner", "member")
    with w.refused(NotAllowed, "people.browse"):
        w.member.people()


def link_of(w: World, address: str, about: str) -> str:
    """What stands behind the # in the link of the last letter to an address about something."""
    w.ridge.drain()
    found = re.search(r"/link#(\S+)", w.ridge.post.to(address, about)[-1].text)
    assert found is not None
    return found[1]


def nobody(w: World) -> Client:
    """Whoever is not signed in."""
    return Client(w.ridge.url, "", transport=w.ridge.transport)


def joined(w: World, name: str, role: str) -> str:
    """Someone new, who has taken up an invitation; returns their address."""
    address = f"{name.lower()}@{DOMAIN}"
    w.owner.invite(address, role)
    with nobody(w) as visitor:
        visitor.use_sign_in_link(link_of(w, address, "invited"), name=name, password=FOUR_WORDS)
    return address


@of("people.show")
def _(w: World) -> None:
    person = w.auditor.person(f"ines.okoro@{DOMAIN}")
    assert (person.name, person.role, person.state) == ("Ines Okoro", "reviewer", "active")
    assert w.auditor.person(str(person.id)) == person
    with w.refused(NotFound, "no person"):
        w.auditor.person("Ines Okoro")


@of("people.invite")
def _(w: World) -> None:
    address = f"sabine.thorne@{DOMAIN}"
    invited = w.owner.invite(f"Sabine.Thorne@{DOMAIN}", "auditor")
    assert (invited.role, invited.address, invited.state) == ("auditor", address, "invited")
    assert w.last() == "person.invited"
    link = link_of(w, address, "invited to sign in as auditor")
    with nobody(w) as visitor:
        seen = visitor.look_at_sign_in_link(link)
        assert (seen.purpose, seen.role, seen.address, seen.trouble) == ("invitation", "auditor", address, "")
        with w.refused(Invalid, "could be guessed|at least"):
            visitor.use_sign_in_link(link, name="Sabine Thorne", password="kestrel-ridge")
        visitor.use_sign_in_link(link, name="Sabine Thorne", password=FOUR_WORDS)
        with w.refused(Conflict, "answered already|withdrawn"):
            visitor.use_sign_in_link(link, name="Sabine Thorne", password=FOUR_WORDS)
    with w.ridge.client("sabine.thorne", password=FOUR_WORDS) as sabine:
        assert sabine.me().person.role == "auditor"
    with w.refused(Conflict, "already"):
        w.owner.invite(address, "owner")
    with w.refused(Invalid, "not an address"):
        w.owner.invite("edda@hillfarm", "member")


@of("people.invite_again")
def _(w: World) -> None:
    address = f"jory.penrose@{DOMAIN}"
    w.owner.invite(address, "member")
    former = link_of(w, address, "invited")
    w.owner.invite_again(address)
    latter = link_of(w, address, "invited")
    with nobody(w) as visitor:
        with w.refused(Conflict, "withdrawn"):
            visitor.use_sign_in_link(former, name="Jory", password=FOUR_WORDS)
        visitor.use_sign_in_link(latter, name="Jory Penrose", password=FOUR_WORDS)
    with w.refused(Conflict, "active cannot be invited again"):
        w.owner.invite_again(address)


@of("people.role")
def _(w: World) -> None:
    address = joined(w, "Hesper", "member")
    assert w.owner.change_role(address, "auditor").role == "auditor"
    assert w.last() == "person.role-changed"
    with w.ridge.client("hesper", password=FOUR_WORDS) as hesper:
        assert hesper.people(), "an auditor sees everyone"
    with w.refused(Conflict, "only owner"):
        w.owner.change_role(f"maren.ashdown@{DOMAIN}", "manager")
    with w.refused(NotAllowed, "people.role"):
        w.manager.change_role(address, "owner")


@of("people.disable")
def _(w: World) -> None:
    address = joined(w, "Corin", "manager")
    with w.ridge.client("corin", password=FOUR_WORDS) as corin:
        assert corin.me().person.state == "active"
        w.owner.disable_person(address)
        assert w.last() == "person.disabled"
        with w.refused(NotSignedIn, "revoked|no longer"):
            corin.me()
    with w.refused(NotSignedIn, "not right"):
        w.ridge.client("corin", password=FOUR_WORDS)
    with w.refused(Conflict, "only owner"):
        w.owner.disable_person(f"maren.ashdown@{DOMAIN}")


@of("people.enable")
def _(w: World) -> None:
    address = joined(w, "Linnea", "reviewer")
    w.owner.disable_person(address)
    assert w.owner.enable_person(address).state == "active"
    with w.ridge.client("linnea", password=FOUR_WORDS) as linnea:
        assert linnea.me().person.role == "reviewer"
    with w.refused(Conflict, "active cannot be enabled"):
        w.owner.enable_person(address)


@of("people.remove")
def _(w: World) -> None:
    address = joined(w, "Tamsin", "reviewer")
    w.owner.remove_person(address)
    assert w.last() == "person.removed"
    assert address not in {person.address for person in w.owner.people()}
    with w.refused(NotFound, "no person"):
        w.owner.person(address)
    again = w.owner.invite(address, "member")
    assert again.state == "invited", "the address is free again"
    w.owner.remove_person(address)


@of("me.change")
def _(w: World) -> None:
    changed = w.auditor.change_me(zone="America/New_York", dates="de")
    assert (changed.zone, changed.dates, changed.name) == ("America/New_York", "de", "Ruth Calder")
    assert w.last() == "person.changed"
    assert w.auditor.me().person == changed
    with w.refused(Invalid, "no language|is not a language"):
        w.auditor.change_me(dates="the usual way")
    with w.refused(Invalid, "IANA"):
        w.auditor.change_me(zone="Mars")
    assert w.auditor.change_me(zone="", dates="").zone == ""


@of("me.password")
def _(w: World) -> None:
    joined(w, "Perran", "member")
    with w.ridge.client("perran", password=FOUR_WORDS) as perran:
        perran.change_password("another lantern crosses quietly")
        assert w.last() == "person.password-changed"
        assert perran.me().person.name == "Perran", "a token stays"
        with w.refused(Invalid, "could be guessed|at least"):
            perran.change_password("kestrel-ridge")
    with pytest.raises(NotSignedIn, match="not right"):  # it is counted and logged, and so something happens
        w.ridge.client("perran", password=FOUR_WORDS)
    w.ridge.client("perran", password="another lantern crosses quietly").close()


@of("me.address")
def _(w: World) -> None:
    former = joined(w, "Morwenna", "member")
    new = f"wenna@{DOMAIN}"
    with w.ridge.client("morwenna", password=FOUR_WORDS) as morwenna:
        assert morwenna.change_address(new) == new
        assert morwenna.me().person.address == former, "until it is confirmed"
        with nobody(w) as visitor:
            visitor.use_sign_in_link(link_of(w, new, "Confirm your new address"))
        assert morwenna.me().person.address == new
        assert w.last() == "person.address-changed"
        with w.refused(Conflict, "already"):
            morwenna.change_address(f"maren.ashdown@{DOMAIN}")
    w.ridge.drain()
    assert w.ridge.post.to(former, "was changed"), "the former address is told"


@of("me.sessions")
def _(w: World) -> None:
    assert w.member.sessions() == [], "a token is no session"
    with w.refused(NotSignedIn, "."):
        nobody(w).sessions()


@of("me.end_session")
def _(w: World) -> None:
    with w.refused(NotFound, "no session"):
        w.member.end_session(UUID(int=7))


@of("me.end_other_sessions")
def _(w: World) -> None:
    assert w.member.end_other_sessions() == 0
    with w.refused(NotSignedIn, "."):
        nobody(w).end_other_sessions()


@of("tokens.browse")
def _(w: World) -> None:
    with w.ridge.client("pell.varga") as pell:
        assert {token.name for token in pell.tokens()} == {"client"}
    with w.refused(NotSignedIn, "."):
        Client(w.ridge.url, "", transport=w.ridge.transport).tokens()


@of("tokens.revoke")
def _(w: World) -> None:
    with w.ridge.client("ruth.calder") as ruth:
        (token, *_) = sorted(ruth.tokens(), key=lambda token: token.created_at, reverse=True)
        w.owner.revoke_token(token.id)
        assert w.last() == "token.revoked"
        with w.refused(NotSignedIn, "was revoked"):
            ruth.me()
    with w.refused(NotFound, "no token"):
        w.member.revoke_token(UUID(w.things.token))


@of("waiting.show")
def _(w: World) -> None:
    waits = w.owner.waiting()
    assert (waits.person, waits.requests >= 1, waits.stuck >= 1) == ("Maren Ashdown", True, True)
    assert w.member.waiting().items == 0
    with w.refused(NotSignedIn, "."):
        Client(w.ridge.url, "", transport=w.ridge.transport).waiting()


@of("views.browse")
def _(w: World) -> None:
    assert ("Plates", "account=Night-Sky+Plates") in [(v.name, v.query) for v in w.owner.views()]
    assert w.auditor.views() == [], "a view is its maker's own"
    with w.refused(NotSignedIn, "."):
        Client(w.ridge.url, "", transport=w.ridge.transport).views()


@of("views.save")
def _(w: World) -> None:
    saved = w.auditor.save_view("Apps", "kind=app")
    again = w.auditor.save_view("Apps", "kind=app&flagged=true")
    assert (again.id, [v.query for v in w.auditor.views() if v.name == "Apps"]) == (saved.id, ["kind=app&flagged=true"])
    w.auditor.remove_view(saved.id)
    with w.refused(Invalid, "name"):
        w.auditor.save_view(" ", "kind=app")


@of("views.remove")
def _(w: World) -> None:
    saved = w.manager.save_view("Ending soon", "ends=dated")
    w.manager.remove_view(saved.id)
    assert saved.id not in {view.id for view in w.manager.views()}
    with w.refused(NotFound, "no view"):
        w.manager.remove_view(UUID(w.things.view))


def newcomer(w: World, name: str, role: str = "auditor") -> Client:
    """Someone new, signed in."""
    return w.ridge.client(joined(w, name, role), password=FOUR_WORDS)


def shown(w: World, begun: CodesBegun, later: int = 0) -> str:
    """The code that an app shows which was given a secret."""
    return str(pyotp.TOTP(begun.secret).at(w.ridge.clock.now, counter_offset=later))


def with_codes(w: World, who: Client, name: str = "phone") -> list[str]:
    """Give someone codes from an app; returns their recovery codes."""
    begun = who.begin_codes(name)
    return who.prove_codes(begun.id, shown(w, begun))


@of("factors.begin_codes")
def _(w: World) -> None:
    with newcomer(w, "Arden") as arden:
        begun = arden.begin_codes("phone")
        assert begun.uri.startswith("otpauth://totp/")
        assert begun.secret in begun.uri
        assert {len(row) for row in begun.square} == {len(begun.square)}
        assert arden.factors().items == [], "what is not proved yet counts for nothing"
        w.ridge.client(arden.me().person.address, password=FOUR_WORDS).close()
        with w.refused(Invalid, "name"):
            arden.begin_codes(" ")


@of("factors.prove")
def _(w: World) -> None:
    with newcomer(w, "Brisa") as brisa:
        begun = brisa.begin_codes("phone")
        with w.refused(Invalid, "not the code of this moment"):
            brisa.prove_codes(begun.id, shown(w, begun, later=5))
        codes = brisa.prove_codes(begun.id, shown(w, begun))
        assert len(set(codes)) == 10
        assert w.last() == "factor.recovery-made"
        address = brisa.me().person.address
        with w.refused(FactorNeeded, "second factor is needed"):
            w.ridge.client(address, password=FOUR_WORDS)
        with w.refused(Conflict, "nothing to prove"):
            brisa.prove_codes(begun.id, shown(w, begun))


@of("factors.browse")
def _(w: World) -> None:
    with newcomer(w, "Corvin") as corvin:
        with_codes(w, corvin)
        factor_list = corvin.factors()
        assert [(factor.name, factor.kind) for factor in factor_list.items] == [("phone", "codes")]
        assert (factor_list.recovery_left, factor_list.demanded) == (10, False)
        assert w.member.factors().items == [], "nobody sees those of others"
        assert corvin.me().person.id in w.owner.with_second_factor()
    with nobody(w) as visitor, w.refused(NotSignedIn, "no Open Latch token|Nobody is signed in"):
        visitor.factors()


@of("factors.begin_passkey")
def _(w: World) -> None:
    with newcomer(w, "Delphine") as delphine:
        options = json.loads(delphine.begin_passkey().options)
        assert (options["rp"]["id"], options["user"]["name"]) == (HOST, delphine.me().person.address)
        assert options["authenticatorSelection"]["userVerification"] == "required"
        address = delphine.me().person.address
    with w.ridge.client(address, scope="read", password=FOUR_WORDS) as reader, w.refused(NotAllowed, "may only read"):
        reader.begin_passkey()


@of("factors.add_passkey")
def _(w: World) -> None:
    with newcomer(w, "Elio") as elio:
        key = Authenticator(w.ridge.url, HOST)
        asked = elio.begin_passkey()
        assert len(elio.add_passkey(asked.id, key.make(asked.options), "key ring")) == 10
        assert [factor.kind for factor in elio.factors().items] == ["passkey"]
        with w.refused(Conflict, "answered before"):
            elio.add_passkey(asked.id, key.make(asked.options), "another")
        again = elio.begin_passkey()
        with w.refused(Invalid, "not a passkey for this console"):
            elsewhere = Authenticator("https://openlatch.example.net", HOST)
            elio.add_passkey(again.id, elsewhere.make(again.options), "elsewhere")


@of("factors.remove")
def _(w: World) -> None:
    with newcomer(w, "Fenna") as fenna:
        with_codes(w, fenna)
        (factor,) = fenna.factors().items
        fenna.remove_factor(factor.id)
        factor_list = fenna.factors()
        assert (factor_list.items, factor_list.recovery_left) == ([], 0)
        w.ridge.client(fenna.me().person.address, password=FOUR_WORDS).close()
        with w.refused(NotFound, "no second factor"):
            fenna.remove_factor(factor.id)


@of("factors.recovery")
def _(w: World) -> None:
    with newcomer(w, "Gale") as gale:
        with w.refused(Conflict, "no second factor"):
            gale.make_recovery_codes()
        former = with_codes(w, gale)
        latter = gale.make_recovery_codes()
        assert not set(former) & set(latter)
        address = gale.me().person.address
        with pytest.raises(NotSignedIn, match="code is not right"):
            Client.sign_in(**at(w, address), code=former[0])
        signed_in, _ = Client.sign_in(**at(w, address), code=latter[0])
        signed_in.close()
        with pytest.raises(NotSignedIn, match="code is not right"):
            Client.sign_in(**at(w, address), code=latter[0])
        assert gale.factors().recovery_left == 9


def at(w: World, address: str) -> dict[str, Any]:
    """How someone signs in with their password."""
    who = {"workspace": "kestrel-ridge", "address": address, "password": FOUR_WORDS}
    return {"url": w.ridge.url, "transport": w.ridge.transport, **who}


@of("people.reset_factors")
def _(w: World) -> None:
    with newcomer(w, "Hollis") as hollis:
        with_codes(w, hollis)
        address = hollis.me().person.address
        w.owner.reset_factors(address)
        with pytest.raises(NotSignedIn):
            hollis.me()
        w.ridge.client(address, password=FOUR_WORDS).close()
        assert w.last() == "token.made"
        w.ridge.drain()
        assert "tell an owner" in w.ridge.post.to(address, "took away your second factors")[-1].text
        with w.refused(Conflict, "no second factor"):
            w.owner.reset_factors(address)
        with w.refused(NotAllowed, "people.reset_factors"):
            w.manager.reset_factors(address)
        with w.refused(Conflict, "your own"):
            w.owner.reset_factors(w.owner.me().person.address)


def at_login(name: str, issuer: str, **more: Any) -> SignOnWish:
    return SignOnWish(name=name, issuer=issuer, client_id="latch", secret="known to two", **more)


def login_at(w: World, name: str) -> str:
    """The issuer of another provider."""
    return Login(w.ridge, f"https://{name}.login.example").issuer


@of("sign_ons.browse")
def _(w: World) -> None:
    made = w.owner.add_sign_on(at_login("Seen", login_at(w, "seen")))
    for someone in (w.owner, w.manager, w.auditor):
        listed = someone.sign_ons()
        assert made.ref in {service.ref for service in listed.items}
        assert "known to two" not in listed.model_dump_json()
        assert listed.back == f"{w.ridge.url}/signed-on"
    with w.refused(NotAllowed, "sign_ons.browse"):
        w.member.sign_ons()


@of("sign_ons.add")
def _(w: World) -> None:
    issuer = login_at(w, "added")
    made = w.owner.add_sign_on(at_login("Added", issuer, claim="groups", roles={"guides": Role.MEMBER}))
    assert (made.roles, w.last()) == ({"guides": Role.MEMBER}, "sign-on.added")
    assert made.name in {name.name for name in w.owner.sign_on_names("kestrel-ridge")}
    with w.refused(Invalid, "name is that of another"):
        w.owner.add_sign_on(at_login("added", issuer))
    with w.refused(Invalid, "claim is needed"):
        w.owner.add_sign_on(at_login("No claim", issuer, roles={"guides": Role.MEMBER}))
    with w.refused(Invalid, "is not an address"):
        w.owner.add_sign_on(at_login("No address", "login.example"))
    with w.refused(ProviderDown, "does not answer"):
        w.owner.add_sign_on(at_login("Nobody", "https://nobody.example"))
    with w.refused(NotAllowed, "sign_ons.add"):
        w.manager.add_sign_on(at_login("Manager's", issuer))


@of("sign_ons.change")
def _(w: World) -> None:
    before = w.owner.add_sign_on(at_login("Before", login_at(w, "before")))
    after = w.owner.change_sign_on(before.ref, at_login("After", before.issuer, second_factor=True))
    assert (after.id, after.name, after.second_factor, w.last()) == (before.id, "After", True, "sign-on.changed")
    with w.refused(Conflict, "another service"):
        w.owner.change_sign_on(before.ref, at_login("After", login_at(w, "elsewhere")))
    with w.refused(NotFound, "no single sign-on"):
        w.owner.change_sign_on("Before", at_login("After", before.issuer))


@of("sign_ons.remove")
def _(w: World) -> None:
    made = w.owner.add_sign_on(at_login("Removed", login_at(w, "removed")))
    w.owner.remove_sign_on(made.ref)
    assert w.last() == "sign-on.removed"
    assert made.id not in {name.id for name in w.owner.sign_on_names("kestrel-ridge")}
    with w.refused(NotFound, "no single sign-on"):
        w.owner.remove_sign_on(made.ref)


@of("tokens.make")
def _(w: World) -> None:
    with newcomer(w, "Isolde") as isolde:
        made = isolde.make_own_token("desk", scope="read", days=3)
        assert (w.last(), made.scope) == ("token.made", "read")
        with Client(w.ridge.url, made.secret, transport=w.ridge.transport) as desk:
            assert desk.me().person.name == "Isolde"
            with w.refused(NotAllowed, "may only read"):
                desk.make_own_token("another")
