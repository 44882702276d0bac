"""What HTTP says beside a body: which version it is (RFC 9110, ETag), where more of it is, and packed lists."""

from __future__ import annotations

import gzip
import hashlib
import json
from collections.abc import Mapping
from typing import Any
from urllib.parse import quote, urlencode

from flask import Response, request

from openlatch.errors import Malformed, OtherVersion

__all__ = ["describe_answer", "located", "refuse_other_version", "version_of"]

LEAST_PACKED = 1400
"""Less than that fits into one packet, and gains nothing."""


def version_of(body: bytes) -> str:
    """Return what tells this representation from any other, as an ETag."""
    return f'"{hashlib.sha256(body).hexdigest()[:24]}"'


def refuse_other_version(body: bytes | None) -> None:
    """Refuse (OtherVersion) a change of another version than If-Match names; `body` None has no versions."""
    wanted = request.headers.get("If-Match", "").strip()
    if not wanted or wanted == "*":
        return
    if body is None:
        raise Malformed(
            f"{request.path[:200]} has no versions that If-Match could name. Nothing was changed.",
            next_step="Leave the header out.",
        )
    there = version_of(body)
    if there not in [one.strip() for one in wanted.split(",")]:
        raise OtherVersion(
            "It has changed since you looked. Nothing was changed.",
            next_step="Get it again, look at what changed, and send the change with the new ETag.",
            etag=there,
        )


def describe_answer(response: Response, *, lists: bool) -> Response:
    """Add what is known of the answer to a question: its version, the address of the next page; and pack a list."""
    if response.status_code != 200 or response.mimetype != "application/json":
        return response
    body = response.get_data()
    response.headers["ETag"] = version_of(body)
    if response.headers["ETag"] in [one.strip() for one in request.headers.get("If-None-Match", "").split(",")]:
        response.status_code = 304
        response.set_data(b"")
        del response.headers["Content-Type"]
        return response
    if lists:
        cursor = json.loads(body).get("next")
        if cursor:
            asked = urlencode({**request.args, "cursor": cursor})
            response.headers["Link"] = f'<{request.path}?{asked}>; rel="next"'
        response.headers["Vary"] = "Accept-Encoding"
        # Lists only: what is secret in an answer must not be told by how well it can be packed.
        if len(body) >= LEAST_PACKED and request.accept_encodings.quality("gzip") > 0:
            response.set_data(gzip.compress(body, 1, mtime=0))
            response.headers["Content-Encoding"] = "gzip"
    return response


def located(response: Response, prefix: str, rules: Mapping[str, object]) -> Response:
    """Add where what was made can be found, if there is such an address: under the one that made it, by its name."""
    if response.status_code not in (201, 202) or response.mimetype != "application/json":
        return response
    made: dict[str, Any] = json.loads(response.get_data())
    name = made.get("ref") or made.get("id")
    if name and any(rule.startswith(f"{prefix}/<") and rule.count("/") == prefix.count("/") + 1 for rule in rules):
        response.headers["Location"] = f"{request.path}/{quote(str(name))}"
    return response
