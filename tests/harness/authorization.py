"""An authorization server built on a library from elsewhere: clients, their tokens, and who may ask about which."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from authlib.integrations.flask_oauth2 import AuthorizationServer
from authlib.oauth2.rfc6749 import ClientMixin, TokenMixin
from authlib.oauth2.rfc7009 import RevocationEndpoint
from authlib.oauth2.rfc7523 import JWTBearerClientAssertion
from authlib.oauth2.rfc7662 import IntrospectionEndpoint
from flask import Flask, jsonify

ISSUER = "https://auth.example"


@dataclass
class Registered(ClientMixin):  # type: ignore[misc]
    """A client, registered for one way to prove who it is; `sees` are the clients about whose tokens it may ask."""

    client_id: str
    secret: str
    method: str
    sees: frozenset[str]
    key: dict[str, Any] = field(default_factory=dict)

    def get_client_id(self) -> str:
        return self.client_id

    def check_client_secret(self, client_secret: str) -> bool:
        return client_secret == self.secret

    def check_endpoint_auth_method(self, method: str, endpoint: str) -> bool:
        return method == self.method


@dataclass
class Issued(TokenMixin):  # type: ignore[misc]
    """A token of an app; what renews it is another one."""

    value: str
    kind: str
    client_id: str
    username: str = "maren"
    scope: str = "donors.read"
    renews: str = ""
    revoked: bool = False
    server: Authorization | None = None

    def check_client(self, client: Registered) -> bool:
        return self.client_id in client.sees

    def is_expired(self) -> bool:
        return False

    def is_revoked(self) -> bool:
        return self.revoked


@dataclass
class Authorization:
    """The server: `strict` hints find tokens of their own type only; with `metadata` it says how clients prove who they
    are, and `kept` tokens are revoked in words only.
    """

    clients: dict[str, Registered]
    tokens: dict[str, Issued]
    strict: bool = False
    metadata: bool = True
    kept: set[str] = field(default_factory=set)
    asked: list[tuple[str, str]] = field(default_factory=list)

    def app(self) -> Flask:
        here, app = self, Flask("authorization")
        methods = ["client_secret_basic", "client_secret_post", "private_key_jwt"]

        def found(token: str, hint: str) -> Issued | None:
            one = here.tokens.get(token)
            return None if one is None or (here.strict and hint not in (None, "", one.kind)) else one

        class Introspection(IntrospectionEndpoint):  # type: ignore[misc]
            CLIENT_AUTH_METHODS = methods

            def query_token(self, token_string: str, token_type_hint: str) -> Issued | None:
                here.asked.append((token_string, token_type_hint))
                return found(token_string, token_type_hint)

            def check_permission(self, token: Issued, client: Registered, request: Any) -> bool:
                return token.check_client(client)

            def introspect_token(self, token: Issued) -> dict[str, Any]:
                return {
                    "client_id": token.client_id,
                    "username": token.username,
                    "scope": token.scope,
                    "iat": 1767225600,
                }

        class Revocation(RevocationEndpoint):  # type: ignore[misc]
            CLIENT_AUTH_METHODS = methods

            def query_token(self, token_string: str, token_type_hint: str) -> Issued | None:
                return found(token_string, token_type_hint)

            def revoke_token(self, token: Issued, request: Any) -> None:
                token.revoked = token.value not in here.kept

        class Assertion(JWTBearerClientAssertion):  # type: ignore[misc]
            CLIENT_AUTH_METHOD = "private_key_jwt"

            def get_audiences(self) -> list[str]:
                return [ISSUER]

            def validate_jti(self, claims: Any, jti: str) -> bool:
                return True

            def resolve_client_public_key(self, client: Registered, headers: Any = None) -> Any:
                return client.key

        server = AuthorizationServer(app, query_client=here.clients.get, save_token=lambda *_: None)
        server.register_client_auth_method("private_key_jwt", Assertion())
        server.register_endpoint(Introspection)
        server.register_endpoint(Revocation)

        @app.get("/.well-known/oauth-authorization-server")
        def metadata() -> Any:
            ways = {f"{name}_endpoint_auth_methods_supported": methods for name in ("introspection", "revocation")}
            return jsonify(
                {
                    "issuer": ISSUER,
                    "introspection_endpoint": f"{ISSUER}/introspect",
                    "revocation_endpoint": f"{ISSUER}/revoke",
                }
                | (ways if here.metadata else {})
            )

        app.add_url_rule(
            "/introspect", "introspect", lambda: server.create_endpoint_response("introspection"), methods=["POST"]
        )
        app.add_url_rule("/revoke", "revoke", lambda: server.create_endpoint_response("revocation"), methods=["POST"])
        return app
