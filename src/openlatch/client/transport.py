"""How a client speaks to the service: requests are sent again where that is safe, errors are as they were raised."""

from __future__ import annotations

import ssl
import time
import uuid
from collections.abc import Callable, Iterator, Mapping
from types import TracebackType
from typing import Any, Self, TypeVar
from urllib.parse import quote

import httpx
from pydantic import BaseModel, ValidationError

from openlatch import __version__
from openlatch.client.address import service_address
from openlatch.errors import BY_CODE, Invalid, NotConfirmed, NotYet, OpenLatchError, ServiceUnreachable, UnderWay
from openlatch.wire import messages as wire
from openlatch.wire.base import NO_WORKER

__all__ = ["Transport", "part", "plain"]

M = TypeVar("M", bound=BaseModel)
T = TypeVar("T")
_AGAIN = frozenset({429, 502, 503, 504})
_TRIES = 4
_EVERY = 1.0
"""Seconds between two questions whether something that is in progress is done."""
_LONGEST = 1800.0
"""Seconds after which nobody waits any more for it."""


class Transport:
    """The connection of a client; see Client for what it is given."""

    def __init__(
        self,
        url: str,
        token: str,
        *,
        timeout: float = 30,
        password: Callable[[], str] | None = None,
        transport: httpx.BaseTransport | None = None,
        pause: Callable[[float], None] = time.sleep,
        heed: Callable[[str], None] | None = None,
    ) -> None:
        url = service_address(url)
        headers = {"User-Agent": f"openlatch/{__version__}"} | ({"Authorization": f"Bearer {token}"} if token else {})
        # Reading whom to trust takes as long as a request; where nothing is encrypted, nobody has to be trusted.
        trusted = True if httpx.URL(url).scheme == "https" else ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
        self._http = httpx.Client(
            base_url=f"{url}/api/v1", headers=headers, timeout=timeout, transport=transport, verify=trusted
        )
        self._timeout = timeout
        self._password = password
        self.pause = pause
        self._heed = heed
        self._warning = ""

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def close(self) -> None:
        """Close the connections."""
        self._http.close()

    # Who and where

    def _pages(self, of: type[wire.Page[T]], path: str, wanted: Mapping[str, Any]) -> Iterator[T]:
        limit = wanted.get("limit")
        params = plain(wanted) | {"limit": str(min(limit or 500, 500))}
        given = 0
        while True:
            page = self._send(of, "GET", path, params=params)
            for item in page.items:
                if limit is not None and given >= limit:
                    return
                given += 1
                yield item
            if page.next is None or (limit is not None and given >= limit):
                return
            params["cursor"] = page.next

    def _follow(
        self, look: Callable[[], M], over: Callable[[M], bool], every: float, within: float | None = None
    ) -> Iterator[M]:
        """Yield what a look shows, whenever it is different; raises NotYet if it is not over within some seconds."""
        last: M | None = None
        waited = 0.0
        while True:
            model = look()
            if model != last:
                yield model
            if over(model):
                return
            if self._heed is not None and self._warning:
                self._heed(self._warning)
            last = model
            if within is not None and waited >= within:
                raise NotYet(f"It is not over after {waited:.0f} seconds, and goes on.", next_step="Look again later.")
            waited += every
            self.pause(every)

    def _report(self, of: str, form: str) -> bytes:
        """A report as a file; a PDF is printed by a job first."""
        if form != "pdf":
            return self._request("GET", f"{of}/report", params={"format": form}).content
        asked = self._send(wire.Print, "POST", f"{of}/prints")
        for _ in self._follow(
            lambda: self._send(wire.Print, "GET", f"/prints/{asked.id}"),
            lambda a_print: a_print.finished_at is not None,
            0.3,
        ):
            pass
        return self._request("GET", f"/prints/{asked.id}/file").content

    def _send(self, model: type[M], method: str, path: str, **more: Any) -> M:
        try:
            answer = self._request(method, path, **more)
        except NotConfirmed:
            if self._password is None or path == "/session/confirmation":
                raise
            self._request("POST", "/session/confirmation", json={"password": self._password()})
            answer = self._request(method, path, **more)
        try:
            return model.model_validate_json(answer.content)
        except ValidationError as error:
            raise ServiceUnreachable(
                f"{answer.url} answered something that is not Open Latch.", next_step="Check the service's address."
            ) from error

    def _request(self, method: str, path: str, **more: Any) -> httpx.Response:
        headers = more.pop("headers", {}) | ({} if method == "GET" else {"Idempotency-Key": str(uuid.uuid4())})
        answer: httpx.Response | None
        tries, waited = 0, 0.0
        while True:
            tries += 1
            try:
                answer = self._http.request(method, path, headers=headers, **more)
            except UnicodeEncodeError as error:
                raise _no_text() from error
            except httpx.ReadTimeout as error:
                if method == "GET":
                    raise self._slow() from error
                # It was taken, and is being carried out: with the same key it is not done a second time.
                answer = None
            except httpx.TransportError as error:
                if tries >= _TRIES:
                    raise self._away() from error
                self.pause(0.2 * 2**tries)
                continue
            if answer is None or (method != "GET" and _under_way(answer)):
                if waited > _LONGEST:
                    raise self._slow()
                tries, waited = tries - 1, waited + _EVERY + (self._timeout if answer is None else 0)
                self.pause(_EVERY)
                continue
            if answer.status_code not in _AGAIN or tries >= _TRIES:
                break
            wait = answer.headers.get("Retry-After", "")
            if wait.isdecimal() and int(wait) > 30:
                break
            self.pause(float(wait) if wait.isdecimal() else 0.2 * 2**tries)
        self._warning = answer.headers.get(NO_WORKER, "")
        if answer.is_error:
            raise _error(answer)
        return answer

    def _pieces(self, path: str, **more: Any) -> Iterator[bytes]:
        """What the service sends piece by piece; raises ServiceUnreachable if it is not there, or ends too soon."""
        try:
            with self._http.stream("GET", path, **more) as answer:
                if answer.is_error:
                    answer.read()
                    raise _error(answer)
                yield from answer.iter_bytes()
        except UnicodeEncodeError as error:
            raise _no_text() from error
        except httpx.ConnectError as error:
            raise self._away() from error
        except httpx.TransportError as error:
            raise ServiceUnreachable(
                f"Open Latch at {self._http.base_url.host} stopped in the middle of its answer.",
                next_step="Nothing was changed; ask again.",
            ) from error

    def _away(self) -> ServiceUnreachable:
        url = self._http.base_url
        return ServiceUnreachable(
            f"Open Latch at {url.host}:{url.port or ''} does not answer.",
            next_step="Check the address, and that the service runs.",
        )

    def _slow(self) -> ServiceUnreachable:
        return ServiceUnreachable(
            f"Open Latch at {self._http.base_url.host} is there, but has not answered in time.",
            next_step="Ask for less, or ask again later; what was ordered goes on, and is not done twice.",
        )


def _under_way(answer: httpx.Response) -> bool:
    """Whether the very same request, sent before, is being carried out."""
    if answer.status_code != UnderWay.status:
        return False
    return isinstance(_error(answer), UnderWay)


def _error(answer: httpx.Response) -> OpenLatchError:
    """The same error that the service raised, from its problem document."""
    try:
        problem = wire.Problem.model_validate_json(answer.content)
    except ValidationError:
        return ServiceUnreachable(
            f"{answer.url} answered {answer.status_code}, and not as Open Latch does.",
            next_step="Check the service's address.",
        )
    kind = BY_CODE.get(problem.code, OpenLatchError)
    error = kind(problem.detail, next_step=problem.next, **problem.facts)
    error.fields["errors"] = problem.errors
    error.status = problem.status
    return error


def plain(wanted: Mapping[str, Any]) -> dict[str, str]:
    """Return what is wanted as the query of an address; what is empty is left out."""
    words = {True: "true", False: "false"}
    return {
        k: words.get(v, str(v)) if isinstance(v, bool) else str(v) for k, v in wanted.items() if v not in (None, "")
    }


def part(text: str) -> str:
    """One part of a path; what a person typed may hold anything."""
    try:
        part = quote(text.replace("/", " ").strip(), safe="") or "%20"
    except UnicodeEncodeError as error:
        raise _no_text() from error
    return part if part.strip(".") else "%20"


def _no_text() -> Invalid:
    """What is said of bytes that a terminal or a file name handed over as text."""
    return Invalid("What was given has bytes that are not text in UTF-8. Nothing was sent.", next_step="Type it again.")
