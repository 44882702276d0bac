"""Providers, their readings, and what their words mean."""

from __future__ import annotations

from pathlib import Path
from typing import Any
from uuid import UUID

from openlatch.client import Client
from openlatch.errors import Changed, Conflict, Invalid, NotAllowed, NotFound, NotSignedIn
from tests.harness.acts import read
from tests.operations.effects.world import World, of

EXAMPLES = Path(__file__).parents[3] / "docs" / "described"


@of("providers.browse")
def _(w: World) -> None:
    assert {"Ticket Desk", "Volunteer Roll", "Hill Road Signage"} <= {p.name for p in w.auditor.providers()}
    with w.refused(NotSignedIn, "."):
        Client(w.ridge.url, "", transport=w.ridge.transport).providers()


@of("providers.connectors")
def _(w: World) -> None:
    assert {"feed", "imap", "oauth", "postgres", "scim", "ssh"} <= {
        connector.name for connector in w.auditor.connectors()
    }
    with w.refused(NotAllowed, "providers.connectors"):
        w.member.connectors()


@of("providers.show")
def _(w: World) -> None:
    shown = w.owner.provider("ticket desk")
    assert (shown.name, shown.by_hand, shown.last_complete is not None) == ("Ticket Desk", False, True)
    with w.refused(NotFound, "no provider"):
        w.owner.provider("Nowhere")


@of("providers.add")
def _(w: World) -> None:
    added = w.manager.add_provider("Orchard Sign", "by-hand", {}, vouch_days=30)
    assert (added.by_hand, added.vouch_days, w.last()) == (True, 30, "provider.added")
    with w.refused(Conflict, "already"):
        w.manager.add_provider("Orchard Sign", "by-hand", {})
    with w.refused(Invalid, "no connector"):
        w.manager.add_provider("Loft", "pigeon", {})
    with w.refused(Invalid, "not an address"):
        w.manager.add_provider("Loft", "feed", {"url": "loft"}, "token")


@of("providers.describe")
def _(w: World) -> None:
    text = (EXAMPLES / "club.toml").read_text("utf-8")
    checked = w.manager.try_description(text)
    assert (checked.tried, checked.total) == (False, 0)
    member = {"user": {"login": "ada", "name": "Ada"}, "role": "lead"}
    answers: dict[str, Any] = {
        "/v1/teams?page=1&size=2": {"data": [{"id": "t/1", "title": "Team 1"}]},
        "/v1/teams?page=2&size=2": {"data": []},
        "/v1/teams/t%2F1/members?page=1&size=2": {"data": [member]},
        "/v1/teams/t%2F1/members?page=2&size=2": {"data": []},
    }
    tried = w.manager.try_description(text, answers=answers)
    (entry,) = tried.entries
    assert (entry.account, entry.level, entry.party and entry.party.name) == ("Team 1", "lead", "Ada")
    assert entry.would_send is not None
    assert (entry.would_send.method, entry.would_send.url) == ("DELETE", "/v1/teams/t%2F1/members/ada")
    assert tried.asked == [f"GET {path}" for path in answers]
    lost = w.manager.try_description(text, answers={"/v1/teams?page=1&size=2": {"data": [{"title": "x"}]}})
    assert "line " in lost.trouble
    with w.refused(Invalid, "line 1: lists: it is missing"):
        w.manager.try_description("description = 1\nlits = []\n")
    with w.refused(Invalid, "on recorded answers or on the provider"):
        w.manager.try_description(text, url="http://127.0.0.1:1", answers={})
    assert "does not answer" in w.manager.try_description(text, url="http://127.0.0.1:1", secret="x").trouble
    with w.refused(NotAllowed, "providers.describe"):
        w.auditor.try_description(text)


@of("providers.change")
def _(w: World) -> None:
    before = w.manager.provider("Dome Control")
    changed = w.manager.change_provider("Dome Control", name="The Dome Control", read_every=45)
    assert (changed.name, changed.read_every, changed.settings) == ("The Dome Control", 45, before.settings)
    assert w.last() == "provider.changed"
    with w.refused(Invalid, "cannot be read with that"):
        w.manager.change_provider("The Dome Control", secret="a wrong one")
    with w.refused(Invalid, "cannot be read with that|not an address"):
        w.manager.change_provider("The Dome Control", settings={"url": "http://127.0.0.1:1"}, secret="x")
    with w.refused(Invalid, "could be sent somewhere else"):
        w.manager.change_provider("The Dome Control", settings={"url": "http://127.0.0.1:1"})
    w.ridge.drain()
    assert w.manager.provider("The Dome Control").settings == before.settings
    tried = w.manager.change_provider("The Dome Control", settings=dict(before.settings))
    assert tried.settings == before.settings
    assert tried.latest is not None
    assert tried.latest.state == "queued", "it is read at once"
    with w.refused(Conflict, "already"):
        w.manager.change_provider("The Dome Control", name="Ticket Desk")
    with w.refused(Invalid, "recorded by hand"):
        w.manager.change_provider("Members' Letter", secret="x")
    with w.refused(NotAllowed, "providers.change"):
        w.auditor.change_provider("The Dome Control", name="Box")
    w.manager.change_provider("The Dome Control", name="Dome Control", read_every=before.read_every)
    # One says who people are, and another that is named takes that from it.
    for first in ("Volunteer Roll", "Ticket Desk"):
        w.manager.change_provider(first, says_who=True)
        w.ridge.drain()
        assert [p.name for p in w.manager.providers() if p.says_who] == [first]
        last = w.manager.provider(first).latest
        assert last is not None
        assert last.state == "complete", "it is read at once"
    with w.refused(Invalid, "says nothing by itself"):
        w.manager.change_provider("Members' Letter", says_who=True)
    assert not w.manager.change_provider("Ticket Desk", says_who=False).says_who


@of("providers.versions")
def _(w: World) -> None:
    present = w.manager.provider("Dome Control")
    (first, *_) = w.manager.provider_versions("Dome Control")
    assert (first.present, first.settings) == (True, present.settings)
    _, token = w.ridge.stand_ins["dome"]
    w.manager.change_provider("Dome Control", settings={"url": f"{present.settings['url']}/"}, secret=token)
    with w.refused(Invalid, "cannot be read with that"):
        w.manager.change_provider("Dome Control", settings={"url": "http://127.0.0.1:1"}, secret="x")
    w.manager.change_provider("Dome Control", read_every=30)
    latest, former, *_ = w.manager.provider_versions("Dome Control")
    assert (latest.number, former.number) == (first.number + 1, first.number), "what was refused is no version"
    assert (latest.present, former.present, latest.changed) == (True, False, ["url"])
    assert latest.by == w.manager.me().person.name
    assert latest.at is not None
    w.manager.change_provider("Dome Control", settings=former.settings, secret=token)
    back, *_ = w.manager.provider_versions("Dome Control")
    assert (back.number, back.settings, back.present) == (latest.number + 1, present.settings, True)
    w.ridge.drain()
    w.manager.change_provider("Dome Control", read_every=present.read_every)
    with w.refused(NotAllowed, "providers.versions"):
        w.auditor.provider_versions("Dome Control")


@of("providers.pause")
def _(w: World) -> None:
    paused = w.manager.pause_provider("Live Sky")
    assert (paused.paused, paused.next_reading, w.last()) == (True, None, "provider.paused")
    w.manager.read("Live Sky")
    w.ridge.drain()
    assert w.manager.provider("Live Sky").next_reading is None, "a reading that someone asked for changes nothing"
    with w.refused(Conflict, "recorded by hand"):
        w.manager.pause_provider("Members' Letter")
    w.manager.resume_provider("Live Sky")


@of("providers.resume")
def _(w: World) -> None:
    w.manager.pause_provider("Live Sky")
    resumed = w.manager.resume_provider("Live Sky")
    assert not resumed.paused
    assert w.last() == "provider.resumed"
    w.ridge.drain()
    with w.refused(Conflict, "is not paused"):
        w.manager.resume_provider("Live Sky")


@of("providers.removal")
def _(w: World) -> None:
    removal = w.manager.provider_removal("Ticket Desk")
    assert removal.entries == len(list(w.owner.entries(provider="Ticket Desk")))
    assert {hindrance.matter for hindrance in removal.hindrances} >= {"order"}, "one is stuck there"
    with w.refused(NotAllowed, "providers.removal"):
        w.auditor.provider_removal("Ticket Desk")


@of("providers.remove")
def _(w: World) -> None:
    board = w.owner.add_provider("Old Board", "by-hand", {})
    kept = w.owner.keep(board.name, account="Old keys", party="Joss Brook", powers=["view"])
    with w.refused(Changed, "1 entries|not 4"):
        w.manager.remove_provider(board.name, entries=4)
    with w.refused(Conflict, "cannot be removed yet"):
        w.manager.remove_provider("Ticket Desk")
    with w.refused(NotAllowed, "providers.remove"):
        w.auditor.remove_provider(board.name)
    assert w.manager.remove_provider(board.name, entries=1).provider == "Old Board"
    assert w.owner.entry(kept.ref).end_reason == "provider-removed"
    with w.refused(NotFound, "no provider"):
        w.manager.remove_provider(board.name)


@of("security_events.listen")
def _(w: World) -> None:
    made = w.manager.listen("Live Sky", "https://login.example", "https://login.example/keys")
    assert (made.audience, made.secret != "", w.last()) == (made.address, True, "provider.heard")
    again = w.owner.listen("Live Sky", "https://login.example", "https://login.example/keys", audience="us")
    assert (again.audience, again.secret != made.secret) == ("us", True)
    with w.refused(Invalid, "not an address"):
        w.owner.listen("Live Sky", "https://login.example", "keys")
    with w.refused(NotAllowed, "security_events.listen"):
        w.auditor.listen("Live Sky", "https://login.example", "https://login.example/keys")


@of("security_events.stream")
def _(w: World) -> None:
    w.owner.listen("Dome Control", "https://login.example", "https://login.example/keys")
    shown = w.auditor.event_stream("Dome Control")
    assert (shown.issuer, shown.heard_at, shown.made_by) == ("https://login.example", None, "Maren Ashdown")
    with w.refused(NotFound, "does not listen"):
        w.owner.event_stream("Plate Archive")


@of("security_events.browse")
def _(w: World) -> None:
    assert list(w.auditor.security_events("Dome Control")) == []
    with w.refused(NotAllowed, "security_events.browse"):
        list(w.member.security_events("Dome Control"))


@of("security_events.stop")
def _(w: World) -> None:
    w.owner.listen("Donation Box", "https://login.example", "https://login.example/keys")
    w.manager.stop_listening("Donation Box")
    assert w.last() == "provider.not-heard"
    with w.refused(NotFound, "does not listen"):
        w.owner.stop_listening("Donation Box")


@of("providers.report_breach")
def _(w: World) -> None:
    w.owner.report_breach("Live Sky", w.day(-3), "Their sign-in pages were copied")
    w.ridge.drain()
    w.ridge.clock.go_on(minutes=2)
    w.ridge.drain()
    assert "After a breach at a provider" in {review_round.review.name for review_round in w.owner.rounds()}
    with w.refused(Invalid, "."):
        w.owner.report_breach("Live Sky", w.day(3), "It has not happened yet")


@of("readings.start")
def _(w: World) -> None:
    first = w.owner.read("Live Sky")
    assert w.manager.read("Live Sky").id == first.id, "one that waits is not asked for twice"
    w.ridge.drain()
    assert w.owner.reading(first.id).state == "complete"
    with w.refused(Conflict, "there is nothing to read"):
        w.owner.read("Hill Road Signage")


@of("readings.browse")
def _(w: World) -> None:
    assert w.things.reading in {str(reading.id) for reading in w.auditor.readings("Ticket Desk")}
    with w.refused(NotFound, "no provider"):
        list(w.owner.readings("Nowhere"))


@of("readings.show")
def _(w: World) -> None:
    shown = w.auditor.reading(UUID(w.things.reading))
    assert (shown.state, shown.seen, shown.trouble) == ("complete", shown.total, "")
    with w.refused(NotFound, "no reading"):
        w.auditor.reading(UUID(int=9))


@of("levels.browse")
def _(w: World) -> None:
    words = {level.word: level.origin for level in w.auditor.levels("Volunteer Roll")}
    assert {"staff", "volunteer"} <= set(words)
    with w.refused(NotAllowed, "levels.browse"):
        w.member.levels("Volunteer Roll")


@of("levels.correct")
def _(w: World) -> None:
    w.owner.correct_level("Live Sky", "moderator", ["view"])
    assert {tuple(e.powers) for e in w.owner.entries(provider="Live Sky") if e.level == "moderator"} == {("view",)}
    read(w.owner, "Live Sky")
    assert {tuple(e.powers) for e in w.owner.entries(provider="Live Sky") if e.level == "moderator"} == {("view",)}
    w.owner.correct_level("Live Sky", "moderator", None)
    with w.refused(NotFound, "No entry"):
        w.owner.correct_level("Live Sky", "grand marshal", ["own"])
