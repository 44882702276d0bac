"""Receipts as signed text: JSON Web Signatures (RFC 7515) with Ed25519 (RFC 8037, 9864), checked by anybody."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from joserfc import jws
from joserfc.errors import JoseError
from joserfc.jwk import KeySet, OKPKey

from openlatch.errors import Invalid

__all__ = ["ALGORITHM", "check", "new_key", "public", "seal"]

ALGORITHM = "Ed25519"
_TYPE = "openlatch-receipt+json"


def new_key(name: str) -> dict[str, Any]:
    """Return a new private key as a JSON Web Key (RFC 7517), with its name in `kid`."""
    key = OKPKey.generate_key("Ed25519", {"kid": name, "use": "sig", "alg": ALGORITHM})
    return dict(key.as_dict(private=True))


def public(key: Mapping[str, Any]) -> dict[str, Any]:
    """Return the half of a key that may be shown."""
    return {name: value for name, value in key.items() if name != "d"}


def seal(receipt: Mapping[str, Any], key: Mapping[str, Any]) -> str:
    """Return a receipt signed with a private key, in compact form."""
    header = {"alg": ALGORITHM, "kid": key["kid"], "typ": _TYPE}
    payload = json.dumps(receipt, sort_keys=True, separators=(",", ":"), ensure_ascii=False)
    return jws.serialize_compact(header, payload, OKPKey.import_key(dict(key)), algorithms=[ALGORITHM])


def check(signed: str, keys: Mapping[str, Any]) -> dict[str, Any]:
    """Return what a signed receipt says; raises Invalid if none of the published keys made it, or it was altered."""
    try:
        found = jws.deserialize_compact(
            signed.strip(), KeySet([OKPKey.import_key(dict(key)) for key in keys["keys"]]), algorithms=[ALGORITHM]
        )
        if found.headers().get("typ") != _TYPE:
            raise ValueError("it is not a receipt")
        said = json.loads(found.payload)
    except (JoseError, ValueError, KeyError, TypeError) as error:
        why = {"bad_signature": "its signature does not fit what it says", "decode_error": "it is not whole"}
        said_so = why.get(getattr(error, "error", ""), str(error).rstrip(". "))
        raise Invalid(
            f"This receipt does not hold: {said_so}.",
            next_step="Get the receipt again, and the keys from the service that made it: openlatch receipt keys",
        ) from error
    if not isinstance(said, dict):
        raise Invalid("This receipt does not hold: it says nothing.", next_step="Get the receipt again.")
    return said
