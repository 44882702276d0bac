"""Nothing secret is kept or told in clear: what was planted everywhere is looked for everywhere."""

from __future__ import annotations

import base64
import re
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from secrets import token_hex
from typing import Any

import pyotp
import pytest
import structlog
from sqlalchemy import LargeBinary, text
from structlog.testing import capture_logs

from openlatch.client import Client
from openlatch.demo.seed import SLUG
from openlatch.errors import Misconfigured, OpenLatchError
from openlatch.operations.credentials import Vault
from openlatch.operations.people.keys import rotate
from openlatch.store.base import Base
from openlatch.store.secrets import CLOSED
from openlatch.wire.messages import SignOnWish
from openlatch.words import Role
from tests.harness.openid import ISSUER, Login
from tests.harness.ridge import Ridge
from tests.harness.transmitter import CAEP, Transmitter
from tests.operations.people.test_people import WORDS, added, link

PLAIN = {"secret_hash", "code_hash", "browser_hash", "key_id", "digest", "hash", "root", "content"}
"""columns of bytes that are no secret: hashes, and files for people"""


@dataclass
class Planted:
    """What was planted, by where; and all that was said meanwhile."""

    canaries: dict[str, str] = field(default_factory=dict)
    said: list[str] = field(default_factory=list)

    def new(self, where: str) -> str:
        return self.known(where, f"Canary-{token_hex(8)}!")

    def known(self, where: str, value: str) -> str:
        self.canaries[where] = value
        return value

    def found_in(self, haystack: str) -> list[str]:
        """Where what was planted is found, as it was, as hex, or in any place of base64."""
        return [
            where
            for where, canary in self.canaries.items()
            if any(form in haystack for form in (canary, canary.encode().hex(), *_base64(canary)))
        ]


def _base64(canary: str) -> Iterator[str]:
    for before in range(3):
        whole = base64.b64encode(b"\0" * before + canary.encode()).decode()
        yield whole[(before * 4 + 2) // 3 + 1 : -4]


def dump(ridge: Ridge) -> Iterator[tuple[str, str]]:
    """Every row of every table that the service's login can read, as text."""
    with ridge.store.transaction(SLUG) as tx:
        run = tx._session.execute
        for name in run(text("select tablename from pg_tables where schemaname = 'public'")).scalars().all():
            for row in run(text(f'select row_to_json(t)::text from "{name}" t')).scalars():
                yield name, row


def plant(ridge: Ridge, owner: Client) -> Planted:
    into = Planted()

    def tried(what: Any, **more: Any) -> None:
        try:
            what(**more)
        except OpenLatchError as error:
            into.said.append(f"{error} {error.fields}")

    address = added(ridge, f"Keeva {token_hex(3)}", Role.MANAGER)
    keeva = ridge.client(address, password=WORDS)
    into.known("token", str(keeva._http.headers["Authorization"]).rpartition(".")[2])
    browser = ridge.http()
    signed_in = browser.post("/session", json={"workspace": SLUG, "address": address, "password": WORDS})
    into.known("session", signed_in.cookies["openlatch_session"].rpartition(".")[2])
    tried(ridge.client, who=address, password=into.new("wrong password"))
    keeva.change_password(into.new("password"))
    begun = keeva.begin_codes("phone")
    into.known("what codes are made of", begun.secret)
    for number, code in enumerate(keeva.prove_codes(begun.id, str(pyotp.TOTP(begun.secret).at(ridge.clock.now)))):
        into.known(f"recovery code {number}", code)
        into.known(f"recovery code {number} as compared", code.replace("-", ""))
    calendar = keeva.make_calendar().rpartition("/calendar/")[2]
    into.known("calendar", calendar.split(".")[1])
    assert ridge.http().get(f"/calendar/{calendar}").status_code == 200
    owner.forgot_password(SLUG, address)
    jobs = [row for name, row in dump(ridge) if name == "procrastinate_jobs"]
    assert any(address in job for job in jobs), "what jobs are given is looked at too"
    into.said += jobs
    into.known("link", link(ridge, address, "Choose a new password").rpartition(".")[2])
    hook = owner.add_webhook(f"https://hooks.example/{into.new('webhook address')}?key={into.new('webhook key')}", [])
    into.known("webhook secret", hook.secret)
    tried(owner.add_webhook, url=f"http://hooks.example/{into.new('webhook that is refused')}", acts=[])
    login = Login(ridge)
    wish = SignOnWish(
        name=f"Login {token_hex(3)}", issuer=ISSUER, client_id="latch", secret=into.new("secret of a single sign-on")
    )
    service = owner.add_sign_on(wish)
    tried(owner.add_sign_on, wish=wish.model_copy(update={"secret": into.new("secret that is refused")}))
    left = owner.leave_for_sign_on(SLUG, service.id)
    into.known("what the browser keeps", left.browser)
    back = login.come_back(left.url, "7")
    into.known("state of a single sign-on", back["state"])
    owner.add_provider(f"Desk {token_hex(3)}", "feed", {"url": "http://127.0.0.1:9"}, into.new("provider's secret"))
    sender = Transmitter(ridge)
    heard = owner.listen("Ticket Desk", sender.issuer, f"{sender.issuer}/keys")
    into.known("what security events are sent with", heard.secret.removeprefix("latch-events-"))
    path, headers = heard.address.partition("/api/v1")[2], {"Content-Type": "application/secevent+jwt"}
    for handed in (heard.secret, into.new("what someone else sends them with")):
        token = sender.token(f"{CAEP}session-revoked", {"format": "opaque", "id": "7"}, heard.audience)
        ridge.http().post(path, content=token, headers=headers | {"Authorization": f"Bearer {handed}"})
    sender.secret = into.new("what security events are fetched with")
    owner.listen("Live Sky", sender.issuer, f"{sender.issuer}/keys", poll=f"{sender.issuer}/poll", secret=sender.secret)
    poll = f"https://signals.example/?key={into.new('key in an address to fetch from')}"
    tried(owner.listen, provider="Dome Control", issuer="x", keys="https://signals.example/", poll=poll)
    url = f"http://desk:{into.new('password in a setting')}@127.0.0.1:9"
    tried(owner.add_provider, name=f"Desk {token_hex(3)}", connector="feed", settings={"url": url}, secret="x")
    tried(
        owner.change_provider,
        provider="Ticket Desk",
        secret=into.new("provider's secret that is refused"),
    )
    ridge.drain()
    with ridge.call() as call:
        into.known("key that signs", re.findall(r'"d": ?"([^"]+)"', call.open(call.tx.keys.latest() or b""))[0])
    keeva.close()
    return into


@contextmanager
def listening() -> Iterator[list[Any]]:
    """Everything that is logged, down to the least."""
    former = structlog.get_config()
    structlog.configure(wrapper_class=structlog.make_filtering_bound_logger(0))
    try:
        with capture_logs() as logged:
            yield logged
    finally:
        structlog.configure(**former)


def test_what_is_secret_is_nowhere_in_clear(apart: Ridge) -> None:
    with apart.client() as owner, listening() as logged:
        owner.log_head()
        planted = plant(apart, owner)
        planted.said += [str(line) for line in owner.events()]
        planted.said += [
            str(owner.webhooks()),
            str(owner.providers()),
            str(owner.me()),
            str(owner.people()),
            str(owner.sign_ons()),
            str([owner.event_stream(provider) for provider in ("Ticket Desk", "Live Sky")]),
        ]
    assert len(planted.canaries) > 30
    rows = list(dump(apart))
    assert {
        "events",
        "replies",
        "webhooks",
        "providers",
        "factors",
        "sign_ons",
        "sign_on_questions",
        "event_streams",
    } <= {name for name, _ in rows}
    assert [(name, place) for name, row in rows for place in planted.found_in(row)] == []
    assert [place for line in planted.said for place in planted.found_in(line)] == []
    assert logged, "something was logged meanwhile"
    assert [place for line in logged for place in planted.found_in(str(line))] == []
    assert planted.found_in(f"x{planted.canaries['password']}y") == ["password"], "what looks for them finds them"
    assert planted.found_in(base64.b64encode(b"?" + planted.canaries["password"].encode()).decode()) == ["password"]


def test_every_column_of_bytes_is_closed_or_no_secret() -> None:
    closed = {(column.class_.__tablename__, column.key) for column, _ in CLOSED} | {("data_keys", "wrapped")}
    # What a passkey is asked is no secret, and of a passkey the public key alone is kept.
    known = closed | {("challenges", "challenge"), ("factors", "secret")}
    bytes_ = {
        (table.name, column.name)
        for table in Base.metadata.tables.values()
        for column in table.columns
        if isinstance(column.type, LargeBinary) and column.name not in PLAIN
    }
    assert bytes_ == known


def test_keys_are_changed_while_everything_runs_and_the_former_one_can_go(apart: Ridge) -> None:
    former, latter = apart.service.settings.secret_keys[0], Vault.new_key()
    with apart.client() as owner:
        address = added(apart, "Keeva Lorne", Role.AUDITOR)
        owner.forgot_password(SLUG, address)
        sent = link(apart, address, "Choose a new password")
        key = owner.log_head().signed
        before = [row for row in dump(apart) if row[0] in {"providers", "keys", "data_keys"}]

        restarted(apart, [latter, former])
        with apart.call() as call:
            late = call.keyring()
            count = rotate(call)
        assert count > len(owner.providers())
        assert not {*before} & {*dump(apart)}, "everything is closed anew"

        restarted(apart, [latter])
        with apart.call() as call:
            for provider in call.tx.providers.all():
                call.open(call.tx.providers.secret(provider.id))
            assert call.open(late.close("closed meanwhile")) == "closed meanwhile"
        assert owner.log_head().signed.partition(".")[0] == key.partition(".")[0], "it signs with the same key"
        assert owner.look_at_sign_in_link(sent).trouble == "", "what was sent before holds"
        owner.read("Ticket Desk")

        restarted(apart, [former])
        with apart.call() as call, pytest.raises(Misconfigured, match="not in OPENLATCH_SECRET_KEYS"):
            call.keyring()


def test_addresses_of_webhooks_of_before_are_closed_when_keys_are_changed(apart: Ridge) -> None:
    whole = "https://hooks.example/T0/of-before"
    with apart.client() as owner:
        hook = owner.add_webhook("https://hooks.example/x", [])
        with apart.call() as call:
            statement = text("update webhooks set address = null, url = :whole where id = :id")
            call.tx._session.execute(statement, {"whole": whole, "id": hook.id})
        with apart.call() as call:
            assert next(webhook for webhook in call.tx.webhooks.all() if webhook.id == hook.id).url == whole
            rotate(call)
        (now,) = [webhook for webhook in owner.webhooks() if webhook.id == hook.id]
        assert now.url == "https://hooks.example/…"
        with apart.call() as call:
            assert call.open(call.tx.webhooks.closed(hook.id)[0] or b"") == whole
    assert not [row for _, row in dump(apart) if "of-before" in row]


def restarted(ridge: Ridge, keys: list[str]) -> None:
    """Have everything run with these keys from now on."""
    vars(ridge.services.vault).update(vars(Vault(keys)))
