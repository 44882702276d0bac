"""The IMAP connector on a real mail server: what it reads is so, and what it ends is really refused."""

from __future__ import annotations

import imaplib
import socketserver
import threading
from collections.abc import Iterator
from dataclasses import replace
from typing import Any
from uuid import uuid4

import pytest

from openlatch.connectors.imap import ImapConnector
from openlatch.core.providers.meaning import Vocabulary
from openlatch.core.providers.observation import ObservedEntry
from openlatch.core.providers.ports import Change, Gift
from openlatch.demo.protocols import MAILBOX_OWNER
from openlatch.errors import Invalid, ProviderDown, ProviderRefused
from openlatch.local.stack import Stack
from openlatch.words import Kind, PartyKind, Power

ORLA = "orla.finch"


def settings(stack: Stack, **more: str) -> dict[str, str]:
    texts = {"host": "127.0.0.1", "port": str(stack.mail.port), "user": MAILBOX_OWNER, "tls": "none"}
    return texts | {"domain": "kestrelridge.example"} | more


@pytest.fixture
def connector(stack: Stack) -> ImapConnector:
    return ImapConnector(settings(stack), stack.secret(f"mail:{MAILBOX_OWNER}"))


@pytest.fixture
def box(stack: Stack) -> Iterator[str]:
    """A shared mailbox with an awkward name (“Spenden & Prüfung "1"”), as it is written on the wire."""
    name = f'Spenden &- Pr&APw-fung \\"{uuid4().hex[:4]}\\"'
    with stack.mail.signed_in(MAILBOX_OWNER) as server:
        assert server.create(f'"{name}"')[0] == "OK"
        assert server.setacl(f'"{name}"', ORLA, "lrs")[0] == "OK"
        assert server.setacl(f'"{name}"', "anyone", "l")[0] == "OK"
    yield name.replace('\\"', '"')
    with stack.mail.signed_in(MAILBOX_OWNER) as server:
        server.delete(f'"{name}"')


def entries(connector: ImapConnector) -> dict[tuple[str, str], ObservedEntry]:
    return {(e.account, e.party): e for page in connector.pages() for e in page.entries}


def opens(stack: Stack, user: str, box: str) -> bool:
    """Whether a user can really open the front office's mailbox."""
    with stack.mail.signed_in(user) as server:
        quoted = box.replace('"', '\\"')
        return server.select(f'"shared/{MAILBOX_OWNER}/{quoted}"', readonly=True)[0] == "OK"


def test_an_access_list_is_read_letter_by_letter(connector: ImapConnector, box: str) -> None:
    observed_entries = entries(connector)
    orla, anyone = observed_entries[box, ORLA], observed_entries[box, "anyone"]
    assert (orla.kind, orla.level, anyone.kind) == (Kind.DELEGATE, "lrs", Kind.OPEN)
    means = Vocabulary(ImapConnector.words).meaning(orla.level, orla.permissions, orla.powers)
    assert (means.powers, means.unknown) == ((Power.VIEW, Power.EDIT, Power.EXPORT), ())
    pages = list(connector.pages())
    names = {a.key: a.name for page in pages for a in page.accounts}
    assert names[box].startswith("Spenden & Prüfung ")
    parties = {p.key: p for page in pages for p in page.parties}
    assert parties["anyone"].kind is PartyKind.ANYONE
    assert parties[ORLA].addresses == ("orla.finch@kestrelridge.example",)


def test_what_is_denied_is_not_counted(stack: Stack, connector: ImapConnector, box: str) -> None:
    with stack.mail.signed_in(MAILBOX_OWNER) as server:
        quoted = box.replace('"', '\\"')
        server.setacl(f'"{quoted}"', f"-{ORLA}", "s")
    assert entries(connector)[box, ORLA].level == "lr"


def test_granted_access_works_and_after_its_end_it_is_refused(stack: Stack, connector: ImapConnector, box: str) -> None:
    key = entries(connector)[box, ORLA].key
    assert opens(stack, ORLA, box)
    assert not connector.end(key, ORLA, "1").already
    assert not opens(stack, ORLA, box)
    assert box not in {e.account for e in connector.look(ORLA).entries}
    assert connector.end(key, ORLA, "1").already
    assert entries(connector)[box, "anyone"], "nobody else loses anything"


def test_rights_that_are_narrowed_are_gone_at_the_server(stack: Stack, connector: ImapConnector, box: str) -> None:
    key = entries(connector)[box, ORLA].key
    assert opens(stack, ORLA, box)
    connector.change(key, ORLA, Change(level="l"), "1")
    assert [e.level for e in connector.look(ORLA).entries if e.key == key] == ["l"]
    assert not opens(stack, ORLA, box), "to see that a mailbox exists is not to read it"
    for level in ImapConnector.levels:
        connector.change(key, ORLA, Change(level=level), level)
        assert [e.level for e in connector.look(ORLA).entries if e.key == key] == [level]
    with pytest.raises(ProviderRefused):
        connector.change(key, ORLA, Change(level="z"), "2")


def test_what_was_taken_is_given_back_as_it_was(stack: Stack, connector: ImapConnector, box: str) -> None:
    had = entries(connector)[box, ORLA]
    connector.end(had.key, ORLA, "1")
    assert not opens(stack, ORLA, box)
    again = Gift(box, had.kind, had.level, again=had.key)
    assert [connector.give(ORLA, again, "2").already, connector.give(ORLA, again, "3").already] == [False, True]
    assert entries(connector)[box, ORLA] == had
    assert opens(stack, ORLA, box)
    with pytest.raises(ProviderRefused):
        connector.give(ORLA, replace(again, level="z"), "4")


def test_the_way_in_is_not_ended_and_a_mailbox_that_is_gone_is_no_error(connector: ImapConnector, box: str) -> None:
    with pytest.raises(ProviderRefused, match="lock Open Latch out"):
        connector.end(f"acl:INBOX:{MAILBOX_OWNER}", MAILBOX_OWNER, "1")
    assert connector.end("acl:No%20such:orla.finch", ORLA, "1").already


def test_a_wrong_password_and_a_server_that_is_away_are_told_apart(stack: Stack) -> None:
    with pytest.raises(ProviderRefused, match="does not let"):
        list(ImapConnector(settings(stack), "wrong").pages())
    with pytest.raises(ProviderDown):
        list(ImapConnector(settings(stack, port="1"), "x").pages())


@pytest.mark.parametrize(
    "change", [{"port": "imap"}, {"tls": "maybe"}, {"host": "mail.example"}, {"pin": "1"}, {"port": None}]
)
def test_settings_that_cannot_work_are_refused_at_once(stack: Stack, change: dict[str, Any]) -> None:
    wanted = {name: value for name, value in (settings(stack) | change).items() if value is not None}
    with pytest.raises(Invalid):
        ImapConnector(wanted, "x")


class _Busy(socketserver.StreamRequestHandler):
    """A mail server that refuses to let anyone in, with the words that the test gave it."""

    def handle(self) -> None:
        self.wfile.write(b"* OK ready\r\n")
        for line in self.rfile:
            tag, word, *_ = line.split()
            said = getattr(self.server, "said", "").encode()
            able = b"* CAPABILITY IMAP4rev1\r\n" + tag + b" OK done\r\n"
            self.wfile.write(able if word == b"CAPABILITY" else tag + b" NO " + said + b"\r\n")


@pytest.mark.parametrize(
    ("said", "error"),
    [
        ("[UNAVAILABLE] Temporary authentication failure", ProviderDown),
        ("[INUSE] Mailbox is busy", ProviderDown),
        ("[AUTHENTICATIONFAILED] Wrong password", ProviderRefused),
        ("No", ProviderRefused),
    ],
)
def test_a_refusal_that_will_pass_is_asked_again(said: str, error: type[Exception]) -> None:
    with socketserver.ThreadingTCPServer(("127.0.0.1", 0), _Busy) as server:
        server.said = said
        threading.Thread(target=server.serve_forever, daemon=True).start()
        where = {"host": "127.0.0.1", "port": str(server.server_address[1]), "user": "front.office", "tls": "none"}
        with pytest.raises(error):
            next(ImapConnector(where, "secret").pages())
        server.shutdown()


def test_a_mailbox_of_somebody_else_is_read_once_we_may_share_it_and_it_can_be_ended(
    stack: Stack, connector: ImapConnector
) -> None:
    box, shown = f"Plates {uuid4().hex[:4]}", ""
    with stack.mail.signed_in(ORLA) as theirs:
        assert theirs.create(f'"{box}"')[0] == "OK"
        try:
            shown = f"shared/{ORLA}/{box}"
            theirs.setacl(f'"{box}"', MAILBOX_OWNER, "lr")
            theirs.setacl(f'"{box}"', "ines.okoro", "lr")
            assert shown not in {account for account, _ in entries(connector)}, "we may read it, and not share it"
            theirs.setacl(f'"{box}"', MAILBOX_OWNER, "lra")
            entry = entries(connector)[shown, "ines.okoro"]
            connector.end(entry.key, entry.party, "1")
            assert (shown, "ines.okoro") not in entries(connector)
            assert b"ines.okoro" not in theirs.getacl(f'"{box}"')[1][0]
        finally:
            theirs.delete(f'"{box}"')


def test_whose_a_mailbox_is_the_server_says_and_no_name_of_it(stack: Stack, connector: ImapConnector) -> None:
    """One of the login's own that is called as those of others are elsewhere."""
    box = f"User/{uuid4().hex[:4]}"
    with stack.mail.signed_in(MAILBOX_OWNER) as server:
        server.create(box)
        try:
            assert box in {account for account, _ in entries(connector)}
        finally:
            server.delete(box)


def test_nothing_is_asked_of_a_mail_server_but_its_names_and_its_lists(
    connector: ImapConnector, box: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """No mail, no notes on a mailbox (METADATA), no quota."""
    asked: list[str] = []
    real = imaplib.IMAP4._command

    def noted(self: imaplib.IMAP4, name: str, *words: Any) -> Any:
        asked.append(name)
        return real(self, name, *words)

    monkeypatch.setattr(imaplib.IMAP4, "_command", noted)
    entry = entries(connector)[box, ORLA]
    connector.change(entry.key, entry.party, Change(level="lr"), "1")
    connector.end(entry.key, entry.party, "2")
    connector.give(entry.party, Gift(box, Kind.DELEGATE, "lr"), "3")
    allowed = {"CAPABILITY", "LOGIN", "NAMESPACE", "LIST", "MYRIGHTS", "GETACL", "SETACL", "DELETEACL", "LOGOUT"}
    assert set(asked) <= allowed
    assert {"LIST", "GETACL", "SETACL", "DELETEACL"} <= set(asked)


class _Old(socketserver.StreamRequestHandler):
    """A mail server of few words: what it answers to each command, the test gave it."""

    def handle(self) -> None:
        self.wfile.write(b"* OK ready\r\n")
        for line in self.rfile:
            tag, word, *_ = line.split()
            for text in getattr(self.server, "says", {}).get(word.decode().upper(), ()):
                self.wfile.write(text.encode() + b"\r\n")
            self.wfile.write(tag + b" OK done\r\n")


LISTED = {
    "CAPABILITY": ["* CAPABILITY IMAP4rev1 ACL"],
    "LIST": ['* LIST () "/" INBOX', '* LIST (\\Noselect) "/" Attic', '* LIST () "/" user/ada'],
    "GETACL": ["* ACL INBOX ada lrs $crew lr -$crew r group=night lrw -anyone w"],
}
EXTENDED = LISTED | {
    "CAPABILITY": ["* CAPABILITY IMAP4rev1 ACL NAMESPACE LIST-EXTENDED LIST-MYRIGHTS"],
    "NAMESPACE": ['* NAMESPACE (("" "/")) (("user/" "/" "X" ("Y"))) NIL'],
    "LIST": ['* LIST () "/" INBOX (CHILDINFO ("SUBSCRIBED"))', '* LIST () "/" user/ada', '* LIST () "/" shared/own'],
    "MYRIGHTS": ["this is only asked for by LIST"],
}
EXTENDED["LIST"] += ["* MYRIGHTS INBOX lra", "* MYRIGHTS user/ada lr", "* MYRIGHTS shared/own lra"]


@pytest.mark.parametrize(
    ("says", "boxes"), [(LISTED, {"INBOX"}), (EXTENDED, {"INBOX", "shared/own"})], ids=["old", "extended"]
)
def test_servers_that_say_little_and_those_that_say_more_are_both_read(
    says: dict[str, list[str]], boxes: set[str]
) -> None:
    with socketserver.ThreadingTCPServer(("127.0.0.1", 0), _Old) as server:
        server.says = says
        threading.Thread(target=server.serve_forever, daemon=True).start()
        where = {"host": "127.0.0.1", "port": str(server.server_address[1]), "user": "front.office", "tls": "none"}
        seen = entries(ImapConnector(where, "secret"))
        server.shutdown()
    assert {account for account, _ in seen} == boxes
    assert {party: e.level for (account, party), e in seen.items() if account == "INBOX"} == {
        "ada": "lrs",
        "$crew": "l",
        "group=night": "lr",
    }, "what is denied, to a group or to anyone, is taken off"
