"""Notices, calendars and webhooks."""

from __future__ import annotations

import httpx

from openlatch.client import Client
from openlatch.errors import Invalid, NotAllowed, NotFound, NotSignedIn
from tests.operations.effects.world import World, of


@of("notices.browse")
def _(w: World) -> None:
    assert any("is due:" in notice.title for notice in w.reviewer.notices())
    with w.refused(NotSignedIn, "."):
        list(Client(w.ridge.url, "", transport=w.ridge.transport).notices())


@of("notices.choose")
def _(w: World) -> None:
    assert w.auditor.choose_telling("daily").telling == "daily"
    with w.refused(Invalid, "telling"):
        w.auditor.choose_telling("by pigeon")


@of("calendars.make")
def _(w: World) -> None:
    web = httpx.Client(transport=w.ridge.transport)
    first = w.reviewer.make_calendar()
    assert web.get(first).text.startswith("BEGIN:VCALENDAR")
    second = w.reviewer.make_calendar()
    assert (web.get(first).status_code, web.get(second).status_code) == (404, 200)
    with w.refused(NotSignedIn, "."):
        Client(w.ridge.url, "", transport=w.ridge.transport).make_calendar()


@of("webhooks.browse")
def _(w: World) -> None:
    assert w.things.webhook in {webhook.ref for webhook in w.auditor.webhooks()}
    with w.refused(NotAllowed, "webhooks.browse"):
        w.reviewer.webhooks()


@of("webhooks.add")
def _(w: World) -> None:
    made = w.owner.add_webhook("https://desk.example/hook", ["order"])
    assert made.secret
    assert made.secret not in str(w.owner.webhooks()), "it is shown this once"
    with w.refused(Invalid, "not encrypted"):
        w.owner.add_webhook("http://desk.example/hook")
    w.owner.remove_webhook(made.ref)


@of("webhooks.pause")
def _(w: World) -> None:
    assert w.manager.pause_webhook(w.things.webhook).paused
    assert w.manager.pause_webhook(w.things.webhook, paused=False).paused is False
    with w.refused(NotFound, "no webhook"):
        w.manager.pause_webhook("7Q4K-BRM2")


@of("webhooks.remove")
def _(w: World) -> None:
    made = w.owner.add_webhook("https://desk.example/other", ["review"])
    w.manager.remove_webhook(made.ref)
    with w.refused(NotFound, "no webhook"):
        w.manager.remove_webhook(made.ref)
