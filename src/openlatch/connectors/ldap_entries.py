"""What a directory holds (RFC 4519, RFC 2307): people and groups, their names, and who is in which group."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import cached_property
from typing import Any
from uuid import UUID

from ldap3.core import exceptions as ldap
from ldap3.utils.conv import escape_filter_chars
from ldap3.utils.dn import escape_rdn, parse_dn

from openlatch.core.providers.observation import (
    ObservedEntry,
    ObservedMembership,
)
from openlatch.words import Kind

__all__ = [
    "ACCOUNT",
    "BEFORE_ALL",
    "DISABLES",
    "LOCKED",
    "OFF",
    "USED",
    "Named",
    "Thing",
    "entry_of",
    "groups_of",
    "held_by",
    "instant_of",
    "memberships_of",
    "names_members_by",
    "plain_name",
    "thing_of",
    "values_of",
]

DISABLES = ("pwdAccountLockedTime", "nsAccountLock", "userAccountControl", "shadowExpire")
"""The ways to disable a person, the usual one first: those of ppolicy, of 389 and its kin, of AD, and of shadow(5)."""
LOCKED = "000001010000Z"
"""What pwdAccountLockedTime says of an account that only an administrator opens again."""
OFF = 0x2
"""The bit of userAccountControl that disables an account."""
BEFORE_ALL = "1"
"""The day that shadowExpire names for an account that is over."""
USED = ("pwdLastSuccess", "authTimestamp", "lastLogonTimestamp")
"""What says when somebody last signed in, in the directories that keep it."""
ACCOUNT = "directory"
_ON_1601 = datetime(1601, 1, 1, tzinfo=UTC)
_NEVER = frozenset({0, 0x7FFFFFFFFFFFFFFF})


@dataclass(frozen=True)
class Thing:
    """An entry of the directory, with its attributes as they came, by their names in small letters."""

    dn: str
    values: Mapping[str, Sequence[bytes]]

    def all(self, name: str) -> list[str]:
        return [value.decode("utf-8", "replace") for value in self.values.get(name.lower(), ())]

    def text(self, *names: str) -> str:
        """The first value of the first of these attributes that has one."""
        return next((found[0] for name in names if (found := self.all(name)) and found[0]), "")

    @cached_property
    def identity(self) -> str:
        """What names it for as long as it lasts; its name, where the directory knows nothing better."""
        guid = self.values.get("objectguid")
        if guid and len(guid[0]) == 16:
            return str(UUID(bytes_le=bytes(guid[0])))
        return self.text("entryUUID").lower() or f"dn={plain_name(self.dn)}"

    @cached_property
    def is_group(self) -> bool:
        kinds = {kind.lower() for kind in self.all("objectClass")}
        return bool(kinds & {"groupofnames", "groupofuniquenames", "posixgroup", "group"})

    @property
    def key(self) -> str:
        return f"{'group' if self.is_group else 'person'}:{self.identity}"

    @property
    def over(self) -> bool:
        """Whether somebody has disabled it. An end that has come by itself is only an end."""
        with suppress(ValueError):
            if int(self.text("userAccountControl") or 0) & OFF:
                return True
        locked = self.text("pwdAccountLockedTime") == LOCKED or self.text("nsAccountLock").lower() == "true"
        return locked or self.text("shadowExpire") in ("0", BEFORE_ALL)

    @cached_property
    def ends(self) -> datetime | None:
        """When it is over by itself: at the beginning of a day since 1970, or so many 100 ns since 1601."""
        with suppress(ValueError, OverflowError):
            day = int(self.text("shadowExpire") or -1)
            if day >= 0:
                return datetime(1970, 1, 1, tzinfo=UTC) + timedelta(days=day)
            ticks = int(self.text("accountExpires") or 0)
            if ticks not in _NEVER:
                return _ON_1601 + timedelta(microseconds=ticks // 10)
        return None

    @property
    def used(self) -> datetime | None:
        """When it last signed in, where the directory keeps that."""
        with suppress(ValueError, OverflowError):
            ticks = int(self.text("lastLogonTimestamp") or 0)
            if ticks:
                return _ON_1601 + timedelta(microseconds=ticks // 10)
        return max(filter(None, (instant_of(self.text(name)) for name in USED)), default=None)


class Named:
    """What is known of the directory, by the names that groups give their members."""

    def __init__(self, things: Sequence[Thing]) -> None:
        self._by_dn = {plain_name(thing.dn): thing.key for thing in things}
        self._by_uid = {thing.text("uid"): thing.key for thing in things if not thing.is_group and thing.text("uid")}

    def dn(self, dn: str) -> str:
        return self._by_dn.get(plain_name(dn), f"person:dn={plain_name(dn)}")

    def uid(self, uid: str) -> str:
        return self._by_uid.get(uid, f"person:uid={uid}")

    def team(self, dn: str) -> str:
        """The group of that name; empty if it is none that is read."""
        key = self._by_dn.get(plain_name(dn), "")
        return key if key.startswith("group:") else ""


def memberships_of(named: Named, things: Sequence[Thing]) -> Iterator[ObservedMembership]:
    """Yield who is in which group: as groups say it, as people say it, and by their primary group."""
    primary = {thing.text("gidNumber"): thing.key for thing in things if thing.is_group and thing.text("gidNumber")}
    for thing in things:
        if thing.is_group:
            for dn in (*thing.all("member"), *(text.partition("#")[0] for text in thing.all("uniqueMember"))):
                if dn:
                    yield ObservedMembership(thing.key, named.dn(dn))
            for uid in thing.all("memberUid"):
                yield ObservedMembership(thing.key, named.uid(uid))
        elif thing.text("gidNumber") in primary:
            yield ObservedMembership(primary[thing.text("gidNumber")], thing.key)
        for dn in thing.all("memberOf"):
            if named.team(dn):
                yield ObservedMembership(named.team(dn), thing.key)


def groups_of(thing: Thing) -> str:
    """Return the filter of the groups that something is in."""
    dn, uid, gid = (escape_filter_chars(text) for text in (thing.dn, thing.text("uid"), thing.text("gidNumber")))
    parts = [f"(member={dn})", f"(uniqueMember={dn})"]
    parts += [f"(memberUid={uid})"] if uid and not thing.is_group else []
    parts += [f"(gidNumber={gid})"] if gid and not thing.is_group else []
    return f"(|{''.join(parts)})"


def names_members_by(group: Thing) -> str:
    """Return the attribute by which a group names its members."""
    kinds = {kind.lower() for kind in group.all("objectClass")}
    if "groupofuniquenames" in kinds:
        return "uniqueMember"
    return "memberUid" if "posixgroup" in kinds and not kinds & {"groupofnames", "group"} else "member"


def held_by(group: Thing, who: Thing) -> list[str]:
    """Return the attributes by which somebody is in a group."""
    names = [name for name in ("member", "uniqueMember", "memberUid") if values_of(group, who, name)]
    gid = who.text("gidNumber")
    return names + (["gidNumber"] if gid and not who.is_group and gid == group.text("gidNumber") else [])


def values_of(group: Thing, who: Thing, name: str) -> list[str]:
    """Return somebody as a group names them, just as it is written there."""
    if name == "memberUid":
        return [uid for uid in group.all(name) if not who.is_group and uid == who.text("uid")]
    return [dn for dn in group.all(name) if plain_name(dn.partition("#")[0]) == plain_name(who.dn)]


def entry_of(thing: Thing) -> ObservedEntry | None:
    """Return what a person or a group can do; None for who is disabled, and so can do nothing."""
    given = instant_of(thing.text("createTimestamp", "whenCreated"))
    if thing.is_group:
        name = thing.text("cn", "displayName") or thing.dn
        return ObservedEntry(thing.key, ACCOUNT, thing.key, Kind.DELEGATE, name, given_at=given)
    if thing.over:
        return None
    return ObservedEntry(
        thing.key,
        ACCOUNT,
        thing.key,
        Kind.DELEGATE if thing.ends is None else Kind.GRANT,
        thing.text("employeeType") or "person",
        given_at=given,
        last_used=thing.used,
        use_known=thing.used is not None,
        ends_at=thing.ends,
    )


def thing_of(one: Mapping[str, Any]) -> Thing:
    """Return an answer to a search as an entry, without the options of its attributes' names."""
    raw: Mapping[str, Sequence[bytes]] = one["raw_attributes"]
    return Thing(one["dn"], {name.partition(";")[0].lower(): values for name, values in raw.items() if values})


def plain_name(dn: str) -> str:
    """Return a distinguished name in one spelling, however it was written; empty if it is none."""
    try:
        parts = parse_dn(dn, escape=False, strip=True)
    except ldap.LDAPException:
        return ""
    # What is left of a backslash is its character, so that none is taken for what parts names.
    values = ((name.lower(), " ".join(_unescaped(value).casefold().split()), by) for name, value, by in parts)
    return "".join(f"{name}={escape_rdn(value)}{by}" for name, value, by in values)


def _unescaped(value: str) -> str:
    """What a part of a name says, however it is written (RFC 4514, 2.4): characters, or bytes, behind backslashes."""
    pieces = re.split(r"((?:\\[0-9a-fA-F]{2})+|\\.)", value, flags=re.DOTALL)
    for place in range(1, len(pieces), 2):
        code = pieces[place]
        hexed = re.fullmatch(r"(?:\\[0-9a-fA-F]{2})+", code)
        pieces[place] = bytes.fromhex(code.replace("\\", "")).decode("utf-8", "replace") if hexed else code[1:]
    return "".join(pieces)


def instant_of(text: str) -> datetime | None:
    """Return a generalized time (RFC 4517, 3.3.13) of UTC; None if it is none."""
    digits = text.rstrip("Z").partition(".")[0]
    if not text.endswith("Z") or not digits.isdecimal() or len(digits) not in (12, 14):
        return None
    try:
        return datetime.strptime(digits, "%Y%m%d%H%M%S" if len(digits) == 14 else "%Y%m%d%H%M").replace(tzinfo=UTC)
    except ValueError:
        return None
