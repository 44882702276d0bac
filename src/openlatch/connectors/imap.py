"""The connector for shared mailboxes on a mail server that speaks IMAP ACL (RFC 4314).

Every mailbox of the login, and of others whose access list it may change, is an account; every identifier in its list
is an entry `acl:MAILBOX:IDENTIFIER`, with one permission for each right. `anyone` is open to anyone; rights that are
denied (`-IDENTIFIER`) are taken off.
"""

from __future__ import annotations

import base64
import imaplib
import re
import socket
import ssl
from collections import defaultdict
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from typing import Any, ClassVar
from urllib.parse import quote, unquote

from openlatch.connecting import outgoing
from openlatch.connecting.capabilities import Changes, Ends, Finds, Gives
from openlatch.connecting.settings import authorities, checked, port_of, unable, wrong
from openlatch.core.model import Abilities
from openlatch.core.powers import in_order
from openlatch.core.providers.meaning import Words
from openlatch.core.providers.observation import Observation, ObservedAccount, ObservedEntry, ObservedParty
from openlatch.core.providers.ports import About, Answer, Change, Found, Gift, Hindrance, Page, Setting
from openlatch.errors import ProviderDown, ProviderRefused, ProviderUnreadable
from openlatch.words import Kind, PartyKind, Power, ReadingOutcome

__all__ = ["ImapConnector"]

RIGHTS: Mapping[str, tuple[str, tuple[Power, ...]]] = {
    "l": ("see that it exists", ()),
    # Whoever can read mail can take all of it along; hence export.
    "r": ("read", (Power.VIEW, Power.EXPORT)),
    "s": ("mark as seen", (Power.EDIT,)),
    "w": ("mark and label", (Power.EDIT,)),
    "i": ("put mail in", (Power.EDIT,)),
    "p": ("post to its address", (Power.PUBLISH,)),
    "k": ("create mailboxes in it", (Power.EDIT,)),
    "x": ("delete the mailbox", (Power.OWN,)),
    "t": ("delete mail", (Power.EDIT,)),
    "e": ("remove deleted mail", (Power.EDIT,)),
    "a": ("change who has access", (Power.ADMIT,)),
}
_ORDER = "".join(RIGHTS)
_VIRTUAL = frozenset("cd")
"""shown by servers for old programs, in addition to the rights that they stand for (RFC 4314, 2.1.1)"""
_OF_OTHERS = ("shared/", "user/", "other users/")
"""How names of mailboxes of others begin on most servers that do not say so."""
_TOKEN = re.compile(r'"((?:[^"\\]|\\.)*)"|(\S+)')


def _word(letter: str) -> str:
    return f"{letter}: {RIGHTS[letter][0]}" if letter in RIGHTS else letter


class ImapConnector(Ends, Changes, Finds, Gives):
    """Reads and changes access lists."""

    made_for: ClassVar[int] = 1
    about: ClassVar[About] = About(
        "IMAP access lists (RFC 4314)",
        (
            Setting("host", "name or address of the mail server"),
            Setting("port", "993 for implicit TLS, 143 for the others"),
            Setting("user", "an owner of the mailboxes", leads=False),
            Setting("tls", "implicit (if left out), starttls, or on this machine only none", needed=False),
            Setting("domain", "for identifiers that are not addresses", needed=False, leads=False),
        ),
        "password",
    )
    words: ClassVar[Words] = {_word(letter): powers for letter, (_, powers) in RIGHTS.items()}
    levels: ClassVar[Mapping[str, tuple[Power, ...]]] = {
        rights: in_order(power for letter in rights for power in RIGHTS[letter][1])
        for rights in ("l", "lr", "lrs", "lrswi", "lrswipt", "lrswipkxte")
    }

    def __init__(self, settings: Mapping[str, str], secret: str) -> None:
        checked("imap", self.about, settings)
        self._host, self._port = settings["host"], port_of("imap", settings)
        self._tls = settings.get("tls", "implicit")
        if self._tls not in ("implicit", "starttls", "none"):
            raise wrong("imap", "tls", "is none of implicit, starttls and none", "Leave it out: that is implicit.")
        if self._tls == "none" and self._host not in ("127.0.0.1", "::1", "localhost"):
            raise wrong("imap", "tls", "may be none on this machine only", "Others could read the password on its way.")
        self._where = f"{self._host}:{self._port}"
        self._user, self._secret, self._domain = settings["user"], secret, settings.get("domain", "")

    def abilities(self) -> Abilities:
        kinds = frozenset({Kind.DELEGATE, Kind.OPEN})
        letters = {"lr" if letter == "r" else letter: powers for letter, (_, powers) in RIGHTS.items() if letter != "l"}
        return Abilities(
            kinds, kinds, narrows=kinds, raises=kinds, one_each=True, gives=kinds, permissions=tuple(letters.items())
        )

    def pages(self) -> Iterator[Page]:
        with self._connected() as server:
            parties: set[str] = set()
            boxes = self._boxes(server)
            for box in boxes:
                entries = self._entries(box, self._access(server, box))
                fresh = {e.party for e in entries} - parties
                parties |= fresh
                yield Page((_account(box),), tuple(self._party(p) for p in sorted(fresh)), tuple(entries))

    def look(self, party: str) -> Observation:
        with self._connected() as server:
            found = [(box, self._entries(box, self._access(server, box))) for box in self._boxes(server)]
        theirs = tuple(e for _, entries in found for e in entries if e.party == party)
        parties = (self._party(party),) if theirs else ()
        return Observation(ReadingOutcome.COMPLETE, tuple(_account(box) for box, _ in found), parties, theirs)

    def end(self, entry: str, party: str, idempotency_key: str) -> Answer:
        _, box, identifier = (unquote(part) for part in entry.split(":"))
        if identifier == self._user:
            raise ProviderRefused(
                f"{entry!r} is Open Latch's own way into {box}; ending it would lock Open Latch out.",
                next_step="Remove the provider from Open Latch, then end it at the server.",
            )
        with self._connected() as server:
            if box not in self._boxes(server):
                return Answer(f"there is no mailbox {_shown(box)} any more", already=True)
            if identifier not in self._access(server, box):
                return Answer(f"{identifier} is not in the access list of {_shown(box)}", already=True)
            self._ask(server.deleteacl(_quoted(box), _quoted(identifier)), f"DELETEACL {box}")
        return Answer(f"{identifier} was taken out of the access list of {_shown(box)}")

    def change(self, entry: str, party: str, change: Change, idempotency_key: str) -> Answer:
        _, box, identifier = (unquote(part) for part in entry.split(":"))
        if not change.level or set(change.level) - set(RIGHTS):
            raise unable(entry, "change")
        if identifier == self._user:
            raise ProviderRefused(
                f"{entry!r} is Open Latch's own way into {box}; narrowing it could lock Open Latch out.",
                next_step="Change it at the server itself.",
            )
        with self._connected() as server:
            if box not in self._boxes(server) or identifier not in self._access(server, box):
                raise ProviderRefused(
                    f"{identifier} is not in the access list of {_shown(box)} any more.",
                    next_step="Read the provider again; nothing has to be narrowed.",
                )
            self._ask(server.setacl(_quoted(box), _quoted(identifier), change.level), f"SETACL {box}")
        return Answer(f"{identifier} has {change.level} in the access list of {_shown(box)}")

    def find(self, text: str) -> Found:
        name, _, domain = text.rpartition("@") if "@" in text else (text, "", "")
        if domain and self._domain and domain.casefold() != self._domain.casefold():
            reason = (
                f"Only addresses at {self._domain} can sign in to this mail server. Have a login made for them there."
            )
            return Found(hindrances=(Hindrance("not-registered", reason),))
        return Found(name if self._domain or not domain else text)

    def give(self, party: str, gift: Gift, idempotency_key: str) -> Answer:
        if not gift.level or set(gift.level) - set(RIGHTS) or gift.ends_at is not None or gift.hours is not None:
            raise unable(f"{gift.level} on {gift.account}", "give")
        box, identifier = gift.account, party
        if gift.again:
            _, box, identifier = (unquote(part) for part in gift.again.split(":"))
        with self._connected() as server:
            if box not in self._boxes(server):
                raise ProviderRefused(
                    f"There is no mailbox {_shown(box)} any more.", next_step="Read the provider again."
                )
            already = self._access(server, box).get(identifier) == gift.level
            if not already:
                self._ask(server.setacl(_quoted(box), _quoted(identifier), gift.level), f"SETACL {box}")
        return Answer(f"{identifier} has {gift.level} in the access list of {_shown(box)}", already)

    def _boxes(self, server: imaplib.IMAP4) -> list[str]:
        """The mailboxes that can be opened, by their names on the wire: the login's own, and others that it may share.

        Whose a mailbox is, the server says (NAMESPACE, RFC 2342); what we may do with it, in one answer where it can
        (RFC 5258, RFC 8440). Where it says neither, the usual beginnings of names are those of others.
        """
        able = set(_joined(server.capability()[1][0]).upper().split())
        at_once = {"LIST-EXTENDED", "LIST-MYRIGHTS"} <= able
        boxes = []
        for line in self._ask(server.list('""', '"*" RETURN (MYRIGHTS)' if at_once else "*"), "LIST"):
            text = _joined(line)
            flags, _, rest = text.partition(")")
            tokens = _tokens(rest)
            if len(tokens) < 2:
                raise self._unreadable("LIST", text)
            if not {"\\noselect", "\\nonexistent"} & set(flags.lower().strip("( ").split()):
                # With LIST-EXTENDED more may stand behind the name.
                boxes.append(tokens[1])
        rights = dict(self._mine(line) for line in server.response("MYRIGHTS")[1] or () if line)
        others = self._of_others(server) if "NAMESPACE" in able else _OF_OTHERS
        return [
            box
            for box in boxes
            if not box.lower().startswith(others) or ("NAMESPACE" in able and self._may_share(server, box, rights))
        ]

    def _of_others(self, server: imaplib.IMAP4) -> tuple[str, ...]:
        """The beginnings of names that are not the login's own, in small letters."""
        (line,) = self._ask(server.namespace(), "NAMESPACE")[:1] or [b""]
        groups = _nested(_joined(line))
        if len(groups) < 3:
            raise self._unreadable("NAMESPACE", _joined(line))
        return tuple(
            one[0].lower() for group in groups[1:3] for one in group if isinstance(one, list) and one and one[0]
        )

    def _may_share(self, server: imaplib.IMAP4, box: str, rights: Mapping[str, str]) -> bool:
        if box not in rights:
            status, data = server.myrights(_quoted(box))
            return status == "OK" and bool(data) and "a" in self._mine(data[0])[1]
        return "a" in rights[box]

    def _mine(self, line: Any) -> tuple[str, str]:
        """A mailbox, and what we may do with it."""
        tokens = _tokens(_joined(line))
        if len(tokens) != 2:
            raise self._unreadable("MYRIGHTS", _joined(line))
        return tokens[0], tokens[1]

    def _access(self, server: imaplib.IMAP4, box: str) -> dict[str, str]:
        """The access list of a mailbox: rights by identifier, without what is denied."""
        (line,) = self._ask(server.getacl(_quoted(box)), f"GETACL {box}")[:1] or [b""]
        tokens = _tokens(_joined(line))
        if len(tokens) % 2 != 1:
            raise self._unreadable(f"GETACL {box}", _joined(line))
        given: dict[str, str] = {}
        denied: defaultdict[str, str] = defaultdict(str)
        for identifier, rights in zip(tokens[1::2], tokens[2::2], strict=True):
            if identifier.startswith("-"):
                denied[identifier[1:]] += rights
            else:
                given[identifier] = rights
        # What is denied to anyone at all is denied to each.
        for identifier, rights in given.items():
            given[identifier] = "".join(r for r in rights if r not in denied[identifier] + denied["anyone"])
        return {identifier: rights for identifier, rights in given.items() if rights}

    def _entries(self, box: str, access: Mapping[str, str]) -> list[ObservedEntry]:
        entries = []
        for identifier, rights in access.items():
            everyone = identifier in ("anyone", "authenticated", "anonymous")
            letters = [r for r in rights if r not in _VIRTUAL or not set(rights) & set("kxte")]
            # Servers show them in any order, and the same rights are to be the same level.
            letters.sort(key=lambda letter: (_ORDER.find(letter) if letter in RIGHTS else len(_ORDER), letter))
            entries.append(
                ObservedEntry(
                    f"acl:{quote(box, safe='')}:{quote(identifier, safe='')}",
                    box,
                    identifier,
                    Kind.OPEN if everyone else Kind.DELEGATE,
                    "".join(letters),
                    permissions=tuple(_word(letter) for letter in letters),
                )
            )
        return entries

    def _party(self, identifier: str) -> ObservedParty:
        if identifier in ("anyone", "anonymous"):
            return ObservedParty(identifier, PartyKind.ANYONE, "Anyone")
        if identifier == "authenticated":
            return ObservedParty(identifier, PartyKind.ANYONE, "Anyone who is signed in")
        team = re.match(r"(?:group=|group-override=|\$)(.+)", identifier)
        if team:
            return ObservedParty(identifier, PartyKind.TEAM, team[1])
        name = self._user if identifier == "owner" else identifier.removeprefix("user=")
        address = name if "@" in name else f"{name}@{self._domain}" if self._domain else ""
        addresses = (address,) if address else ()
        return ObservedParty(identifier, PartyKind.PERSON, name, addresses, service=name == self._user)

    def _ask(self, answer: tuple[str, list[Any]], what: str) -> list[Any]:
        status, data = answer
        if status != "OK":
            said = _joined(data[0]) if data else ""
            if _passes(said):
                raise self._down(said)
            raise ProviderRefused(
                f"{self._where} refused {what} to “{self._user}”: {said or status}.",
                next_step="Give that login the right to administer the mailbox (a), then try again.",
            )
        return [line for line in data if line is not None and line != b")"]

    def _unreadable(self, what: str, text: str) -> ProviderUnreadable:
        return ProviderUnreadable(
            f"{self._where} answered {what} with something that cannot be read: {text[:200]!r}.",
            next_step="Tell whoever runs the mail server; what was known before is kept.",
        )

    @contextmanager
    def _connected(self) -> Iterator[imaplib.IMAP4]:
        try:
            server = self._open()
        except (OSError, ssl.SSLError, imaplib.IMAP4.error) as error:
            raise self._down(error) from error
        try:
            self._sign_in(server)
            yield server
        except imaplib.IMAP4.abort as error:
            raise self._down(error) from error
        except imaplib.IMAP4.error as error:
            if _passes(str(error)):
                raise self._down(error) from error
            raise ProviderRefused(
                f"{self._where} refused: {error}.",
                next_step="Check what the login may do, and that the server lets access lists be changed.",
            ) from error
        except OSError as error:
            raise self._down(error) from error
        finally:
            _leave(server)

    def _open(self) -> imaplib.IMAP4:
        if self._tls == "implicit":
            return _Encrypted(self._host, self._port, ssl_context=authorities(), timeout=20)
        server = (_Plain if self._tls == "starttls" else _InClear)(self._host, self._port, timeout=20)
        if self._tls == "starttls":
            server.starttls(authorities())
        return server

    def _sign_in(self, server: imaplib.IMAP4) -> None:
        try:
            server.login(self._user, self._secret)
        except imaplib.IMAP4.abort:
            raise
        except imaplib.IMAP4.error as error:
            if _passes(str(error)):
                raise self._down(error) from error
            raise ProviderRefused(
                f"{self._where} does not let “{self._user}” in: {error}.",
                next_step="Check the user and the password of this provider.",
            ) from error
        if "ACL" not in _joined(server.capability()[1][0]).upper().split():
            raise ProviderRefused(
                f"{self._where} has no access lists (it does not announce ACL).",
                next_step="Have whoever runs the mail server switch them on.",
            )

    def _down(self, error: Exception | str) -> ProviderDown:
        return ProviderDown(
            f"{self._where} does not answer: {error}.",
            next_step="It will be tried again automatically; what was known before is kept.",
        )


def _passes(said: str) -> bool:
    """Whether a refusal says of itself that it will pass (RFC 5530)."""
    return re.search(r"\[(UNAVAILABLE|INUSE|LIMIT)\]", said, re.IGNORECASE) is not None


class _Plain(imaplib.IMAP4):
    """Connects to where the service may call, and is encrypted later."""

    def _create_socket(self, timeout: float | None) -> socket.socket:
        return outgoing.connected(self.host, self.port, timeout)


class _InClear(imaplib.IMAP4):
    """Connects to where the service may call unencrypted."""

    def _create_socket(self, timeout: float | None) -> socket.socket:
        return outgoing.connected(self.host, self.port, timeout, in_clear=True)


class _Encrypted(imaplib.IMAP4_SSL):
    """Connects to where the service may call, encrypted from the first byte."""

    def _create_socket(self, timeout: float | None) -> ssl.SSLSocket:
        bare = outgoing.connected(self.host, self.port, timeout)
        made: ssl.SSLSocket = self.ssl_context.wrap_socket(bare, server_hostname=self.host)
        return made


def _leave(server: imaplib.IMAP4) -> None:
    try:
        server.logout()
    except (OSError, imaplib.IMAP4.error):
        server.shutdown()


def _joined(line: Any) -> str:
    """A line as text; a literal, which imaplib gives apart from its line, is put back as a quoted word."""
    if isinstance(line, tuple):
        before, literal = line[0].decode("utf-8", "replace"), line[1].decode("utf-8", "replace")
        return re.sub(r"\{\d+\+?\}$", "", before) + _quoted(literal)
    return line.decode("utf-8", "replace") if isinstance(line, bytes) else str(line)


def _tokens(text: str) -> list[str]:
    return [re.sub(r"\\(.)", r"\1", quoted) if plain == "" else plain for quoted, plain in _TOKEN.findall(text)]


def _nested(text: str) -> list[Any]:
    """The words of an answer, those in brackets as lists in it; NIL is an empty one."""
    whole: list[Any] = []
    open_lists = [whole]
    for match in re.finditer(r'"((?:[^"\\]|\\.)*)"|([()])|([^\s()"]+)', text):
        if match[2] == "(":
            inner: list[Any] = []
            open_lists[-1].append(inner)
            open_lists.append(inner)
        elif match[2]:
            open_lists = open_lists[:-1] or [whole]
        elif match[3]:
            open_lists[-1].append([] if match[3].upper() == "NIL" else match[3])
        else:
            open_lists[-1].append(re.sub(r"\\(.)", r"\1", match[1]))
    return whole


def _quoted(text: str) -> str:
    return '"' + text.replace("\\", "\\\\").replace('"', '\\"') + '"'


def _account(box: str) -> ObservedAccount:
    return ObservedAccount(box, _shown(box))


def _shown(box: str) -> str:
    """A mailbox's name for people: the wire writes it in modified UTF-7 (RFC 3501, 5.1.3)."""

    def decoded(match: re.Match[str]) -> str:
        packed = match[1].replace(",", "/")
        if not packed:
            return "&"
        return base64.b64decode(packed + "=" * (-len(packed) % 4)).decode("utf-16-be", "replace")

    try:
        return re.sub(r"&([^-]*)-", decoded, box)
    except ValueError:
        return box
