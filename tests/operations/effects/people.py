"""Signing in, tokens, the people of a workspace, and what waits for them."""

from __future__ import annotations

from datetime import datetime
from uuid import UUID
from zoneinfo import ZoneInfo

from openlatch.client import Client
from openlatch.demo.cast import DOMAIN
from openlatch.errors import Conflict, Invalid, NotAllowed, NotFound, NotSignedIn
from tests.operations.effects.world import World, of


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
    assert w.owner.change_workspace(name=before.name, zone=before.zone) == before


@of("people.browse")
def _(w: World) -> None:
    roles = {one.name: one.role for one in w.auditor.people()}
    assert (roles["Maren Ashdown"], roles["Orla Finch"]) == ("owner", "member")
    with w.refused(NotAllowed, "people.browse"):
        w.member.people()


@of("people.add")
def _(w: World) -> None:
    added = w.owner.add_person("Sabine Thorne", f"Sabine.Thorne@{DOMAIN}", "auditor", "four words in a row")
    assert (added.role, added.address) == ("auditor", f"sabine.thorne@{DOMAIN}")
    assert w.last() == "person.added"
    with w.ridge.client("sabine.thorne", password="four words in a row") as sabine:
        assert sabine.me().person.role == "auditor"
    with w.refused(Conflict, "already"):
        w.owner.add_person("Sabine Thorne", f"sabine.thorne@{DOMAIN}", "owner", "four words in a row")
    with w.refused(Invalid, "could be guessed|fewer than"):
        w.owner.add_person("Jory Penrose", f"jory.penrose@{DOMAIN}", "member", "kestrel-ridge")


@of("tokens.browse")
def _(w: World) -> None:
    with w.ridge.client("pell.varga") as pell:
        assert {one.name for one in pell.tokens()} == {"client"}
    with w.refused(NotSignedIn, "."):
        Client(w.ridge.url, "", transport=w.ridge.transport).tokens()


@of("tokens.revoke")
def _(w: World) -> None:
    with w.ridge.client("ruth.calder") as ruth:
        (token, *_) = sorted(ruth.tokens(), key=lambda one: one.created_at, reverse=True)
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
    assert saved.id not in {one.id for one in w.manager.views()}
    with w.refused(NotFound, "no view"):
        w.manager.remove_view(UUID(w.things.view))
