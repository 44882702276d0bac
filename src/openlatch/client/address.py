"""The address of a service, as people type it."""

from __future__ import annotations

import re
from ipaddress import ip_address

import httpx

from openlatch.errors import Invalid

__all__ = ["service_address"]

_HOST = re.compile(r"[a-z0-9._-]+|[0-9a-f:.]+", re.IGNORECASE)


def service_address(text: str) -> str:
    """Return the address of a service in one form; raises Invalid for what is none.

    Without a scheme it is https; on this machine itself it is http.
    """
    typed = text.strip()
    try:
        url = httpx.URL(typed if "://" in typed else f"//{typed}")
        if not url.scheme:
            url = httpx.URL(f"{'http' if _this_machine(url.host) else 'https'}://{typed}")
    except (httpx.InvalidURL, UnicodeError, ValueError):
        url = httpx.URL()
    if url.scheme not in ("http", "https") or not _HOST.fullmatch(url.raw_host.decode("ascii")):
        raise Invalid(
            f"“{text}” is not the address of a service. Nothing was sent.",
            next_step="Give it as you see it in the browser, such as: https://openlatch.kestrelridge.example",
        )
    return str(url).rstrip("/")


def _this_machine(host: str) -> bool:
    if host == "localhost" or host.endswith(".localhost"):
        return True
    try:
        return ip_address(host).is_loopback
    except ValueError:
        return False
