"""The connector for calendars, address books and shared folders that speak WebDAV ACL (RFC 3744).

Every collection below the base is an account, and the collections in it are parts of that account. What one principal
is granted on one collection is an entry, `ace:PATH:PRINCIPAL`; what a collection inherits is the entry of the one it
comes from. Ending an entry sets the list without it. What a server protects, and what an owner has as such, is shown
and cannot be ended.

Servers differ in what they make of a list without somebody: one that keeps what it is not told of is told once more,
and only what it shows afterwards counts.
"""

from __future__ import annotations

import xml.etree.ElementTree as ET
from base64 import b64encode
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import ClassVar
from urllib.parse import quote, unquote, urljoin, urlsplit

import httpx

from openlatch.connecting.capabilities import Ends, Finds, Gives
from openlatch.connecting.http import STANDS, Caller, checked_settings
from openlatch.connecting.settings import unable
from openlatch.core.model import Abilities
from openlatch.core.providers.meaning import Words
from openlatch.core.providers.observation import (
    ObservedAccount,
    ObservedEntry,
    ObservedMembership,
    ObservedParty,
)
from openlatch.core.providers.ports import About, Answer, Found, Gift, Hindrance, Page, Setting
from openlatch.errors import ProviderRefused, ProviderUnreadable
from openlatch.words import Kind, PartyKind, Power

__all__ = ["WebDavConnector"]

DAV, CALDAV = "{DAV:}", "{urn:ietf:params:xml:ns:caldav}"
ALL, OWNER = "all", "owner"
_ALL = (Power.VIEW, Power.EDIT, Power.PUBLISH, Power.EXPORT, Power.ADMIT, Power.OWN)
_WRITES = ("write-content", "write-properties", "bind", "unbind")
_WITHIN: Mapping[str, tuple[str, ...]] = {
    "write": _WRITES,
    "read": ("read-free-busy",),
    "schedule-send": ("schedule-send-invite", "schedule-send-reply", "schedule-send-freebusy"),
    "schedule-deliver": ("schedule-deliver-invite", "schedule-deliver-reply", "schedule-query-freebusy"),
}
"""The privileges that are in another one (RFC 3744, 3; RFC 4791, 6.1; RFC 6638, 6)."""
_WORDS: Words = {
    ALL: _ALL,
    "read": (Power.VIEW, Power.EXPORT),
    "read-free-busy": (Power.VIEW,),
    **dict.fromkeys(("write", *_WRITES), (Power.EDIT,)),
    "write-acl": (Power.ADMIT,),
    **dict.fromkeys(("read-acl", "read-current-user-privilege-set", "unlock"), ()),
    # Whoever may do so invites people, and answers them, in the owner's name.
    **dict.fromkeys(("schedule-send", *_WITHIN["schedule-send"]), (Power.PUBLISH,)),
    **dict.fromkeys(("schedule-deliver", "schedule-deliver-invite", "schedule-deliver-reply"), ()),
    "schedule-query-freebusy": (Power.VIEW,),
}
READ, READ_WRITE = "read", "read + write"
_ANYONE: Mapping[str, str] = {
    "all": "anyone",
    "authenticated": "everyone who may sign in",
    "unauthenticated": "anyone who does not sign in",
}
_MOST = 20_000
"""Collections that one reading asks about."""
_DEEPEST = 8
_ASKED = (
    '<?xml version="1.0" encoding="utf-8"?><D:propfind xmlns:D="DAV:" xmlns:C="urn:ietf:params:xml:ns:caldav"><D:prop>'
    "<D:displayname/><D:resourcetype/><D:owner/><D:acl/></D:prop></D:propfind>"
)
_WHO = (
    '<?xml version="1.0" encoding="utf-8"?><D:propfind xmlns:D="DAV:" xmlns:C="urn:ietf:params:xml:ns:caldav"><D:prop>'
    "<D:displayname/><D:resourcetype/><D:group-member-set/><C:calendar-user-address-set/><C:calendar-user-type/>"
    "<D:principal-collection-set/><D:current-user-principal/></D:prop></D:propfind>"
)


@dataclass(frozen=True, slots=True)
class _Ace:
    """One element of an access control list: what one principal is granted, or denied."""

    principal: str
    privileges: tuple[str, ...]
    denies: bool
    inherited: bool
    protected: bool
    owners: bool
    element: ET.Element


@dataclass(frozen=True, slots=True)
class _Thing:
    """A collection, or a principal, with the properties that were asked for."""

    path: str
    name: str
    properties: Mapping[str, ET.Element]
    kept_back: frozenset[str]
    """the properties that we may not see"""
    kinds: frozenset[str]

    def hrefs(self, name: str) -> list[str]:
        found = self.properties.get(name)
        return [] if found is None else [(one.text or "").strip() for one in found.iter(f"{DAV}href")]


class WebDavConnector(Ends, Finds, Gives):
    """Speaks WebDAV ACL."""

    made_for: ClassVar[int] = 1
    about: ClassVar[About] = About(
        "WebDAV ACL (RFC 3744): calendars, address books, shared folders",
        (
            Setting("url", "of the collection below which everything is, such as https://calendars.example/dav/"),
            Setting("login", "with which it is read, and lists of access are changed", leads=False),
        ),
        "password",
    )
    words: ClassVar[Words] = _WORDS
    levels: ClassVar[Mapping[str, tuple[Power, ...]]] = {
        "read-free-busy": _WORDS["read-free-busy"],
        READ: _WORDS["read"],
        READ_WRITE: (Power.VIEW, Power.EDIT, Power.EXPORT),
    }

    def __init__(self, settings: Mapping[str, str], secret: str, transport: httpx.BaseTransport | None = None) -> None:
        url, more = checked_settings("webdav", self.about, settings, url="url")
        self._url = f"{url}/"
        parts = urlsplit(self._url)
        self._origin, self._base = f"{parts.scheme}://{parts.netloc}", _plain(parts.path)
        proof = b64encode(f"{more['login']}:{secret}".encode()).decode()
        self._caller = Caller("WebDAV", {"Authorization": f"Basic {proof}"}, transport)

    def abilities(self) -> Abilities:
        kinds = frozenset({Kind.DELEGATE, Kind.OPEN})
        return Abilities(kinds, kinds, gives=kinds)

    def pages(self) -> Iterator[Page]:
        self._caller.reads()
        own = self._own()
        seen: dict[str, _Thing | None] = {principal.path: principal for principal in self._all_principals()}
        told: set[str] = set()
        memberships: set[ObservedMembership] = set()
        owned: dict[str, set[str]] = {}
        for account, thing in self._collections():
            found = tuple(self._entries(account, thing))
            if thing.path == account:
                owned[account] = {entry.party for entry in found if entry.level == OWNER}
            # Whoever owns all of it owns each part, which need not be said of each.
            part = thing.path != account
            entries = tuple(e for e in found if not (part and e.level == OWNER and e.party in owned.get(account, ())))
            accounts = (ObservedAccount(account, thing.name),) if thing.path == account else ()
            parties = []
            waiting = [entry.party for entry in entries]
            while waiting:
                key = waiting.pop()
                if key not in told:
                    told.add(key)
                    party, members = self._party(key, seen, own)
                    parties.append(party)
                    memberships |= {ObservedMembership(key, member) for member in members}
                    waiting += members
            yield Page(accounts, tuple(parties), entries)
        yield Page(memberships=tuple(sorted(memberships, key=lambda m: (m.team, m.member))))

    def end(self, entry: str, party: str, idempotency_key: str) -> Answer:
        # What is asked for is a state, so that asking twice is asking once.
        path, principal = _parts(entry)
        if principal == self._own():
            raise ProviderRefused(
                f"{entry!r} is Open Latch's own access to {self._url}; ending it would lock Open Latch out.",
                next_step="Remove the provider from Open Latch, then end it at the server.",
            )
        thing = self._collection(path)
        if thing is None:
            return Answer(f"{path} is not there any more", already=True)
        theirs = [ace for ace in self._aces(thing) if ace.principal == principal and not ace.inherited]
        if any(ace.protected or ace.owners for ace in theirs):
            raise ProviderRefused(
                f"{self._url} lets nobody take this from whoever has it: it belongs to the owner, or is protected.",
                next_step="Have the collection handed over to somebody else at the server.",
            )
        if not any(ace.privileges and not ace.denies for ace in theirs):
            return Answer(f"nothing is granted on {path} any more", already=True)
        kept = [ace for ace in self._aces(thing) if ace not in theirs or ace.denies]
        self._set(path, [ace.element for ace in kept])
        if not self._grants(path, principal):
            return Answer(f"the list of {path} is set without it")
        # A server that keeps what it is not told of: it is told that nothing is granted.
        self._set(path, [*(ace.element for ace in kept), _element(principal, ())])
        if self._grants(path, principal):
            raise ProviderRefused(
                f"{self._url} said that it had set the list of {path}, and still grants the same.",
                next_step="End it at the server itself.",
            )
        return Answer(f"the list of {path} grants nothing there any more")

    def find(self, text: str) -> Found:
        wanted = text.strip().casefold()
        found = []
        for principal in self._all_principals():
            party, _ = self._party(principal.path, {principal.path: principal}, "")
            login = unquote(principal.path.rstrip("/").rpartition("/")[2])
            if wanted in (login.casefold(), *(address.casefold() for address in party.addresses)):
                found.append(party)
        if len(found) == 1:
            return Found(found[0].key, found[0].name)
        reason = f"{len(found)} people of {self._url} have it." if found else f"{self._url} knows nobody by that."
        return Found(hindrances=(Hindrance("not-registered", reason),))

    def give(self, party: str, gift: Gift, idempotency_key: str) -> Answer:
        levels = {name: tuple(name.split(" + ")) for name in self.levels}
        path, privileges = gift.account, levels.get(gift.level, ())
        if gift.again:
            path, privileges = _parts(gift.again)[0], gift.permissions
        if not privileges or gift.ends_at is not None or gift.hours is not None or (gift.resources and not gift.again):
            raise unable(f"{gift.level} on {gift.account}", "give")
        thing = self._collection(path)
        if thing is None:
            raise ProviderRefused(f"{self._url} has no {path} any more.", next_step="Read the provider again.")
        kept = [ace for ace in self._aces(thing) if not ace.inherited and not ace.protected]
        before = {name for ace in kept if ace.principal == party and not ace.denies for name in ace.privileges}
        others = [ace.element for ace in kept if ace.principal != party or ace.denies]
        self._set(path, [*others, _element(party, sorted(before | set(privileges)))])
        return Answer(f"{', '.join(privileges)} is granted on {path}", already=set(privileges) <= before)

    # Asking

    def _collections(self) -> Iterator[tuple[str, _Thing]]:
        """Every collection with the account it belongs to: the base, what is in it, and so on downwards."""
        waiting = [(self._base, "", 0)]
        walked = {self._base}
        while waiting:
            path, account, depth = waiting.pop(0)
            if len(walked) > _MOST or depth > _DEEPEST:
                raise ProviderUnreadable(
                    f"{self._origin}{path} is further than is read: {_MOST:,} collections, {_DEEPEST} levels deep.",
                    next_step=f"Give the address of a part of it; {STANDS}",
                )
            for thing in self._asked(path, _ASKED, depth="1"):
                if thing.path == path:
                    if not account:
                        yield path, thing
                elif self._walks(thing, path) and thing.path not in walked:
                    walked.add(thing.path)
                    of = thing.path if path == self._base else account
                    yield of, thing
                    if not thing.kinds & {"calendar", "addressbook"}:
                        waiting.append((thing.path, of, depth + 1))

    def _walks(self, thing: _Thing, path: str) -> bool:
        """Whether something is a collection in another one, and no group that a server shows as if it were one."""
        proxies = any(kind.endswith(("calendar-proxy-read", "calendar-proxy-write")) for kind in thing.kinds)
        return "collection" in thing.kinds and not proxies and thing.path.startswith(path)

    def _collection(self, path: str) -> _Thing | None:
        return next((thing for thing in self._asked(path, _ASKED, depth="0", gone=True) if thing.path == path), None)

    def _own(self) -> str:
        """The principal that we are ourselves (RFC 5397); empty if the server does not say."""
        for thing in self._asked(self._base, _WHO, depth="0"):
            for href in thing.hrefs("current-user-principal"):
                return self._path(href)
        return ""

    def _all_principals(self) -> Iterator[_Thing]:
        """Those that the server lists where it says that its principals are."""
        (base, *_) = (*self._asked(self._base, _WHO, depth="0"), None)
        places = base.hrefs("principal-collection-set") if base else []
        for place in dict.fromkeys(self._path(href) for href in places):
            for thing in self._asked(place, _WHO, depth="1", gone=True):
                if "principal" in thing.kinds:
                    yield thing

    def _asked(self, path: str, what: str, *, depth: str, gone: bool = False) -> list[_Thing]:
        ok = (207, 403, 404, 410) if gone else (207, 403)
        headers = {"Depth": depth, "Content-Type": "application/xml; charset=utf-8"}
        answer = self._caller.send("PROPFIND", f"{self._origin}{path}", ok=ok, content=what.encode(), headers=headers)
        if answer.status_code == 403:
            raise ProviderRefused(
                f"{self._origin}{path} does not let us see it.", next_step="Give our login the right to read it."
            )
        return [] if answer.status_code != 207 else [self._thing(one) for one in self._read(path, answer.content)]

    def _read(self, path: str, content: bytes) -> list[ET.Element]:
        try:
            if b"<!DOCTYPE" in content[:4096] or b"<!ENTITY" in content:
                raise ET.ParseError("it brings definitions of its own")
            root = ET.fromstring(content)  # noqa: S314 - nothing is defined in it, and so nothing grows
        except ET.ParseError as error:
            raise self._unreadable(path, f"what it sent is no XML that can be read: {error}") from error
        if root.tag != f"{DAV}multistatus":
            raise self._unreadable(path, f"it sent {root.tag} where a multistatus belongs")
        return root.findall(f"{DAV}response")

    def _thing(self, response: ET.Element) -> _Thing:
        properties: dict[str, ET.Element] = {}
        kept_back = set()
        for part in response.findall(f"{DAV}propstat"):
            status = (part.findtext(f"{DAV}status") or "").split(" ")
            for one in part.findall(f"{DAV}prop/*"):
                if "200" in status:
                    properties[_name(one.tag)] = one
                elif {"401", "403"} & set(status):
                    kept_back.add(_name(one.tag))
        path = self._path((response.findtext(f"{DAV}href") or "").strip())
        kinds = properties.get("resourcetype")
        named = properties.get("displayname")
        return _Thing(
            path,
            ((named.text or "").strip() if named is not None else "")
            or unquote(path).rstrip("/").rpartition("/")[2]
            or path,
            properties,
            frozenset(kept_back),
            frozenset(_name(one.tag) for one in kinds) if kinds is not None else frozenset(),
        )

    def _path(self, href: str) -> str:
        """The path of an address of the server; one of somewhere else is never asked for."""
        whole = urlsplit(urljoin(self._url, href))
        if not href or f"{whole.scheme}://{whole.netloc}".lower() != self._origin.lower():
            raise self._unreadable(self._base, f"it names {href!r}, which is not of this server")
        return _plain(whole.path)

    def _unreadable(self, path: str, why: str) -> ProviderUnreadable:
        return ProviderUnreadable(
            f"{self._origin}{path} cannot be read: {why}.",
            next_step=f"Tell whoever runs it; {STANDS}",
            at=path,
        )

    # Lists of access

    def _aces(self, thing: _Thing) -> list[_Ace]:
        acl = thing.properties.get("acl")
        if acl is None:
            if "acl" in thing.kept_back:
                raise ProviderRefused(
                    f"{self._origin}{thing.path} does not show us who has access to it.",
                    next_step="Grant our login the privilege read-acl there.",
                )
            raise self._unreadable(thing.path, "it has no list of access (RFC 3744)")
        return [ace for element in acl.findall(f"{DAV}ace") if (ace := self._ace(thing, element)) is not None]

    def _ace(self, thing: _Thing, element: ET.Element) -> _Ace | None:
        inverted = element.find(f"{DAV}invert")
        holder = (inverted if inverted is not None else element).find(f"{DAV}principal")
        who = None if holder is None else next(iter(holder), None)
        if who is None:
            raise self._unreadable(thing.path, "an entry of its list names nobody")
        kind, owners = _name(who.tag), False
        if kind == "href":
            principal = self._path((who.text or "").strip())
        elif kind == "property":
            name = _name(next(iter(who), who).tag)
            owners = name == OWNER
            hrefs = thing.hrefs(name)
            if not hrefs:
                return None
            principal = self._path(hrefs[0])
        elif kind == "self":
            principal = thing.path
        else:
            principal = kind
        grant = element.find(f"{DAV}grant")
        given = element.find(f"{DAV}deny") if grant is None else grant
        privileges = [] if given is None else [one for each in given.findall(f"{DAV}privilege") for one in each]
        return _Ace(
            principal=f"not:{principal}" if inverted is not None else principal,
            privileges=tuple(dict.fromkeys(_name(one.tag) for one in privileges)),
            denies=grant is None,
            inherited=element.find(f"{DAV}inherited") is not None,
            protected=element.find(f"{DAV}protected") is not None,
            owners=owners,
            element=element,
        )

    def _grants(self, path: str, principal: str) -> bool:
        thing = self._collection(path)
        return thing is not None and any(
            ace.principal == principal and ace.privileges and not ace.denies and not ace.inherited
            for ace in self._aces(thing)
        )

    def _set(self, path: str, elements: Iterable[ET.Element]) -> None:
        """Set the list of a collection; what is inherited or protected is no part of it (RFC 3744, 8.1)."""
        acl = ET.Element(f"{DAV}acl")
        for element in elements:
            if element.find(f"{DAV}inherited") is None and element.find(f"{DAV}protected") is None:
                acl.append(element)
        body = ET.tostring(acl, encoding="utf-8", xml_declaration=True)
        headers = {"Content-Type": "application/xml; charset=utf-8"}
        self._caller.send("ACL", f"{self._origin}{path}", ok=(200, 204), content=body, headers=headers)

    # Telling

    def _entries(self, account: str, thing: _Thing) -> Iterator[ObservedEntry]:
        granted: dict[str, list[str]] = {}
        denied: dict[str, set[str]] = {}
        owners = set()
        for ace in self._aces(thing):
            if ace.inherited:
                continue
            if ace.denies:
                denied.setdefault(ace.principal, set()).update(_whole(ace.privileges))
                continue
            # Of two that speak of one principal the first one counts, privilege by privilege (RFC 3744, 6).
            not_them = denied.get(ace.principal, set())
            left = [name for name in _whole(ace.privileges) if not not_them & {name, *_whole((name,))}]
            granted.setdefault(ace.principal, []).extend(left if not_them else ace.privileges)
            owners |= {ace.principal} if ace.owners else set()
        part = unquote(thing.path.removeprefix(account)).rstrip("/")
        for principal, privileges in granted.items():
            names = tuple(dict.fromkeys(privileges))
            if names:
                anyone = principal in _ANYONE or principal.startswith("not:")
                yield ObservedEntry(
                    f"ace:{quote(thing.path, safe='/')}:{quote(principal, safe='/')}",
                    account,
                    principal,
                    Kind.OPEN if anyone else Kind.DELEGATE,
                    OWNER if principal in owners else _level(names),
                    _ALL if principal in owners else None,
                    permissions=() if principal in owners else names,
                    resources=(part,) if part else (),
                )

    def _party(self, key: str, seen: dict[str, _Thing | None], own: str) -> tuple[ObservedParty, list[str]]:
        """A principal as a party, and the principals that it is made of."""
        if key in _ANYONE:
            return ObservedParty(key, PartyKind.ANYONE, _ANYONE[key]), []
        if key.startswith("not:"):
            but, _ = self._party(key.removeprefix("not:"), seen, own)
            return ObservedParty(key, PartyKind.ANYONE, f"everyone but {but.name}"), []
        if key not in seen:
            (there, *_) = (*self._asked(key, _WHO, depth="0", gone=True), None)
            seen[key] = there
        thing = seen[key]
        if thing is None:
            return ObservedParty(key, PartyKind.PERSON, unquote(key).rstrip("/").rpartition("/")[2]), []
        members = [self._path(href) for href in thing.hrefs("group-member-set")]
        kind = thing.properties.get("calendar-user-type")
        group = bool(members) or (kind is not None and (kind.text or "").strip().upper() == "GROUP")
        mails = [href[7:] for href in thing.hrefs("calendar-user-address-set") if href.lower().startswith("mailto:")]
        addresses = () if key == own else tuple(dict.fromkeys(unquote(mail) for mail in mails))
        party = PartyKind.TEAM if group else PartyKind.PERSON
        return ObservedParty(key, party, thing.name, addresses, service=key == own), members


def _parts(entry: str) -> tuple[str, str]:
    """The path and the principal of the key of an entry."""
    _, path, principal = entry.split(":", 2)
    return unquote(path), unquote(principal)


def _plain(path: str) -> str:
    """A path in one spelling, however its letters were written, with a slash at its end."""
    return quote(unquote(path), safe="/:@!$&'()*+,;=~-._").rstrip("/") + "/"


def _name(tag: str) -> str:
    """A name of the standards without its namespace; any other with it."""
    return tag.removeprefix(DAV).removeprefix(CALDAV)


def _whole(privileges: Iterable[str]) -> list[str]:
    """These privileges, with all that are in them by the standards."""
    names = list(privileges)
    if ALL in names:
        names += [name for name in _WORDS if name != ALL]
    return list(dict.fromkeys([*names, *(inner for name in names for inner in _WITHIN.get(name, ()))]))


def _level(privileges: tuple[str, ...]) -> str:
    """What somebody is granted in one line: without what is in something else that they are granted."""
    if ALL in privileges:
        return ALL
    within = {inner for name in privileges for inner in _WITHIN.get(name, ())}
    return " + ".join(
        sorted(set(privileges) - within, key=lambda name: (list(_WORDS).index(name) if name in _WORDS else 99, name))
    )


def _element(principal: str, privileges: Iterable[str]) -> ET.Element:
    """What grants these privileges to a principal."""
    ace = ET.Element(f"{DAV}ace")
    holder = ET.SubElement(ace, f"{DAV}invert") if principal.startswith("not:") else ace
    who = ET.SubElement(holder, f"{DAV}principal")
    plain = principal.removeprefix("not:")
    if plain in _ANYONE:
        ET.SubElement(who, f"{DAV}{plain}")
    else:
        ET.SubElement(who, f"{DAV}href").text = plain
    grant = ET.SubElement(ace, f"{DAV}grant")
    for name in privileges:
        space = CALDAV if name.startswith(("schedule-", "read-free-busy")) else DAV
        tag = name if name.startswith("{") else f"{space}{name}"
        ET.SubElement(ET.SubElement(grant, f"{DAV}privilege"), tag)
    return ace
