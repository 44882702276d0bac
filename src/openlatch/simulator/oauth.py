"""An OAuth 2.0 server as far as its holder sees it: metadata, introspection, revocation (RFC 8414, 7662, 7009).

In addition to the faults of every stand-in it knows:

other_issuer     the metadata speak for another issuer
unsupported      revocation is answered unsupported_token_type
keep_active      the next N introspections of a revoked token still say that it is active
"""

from __future__ import annotations

import base64
from typing import Any

from werkzeug.routing import Rule
from werkzeug.wrappers import Request, Response

from openlatch.simulator.stand_in import StandIn, answer

__all__ = ["OAuthStandIn"]


class OAuthStandIn(StandIn):
    """The WSGI app; the token at the door is the secret of the one client, `open-latch`."""

    def rules(self) -> list[Rule]:
        return [
            Rule("/.well-known/oauth-authorization-server", endpoint=self._metadata, methods=["GET"]),
            Rule("/introspect", endpoint=self._introspect, methods=["POST"]),
            Rule("/revoke", endpoint=self._revoke, methods=["POST"]),
        ]

    def fill(self, seed: dict[str, Any]) -> None:
        for token in seed["tokens"]:
            self.add("tokens", token["token"], token)

    def lets_in(self, request: Request) -> bool:
        if request.path.startswith("/.well-known/"):
            return True
        expected = base64.b64encode(f"open-latch:{self._token}".encode()).decode()
        return request.headers.get("Authorization") == f"Basic {expected}"

    def _metadata(self, request: Request) -> Response:
        base = request.host_url.rstrip("/")
        issuer = "https://elsewhere.example" if self.fault("other_issuer") else base
        return answer(
            {
                "issuer": issuer,
                "response_types_supported": ["code"],
                "introspection_endpoint": f"{base}/introspect",
                "revocation_endpoint": f"{base}/revoke",
            }
        )

    def _introspect(self, request: Request) -> Response:
        if self.fault("garbage"):
            return answer({"active": "perhaps"})
        token = request.form.get("token", "")
        also_ended = token in self._revoked() and self.spend("keep_active")
        document = next((t for t in self.items("tokens", also_ended=also_ended) if t["token"] == token), None)
        if document is None:
            return answer({"active": False})
        return answer({"active": True} | {name: value for name, value in document.items() if name != "token"})

    def _revoke(self, request: Request) -> Response:
        if self.fault("unsupported"):
            return answer({"error": "unsupported_token_type"}, 400)
        token = request.form.get("token", "")
        if token not in self._revoked() and any(t["token"] == token for t in self.items("tokens")):
            self._db.execute("update items set ended = 1 where noun = 'tokens' and key = ?", [token])
            self.effect(token)
        # RFC 7009, 2.2: a token that is not known is answered like one that was revoked.
        return Response(status=200)

    def _revoked(self) -> set[str]:
        return {row["key"] for row in self._db.execute("select key from items where noun = 'tokens' and ended = 1")}
