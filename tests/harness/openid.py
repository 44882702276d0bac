"""An OpenID provider that nobody here wrote, in this process; it says of everybody what a test has it say."""

from __future__ import annotations

from typing import Any
from urllib.parse import parse_qsl, quote, urlsplit

import httpx
import oidc_provider_mock

from tests.harness.ridge import Ridge

__all__ = ["ISSUER", "Login"]

ISSUER = "https://login.kestrelridge.example"


class Login:
    """One provider under an address; two under two addresses know nothing of each other."""

    def __init__(self, ridge: Ridge, issuer: str = ISSUER) -> None:
        self.issuer = issuer
        ridge.transport.serve(issuer, oidc_provider_mock.app(require_nonce=True))
        self._http = httpx.Client(transport=ridge.transport)

    def knows(self, subject: str, **claims: Any) -> None:
        """Have it say this of someone from now on."""
        self._http.put(f"{self.issuer}/users/{quote(subject)}", json=claims).raise_for_status()

    def come_back(self, url: str, subject: str) -> dict[str, str]:
        """What someone comes back with who went to `url` and signed in there."""
        answer = self._http.post(url, data={"sub": subject})
        assert answer.status_code == 302, answer.text
        return dict(parse_qsl(urlsplit(answer.headers["location"]).query))
