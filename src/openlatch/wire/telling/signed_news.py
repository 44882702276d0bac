"""What webhooks send: CloudEvents 1.0 in structured JSON, signed as RFC 9421 says; and how a receiver checks that.

Nothing is sent that a receiver does not need: what happened to which thing, by its id. The API tells the rest.
"""

from __future__ import annotations

import base64
import hashlib
import hmac
import re
from collections.abc import Mapping
from datetime import datetime, timedelta

__all__ = ["CONTENT_TYPE", "TYPE", "is_genuine", "signed"]

CONTENT_TYPE = "application/cloudevents+json"
TYPE = "org.openlatch."
"""What the types of events begin with; the act as it stands in the log follows, such as `offer.taken-up`."""
_COVERED = ("@method", "@target-uri", "content-type", "content-digest")
_LABEL = "latch"


def signed(url: str, body: bytes, key_id: str, secret: str, now: datetime) -> dict[str, str]:
    """Return the headers of a POST to an address: its digest (RFC 9530) and its signature (RFC 9421, HMAC-SHA-256)."""
    digest = f"sha-256=:{_base64(hashlib.sha256(body).digest())}:"
    covered = " ".join(f'"{name}"' for name in _COVERED)
    params = f'({covered});created={int(now.timestamp())};keyid="{key_id}";alg="hmac-sha256"'
    signature = _base64(_mac(secret, _base(url, CONTENT_TYPE, digest, params)))
    return {
        "Content-Type": CONTENT_TYPE,
        "Content-Digest": digest,
        "Signature-Input": f"{_LABEL}={params}",
        "Signature": f"{_LABEL}=:{signature}:",
    }


def is_genuine(
    url: str,
    headers: Mapping[str, str],
    body: bytes,
    secret: str,
    now: datetime,
    *,
    within: timedelta = timedelta(minutes=5),
) -> bool:
    """Return whether a POST that came to an address was signed with a secret, not long ago, and is unaltered.

    A receiver also has to remember the ids of events for that long: the same one can come twice.
    """
    given = {name.lower(): value for name, value in headers.items()}
    found = re.fullmatch(
        rf'{_LABEL}=(\((?:"[a-z@-]+" ?)+\);created=(\d{{1,12}});keyid="[^"]*";alg="hmac-sha256")',
        given.get("signature-input", ""),
    )
    signature = re.fullmatch(rf"{_LABEL}=:([A-Za-z0-9+/=]+):", given.get("signature", ""))
    digest = given.get("content-digest", "")
    if found is None or signature is None or digest != f"sha-256=:{_base64(hashlib.sha256(body).digest())}:":
        return False
    if found[1].partition(")")[0] != "(" + " ".join(f'"{name}"' for name in _COVERED):
        return False
    if abs(now.timestamp() - int(found[2])) > within.total_seconds():
        return False
    expected = _base64(_mac(secret, _base(url, given.get("content-type", ""), digest, found[1])))
    return hmac.compare_digest(expected, signature[1])


def _base(url: str, content_type: str, digest: str, params: str) -> str:
    """The text that is signed (RFC 9421, 2.5)."""
    values = {"@method": "POST", "@target-uri": url, "content-type": content_type, "content-digest": digest}
    return "\n".join([*(f'"{name}": {values[name]}' for name in _COVERED), f'"@signature-params": {params}'])


def _mac(secret: str, text: str) -> bytes:
    return hmac.new(secret.encode(), text.encode(), hashlib.sha256).digest()


def _base64(content: bytes) -> str:
    return base64.b64encode(content).decode()
