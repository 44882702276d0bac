"""The connector for a directory that speaks LDAP (RFC 4511).

Every person who may sign in is an entry on the directory's one account, `person:ID`; every group is a team, with an
entry `group:ID` whose level is the group's name: what a group lets its members do is for the holder to say. ID is the
entry's lasting one (entryUUID, RFC 4530, or objectGUID), so that whoever is renamed stays who they are. Ending a
person's entry disables them, in the one way that the settings name; people and groups are put into groups and taken out
of them.

What a directory shows is read in pages (RFC 2696); one that shows only a part of itself concludes nothing.
"""

from __future__ import annotations

import ssl
from collections.abc import Iterator, Mapping
from contextlib import contextmanager, suppress
from datetime import UTC, datetime
from typing import Any, ClassVar
from urllib.parse import urlsplit
from uuid import UUID

import ldap3
from ldap3.core import exceptions as ldap
from ldap3.protocol.rfc4527 import post_read_control
from ldap3.utils.conv import escape_bytes, escape_filter_chars

from openlatch.connecting import outgoing
from openlatch.connecting.capabilities import Changes, Ends, Finds, HasTeams
from openlatch.connecting.settings import checked, trusted, unable, wrong
from openlatch.connectors.ldap_entries import (
    ACCOUNT,
    BEFORE_ALL,
    DISABLES,
    LOCKED,
    OFF,
    USED,
    Named,
    Thing,
    entry_of,
    groups_of,
    held_by,
    memberships_of,
    names_members_by,
    plain_name,
    thing_of,
    values_of,
)
from openlatch.core.model import Abilities
from openlatch.core.providers.observation import (
    Observation,
    ObservedAccount,
    ObservedParty,
)
from openlatch.core.providers.ports import About, Answer, Change, Found, Page, Setting
from openlatch.errors import ProviderDown, ProviderRefused, ProviderUnreadable
from openlatch.words import Kind, PartyKind, PartyStatus, ReadingOutcome

__all__ = ["LdapConnector"]

PEOPLE = "(|(objectClass=inetOrgPerson)(objectClass=posixAccount)(&(objectClass=user)(!(objectClass=computer))))"
GROUPS = "(|(objectClass=groupOfNames)(objectClass=groupOfUniqueNames)(objectClass=posixGroup)(objectClass=group))"
ASKED = [
    *("objectClass", "cn", "displayName", "givenName", "sn", "mail", "uid", "employeeType", "gidNumber"),
    *("sAMAccountName", "userPrincipalName", "createTimestamp", "whenCreated", "accountExpires"),
    *("manager", "member", "uniqueMember", "memberUid", "memberOf", "entryUUID", "objectGUID"),
    *(*DISABLES, *USED),
]
PAGES = (500, 100, 20)
"""How many things are asked for at a time, as many as the directory sends."""
PIECE = 500
NOBODY: Mapping[str, str] = {}
STANDS = "what was known before is kept."


class _Encrypted(ldap3.Tls):
    """How a connection is encrypted: with whoever has a certificate for the name that is meant, at whatever address."""

    def __init__(self, host: str, trusts: ssl.SSLContext) -> None:
        super().__init__(validate=ssl.CERT_REQUIRED)
        self._host, self._trusts = host, trusts

    def wrap_socket(self, connection: ldap3.Connection, do_handshake: bool = False) -> None:
        connection.socket = self._trusts.wrap_socket(connection.socket, server_hostname=self._host)


class LdapConnector(Ends, Changes, Finds, HasTeams):
    """Speaks LDAP."""

    made_for: ClassVar[int] = 1
    about: ClassVar[About] = About(
        "LDAP (RFC 4511): people and nested groups",
        (
            Setting("url", "such as ldaps://directory.example, or ldap:// for StartTLS"),
            Setting("base", "below which everything is, such as dc=ridge,dc=example", leads=False),
            Setting("login", "the distinguished name that it is read with", leads=False),
            Setting("people", "a filter (RFC 4515) of people, if not the usual classes", needed=False, leads=False),
            Setting("groups", "a filter of groups, if not the usual classes", needed=False, leads=False),
            Setting("disable", f"how somebody is disabled: {', '.join(DISABLES)}", needed=False, leads=False),
            Setting("authority", "certificate (PEM) of its authority, if a private one", needed=False, lines=True),
            Setting("account", "what to call the directory", needed=False, leads=False),
        ),
        "password",
    )

    def __init__(self, settings: Mapping[str, str], secret: str) -> None:
        checked("ldap", self.about, settings)
        parts = urlsplit(settings["url"])
        try:
            port = parts.port
        except ValueError:
            port = -1
        if parts.scheme not in ("ldap", "ldaps") or not parts.hostname or port == -1:
            raise wrong("ldap", "url", f"is {settings['url']!r}", "Give one such as ldaps://directory.example.")
        self._host, self._safe = parts.hostname, parts.scheme == "ldaps"
        self._port = port or (636 if self._safe else 389)
        self._base, self._login, self._secret = settings["base"], settings["login"], secret
        for name in ("base", "login"):
            if not plain_name(settings[name]):
                raise wrong("ldap", name, "is no distinguished name", "Give one such as cn=latch,dc=ridge,dc=example.")
        self._filters = (settings.get("people") or PEOPLE, settings.get("groups") or GROUPS)
        self._disable = settings.get("disable") or DISABLES[0]
        if self._disable not in DISABLES:
            raise wrong("ldap", "disable", f"is {self._disable!r}", f"Give one of {', '.join(DISABLES)}.")
        self._trusts = trusted("ldap", settings)
        self._account = ObservedAccount(ACCOUNT, settings.get("account") or "Directory")
        self._where = f"{self._host}:{self._port}"

    def abilities(self) -> Abilities:
        kinds = frozenset({Kind.DELEGATE, Kind.GRANT})
        dates = kinds if self._disable == "shadowExpire" else frozenset()
        own = self._disable == "userAccountControl"
        return Abilities(
            kinds,
            kinds,
            ends_teams=False,
            adds_members=True,
            removes_members=True,
            dates=dates,
            prolongs=dates,
            enforces=kinds if own else frozenset(),
            past_end="" if own else "the directory says so, and it is up to each machine to go by it",
        )

    def pages(self) -> Iterator[Page]:
        with self._connected() as connection:
            people = list(self._found(connection, self._filters[0]))
            groups = [thing for thing in self._found(connection, self._filters[1]) if thing.is_group]
        people = [thing for thing in people if not thing.is_group]
        entries = [entry for thing in (*people, *groups) if (entry := entry_of(thing)) is not None]
        yield Page((self._account,), total=len(entries))
        things = [*people, *groups]
        mails = {plain_name(thing.dn): thing.text("mail") for thing in people}
        for place in range(0, len(things), PIECE):
            yield Page(parties=tuple(self._party(thing, mails) for thing in things[place : place + PIECE]))
        for place in range(0, len(entries), PIECE):
            yield Page(entries=tuple(entries[place : place + PIECE]), total=len(entries))
        yield Page(memberships=tuple(dict.fromkeys(memberships_of(Named(things), things))))

    def look(self, party: str) -> Observation:
        with self._connected() as connection:
            there = self._one(connection, party)
            if there is None:
                return Observation(ReadingOutcome.COMPLETE, (self._account,))
            groups = list(self._found(connection, f"(&{self._filters[1]}{groups_of(there)})"))
        named = Named([there, *groups])
        entry = entry_of(there)
        own = [m for m in dict.fromkeys(memberships_of(named, [there, *groups])) if m.member == party]
        teams = [group for group in groups if group.key in {m.team for m in own}]
        return Observation(
            ReadingOutcome.COMPLETE,
            (self._account,),
            tuple(self._party(thing) for thing in (there, *teams)),
            () if entry is None else (entry,),
            tuple(own),
        )

    def end(self, entry: str, party: str, idempotency_key: str) -> Answer:
        # What is asked for is a state, so that asking twice is asking once.
        if not entry.startswith("person:"):
            raise ProviderRefused(
                f"LDAP knows no way to take from the group {entry!r} what it may do.",
                next_step="Take its members out of it, or delete it, in the directory.",
            )
        with self._connected() as connection:
            there = self._one(connection, entry)
            if there is None:
                return Answer("there is no such person any more", already=True)
            if plain_name(there.dn) == plain_name(self._login):
                raise ProviderRefused(
                    f"{there.dn} is Open Latch's own login at {self._where}; disabling it would lock Open Latch out.",
                    next_step="Remove the provider from Open Latch, then disable it in the directory.",
                )
            if there.over:
                return Answer("the person is disabled already", already=True)
            said = self._changed(connection, there.dn, self._disabling(there))
        return Answer(f"the person is disabled: {self._disable} is {said or 'set'}")

    def change(self, entry: str, party: str, change: Change, idempotency_key: str) -> Answer:
        dated = change.ends_at is not None or "end" in change.lifts
        if self._disable != "shadowExpire" or not dated or not entry.startswith("person:"):
            raise unable(entry, "give an end to" if dated else "change")
        with self._connected() as connection:
            there = self._needed(connection, entry)
            # It is over when a day begins, by UTC: one in the middle of a day ends with the day before.
            day = "" if change.ends_at is None else str((change.ends_at - datetime(1970, 1, 1, tzinfo=UTC)).days)
            said = self._changed(connection, there.dn, {"shadowExpire": [(ldap3.MODIFY_REPLACE, [day] if day else [])]})
        return Answer(f"shadowExpire is {said or 'gone'}")

    def find(self, text: str) -> Found:
        wanted = escape_filter_chars(text.strip())
        by = "".join(f"({name}={wanted})" for name in ("mail", "uid", "userPrincipalName", "sAMAccountName"))
        with self._connected() as connection:
            found = list(self._found(connection, f"(&{self._filters[0]}(|{by}))"))
        (one,) = found if len(found) == 1 else (None,)
        return Found() if one is None else Found(one.key, self._party(one).name)

    def set_member(self, team: str, member: str, idempotency_key: str, *, belongs: bool) -> Answer:
        # What is asked for is a state, so that asking twice is asking once.
        so = "is a member of the group" if belongs else "is not a member of the group"
        with self._connected() as connection:
            group, who = self._one(connection, team), self._one(connection, member)
            if not belongs and (group is None or who is None):
                return Answer(f"{so}: it is not there any more", already=True)
            group, who = self._needed(connection, team), self._needed(connection, member)
            held = held_by(group, who)
            if bool(held) is belongs and not (held == ["gidNumber"] and belongs):
                return Answer(f"{so} already", already=True)
            if "gidNumber" in held:
                raise ProviderRefused(
                    f"{group.dn} is the primary group of {who.dn}, and everyone has one.",
                    next_step="Give them another primary group (gidNumber) in the directory.",
                )
            changes: dict[str, list[Any]] = {
                name: [(ldap3.MODIFY_DELETE, values_of(group, who, name))] for name in held
            }
            if belongs:
                name = names_members_by(group)
                value = who.text("uid") if name == "memberUid" else who.dn
                changes = {name: [(ldap3.MODIFY_ADD, [value])]}
            self._changed(connection, group.dn, changes)
        return Answer(so)

    # Asking

    def _found(self, connection: ldap3.Connection, wanted: str) -> Iterator[Thing]:
        """All that a filter finds below the base, in pages; in smaller ones where the directory sends none so large."""
        for size in PAGES:
            begun = False
            try:
                for thing in self._paged(connection, wanted, size):
                    begun = True
                    yield thing
            except ldap.LDAPAdminLimitExceededResult:
                if begun or size == PAGES[-1]:
                    raise
            else:
                return

    def _paged(self, connection: ldap3.Connection, wanted: str, size: int) -> Iterator[Thing]:
        found = connection.extend.standard.paged_search(
            self._base, wanted, ldap3.SUBTREE, attributes=ASKED, paged_size=size, paged_criticality=True, generator=True
        )
        for one in found:
            if one["type"] == "searchResRef":
                raise ProviderUnreadable(
                    f"A part of {self._base} is kept elsewhere, at {', '.join(one['uri'])}, which was not asked.",
                    next_step=f"Give a base below which everything is in one directory; {STANDS}",
                )
            yield thing_of(one)

    def _one(self, connection: ldap3.Connection, key: str) -> Thing | None:
        """The person or the group with a key; None if there is none."""
        kind, _, identity = key.partition(":")
        if identity.startswith("dn="):
            with suppress(ldap.LDAPNoSuchObjectResult, ldap.LDAPInvalidDNSyntaxResult):
                connection.search(identity[3:], "(objectClass=*)", ldap3.BASE, attributes=ASKED)
                found = connection.response or ()
                return next((thing_of(one) for one in found if one["type"] == "searchResEntry"), None)
            return None
        try:
            uuid = UUID(identity)
        except ValueError:
            return None
        by = f"(|(entryUUID={uuid})(objectGUID={escape_bytes(uuid.bytes_le)}))"
        wanted = self._filters[1] if kind == "group" else self._filters[0]
        return next(iter(self._found(connection, f"(&{wanted}{by})")), None)

    def _needed(self, connection: ldap3.Connection, key: str) -> Thing:
        there = self._one(connection, key)
        if there is None:
            raise ProviderRefused(f"{self._where} has no {key!r} any more.", next_step="Read the directory again.")
        return there

    def _party(self, thing: Thing, mails: Mapping[str, str] = NOBODY) -> ObservedParty:
        """A party; `mails` are the addresses of those who may answer for it, by their names."""
        if thing.is_group:
            return ObservedParty(thing.key, PartyKind.TEAM, thing.text("cn", "displayName") or thing.dn)
        both = " ".join(filter(None, (thing.text("givenName"), thing.text("sn"))))
        name = thing.text("displayName", "cn") or both or thing.text("uid", "sAMAccountName") or thing.dn
        principal = thing.text("userPrincipalName")
        addresses = [*thing.all("mail"), *([principal] if "@" in principal else [])]
        status = PartyStatus.LEFT if thing.over else PartyStatus.CURRENT
        own = plain_name(thing.dn) == plain_name(self._login)
        sponsor = mails.get(plain_name(thing.text("manager")), "")
        known = tuple(dict.fromkeys(addresses))
        return ObservedParty(thing.key, PartyKind.PERSON, name, known, status, service=own, sponsor=sponsor)

    # Changing

    def _disabling(self, there: Thing) -> dict[str, Any]:
        """What disables somebody, in the way of the settings."""
        if self._disable == "userAccountControl":
            before = int(there.text("userAccountControl") or 0)
            # The value that was read is taken out: whoever changed it meanwhile has this refused, and not undone.
            steps: list[Any] = [(ldap3.MODIFY_DELETE, [str(before)]), (ldap3.MODIFY_ADD, [str(before | OFF)])]
            return {self._disable: steps}
        ways = {"pwdAccountLockedTime": LOCKED, "nsAccountLock": "TRUE", "shadowExpire": BEFORE_ALL}
        return {self._disable: [(ldap3.MODIFY_REPLACE, [ways[self._disable]])]}

    def _changed(self, connection: ldap3.Connection, dn: str, changes: Mapping[str, Any]) -> str:
        """Change an entry, and return what the directory shows of that right after, in the same step (RFC 4527)."""
        names = list(changes)
        connection.modify(dn, changes, controls=[post_read_control(names)])  # type: ignore[no-untyped-call]
        shown = (connection.result.get("controls") or {}).get("1.3.6.1.1.13.2", {}).get("value", {}).get("result", {})
        values = {name.lower(): found for name, found in (shown or {}).items()}
        found = values.get(names[0].lower()) or []
        return ", ".join(str(one) for one in found[:3]) if names[0] in DISABLES else ""

    @contextmanager
    def _connected(self) -> Iterator[ldap3.Connection]:
        """A connection that has proved who it is; what goes wrong on it is told in our words."""
        connection = None
        try:
            connection = self._opened()
            yield connection
        except ldap.LDAPException as error:
            raise self._told(error) from error
        except (OSError, ssl.SSLError) as error:
            raise ProviderDown(
                f"{self._where} does not answer ({error}).",
                next_step=f"It will be tried again automatically; {STANDS}",
            ) from error
        finally:
            if connection is not None:
                with suppress(ldap.LDAPException, OSError):
                    connection.unbind()

    def _opened(self) -> ldap3.Connection:
        address, *_ = outgoing.addresses_of(self._host, self._port)
        server = ldap3.Server(
            address,
            self._port,
            use_ssl=self._safe,
            tls=_Encrypted(self._host, self._trusts),
            get_info=ldap3.NONE,
            connect_timeout=5,
        )
        connection = ldap3.Connection(
            server,
            self._login,
            self._secret,
            auto_referrals=False,
            check_names=False,
            raise_exceptions=True,
            receive_timeout=30,
            return_empty_attributes=False,
        )
        try:
            connection.open(read_server_info=False)
            if not self._safe:
                connection.start_tls(read_server_info=False)
            connection.bind(read_server_info=False)
        except BaseException:
            if connection.socket is not None:
                connection.socket.close()
            raise
        return connection

    def _told(self, error: ldap.LDAPException) -> Exception:
        """An error of the protocol as one of ours."""
        said = " ".join(str(getattr(error, "message", "") or getattr(error, "description", "") or error).split())[:200]
        kind = next((kind for kind, errors in _KINDS.items() if isinstance(error, errors)), "")
        if "certificate" in said.lower():
            kind = "certificate"
        what, then = _SAID.get(kind, _SAID[""])
        raised = _RAISED.get(kind, ProviderUnreadable)
        words = {"where": self._where, "login": self._login, "base": self._base, "said": said}
        return raised(what.format(**words), next_step=then.format(**words))


_KINDS: Mapping[str, tuple[type[ldap.LDAPException], ...]] = {
    "certificate": (ldap.LDAPCertificateError, ldap.LDAPStartTLSError, ldap.LDAPSSLConfigurationError),
    "away": (
        ldap.LDAPCommunicationError,
        ldap.LDAPBusyResult,
        ldap.LDAPUnavailableResult,
        ldap.LDAPTimeLimitExceededResult,
        ldap.LDAPResponseTimeoutError,
        ldap.LDAPMaximumRetriesError,
    ),
    "credentials": (ldap.LDAPInvalidCredentialsResult,),
    "rights": (ldap.LDAPInsufficientAccessRightsResult,),
    "part": (
        ldap.LDAPSizeLimitExceededResult,
        ldap.LDAPAdminLimitExceededResult,
        ldap.LDAPUnavailableCriticalExtensionResult,
    ),
    "base": (ldap.LDAPNoSuchObjectResult, ldap.LDAPInvalidDNSyntaxResult),
    "filter": (ldap.LDAPInvalidFilterError,),
    "attribute": (ldap.LDAPUndefinedAttributeTypeResult,),
    "class": (ldap.LDAPObjectClassViolationResult,),
    "unwilling": (ldap.LDAPUnwillingToPerformResult, ldap.LDAPConstraintViolationResult),
    "meanwhile": (ldap.LDAPNoSuchAttributeResult, ldap.LDAPAttributeOrValueExistsResult),
}
_AGAIN = f"It will be tried again automatically; {STANDS}"
_SAID: Mapping[str, tuple[str, str]] = {
    "certificate": (
        "{where} shows a certificate that is not valid, or none ({said}). No password was sent.",
        f"Give its authority's certificate in the setting “authority”, or have it put right; {STANDS}",
    ),
    "away": ("{where} does not answer ({said}).", _AGAIN),
    "credentials": ("{where} does not let {login} in.", "Check the login and the password."),
    "rights": (
        "{where} does not let {login} do this ({said}).",
        "Give that login the right to change it, then try again.",
    ),
    "part": (
        "{where} shows only a part of what is there ({said}).",
        f"Have it let {{login}} read all of it, in pages; {STANDS}",
    ),
    "base": ("{where} has nothing at {base} ({said}).", "Correct the base of this provider."),
    "filter": ("A filter of {where} is none of RFC 4515 ({said}).", "Correct the filter of this provider."),
    "attribute": (
        "{where} does not know the attribute by which somebody is to be disabled ({said}).",
        "Choose another one in the setting “disable”.",
    ),
    "class": (
        "{where} will not have it so: what is there has no such attribute, or a group would be left empty ({said}).",
        "Do it in the directory itself.",
    ),
    "unwilling": ("{where} will not do that ({said}).", "Do it in the directory itself."),
    "meanwhile": ("{where} was changed by someone else at the same moment ({said}).", _AGAIN),
    "": (
        "{where} answered what is not foreseen here ({said}).",
        f"Check the settings of this provider; {STANDS}",
    ),
}
"""What is said of each kind of trouble, and what to do then."""
_RAISED: Mapping[str, type[ProviderDown | ProviderRefused | ProviderUnreadable]] = {
    "away": ProviderDown,
    "meanwhile": ProviderDown,
    **dict.fromkeys(("credentials", "rights", "base", "filter", "attribute", "class", "unwilling"), ProviderRefused),
}
