"""What connectors that speak HTTP share: one thin send, and one reading of what can go wrong on the way."""

from __future__ import annotations

import random
import ssl
import time
import weakref
from base64 import b64decode
from collections.abc import Callable, Collection, Mapping
from contextlib import suppress
from email.utils import parsedate_to_datetime
from functools import cache
from typing import Any, TypeVar
from urllib.parse import parse_qs, unquote, urlsplit

import httpx
from pydantic import BaseModel, ValidationError

from openlatch.connecting import outgoing
from openlatch.connecting.settings import checked, wrong
from openlatch.core.providers.ports import About
from openlatch.errors import ProviderDown, ProviderRefused, ProviderUnreadable

__all__ = ["ASKS", "STANDS", "Caller", "checked_settings", "said"]

Model = TypeVar("Model", bound=BaseModel)

_TRIES = 4
ASKS = ("GET", "PROPFIND")
"""The methods that only ask."""
_LONGEST = 10
"""Seconds: who wants to be left in peace for longer is read another time."""
_PATIENCE = 60
"""Seconds that are waited in all, by one connection to a provider."""
_LONGEST_OF_READING = 60
_PATIENCE_OF_READING = 900
"""The same of a whole reading, which nobody waits for."""
_SECRET = 8
"""No shorter word of what we have sent is a secret."""
_WORDS = ("detail", "reason", "error_description", "message", "title", "error")
_MOST_SAID = 200
_TIMEOUT = httpx.Timeout(20, connect=5)
_MOST_BYTES = 32 * 1024 * 1024
STANDS = "what was known before is kept."


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


def _certificate_trouble(error: BaseException | None) -> str:
    """What is wrong with the certificate of whoever was asked, if that is why nothing came of it."""
    while error is not None:
        if isinstance(error, ssl.SSLCertVerificationError):
            return error.verify_message
        error = error.__cause__ or error.__context__
    return ""


def pause(seconds: float) -> None:
    """Wait, as whoever asks a provider does between two tries."""
    time.sleep(seconds)


class Caller:
    """Sends requests of one protocol; every answer that the protocol does not foresee becomes a domain error."""

    def __init__(
        self, protocol: str, headers: Mapping[str, str], transport: httpx.BaseTransport | None = None, **more: Any
    ) -> None:
        self._protocol = protocol
        verify = _certificates()
        self._waited, self._patience, self._longest = 0.0, _PATIENCE, _LONGEST
        self.pause: Callable[[float], None] = pause
        mounts = outgoing.carriers(verify) if transport is None else {}
        self._http = httpx.Client(
            headers=dict(headers),
            timeout=_TIMEOUT,
            transport=transport,
            mounts=mounts,
            verify=verify,
            trust_env=False,
            **more,
        )
        # What is called is left as soon as nobody calls it any more, not when memory happens to be cleared.
        weakref.finalize(self, self._http.close)

    def reads(self) -> None:
        """Be as patient from now on as a whole reading may be."""
        self._patience, self._longest = _PATIENCE_OF_READING, _LONGEST_OF_READING

    def send(self, method: str, url: str, *, ok: Collection[int] = (200,), **more: Any) -> httpx.Response:
        """Send a request; returns an answer with one of the statuses in `ok`.

        What only asks is asked again, a few times and never before the provider wants it, so that a reading goes on
        where it was; what changes something is left to whoever ordered it, who has a key for that.
        """
        for tries in range(1, _TRIES if method in ASKS else 1):
            try:
                return self._once(method, url, ok, more)
            except ProviderDown as error:
                wait = self._wait(error.fields.get("retry_after"), tries)
                if wait is None:
                    raise
                self._waited += wait
                self.pause(wait)
        return self._once(method, url, ok, more)

    def _wait(self, asked_for: int | None, tries: int) -> float | None:
        """How long to wait before asking again; None where that is too long, or enough was waited already."""
        shortest = 0.25 * 2**tries if asked_for is None else float(asked_for)
        wait = shortest * (1 + random.random() / 4)  # noqa: S311 - so that two do not ask at the same moment again
        return wait if shortest <= self._longest and self._waited + wait <= self._patience else None

    def _once(self, method: str, url: str, ok: Collection[int], more: Mapping[str, Any]) -> httpx.Response:
        try:
            answer = self._answer(method, url, more)
        except httpx.HTTPError as error:
            invalid = _certificate_trouble(error)
            if invalid:
                raise ProviderUnreadable(
                    f"{url} shows a certificate that is not valid ({invalid}). Nothing was sent to it.",
                    next_step=f"Have its certificate put right, or correct the address; {STANDS}",
                ) from error
            raise ProviderDown(
                f"{url} does not answer ({type(error).__name__}).",
                next_step=f"It will be tried again automatically; {STANDS}",
            ) from error
        if answer.status_code in ok:
            return answer
        words = said(answer)
        if answer.status_code == 429 or answer.status_code >= 500:
            raise ProviderDown(
                f"{url} answered {answer.status_code}{words}.",
                next_step=f"It will be tried again automatically; {STANDS}",
                retry_after=_seconds(answer),
            )
        if answer.status_code in (401, 403):
            raise ProviderRefused(
                f"{url} does not accept our credentials ({answer.status_code}{words}).",
                next_step="Enter those that the provider expects, with the rights that its connector needs.",
            )
        raise ProviderUnreadable(
            f"{url} answered {answer.status_code}{words}, which is not what {self._protocol} foresees here.",
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

    def _answer(self, method: str, url: str, more: Mapping[str, Any]) -> httpx.Response:
        """The whole answer to a request; one that goes on for too long is left in the middle."""
        with self._http.stream(method, url, **more) as answer:
            pieces, size = [], 0
            for piece in answer.iter_bytes():
                size += len(piece)
                if size > _MOST_BYTES:
                    raise ProviderUnreadable(
                        f"{url} sent more than {_MOST_BYTES >> 20} MB in one answer, and the rest was not read.",
                        next_step=f"Have it send smaller pages; {STANDS}",
                    )
                pieces.append(piece)
        # What was packed on the way is unpacked by now.
        headers = [(name, value) for name, value in answer.headers.multi_items() if name.lower() != "content-encoding"]
        return httpx.Response(answer.status_code, headers=headers, content=b"".join(pieces), request=answer.request)


def _seconds(answer: httpx.Response) -> int | None:
    """In how many seconds a provider may be asked again, by its Retry-After (RFC 9110, 10.2.3): seconds, or a date.

    A date is compared with the date of the answer: both are by the provider's own clock.
    """
    text = answer.headers.get("Retry-After", "").strip()
    if text.isascii() and text.isdecimal():
        return int(text) if len(text) < 6 else None
    try:
        again, sent = (parsedate_to_datetime(value) for value in (text, answer.headers.get("Date", "")))
        return min(max(int((again - sent).total_seconds()), 0), 99_999)
    except (ValueError, TypeError, OverflowError):
        return None


def said(answer: httpx.Response) -> str:
    """Return the provider's own words about what went wrong, such as SCIM's `detail` or OAuth's `error_description`.

    Words that repeat what we have proved ourselves with, or asked about, are left out.
    """
    try:
        told = answer.json()
    except ValueError:
        return ""
    words = [told.get(name) for name in _WORDS] if isinstance(told, dict) else []
    text = " ".join(next((word for word in words if isinstance(word, str) and word.strip()), "").split())
    if not text or any(each_text in text for each_text in _ours(answer.request) if len(each_text) >= _SECRET):
        return ""
    return f": “{text[:_MOST_SAID].rstrip('.')}”"


def _ours(request: httpx.Request) -> list[str]:
    """What may be secret in a request: its credentials, also as they were before they were encoded, and its form."""
    kind, _, given = request.headers.get("Authorization", "").partition(" ")
    found = [given, *(value for name, value in request.headers.items() if name.lower().startswith("x-"))]
    if kind.lower() == "basic":
        with suppress(ValueError):
            found += [unquote(part) for part in b64decode(given).decode().split(":")]
    form = parse_qs(request.content.decode("utf-8", "replace"))
    return found + [value for values in form.values() for value in values]
