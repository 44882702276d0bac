"""The connector for a directory that speaks SCIM 2.0 (RFC 7643, RFC 7644).

Every user who is not known to be inactive is an entry on the directory's one account, `user:ID`: its level is the
user's type, its permissions are the roles and entitlements. Every group is a team, with an entry `group:ID` whose level
is the group's name: what a group lets its members do is for the holder to say. Ending a user's entry makes the user
inactive; users and groups are added to groups and removed from them.
"""

from __future__ import annotations

import json
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import Any, ClassVar
from urllib.parse import quote

import httpx

from openlatch.connecting.capabilities import Ends, HasTeams
from openlatch.connecting.http import Caller, checked_settings
from openlatch.core.model import Abilities
from openlatch.core.providers.observation import (
    Observation,
    ObservedAccount,
    ObservedEntry,
    ObservedMembership,
    ObservedParty,
)
from openlatch.core.providers.ports import About, Answer, Page, Setting
from openlatch.errors import ProviderDown, ProviderRefused, ProviderUnreadable
from openlatch.words import Kind, PartyKind, PartyStatus, ReadingOutcome

__all__ = ["ScimConnector"]

_COUNT = 100
_MOST_PAGES = 100_000
_ACCOUNT = "directory"
_PATCH = "urn:ietf:params:scim:api:messages:2.0:PatchOp"
_TYPE = "application/scim+json"
_TRIES = 4
_ENTERPRISE = "urn:ietf:params:scim:schemas:extension:enterprise:2.0:user"
NOBODY: Mapping[str, str] = {}
Resource = Mapping[str, Any]


class ScimConnector(Ends, HasTeams):
    """Speaks SCIM."""

    made_for: ClassVar[int] = 1
    about: ClassVar[About] = About(
        "SCIM 2.0 (RFC 7643, RFC 7644): users and nested groups",
        (
            Setting("url", "base address, such as https://roll.example/scim"),
            Setting("account", "what to call the directory", needed=False, leads=False),
        ),
        "bearer token",
    )

    def __init__(self, settings: Mapping[str, str], secret: str, transport: httpx.BaseTransport | None = None) -> None:
        self._url, more = checked_settings("scim", self.about, settings, url="url")
        self._account = ObservedAccount(_ACCOUNT, more.get("account") or "Directory")
        headers = {"Authorization": f"Bearer {secret}", "Accept": f"{_TYPE}, application/json"}
        self._caller = Caller("SCIM", headers, transport)
        self._addresses: dict[str, tuple[str, ...]] = {}

    def abilities(self) -> Abilities:
        kinds = frozenset({Kind.DELEGATE})
        return Abilities(kinds, kinds, ends_teams=False, adds_members=True, removes_members=True)

    def pages(self, cursor: str = "", before: Sequence[Page] = ()) -> Iterator[Page]:
        """Read everything. Users can be gone on with where a reading was; groups are few, and read anew."""
        self._caller.reads()
        if not before:
            yield Page(accounts=(self._account,), cursor="1")
        # Groups may name users, and users never groups, so users come first.
        people = {p.key.partition(":")[2] for page in before for p in page.parties}
        for users, following in self._paged("Users", start=int(cursor or 1), seen=set(people)):
            page = _page(users, self._managers(users))
            people |= {p.key.partition(":")[2] for p in page.parties}
            yield replace(page, cursor=str(following))
        teams = set[str]()
        named: dict[_Member, None] = {}
        for groups in self._all("Groups"):
            page = _page(groups)
            teams |= {p.key.partition(":")[2] for p in page.parties}
            named |= dict.fromkeys(m for group in groups for m in _members(group))
            yield page
        # A member may be named by its id alone: only once all are known is it clear what it is.
        links = dict.fromkeys(member.link(teams, people) for member in named)
        yield Page(memberships=tuple(links))

    def look(self, party: str) -> Observation:
        kind, _, identifier = party.partition(":")
        there = self._get("Users" if kind == "user" else "Groups", identifier)
        if there is None:
            return Observation(ReadingOutcome.COMPLETE, (self._account,))
        own = _page([there], self._managers([there]))
        teams = {_key(group): group for groups in self._groups_of(identifier) for group in groups}
        for told in _values(there, "groups"):
            # What a user says it is in and a search does not find is looked up: it may come through another group.
            text = str(told.get("value") or "")
            if text and f"group:{text}" not in teams and (group := self._get("Groups", text)) is not None:
                teams[_key(group)] = group
        memberships = tuple(
            dict.fromkeys(
                ObservedMembership(m.team, party)
                for team in teams.values()
                for m in _members(team)
                if m.identifier == identifier
            )
        )
        return Observation(
            ReadingOutcome.COMPLETE,
            (self._account,),
            (*own.parties, *(_party(team) for key, team in teams.items() if key in {m.team for m in memberships})),
            own.entries,
            memberships,
        )

    def end(self, entry: str, party: str, idempotency_key: str) -> Answer:
        # What is asked for is a state, so that asking twice is asking once.
        kind, _, identifier = entry.partition(":")
        if kind != "user":
            raise ProviderRefused(
                f"SCIM knows no way to take from the group {identifier!r} what it may do.",
                next_step="Take its members out of it, or delete it, at the provider.",
            )
        for _ in range(_TRIES):
            user = self._get("Users", identifier)
            if user is None:
                return Answer("there is no such user any more", already=True)
            if _active(user) is False:
                return Answer("the user is inactive already", already=True)
            if self._deactivate(user, identifier):
                return Answer("the user is inactive")
        raise ProviderDown(
            f"The user {identifier!r} was changed by someone else each time it was to be made inactive.",
            next_step="It will be tried again automatically.",
        )

    def set_member(self, team: str, member: str, idempotency_key: str, *, belongs: bool) -> Answer:
        # What is asked for is a state, so that asking twice is asking once.
        identifier, wanted = team.partition(":")[2], member.partition(":")[2]
        said = False
        for _ in range(_TRIES):
            group = self._group(identifier)
            if group is None and belongs:
                raise ProviderRefused(
                    f"There is no group {identifier!r} any more.", next_step="Read the directory again."
                )
            if group is None or any(m.identifier == wanted for m in _members(group)) is belongs:
                is_so = "is a member of the group" if belongs else "is not a member of the group"
                return Answer(is_so if said else f"{is_so} already", already=not said)
            said = self._change_members(group, identifier, wanted, belongs)
        raise ProviderDown(
            f"The group {identifier!r} was changed by someone else each time, or does not keep what it says yes to.",
            next_step="It will be tried again automatically.",
        )

    def _managers(self, users: Iterable[Resource]) -> dict[str, str]:
        """The address of everybody whom one of these users names as their manager, by their ids (RFC 7643, 4.3)."""
        users = list(users)
        self._addresses |= {str(user.get("id")): _party(user).addresses[:1] for user in users if not _is_group(user)}
        for manager in filter(None, map(_manager, users)):
            if manager not in self._addresses:
                there = self._get("Users", manager)
                self._addresses[manager] = () if there is None else _party(there).addresses[:1]
        wanted = {_manager(user) for user in users}
        return {key: found[0] for key in wanted if (found := self._addresses.get(key, ()))}

    def _group(self, identifier: str) -> Resource | None:
        """A group with its members, for which some servers have to be asked by name."""
        group = self._get("Groups", identifier)
        if group is None or "members" in group:
            return group
        return self._get("Groups", identifier, "?attributes=displayName,members,meta") or group

    def _change_members(self, group: Resource, identifier: str, member: str, belongs: bool) -> bool:
        """Add a member to a group or remove it; False if someone else changed the group since it was read.

        One is removed by a filter on its value (RFC 7644, 3.5.2.2): a server that removes by the path alone, and
        ignores what comes with it, would remove everybody.
        """
        operation: dict[str, Any] = (
            {"op": "add", "path": "members", "value": [{"value": member}]}
            if belongs
            else {"op": "remove", "path": f"members[value eq {json.dumps(member)}]"}
        )
        kept = [m["_raw"] for m in _values(group, "members") if str(m.get("value")) != member and "_raw" in m]
        whole = {name: value for name, value in group["_raw"].items() if name.lower() not in ("meta", "members")}
        whole["members"] = [*kept, {"value": member}] if belongs else kept
        return self._changed("Groups", identifier, group, operation, whole)

    def _deactivate(self, user: Resource, identifier: str) -> bool:
        """Make a user inactive; False if someone else changed it since it was read."""
        whole = {name: v for name, v in user["_raw"].items() if name.lower() not in ("meta", "groups", "active")}
        operation = {"op": "replace", "path": "active", "value": False}
        return self._changed("Users", identifier, user, operation, whole | {"active": False})

    def _changed(
        self, endpoint: str, identifier: str, now: Resource, operation: Mapping[str, Any], whole: Mapping[str, Any]
    ) -> bool:
        """Change a resource by an operation, or by the whole of it; False if someone else changed it meanwhile."""
        url = f"{self._url}/{endpoint}/{quote(identifier, safe='')}"
        headers = {"Content-Type": _TYPE}
        version = _first(now, "meta", "version")
        if isinstance(version, str):
            headers["If-Match"] = version
        change = {"schemas": [_PATCH], "Operations": [operation]}
        ok = (200, 204, 404, 412, 501, 405)
        answer = self._caller.send("PATCH", url, ok=ok, content=json.dumps(change), headers=headers)
        if answer.status_code in (405, 501):
            # PATCH is optional (RFC 7644, 3.5.2); the whole resource can always be replaced.
            answer = self._caller.send("PUT", url, ok=ok, content=json.dumps(whole), headers=headers)
        return answer.status_code != 412

    def _groups_of(self, identifier: str) -> Iterator[list[Resource]]:
        """The groups that a member is in; all of them where the server cannot search for that."""
        value = json.dumps(identifier)
        try:
            yield from self._all("Groups", f"members.value eq {value}")
        except ProviderUnreadable:
            yield from self._all("Groups")

    def _get(self, endpoint: str, identifier: str, query: str = "") -> Resource | None:
        url = f"{self._url}/{endpoint}/{quote(identifier, safe='')}{query}"
        answer = self._caller.send("GET", url, ok=(200, 404))
        return None if answer.status_code == 404 else _lower(_document(answer, url))

    def _all(self, endpoint: str, wanted: str = "") -> Iterator[list[Resource]]:
        """Every resource of an endpoint, page by page."""
        return (fresh for fresh, _ in self._paged(endpoint, wanted))

    def _paged(
        self, endpoint: str, wanted: str = "", start: int = 1, seen: Collection[str] = ()
    ) -> Iterator[tuple[list[Resource], int]]:
        """Pages of an endpoint (RFC 7644, 3.4.2.4), each with where the next one begins; the server may give fewer than
        asked. From a `start` on, `seen` are the ids of those that came before it.
        """
        seen = set(seen)
        for _ in range(_MOST_PAGES):
            url = f"{self._url}/{endpoint}?startIndex={start}&count={_COUNT}"
            if wanted:
                url += f"&filter={quote(wanted)}"
            value = _lower(_document(self._caller.send("GET", url), url))
            total, resources = value.get("totalresults"), value.get("resources") or []
            if not isinstance(total, int) or not isinstance(resources, list):
                raise _unreadable(url, "has no totalResults, or no list of Resources")
            # What was added or removed meanwhile moves the pages; what is shown twice counts once.
            fresh: list[Resource] = [r for r in resources if isinstance(r, dict) and str(r.get("id", "")) not in seen]
            seen |= {str(r.get("id", "")) for r in fresh}
            start += len(resources)
            yield fresh, start
            if not resources or start > total:
                if len(seen) < total:
                    raise _unreadable(url, f"announced {total} resources and showed {len(seen)}")
                return
        raise _unreadable(self._url, f"has more than {_MOST_PAGES} pages")


def _unreadable(url: str, problem: str) -> ProviderUnreadable:
    return ProviderUnreadable(
        f"{url} {problem}.", next_step="Tell whoever runs the directory; what was known before is kept."
    )


def _document(answer: httpx.Response, url: str) -> dict[str, Any]:
    try:
        value = json.loads(answer.content)
    except ValueError as error:
        raise _unreadable(url, "sent something that is not JSON") from error
    if not isinstance(value, dict):
        raise _unreadable(url, "sent something that is not a SCIM message")
    return value


def _lower(value: Any) -> Any:
    """A message with all names in small letters, since SCIM's names are without regard to case (RFC 7643, 2.1)."""
    if isinstance(value, list):
        return [_lower(each_value) for each_value in value]
    if not isinstance(value, dict):
        return value
    return {name.lower(): _lower(one) for name, one in value.items()} | {"_raw": value}


def _first(resource: Resource, *path: str) -> Any:
    value: Any = resource
    for name in path:
        value = value.get(name) if isinstance(value, dict) else None
    return value


def _text(resource: Resource, *path: str) -> str:
    value = _first(resource, *path)
    return value if isinstance(value, str) else ""


def _values(resource: Resource, name: str) -> list[dict[str, Any]]:
    """The items of a multi-valued attribute; a server may leave it out, or write a single value without its list."""
    value = resource.get(name)
    items = value if isinstance(value, list) else [] if value is None else [value]
    return [item if isinstance(item, dict) else {"value": item} for item in items]


def _active(user: Resource) -> bool | None:
    """Whether a user is active; None if the server does not tell. Some write the word instead of the value."""
    return {"true": True, "false": False}.get(str(user.get("active")).strip().lower())


def _is_group(resource: Resource) -> bool:
    kind = _text(resource, "meta", "resourcetype").lower()
    schemas = " ".join(str(s) for s in resource.get("schemas") or []).lower()
    return kind == "group" or (not kind and "core:2.0:group" in schemas)


def _key(resource: Resource) -> str:
    identifier = str(resource.get("id") or "")
    if not identifier:
        raise ProviderUnreadable(
            "The directory listed a resource without an id.",
            next_step="Tell whoever runs the directory; what was known before is kept.",
        )
    return f"{'group' if _is_group(resource) else 'user'}:{identifier}"


def _manager(resource: Resource) -> str:
    """The id of whoever a user says that they report to; some servers write it without an object around it."""
    told = _first(resource, _ENTERPRISE, "manager")
    value = told.get("value") if isinstance(told, dict) else told
    return value if isinstance(value, str) else ""


def _party(resource: Resource, managers: Mapping[str, str] = NOBODY) -> ObservedParty:
    """A party; `managers` are the addresses of those who may answer for it, by their ids."""
    key = _key(resource)
    if _is_group(resource):
        return ObservedParty(key, PartyKind.TEAM, _text(resource, "displayname") or key)
    name = _text(resource, "name", "formatted") or " ".join(
        part for part in (_text(resource, "name", "givenname"), _text(resource, "name", "familyname")) if part
    )
    user_name = _text(resource, "username")
    mails = sorted(_values(resource, "emails"), key=lambda mail: mail.get("primary") is not True)
    addresses = [str(mail["value"]) for mail in mails if mail.get("value")]
    addresses += [user_name] if "@" in user_name else []
    statuses = {True: PartyStatus.CURRENT, False: PartyStatus.LEFT, None: PartyStatus.UNKNOWN}
    status = statuses[_active(resource)]
    shown = _text(resource, "displayname") or name or user_name or key
    sponsor = managers.get(_manager(resource), "")
    return ObservedParty(key, PartyKind.PERSON, shown, tuple(dict.fromkeys(addresses)), status, sponsor=sponsor)


def _entry(resource: Resource) -> ObservedEntry | None:
    """What a resource can do; None for a user who is inactive, and so can do nothing."""
    key = _key(resource)
    given = _instant(_text(resource, "meta", "created"))
    if _is_group(resource):
        return ObservedEntry(key, _ACCOUNT, key, Kind.DELEGATE, _text(resource, "displayname") or key, given_at=given)
    if _active(resource) is False:
        return None
    permissions = [
        str(item.get("value") or item.get("display") or "")
        for name in ("roles", "entitlements")
        for item in _values(resource, name)
    ]
    level = _text(resource, "usertype") or "user"
    named = tuple(dict.fromkeys(p for p in permissions if p))
    return ObservedEntry(key, _ACCOUNT, key, Kind.DELEGATE, level, permissions=named, given_at=given)


@dataclass(frozen=True, slots=True)
class _Member:
    """A member of a group as the group names it; `kind` is empty where it does not say what it is."""

    team: str
    identifier: str
    kind: str = ""

    def link(self, teams: Collection[str], people: Collection[str]) -> ObservedMembership:
        """Return the membership, of whichever the id is known to be."""
        known = "group" if self.identifier in teams else "user" if self.identifier in people else ""
        return ObservedMembership(self.team, f"{known or self.kind or 'user'}:{self.identifier}")


def _members(group: Resource) -> Iterator[_Member]:
    for member in _values(group, "members"):
        identifier, told = str(member.get("value") or ""), str(member.get("type") or "").lower()
        where = str(member.get("$ref") or "").lower()
        nested = told == "group" or "/groups/" in where
        if identifier:
            yield _Member(_key(group), identifier, "group" if nested else "user" if told or "/users/" in where else "")


def _page(resources: list[Resource], managers: Mapping[str, str] = NOBODY) -> Page:
    entries = [_entry(resource) for resource in resources]
    return Page(
        parties=tuple(_party(resource, managers) for resource in resources),
        entries=tuple(entry for entry in entries if entry is not None),
    )


def _instant(text: str) -> datetime | None:
    try:
        moment = datetime.fromisoformat(text)
    except ValueError:
        return None
    return moment if moment.tzinfo else moment.replace(tzinfo=UTC)
