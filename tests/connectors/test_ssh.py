"""The OpenSSH connector on a real server: what it reads is so, and a key that it takes out is really refused."""

from __future__ import annotations

import base64
import io
import os
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime
from hashlib import sha256
from typing import Any

import paramiko
import pytest
from cryptography.hazmat.primitives import serialization
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from hypothesis import given
from hypothesis import strategies as st

from openlatch.connectors.authorized_keys import dated, parse_line
from openlatch.connectors.ssh import SshConnector
from openlatch.core.providers.meaning import Vocabulary
from openlatch.core.providers.observation import ObservedEntry, ObservedParty
from openlatch.core.providers.ports import Change
from openlatch.errors import Invalid, ProviderDown, ProviderRefused, ProviderUnreadable
from openlatch.local.stack import Stack
from openlatch.words import Kind, Power

PUBLIC = "ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIOfG3gkO89S13uJMpxVlTWPbUPTA5+B5ZaC3KjyDoJ9w"


def settings(stack: Stack, **more: str) -> dict[str, str]:
    gateway = stack.gateway
    texts = {"host": "127.0.0.1", "port": str(gateway.port), "user": gateway.login, "host_key": gateway.host_key}
    return texts | {"file": str(gateway.file), "log": str(gateway.log), "zone": "Europe/London"} | more


@pytest.fixture
def connector(stack: Stack) -> SshConnector:
    return SshConnector(settings(stack), stack.gateway_key)


@pytest.fixture
def key(stack: Stack) -> Iterator[tuple[paramiko.PKey, str]]:
    """A new key that is let in until 2031, with its fingerprint."""
    private = Ed25519PrivateKey.generate()
    form = serialization.PrivateFormat.OpenSSH, serialization.NoEncryption()
    text = private.private_bytes(serialization.Encoding.PEM, *form).decode()
    loaded = paramiko.Ed25519Key.from_private_key(io.StringIO(text))
    before = stack.gateway.file.read_text()
    line = f'expiry-time="20310101",from="127.0.0.1" {loaded.get_name()} {loaded.get_base64()} works@brightmere.example'
    stack.gateway.file.write_text(f"{before}{line}\n")
    yield loaded, loaded.fingerprint
    stack.gateway.file.write_text(before)


def found(connector: SshConnector, fingerprint: str) -> tuple[ObservedEntry, ObservedParty] | None:
    (page,) = connector.pages()
    entry = next((e for e in page.entries if e.key == f"key:{fingerprint}"), None)
    return None if entry is None else (entry, next(p for p in page.parties if p.key == entry.party))


def test_a_key_works_and_after_its_end_it_is_refused(
    stack: Stack, connector: SshConnector, key: tuple[paramiko.PKey, str]
) -> None:
    private, fingerprint = key
    before = stack.gateway.file.read_text()
    assert stack.gateway.lets_in(private)
    seen = found(connector, fingerprint)
    assert seen is not None
    entry, party = seen
    assert (entry.kind, entry.ends_at) == (Kind.GRANT, datetime(2031, 1, 1, tzinfo=UTC))
    assert (party.addresses, entry.network) == (("works@brightmere.example",), "127.0.0.1")
    assert entry.last_used is not None, "sshd's log says when the key was accepted"
    assert not connector.end(entry.key, entry.party, "1").already
    assert not stack.gateway.lets_in(private)
    assert connector.look(entry.party).entries == ()
    assert connector.end(entry.key, entry.party, "1").already
    assert stack.gateway.file.read_text() == "".join(before.splitlines(keepends=True)[:-1]), "no other line was touched"


def test_a_key_is_given_an_end_that_sshd_keeps(
    stack: Stack, connector: SshConnector, key: tuple[paramiko.PKey, str]
) -> None:
    private, fingerprint = key
    party = f"key:{fingerprint}".removeprefix("key:")
    until = datetime(2030, 5, 10, 12, 30, tzinfo=UTC)
    connector.change(f"key:{fingerprint}", party, Change(ends_at=until), "1")
    seen = found(connector, fingerprint)
    assert seen is not None
    assert seen[0].ends_at == until
    assert stack.gateway.lets_in(private)
    connector.change(f"key:{fingerprint}", party, Change(ends_at=datetime(2020, 1, 1, tzinfo=UTC)), "2")
    assert not stack.gateway.lets_in(private), "that day is over"


def made_key() -> str:
    """A line with a new key, and a name in bytes that are no UTF-8."""
    return paramiko.Ed25519Key.from_private_key(io.StringIO(_private())).get_base64()


def _private() -> str:
    form = serialization.PrivateFormat.OpenSSH, serialization.NoEncryption()
    return Ed25519PrivateKey.generate().private_bytes(serialization.Encoding.PEM, *form).decode()


@pytest.fixture
def six(stack: Stack) -> Iterator[list[str]]:
    """Six new keys among the others, one with a comment in Latin-1."""
    before = stack.gateway.file.read_bytes()
    keys = [made_key() for _ in range(6)]
    lines = [f"ssh-ed25519 {key} guest {n}\n".encode() for n, key in enumerate(keys)]
    stack.gateway.file.write_bytes(before + lines[0] + b"ssh-ed25519 " + made_key().encode() + b" Ren\xe9e\x0bB\n")
    with stack.gateway.file.open("ab") as file:
        file.writelines(lines[1:])
    yield ["SHA256:" + base64.b64encode(sha256(base64.b64decode(key)).digest()).decode().rstrip("=") for key in keys]
    stack.gateway.file.write_bytes(before)


def left_beside(stack: Stack) -> list[str]:
    return [path.name for path in stack.gateway.file.parent.iterdir() if ".open-latch" in path.name]


def test_several_at_once_take_out_their_own_keys_and_nothing_else(stack: Stack, six: list[str]) -> None:
    others = [line for line in stack.gateway.file.read_bytes().splitlines() if b"guest" not in line]

    def take_out(fingerprint: str) -> int:
        tries = 0
        while True:
            tries += 1
            try:
                SshConnector(settings(stack), stack.gateway_key).end(f"key:{fingerprint}", fingerprint, "1")
            except ProviderDown:
                continue  # as an order is tried again
            return tries

    with ThreadPoolExecutor(6) as pool:
        list(pool.map(take_out, six))
    assert stack.gateway.file.read_bytes().splitlines() == others, "to the byte"
    assert left_beside(stack) == []


def test_a_connection_that_is_lost_leaves_the_old_file(
    stack: Stack, connector: SshConnector, six: list[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    before = stack.gateway.file.read_bytes()

    def lost(*_: object) -> None:
        raise EOFError

    write = paramiko.SFTPFile.write

    def cut_short(file: paramiko.SFTPFile, data: bytes) -> None:
        write(file, data[:100])

    for of, name, instead in (
        (paramiko.SFTPClient, "chmod", lost),
        (paramiko.SFTPClient, "posix_rename", lost),
        (paramiko.SFTPFile, "write", cut_short),
    ):
        with monkeypatch.context() as patch:
            patch.setattr(of, name, instead)
            with pytest.raises(ProviderDown):
                connector.end(f"key:{six[0]}", six[0], "1")
        assert stack.gateway.file.read_bytes() == before
        assert left_beside(stack) == []


def test_a_lock_is_kept_to_until_it_is_plain_that_nobody_is_there(
    stack: Stack, connector: SshConnector, six: list[str]
) -> None:
    lock = stack.gateway.file.with_name(f"{stack.gateway.file.name}.open-latch-lock")
    lock.touch()
    with pytest.raises(ProviderDown, match="being changed by someone else"):
        connector.end(f"key:{six[0]}", six[0], "1")
    assert found(connector, six[0]) is not None
    long_ago = lock.stat().st_mtime - 100
    os.utime(lock, (long_ago, long_ago))
    connector.end(f"key:{six[0]}", six[0], "1")
    assert found(connector, six[0]) is None
    assert left_beside(stack) == []


def test_a_file_that_a_link_leads_to_is_written_where_it_is(stack: Stack, six: list[str]) -> None:
    link = stack.gateway.file.with_name("by-a-link")
    link.symlink_to(stack.gateway.file)
    SshConnector(settings(stack, file=str(link)), stack.gateway_key).end(f"key:{six[0]}", six[0], "1")
    assert link.is_symlink()
    assert found(SshConnector(settings(stack), stack.gateway_key), six[0]) is None
    link.unlink()


WRITTEN = ("", "restrict,pty ", 'command="say \\"expiry-time=\\"",no-pty ', 'expiry-time="20310101",cert-authority ')


@given(st.sampled_from(WRITTEN))
def test_an_end_is_put_into_a_line_and_nothing_else_in_it_changes(options: str) -> None:
    line = f"{options}{PUBLIC} Orla Finch\n"
    before, after = parse_line(1, line), parse_line(1, dated(line, 'expiry-time="20300510"'))
    assert before is not None
    assert after is not None
    assert after.options == before.options | {"expiry-time": "20300510"}
    assert (after.fingerprint, after.comment) == (before.fingerprint, before.comment)
    assert dated(after.text, 'expiry-time="20300510"').strip() == after.text.strip()


def test_the_gateways_keys_are_told_apart_by_what_they_allow(connector: SshConnector) -> None:
    (page,) = connector.pages()
    names = {p.key: p.name for p in page.parties}
    by_name = {names[e.party]: e for e in page.entries}
    words = Vocabulary(SshConnector.words)
    mast = by_name["weather mast, every ten minutes"]
    means = words.meaning(mast.level, mast.permissions, mast.powers)
    assert (means.powers, means.unknown) == ((), ("command: /usr/local/bin/read-mast",))
    laptop = by_name["pell laptop <pell.varga@kestrelridge.example>"]
    assert words.meaning(laptop.level, laptop.permissions, laptop.powers).powers == (
        Power.VIEW,
        Power.EDIT,
        Power.EXPORT,
    )
    assert [name for name in names.values() if name.startswith("key without a name, SHA256:")]
    assert not by_name["old import <import@kestrelridge.example>"].use_known


def test_the_way_in_is_not_ended(connector: SshConnector) -> None:
    (page,) = connector.pages()
    (own,) = [p.key for p in page.parties if p.service]
    assert next(p.name for p in page.parties if p.key == own).startswith("Open Latch")
    with pytest.raises(ProviderRefused, match="lock Open Latch out"):
        connector.end(f"key:{own}", own, "1")


def test_a_line_that_is_no_key_is_named_and_nothing_is_concluded(
    stack: Stack, connector: SshConnector, key: tuple[paramiko.PKey, str]
) -> None:
    stack.gateway.file.write_text(stack.gateway.file.read_text() + "\n# a comment\nssh-ed25519 not-base64 orla\n")
    with pytest.raises(ProviderUnreadable) as refused:
        list(connector.pages())
    assert refused.value.fields["at"] == f"line {len(stack.gateway.file.read_text().splitlines())}"


def test_another_server_a_refused_key_and_a_server_that_is_away_are_told_apart(stack: Stack) -> None:
    with pytest.raises(ProviderRefused, match="Nothing was sent to it"):
        list(SshConnector(settings(stack, host_key="SHA256:" + "A" * 43), stack.gateway_key).pages())
    with pytest.raises(ProviderRefused, match="no such file"):
        list(SshConnector(settings(stack, file="/no/such/file"), stack.gateway_key).pages())
    with pytest.raises(ProviderDown):
        list(SshConnector(settings(stack, port="1"), stack.gateway_key).pages())


@pytest.mark.parametrize("change", [{"port": "ssh"}, {"host_key": "md5"}, {"zone": "Mars/Olympus"}, {"pin": "1"}])
def test_settings_that_cannot_work_are_refused_at_once(stack: Stack, change: dict[str, Any]) -> None:
    with pytest.raises(Invalid):
        SshConnector(settings(stack) | change, stack.gateway_key)
    with pytest.raises(Invalid, match="not a private key"):
        SshConnector(settings(stack), PUBLIC)


@pytest.mark.parametrize(
    ("line", "options", "comment"),
    [
        (PUBLIC, {}, ""),
        (f"{PUBLIC} Orla Finch, dome", {}, "Orla Finch, dome"),
        (f"restrict,PTY {PUBLIC} x", {"restrict": "", "pty": ""}, "x"),
        (f'command="say \\"hi\\", now",no-pty {PUBLIC}', {"command": 'say "hi", now', "no-pty": ""}, ""),
        (f"cert-authority {PUBLIC}", {"cert-authority": ""}, ""),
    ],
)
def test_options_are_read_as_sshd_reads_them(line: str, options: dict[str, str], comment: str) -> None:
    parsed = parse_line(1, line)
    assert parsed is not None
    assert (parsed.options, parsed.comment) == (options, comment)


@pytest.mark.parametrize(
    "line", ["hello", "ssh-ed25519", f"restrict{PUBLIC}", 'command="x ssh-ed25519 AAAA', "no-pty "]
)
def test_what_is_no_key_is_not_taken_for_one(line: str) -> None:
    assert parse_line(1, line) is None
