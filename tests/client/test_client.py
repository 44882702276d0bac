"""The client: sends again what can be sent again, once in effect, and raises the service's own errors."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any
from uuid import uuid4

import httpx
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from openlatch.client import Client
from openlatch.client.address import service_address
from openlatch.errors import BY_CODE, Changed, Invalid, NotFound, OpenLatchError, ServiceUnreachable
from openlatch.wire import messages as wire

Handler = Callable[[httpx.Request], httpx.Response]


class Service:
    """A service that gives these answers one after the other, and remembers what it was sent and waited for."""

    def __init__(self, *answers: httpx.Response | Exception) -> None:
        self.sent: list[httpx.Request] = []
        self.pauses: list[float] = []
        self._answers = list(answers)
        self.client = Client(
            "http://latch.example/", "token", transport=httpx.MockTransport(self._answer), pause=self.pauses.append
        )

    def _answer(self, request: httpx.Request) -> httpx.Response:
        self.sent.append(request)
        answer = self._answers.pop(0)
        if isinstance(answer, Exception):
            raise answer
        return answer


def problem(code: str, status: int, **more: Any) -> httpx.Response:
    body = {"type": "t", "title": "x", "status": status, "detail": "What happened.", "code": code, "next": "Do this."}
    return httpx.Response(status, json=body | more)


READING: dict[str, Any] = {
    "id": str(uuid4()),
    "provider_id": str(uuid4()),
    "state": "queued",
    "asked_by": "Maren Ashdown",
    "asked_at": "2026-05-10T12:00:00Z",
    "finished_at": None,
    "seen": 0,
    "total": None,
    "counts": {},
    "trouble": "",
    "withheld": 0,
}


def page(*items: object, following: str | None = None) -> httpx.Response:
    return httpx.Response(200, json={"items": list(items), "next": following})


def test_a_change_is_sent_again_under_the_same_key_until_it_is_answered() -> None:
    service = Service(httpx.ConnectError("no"), httpx.Response(503), httpx.Response(202, json=READING))
    assert service.client.read("Ticket Desk").state == "queued"
    keys = {request.headers["Idempotency-Key"] for request in service.sent}
    assert (len(service.sent), len(keys)) == (3, 1)
    assert service.pauses == sorted(service.pauses)
    again = Service(httpx.Response(202, json=READING))
    again.client.read("Ticket Desk")
    assert again.sent[0].headers["Idempotency-Key"] not in keys


def test_what_is_slow_is_waited_for_with_its_key_and_told_from_what_is_not_there() -> None:
    busy = problem("under-way", 409)
    service = Service(httpx.ReadTimeout("slow"), busy, *[busy] * 40, httpx.Response(202, json=READING))
    assert service.client.read("Ticket Desk").state == "queued", "however long it takes"
    assert len({request.headers["Idempotency-Key"] for request in service.sent}) == 1
    asking = Service(httpx.ReadTimeout("slow"))
    with pytest.raises(ServiceUnreachable, match="is there, but has not answered in time"):
        asking.client.me()
    assert len(asking.sent) == 1, "what asks is not asked again: it may be asking too much"
    never = Service(httpx.ReadTimeout("slow"), *[httpx.ReadTimeout("slow")] * 100)
    with pytest.raises(ServiceUnreachable, match="not done twice"):
        never.client.read("Ticket Desk")
    assert len(never.sent) < 70


def test_a_file_that_ends_before_its_end_is_none() -> None:
    def half() -> Iterator[bytes]:
        yield b"id,ref\r\n"
        raise httpx.RemoteProtocolError("closed")

    service = Service(httpx.Response(200, content=half()))
    with pytest.raises(ServiceUnreachable, match="stopped in the middle"):
        service.client.export()
    refused = Service(problem("invalid", 422))
    with pytest.raises(Invalid):
        refused.client.export(power="fly")


def test_it_waits_as_long_as_it_is_told_but_not_for_minutes() -> None:
    service = Service(httpx.Response(429, headers={"Retry-After": "7"}), page())
    assert service.client.providers() == []
    assert service.pauses == [7]
    late = Service(problem("too-many-requests", 429, facts={"retry_after": 900}))
    late._answers[0].headers["Retry-After"] = "900"  # type: ignore[union-attr]
    with pytest.raises(BY_CODE["too-many-requests"]) as refused:
        late.client.providers()
    assert (late.pauses, refused.value.fields["retry_after"]) == ([], 900)


def test_a_service_that_stays_away_is_given_up() -> None:
    service = Service(*[httpx.ConnectError("no")] * 4)
    with pytest.raises(ServiceUnreachable, match=r"latch\.example"):
        service.client.me()
    assert len(service.sent) == 4


@pytest.mark.parametrize("code", sorted(BY_CODE))
def test_every_problem_is_raised_as_the_error_that_the_service_raised(code: str) -> None:
    status = BY_CODE[code].status
    service = Service(*[problem(code, status, facts={"entry": "7Q4K-BRM2"})] * 4)
    with pytest.raises(OpenLatchError) as raised:
        service.client.me()
    assert type(raised.value) is BY_CODE[code]
    assert str(raised.value) == "What happened. Do this."
    assert (raised.value.status, raised.value.fields["entry"]) == (status, "7Q4K-BRM2")


@pytest.mark.parametrize("answer", [httpx.Response(200, text="<html>"), httpx.Response(404, text="nginx"), page(7)])
def test_what_is_not_open_latch_is_told_as_such(answer: httpx.Response) -> None:
    with pytest.raises(ServiceUnreachable):
        Service(answer).client.providers()


def test_a_list_fetches_page_after_page_and_only_as_many_as_are_wanted() -> None:
    service = Service(page(READING, following="c1"), page(READING, following="c2"), page(READING))
    assert len(list(service.client.readings())) == 3
    assert [request.url.params.get("cursor") for request in service.sent] == [None, "c1", "c2"]


def test_a_reading_is_followed_without_repeating_what_did_not_move() -> None:
    states = ["queued", "queued", "running", "running", "complete"]
    service = Service(*[httpx.Response(200, json=READING | {"state": state}) for state in states])
    assert [r.state for r in service.client.follow_reading(uuid4())] == ["queued", "running", "complete"]
    assert service.pauses == [0.3] * 4


@pytest.mark.parametrize("typed", ["a/b", "..", "../orders", "x?y=1", "ü#", "", " "])
def test_whatever_is_typed_stays_one_part_of_the_address(typed: str) -> None:
    service = Service(problem("not-found", 404))
    with pytest.raises(NotFound):
        service.client.entry(typed)
    parts = service.sent[0].url.raw_path.decode().split("/")
    assert parts[:4] == ["", "api", "v1", "entries"]
    assert len(parts) == 5
    assert "?" not in parts[4]


def test_an_error_of_a_plan_that_changed_is_a_conflict_too() -> None:
    assert issubclass(Changed, BY_CODE["conflict"])


@pytest.mark.parametrize(
    ("typed", "means"),
    [
        ("latch.kestrelridge.example", "https://latch.kestrelridge.example"),
        ("latch.kestrelridge.example:8443/", "https://latch.kestrelridge.example:8443"),
        (" http://latch.kestrelridge.example/ ", "http://latch.kestrelridge.example"),
        ("localhost:8480", "http://localhost:8480"),
        ("127.0.0.1:8480", "http://127.0.0.1:8480"),
        ("[::1]:8480", "http://[::1]:8480"),
        ("127.0.0.1.kestrelridge.example", "https://127.0.0.1.kestrelridge.example"),
    ],
)
def test_an_address_without_a_scheme_is_encrypted_but_on_this_machine(typed: str, means: str) -> None:
    assert service_address(typed) == means
    assert service_address(means) == means


@pytest.mark.parametrize(
    "typed", ["", " ", "ftp://latch.example", "http://", "http://[::1", "\u202egnp.exe", "a b", "/x"]
)
def test_what_is_no_address_is_refused_before_anything_is_sent(typed: str) -> None:
    with pytest.raises(Invalid, match="is not the address"):
        Client(typed, "token")


@given(st.text())
def test_any_text_is_an_address_or_refused_as_none(typed: str) -> None:
    try:
        assert service_address(typed).startswith(("http://", "https://"))
    except Invalid:
        return


def test_what_cannot_be_sent_is_refused_here_and_what_is_read_is_judged_by_its_reader() -> None:
    with pytest.raises(Invalid, match="Nothing was sent") as refused:
        wire.PageQuery(limit=0)
    assert refused.value.fields["errors"][0]["at"] == "limit"
    with pytest.raises(ValidationError):
        wire.PageQuery.model_validate({"limit": 0})
