"""Receipts, reports and heads as signed text: JSON Web Signatures (RFC 7515) with Ed25519, called EdDSA (RFC 8037)."""

from __future__ import annotations

import hashlib
import json
import warnings
from collections.abc import Mapping
from typing import Any

from joserfc import jws
from joserfc.errors import JoseError
from joserfc.jwk import KeySet, OKPKey

from openlatch.errors import Invalid

__all__ = ["ALGORITHM", "check", "new_key", "public", "report_digest", "seal"]

ALGORITHM = "EdDSA"
"""the name that every verifier knows for what RFC 9864 calls Ed25519"""
_TAKEN = [ALGORITHM, "Ed25519"]
warnings.filterwarnings("ignore", message="EdDSA is deprecated")  # in favour of a name that few verifiers know yet
_TYPE = "openlatch-{kind}+json"
_TYPES = {"security-event": "secevent+jwt"}
"""those that are not our own"""


def new_key(name: str) -> dict[str, Any]:
    """Return a new private key as a JSON Web Key (RFC 7517), with its name in `kid`."""
    key = OKPKey.generate_key("Ed25519", {"kid": name, "use": "sig", "alg": ALGORITHM})
    return dict(key.as_dict(private=True))


def public(key: Mapping[str, Any]) -> dict[str, Any]:
    """Return the half of a key that may be shown."""
    return {name: value for name, value in key.items() if name != "d"}


def seal(said: Mapping[str, Any], key: Mapping[str, Any], kind: str = "receipt") -> str:
    """Return what a receipt, a report or a token says, signed with a private key, in compact form."""
    header = {"alg": ALGORITHM, "kid": key["kid"], "typ": _TYPES.get(kind, _TYPE.format(kind=kind))}
    payload = json.dumps(said, sort_keys=True, separators=(",", ":"), ensure_ascii=False)
    return jws.serialize_compact(header, payload, _key(key), algorithms=[ALGORITHM])


def _key(key: Mapping[str, Any]) -> OKPKey:
    # Keys of before name the algorithm otherwise; it is the same.
    return OKPKey.import_key({name: value for name, value in key.items() if name != "alg"})


def report_digest(report: Mapping[str, Any]) -> str:
    """Return the SHA-256 of a report's JSON in canonical form (RFC 8785, for texts, whole numbers and the like)."""
    text = json.dumps(report, sort_keys=True, separators=(",", ":"), ensure_ascii=False)
    return hashlib.sha256(text.encode()).hexdigest()


def check(signed: str, keys: Mapping[str, Any], kind: str = "receipt") -> dict[str, Any]:
    """Return what was signed; raises Invalid if none of the published keys made it, or it was altered."""
    try:
        signature = jws.deserialize_compact(
            signed.strip(), KeySet([_key(key) for key in keys["keys"]]), algorithms=_TAKEN
        )
        if signature.headers().get("typ") != _TYPE.format(kind=kind):
            raise ValueError(f"it is not a {kind}")
        said = json.loads(signature.payload)
    except (JoseError, ValueError, KeyError, TypeError) as error:
        why = {"bad_signature": "its signature does not fit what it says", "decode_error": "it is not whole"}
        said_so = why.get(getattr(error, "error", ""), str(error).rstrip(". "))
        raise Invalid(
            f"This {kind} does not hold: {said_so}.",
            next_step=f"Get the {kind} again, and the keys from the service that made it: openlatch receipt keys",
        ) from error
    if not isinstance(said, dict):
        raise Invalid(f"This {kind} does not hold: it says nothing.", next_step=f"Get the {kind} again.")
    return said
