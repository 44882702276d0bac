"""What connectors that speak HTTP share: one thin send, and one reading of what can go wrong on the way."""

from __future__ import annotations

import ssl
from collections.abc import Collection, Mapping
from functools import cache
from typing import Any, TypeVar
from urllib.parse import urlsplit

import httpx
from pydantic import BaseModel, ValidationError

from openlatch.connectors.settings import checked, wrong
from openlatch.core.ports import About
from openlatch.errors import ProviderDown, ProviderRefused, ProviderUnreadable

__all__ = ["Caller", "checked_settings"]

Model = TypeVar("Model", bound=BaseModel)

_TIMEOUT = httpx.Timeout(20, connect=5)
_MOST_BYTES = 32 * 1024 * 1024
STANDS = "what was known before still stands."


def checked_settings(
    connector: str, about: About, settings: Mapping[str, str], *, url: str
) -> tuple[str, Mapping[str, str]]:
    """Return the address in the setting called `url` without a slash at its end, and the other settings, or refuse."""
    checked(connector, about, settings)
    address = settings[url].rstrip("/")
    parts = urlsplit(address)
    if parts.scheme not in ("http", "https") or not parts.netloc:
        raise wrong(
            connector, url, f"is {address!r}, which is not an address", "Give one such as https://desk.example."
        )
    return address, {name: value for name, value in settings.items() if name != url}


@cache
def _certificates() -> ssl.SSLContext:
    """Whom we trust, read once: each reading of the file takes longer than a call to a provider nearby."""
    return httpx.create_ssl_context()


class Caller:
    """Sends requests of one protocol; every answer that the protocol does not foresee becomes a domain error."""

    def __init__(
        self, protocol: str, headers: Mapping[str, str], transport: httpx.BaseTransport | None = None, **more: Any
    ) -> None:
        self._protocol = protocol
        verify = _certificates()
        self._http = httpx.Client(headers=dict(headers), timeout=_TIMEOUT, transport=transport, verify=verify, **more)

    def send(self, method: str, url: str, *, ok: Collection[int] = (200,), **more: Any) -> httpx.Response:
        """Send a request; returns an answer with one of the statuses in `ok`."""
        try:
            answer = self._http.request(method, url, **more)
        except httpx.HTTPError as error:
            raise ProviderDown(
                f"{url} does not answer ({type(error).__name__}).",
                next_step=f"It is tried again by itself; {STANDS}",
            ) from error
        if answer.status_code in ok:
            return self._sized(answer, url)
        if answer.status_code == 429 or answer.status_code >= 500:
            raise ProviderDown(
                f"{url} answered {answer.status_code}.",
                next_step=f"It is tried again by itself; {STANDS}",
                retry_after=_seconds(answer.headers.get("Retry-After", "")),
            )
        if answer.status_code in (401, 403):
            raise ProviderRefused(
                f"{url} does not accept our credentials ({answer.status_code}).",
                next_step="Enter those that the provider expects, with the rights that its connector needs.",
            )
        raise ProviderUnreadable(
            f"{url} answered {answer.status_code}, which is not what {self._protocol} foresees here.",
            next_step=f"Check the address; {STANDS}",
        )

    def parsed(self, model: type[Model], answer: httpx.Response) -> Model:
        """Return the message in an answer, or say at which place it is not what the protocol foresees."""
        try:
            return model.model_validate_json(answer.content)
        except ValidationError as error:
            first = error.errors(include_input=False, include_url=False)[0]
            place = ".".join(str(part) for part in first["loc"]) or "the document itself"
            raise ProviderUnreadable(
                f"{answer.request.url} sent something that is not {self._protocol}: {place}: {first['msg']}.",
                next_step=f"Tell whoever runs it; {STANDS}",
                at=place,
            ) from error

    def _sized(self, answer: httpx.Response, url: str) -> httpx.Response:
        if len(answer.content) > _MOST_BYTES:
            raise ProviderUnreadable(
                f"{url} sent {len(answer.content)} bytes in one answer.", next_step="Ask for smaller pages."
            )
        return answer


def _seconds(text: str) -> int | None:
    return int(text) if text.isdecimal() and len(text) < 6 else None
