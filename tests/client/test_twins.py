"""The two clients are one: what the one has, the other has, awaited; and what may be asked is what is taken."""

from __future__ import annotations

import importlib.util
import inspect
import typing
from collections.abc import Callable
from pathlib import Path
from typing import Any

import httpx
import pytest

from openlatch.client import Client, wanted
from openlatch.client.aio import AsyncClient
from openlatch.errors import NotFound, NotYet, ServiceUnreachable
from openlatch.wire import messages as wire
from tests.client.test_client import READING, Service, page, problem
from tests.harness.loops import awaited

ROOT = Path(__file__).parents[2]
METHODS = [name for name, one in inspect.getmembers(Client, inspect.isfunction) if not name.startswith("_")]
MESSAGES = [
    (wanted.EntryFilter, wire.EntryFilter, set()),
    (wanted.EntriesWanted, wire.EntryQuery, {"cursor"}),
    (wanted.EntryFile, wire.ExportQuery, {"format"}),
    (wanted.AccountFile, wire.AccountExport, {"format"}),
    (wanted.PartyFile, wire.PartyExport, {"format"}),
    (wanted.ProviderFile, wire.ProviderExport, {"format"}),
    (wanted.ReadingFields, wire.NewProvider, {"name", "connector", "settings", "secret"}),
    (wanted.KeptFields, wire.KeptEntry, set()),
    (wanted.ReviewFields, wire.NewReview, {"name"}),
    (wanted.ReviewChange, wire.ReviewChange, {"name"}),
]


class Waited:
    """A service that is asked by the asynchronous client, and gives these answers one after the other."""

    def __init__(self, *answers: httpx.Response | Exception) -> None:
        self.sent: list[httpx.Request] = []
        self.pauses: list[float] = []
        self._answers = list(answers)

    def client(self, password: Callable[[], str] | None = None) -> AsyncClient:
        carrier = httpx.MockTransport(self._answer)
        return AsyncClient("http://latch.example/", "token", transport=carrier, pause=self._pause, password=password)

    async def _pause(self, seconds: float) -> None:
        self.pauses.append(seconds)

    async def _answer(self, request: httpx.Request) -> httpx.Response:
        self.sent.append(request)
        answer = self._answers.pop(0)
        if isinstance(answer, Exception):
            raise answer
        return answer


def test_the_module_is_made_from_the_client_as_it_is() -> None:
    spec = importlib.util.spec_from_file_location("aio", ROOT / "tools" / "aio.py")
    assert spec is not None
    assert spec.loader is not None
    tool = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(tool)
    assert tool.TARGET.read_text("utf-8") == tool.made(), "make it anew: make setup"


@pytest.mark.parametrize("name", METHODS)
def test_each_method_is_there_with_the_same_parameters_and_is_awaited(name: str) -> None:
    one, other = getattr(Client, name), getattr(AsyncClient, name)
    assert list(inspect.signature(one).parameters) == list(inspect.signature(other).parameters)
    assert inspect.getdoc(one) == inspect.getdoc(other)
    in_pieces = str(inspect.signature(one).return_annotation).startswith("Iterator")
    assert in_pieces != inspect.iscoroutinefunction(other)
    assert not in_pieces or str(inspect.signature(other).return_annotation).startswith("AsyncIterator")


@pytest.mark.parametrize("name", METHODS)
def test_no_method_takes_fields_by_whatever_name(name: str) -> None:
    for parameter in inspect.signature(getattr(Client, name)).parameters.values():
        if parameter.kind is parameter.VAR_KEYWORD:
            assert str(parameter.annotation).startswith("Unpack["), f"{name}(**{parameter.name}) is not typed"


@pytest.mark.parametrize(("typed", "message", "besides"), MESSAGES, ids=lambda one: getattr(one, "__name__", ""))
def test_what_can_be_asked_for_by_name_is_what_the_service_takes(
    typed: type, message: type[wire.Taken], besides: set[str]
) -> None:
    assert set(typing.get_type_hints(typed)) == set(message.model_fields) - besides


def test_a_change_is_sent_again_under_the_same_key() -> None:
    service = Waited(httpx.ConnectError("no"), httpx.Response(503), httpx.Response(202, json=READING))

    async def act() -> str:
        async with service.client() as latch:
            return (await latch.read("Ticket Desk")).state

    assert awaited(act()) == "queued"
    assert len({request.headers["Idempotency-Key"] for request in service.sent}) == 1
    assert service.pauses == sorted(service.pauses)


def test_lists_are_gone_through_page_by_page_and_files_come_in_pieces() -> None:
    readings = [READING | {"seen": number} for number in range(3)]
    service = Waited(page(*readings[:2], following="more"), page(readings[2]), httpx.Response(200, content=b"a,b\n"))

    async def act() -> tuple[list[int], bytes]:
        async with service.client() as latch:
            seen = [reading.seen async for reading in latch.readings()]
            return seen, await latch.export(flagged=True, separator="tab")

    seen, file = awaited(act())
    assert seen == [0, 1, 2]
    assert file == b"a,b\n"
    assert dict(service.sent[1].url.params)["cursor"] == "more"
    assert dict(service.sent[2].url.params) == {"flagged": "true", "separator": "tab", "format": "csv"}


def test_an_act_that_needs_a_proof_is_proved_and_done_again() -> None:
    refused = problem("not-confirmed", 403)
    service = Waited(refused, httpx.Response(204), httpx.Response(202, json=READING))

    async def act() -> str:
        async with service.client(password=lambda: "my password") as latch:
            return (await latch.read("Ticket Desk")).state

    assert awaited(act()) == "queued"
    assert [request.url.path.rpartition("/")[2] for request in service.sent] == ["readings", "confirmation", "readings"]


@pytest.mark.parametrize(
    ("answer", "error"),
    [(problem("not-found", 404), NotFound), (httpx.Response(200, content=b"hello"), ServiceUnreachable)],
)
def test_errors_are_those_of_the_service(answer: httpx.Response, error: type[Exception]) -> None:
    async def act() -> None:
        async with Waited(answer).client() as latch:
            await latch.entry("WCX3-MCKJ")

    with pytest.raises(error):
        awaited(act())


def running(count: int) -> list[httpx.Response]:
    return [httpx.Response(200, json=READING | {"state": "running"}) for _ in range(count)]


def test_following_ends_after_the_time_that_it_is_given() -> None:
    service = Service(*running(4))
    looks = service.client.follow_reading(wire.Reading(**READING).id, every=2, within=5)
    assert next(looks).state == "running"
    with pytest.raises(NotYet, match="not over after 6 seconds"):
        next(looks)
    assert service.pauses == [2, 2, 2]

    waited = Waited(*running(4))

    async def act() -> list[Any]:
        async with waited.client() as latch:
            return [look async for look in latch.follow_reading(wire.Reading(**READING).id, every=2, within=5)]

    with pytest.raises(NotYet):
        awaited(act())
    assert waited.pauses == service.pauses
