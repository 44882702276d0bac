"""Sending a POST to an address that someone has named, and nothing more."""

from __future__ import annotations

import weakref
from collections.abc import Mapping
from functools import cached_property
from typing import TYPE_CHECKING

from openlatch.connecting import outgoing
from openlatch.core.record.secrecy import without_secrets
from openlatch.deferred import deferred
from openlatch.errors import ProviderDown

if TYPE_CHECKING:
    import httpx
else:
    httpx = deferred("httpx")

__all__ = ["HttpHerald"]

_SECONDS, _TO_CONNECT = 10, 5


class HttpHerald:
    """Sends over HTTP; follows no redirect, and takes no answer but that it was taken."""

    def __init__(self, transport: httpx.BaseTransport | None = None) -> None:
        self._transport = transport

    @cached_property
    def _http(self) -> httpx.Client:
        timeout = httpx.Timeout(_SECONDS, connect=_TO_CONNECT)
        mounts = outgoing.carriers(httpx.create_ssl_context()) if self._transport is None else {}
        http = httpx.Client(
            timeout=timeout, transport=self._transport, mounts=mounts, follow_redirects=False, trust_env=False
        )
        weakref.finalize(self, http.close)
        return http

    def post(self, url: str, body: bytes, headers: Mapping[str, str]) -> None:
        shown = without_secrets(url)
        try:
            with self._http.stream("POST", url, content=body, headers=dict(headers)) as answer:
                status = answer.status_code
        except httpx.HTTPError as error:
            raise ProviderDown(
                f"{shown} does not answer ({type(error).__name__}).", next_step="It will be tried again automatically."
            ) from error
        if not 200 <= status < 300:
            raise ProviderDown(f"{shown} answered {status}.", next_step="It will be tried again automatically.")
