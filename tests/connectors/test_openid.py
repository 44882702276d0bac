"""An OpenID provider is believed only in what it has signed, for us, for this question and of now."""

from __future__ import annotations

import json
from base64 import urlsafe_b64encode
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any
from urllib.parse import parse_qsl, urlsplit
from uuid import uuid4

import httpx
import pytest
from hypothesis import given
from hypothesis import strategies as st
from joserfc import jwk, jwt

from openlatch.connectors.openid import OpenIdProvider
from openlatch.core.people.sign_on import Question, SignOn
from openlatch.errors import (
    NotSignedIn,
    OpenLatchError,
    ProviderDown,
    ProviderRefused,
    ProviderUnreadable,
)

ISSUER = "https://login.kestrelridge.example"
BACK = "https://latch.kestrelridge.example/signed-on"
QUESTION = Question("state", "nonce", "v" * 43, fresh=False)
NOW = datetime(2026, 3, 1, 12, tzinfo=UTC)
Change = Callable[["Login"], object]


class Login:
    """A provider that does as the standard says, until a test has it do something else."""

    def __init__(self) -> None:
        self.key = jwk.RSAKey.generate_key(2048, {"kid": "1"})
        self.keys = [self.key]
        self.said: dict[str, Any] = {
            "issuer": ISSUER,
            "authorization_endpoint": f"{ISSUER}/in?tenant=7",
            "token_endpoint": f"{ISSUER}/token",
            "jwks_uri": f"{ISSUER}/keys",
            "userinfo_endpoint": f"{ISSUER}/me",
            "scopes_supported": ["openid", "groups"],
        }
        self.claims: dict[str, Any] = {
            "iss": ISSUER,
            "sub": "7",
            "aud": "latch",
            "exp": int((NOW + timedelta(minutes=5)).timestamp()),
            "iat": int(NOW.timestamp()),
            "nonce": "nonce",
        }
        self.told: dict[str, Any] = {"sub": "7", "email": "juno.marsh@kestrelridge.example", "email_verified": True}
        self.header: dict[str, Any] = {"alg": "RS256", "kid": "1"}
        self.forms: list[dict[str, str]] = []
        self.shown: list[str] = []
        self.statuses: dict[str, int] = {}

    def answer(self, request: httpx.Request) -> httpx.Response:
        path = request.url.path
        if path in self.statuses:
            return httpx.Response(self.statuses[path], json={"error": "invalid_grant"})
        if path == "/.well-known/openid-configuration":
            return httpx.Response(200, json=self.said)
        if path == "/keys":
            return httpx.Response(200, json={"keys": [key.as_dict(private=False) for key in self.keys]})
        if path == "/token":
            self.forms.append(dict(parse_qsl(request.content.decode())))
            self.shown.append(request.headers.get("Authorization", ""))
            return httpx.Response(200, json={"id_token": self.token(), "access_token": "at", "token_type": "Bearer"})
        assert request.headers["Authorization"] == "Bearer at"
        return httpx.Response(200, json=self.told)

    def token(self) -> str:
        algorithm = self.header["alg"]
        return jwt.encode(self.header, self.claims, self.key, algorithms=[algorithm])


def provider(login: Login, claim: str = "groups", secret: str = "secret") -> OpenIdProvider:
    sign_on = SignOn(uuid4(), "Ridge Login", ISSUER, "latch", claim, {}, second_factor=False, made_at=NOW)
    made = OpenIdProvider(sign_on, secret, httpx.MockTransport(login.answer))
    made._caller.pause = lambda seconds: None
    return made


def claimed(login: Login, question: Question = QUESTION) -> dict[str, object]:
    return dict(provider(login).claims(question, BACK, "code", NOW))


@pytest.fixture(scope="module")
def key() -> Any:
    return jwk.RSAKey.generate_key(2048, {"kid": "2"})


def test_who_is_sent_there_is_asked_for_this_question_and_for_what_the_provider_has() -> None:
    url = provider(Login()).address(QUESTION, BACK)
    asked = dict(parse_qsl(urlsplit(url).query))
    assert url.startswith(f"{ISSUER}/in?tenant=7&")
    assert asked["scope"].split() == ["openid", "email", "profile", "groups"]
    assert (asked["state"], asked["nonce"], asked["redirect_uri"]) == ("state", "nonce", BACK)
    assert asked["code_challenge_method"] == "S256"
    assert QUESTION.verifier not in url
    fresh = provider(Login(), "").address(Question("s", "n", "v" * 43, fresh=True), BACK)
    assert {"prompt": "login", "max_age": "0"}.items() <= dict(parse_qsl(urlsplit(fresh).query)).items()


def test_what_is_signed_is_believed_and_what_is_missing_is_asked_for() -> None:
    login = Login()
    said = claimed(login)
    assert (said["sub"], said["email"], said["email_verified"]) == ("7", "juno.marsh@kestrelridge.example", True)
    (form,) = login.forms
    assert (form["code"], form["code_verifier"], form["redirect_uri"]) == ("code", QUESTION.verifier, BACK)
    assert (login.shown[-1][:5], "client_id" in form) == ("Basic", False)


def test_a_client_without_a_secret_says_who_it_is_and_proves_that_it_has_asked() -> None:
    login = Login()
    assert provider(login, secret="").claims(QUESTION, BACK, "code", NOW)["sub"] == "7"
    assert (login.forms[0]["client_id"], login.forms[0]["code_verifier"]) == ("latch", QUESTION.verifier)
    assert login.shown == [""]


def _set(**claims: Any) -> Change:
    return lambda login: login.claims.update(claims)


def _unsigned(login: Login) -> None:
    parts = (json.dumps(part).encode() for part in ({"alg": "none"}, login.claims))
    text = ".".join(urlsafe_b64encode(part).decode().rstrip("=") for part in parts)
    login.token = lambda: f"{text}."  # type: ignore[method-assign]


def _by_secret(login: Login) -> None:
    secret = jwk.OctKey.import_key("secret" * 8)
    login.token = lambda: jwt.encode({"alg": "HS256"}, login.claims, secret, algorithms=["HS256"])  # type: ignore[method-assign]


def _by_another(login: Login) -> None:
    login.key = jwk.RSAKey.generate_key(2048, {"kid": "1"})


LIES: dict[str, Change] = {
    "another provider": _set(iss="https://login.hillfarm.example"),
    "for someone else": _set(aud="desk"),
    "for several, and someone else": _set(aud=["latch", "desk"], azp="desk"),
    "another question": _set(nonce="other"),
    "no question": lambda login: login.claims.pop("nonce"),
    "nobody": lambda login: login.claims.pop("sub"),
    "without an end": lambda login: login.claims.pop("exp"),
    "long ago": _set(exp=int((NOW - timedelta(minutes=5)).timestamp())),
    "not yet": _set(nbf=int((NOW + timedelta(minutes=5)).timestamp())),
    "not signed": _unsigned,
    "signed with the secret": _by_secret,
    "signed by another": _by_another,
    "of another token": _set(at_hash="AAAAAAAAAAAAAAAAAAAAAA"),
    "told of another": lambda login: login.told.update(sub="8"),
}


@pytest.mark.parametrize("lie", LIES)
def test_what_is_not_proved_signs_nobody_in(lie: str) -> None:
    login = Login()
    LIES[lie](login)
    with pytest.raises(ProviderRefused, match="Nobody was signed in") as refused:
        claimed(login)
    assert "secret" not in str(refused.value)


def test_keys_that_are_exchanged_are_known_at_once_and_those_withdrawn_are_worth_nothing(key: Any) -> None:
    login = Login()
    login.keys = [login.key, key]
    login.key, login.header = key, {"alg": "RS256", "kid": "2"}
    assert claimed(login)["sub"] == "7"
    login.keys = login.keys[:1]
    with pytest.raises(ProviderRefused):
        claimed(login)


def test_whoever_has_to_prove_anew_who_they_are_has_done_so_lately() -> None:
    fresh = Question("state", "nonce", "v" * 43, fresh=True)
    for said, enough in ((None, False), (NOW - timedelta(hours=1), False), (NOW - timedelta(seconds=20), True)):
        login = Login()
        if said is not None:
            login.claims["auth_time"] = int(said.timestamp())
        if enough:
            assert claimed(login, fresh)["sub"] == "7"
        else:
            with pytest.raises(NotSignedIn, match="prove again"):
                claimed(login, fresh)


def test_what_it_says_of_itself_has_to_be_of_itself() -> None:
    login = Login()
    login.said["issuer"] = f"{ISSUER}/"
    with pytest.raises(ProviderUnreadable, match="another one"):
        provider(login).check()
    login = Login()
    login.said["authorization_endpoint"] = "javascript:alert(1)"
    with pytest.raises(ProviderUnreadable, match="not an address"):
        provider(login).address(QUESTION, BACK)
    login.said["authorization_endpoint"] = "http://8.8.8.8/in"
    with pytest.raises(ProviderRefused, match="unencrypted"):
        provider(login).address(QUESTION, BACK)


@pytest.mark.parametrize(
    ("path", "status", "error"),
    [
        ("/.well-known/openid-configuration", 404, ProviderUnreadable),
        ("/.well-known/openid-configuration", 503, ProviderDown),
        ("/keys", 500, ProviderDown),
        ("/token", 400, NotSignedIn),
        ("/token", 401, ProviderRefused),
        ("/me", 500, ProviderDown),
    ],
)
def test_a_provider_that_fails_is_told_as_what_it_did(path: str, status: int, error: type[OpenLatchError]) -> None:
    login = Login()
    login.statuses[path] = status
    with pytest.raises(error):
        claimed(login)


@given(st.sampled_from(["issuer", "token_endpoint", "jwks_uri"]), st.none() | st.integers() | st.lists(st.text()))
def test_whatever_it_says_of_itself_is_read_or_told_as_unreadable(name: str, value: object) -> None:
    login = Login()
    login.said[name] = value
    with pytest.raises(ProviderUnreadable):
        provider(login).check()


@given(
    st.recursive(
        st.none() | st.text() | st.integers(), lambda inner: st.dictionaries(st.text(), inner) | st.lists(inner)
    )
)
def test_whatever_it_has_for_keys_is_read_or_told_as_unreadable(document: object) -> None:
    login = Login()
    answer = login.answer

    def lies(request: httpx.Request) -> httpx.Response:
        if request.url.path == "/keys":
            return httpx.Response(200, content=json.dumps(document).encode())
        return answer(request)

    login.answer = lies  # type: ignore[method-assign]
    with pytest.raises((ProviderUnreadable, ProviderRefused)):
        claimed(login)
