"""What a machine says of its logins, as the helper `open-latch-machine` prints it, and what follows from that.

Formats: passwd(5), group(5), shadow(5) without hashes, sshd_config(5), sudoers(5) as cvtsudoers(1) writes it in JSON.
"""

from __future__ import annotations

import json
from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta, timezone
from email.utils import parseaddr
from typing import Any

from openlatch.connectors.authorized_keys import KeyLine, parse_line
from openlatch.connectors.sshd_log import uses

__all__ = ["EVERYTHING", "SOME", "Key", "Login", "Machine", "Session", "Sudo", "Unreadable", "machine_of"]

EVERYTHING, SOME = "sudo: everything", "sudo: some commands"
_ENDED = "#ended by open-latch# "
"""What the helper puts before a line that it ends."""
_LOCKED, _NONE = "locked", "none"
"""What the helper says of a password that opens nothing, and of one that is not needed."""
_NO_SHELL = ("/nologin", "/false")
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


class Unreadable(Exception):
    """What the helper printed is not what it prints; its text says where."""


@dataclass(frozen=True, slots=True)
class Key:
    """One key by which a login can sign in: every line of its files that has it."""

    login: str
    lines: tuple[KeyLine, ...]
    blob: str


@dataclass(frozen=True, slots=True)
class Login:
    """A login; `last_day` counts from 1970, as shadow(5) does. `groups` are those beside its own."""

    name: str
    uid: int
    gid: int
    person: str
    addresses: tuple[str, ...]
    shell: bool
    locked: bool
    """whether no password opens it; a key may still"""
    open: bool
    """whether it needs none"""
    last_day: int | None
    groups: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Sudo:
    """What sudo lets somebody do: a login, `%` and a group, or ALL; `everything` as the superuser, or some commands."""

    who: str
    everything: bool
    commands: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Session:
    """A login that is signed in by SSH now; a process with the ticks at which it began, since the machine did."""

    pid: int
    ticks: int
    uid: int
    began: datetime
    terminal: str
    network: str


@dataclass(frozen=True, slots=True)
class Machine:
    """All that was read of a machine at one instant; `pam` is whether sshd asks PAM, which counts days otherwise."""

    now: datetime
    zone: timezone
    pam: bool
    logins: tuple[Login, ...]
    groups: Mapping[str, int]
    keys: tuple[Key, ...]
    ended: tuple[Key, ...]
    """keys that the helper has made comments of, and can make keys again"""
    sudo: tuple[Sudo, ...]
    sessions: tuple[Session, ...]
    last: Mapping[str, datetime]
    accepted: Mapping[str, Mapping[str, datetime]]
    """when each key was used last, by login and fingerprint"""
    elsewhere: Mapping[str, str]
    """what lets people in that stands in no file here, by the setting of sshd that names it"""

    def ends(self, login: Login) -> datetime | None:
        """Return when a login is over by itself: PAM refuses it from the day on that is named, sshd alone after it."""
        if login.last_day is None:
            return None
        with suppress(OverflowError):
            return _EPOCH + timedelta(days=login.last_day + (0 if self.pam else 1))
        return None

    def over(self, login: Login) -> bool:
        """Return whether a login is let in no more."""
        end = self.ends(login)
        return end is not None and end <= self.now

    def may(self, login: Login) -> tuple[Sudo, ...]:
        """Return what sudo lets a login do by a rule of its own, or by one for everybody."""
        return tuple(rule for rule in self.sudo if rule.who in (login.name, f"#{login.uid}", "ALL"))

    def lends(self, group: str) -> tuple[Sudo, ...]:
        """Return what sudo lets the members of a group do."""
        return tuple(rule for rule in self.sudo if rule.who in (f"%{group}", f"%#{self.groups.get(group)}"))


def machine_of(text: str) -> Machine:
    """Return what the helper has printed; raises Unreadable where it is not all there."""
    parts = _parts(text)
    if not parts or parts[0][0][:2] != ["open-latch-machine", "1"] or parts[-1][0] != ["end"]:
        raise Unreadable("it is not all there")
    named = {title[0]: lines for title, lines in parts}
    titles = {title[0]: title for title, _ in parts}
    lost = {"passwd", "group", "shadow", "sshd", "sudo", "sessions", "last", "accepted"} - set(named)
    if lost:
        raise Unreadable(f"the part {', '.join(sorted(lost))} is missing")
    try:
        says = dict(line.split(" ", 1) for line in named["sshd"] if " " in line)
        groups = [line.split(":") for line in named["group"]]
        members = defaultdict(list)
        for name, _, _, of in groups:
            for member in filter(None, of.split(",")):
                members[member].append(name)
        now = datetime.fromtimestamp(int(parts[0][0][2]), UTC)
        zone = _zone(titles["accepted"][1])
        return Machine(
            now=now,
            zone=zone,
            pam=says.get("usepam", "no") == "yes",
            logins=tuple(_logins(named["passwd"], named["shadow"], members)),
            groups={name: int(gid) for name, _, gid, _ in groups},
            keys=tuple(_keys(parts, "")),
            ended=tuple(_keys(parts, _ENDED)),
            sudo=tuple(_sudo("\n".join(named["sudo"]))),
            sessions=tuple(_sessions(titles["sessions"], named["sessions"])),
            last=dict(_last(named["last"])),
            accepted=uses("\n".join(named["accepted"]), now, zone),
            elsewhere={
                name: says[name]
                for name in ("authorizedkeyscommand", "trustedusercakeys")
                if says.get(name, "none") != "none"
            },
        )
    except (ValueError, IndexError, KeyError, TypeError, AttributeError) as error:
        raise Unreadable(f"a line is not in its form ({error})") from error


def _zone(text: str) -> timezone:
    """The machine's zone, as date +%z says it."""
    return timezone((-1 if text[0] == "-" else 1) * timedelta(hours=int(text[1:3]), minutes=int(text[3:5])))


def _parts(text: str) -> list[tuple[list[str], list[str]]]:
    """The parts with their titles in words; a line of a part stands behind a space."""
    parts: list[tuple[list[str], list[str]]] = []
    for line in text.split("\n"):
        if line.startswith("== "):
            parts.append((line[3:].split(" "), []))
        elif line.startswith(" ") and parts:
            parts[-1][1].append(line[1:])
    return parts


def _logins(passwd: Sequence[str], shadow: Sequence[str], members: Mapping[str, list[str]]) -> Iterator[Login]:
    hidden = {name: (state, day) for name, state, day in (line.split(":") for line in shadow)}
    for line in passwd:
        name, field, uid, gid, gecos, _, shell = line.split(":")
        state, day = hidden.get(name, (_LOCKED, ""))
        password = state if field == "x" else (field or _NONE)
        said = gecos.split(",")[0].strip()
        person, address = parseaddr(gecos if "@" in gecos else "")
        yield Login(
            name=name,
            uid=int(uid),
            gid=int(gid),
            person=person or (said if "@" not in said else "") or name,
            addresses=(address,) if "@" in address else (),
            shell=not shell.endswith(_NO_SHELL),
            locked=password == _LOCKED,
            open=password == _NONE,
            last_day=int(day) if day else None,
            groups=tuple(sorted(members.get(name, ()))),
        )


def _keys(parts: Sequence[tuple[list[str], list[str]]], mark: str) -> Iterator[Key]:
    """Every key of every login, on the lines that begin with a mark; what is none lets nobody in."""
    found: dict[tuple[str, str], list[KeyLine]] = {}
    for title, lines in parts:
        if title[0] == "keys":
            for number, line in enumerate(lines, 1):
                text = line.removeprefix(mark).strip() if line.startswith(mark) else ""
                key = parse_line(number, text) if text and not text.startswith("#") else None
                if key is not None:
                    found.setdefault((title[1], key.fingerprint), []).append(key)
    for (login, _), same in found.items():
        yield Key(login, tuple(same), same[0].blob)


def _sudo(text: str) -> Iterator[Sudo]:
    """The rules of sudo; whom a rule leaves out by `!` is taken to be in, since another rule may let them in."""
    specs = json.loads(text).get("User_Specs", []) if text.strip() else []
    for spec in specs:
        for cmnd in spec["Cmnd_Specs"]:
            free = any(option.get("authenticate") is False for option in cmnd.get("Options", ()))
            asked = "" if not free else "without a password: "
            run_as = [_named(one) for one in cmnd.get("runasusers", ())] or ["root"]
            commands = [_named(one) for one in cmnd["Commands"] if not one.get("negated")]
            everything = "ALL" in commands and bool({"ALL", "root", "#0"} & set(run_as))
            said = tuple(f"{asked}as {' or '.join(run_as)}: {command}" for command in commands)
            for user in spec["User_List"]:
                if not user.get("negated"):
                    yield Sudo(_named(user), everything, said)


def _named(one: Mapping[str, Any]) -> str:
    """Whom or what one member of a list in the JSON of cvtsudoers names."""
    marks = {"usergroup": "%", "usergid": "%#", "userid": "#", "nonunixgroup": "%:", "netgroup": "+"}
    for kind, mark in marks.items():
        if kind in one:
            return f"{mark}{one[kind]}"
    return next(str(value) for name, value in one.items() if name != "negated")


def _sessions(title: Sequence[str], lines: Sequence[str]) -> Iterator[Session]:
    booted, a_second = int(title[1]), int(title[2])
    for line in lines:
        pid, ticks, uid, terminal, network = (*line.split(" "), "")[:5]
        began = datetime.fromtimestamp(booted + int(ticks) // a_second, UTC)
        yield Session(int(pid), int(ticks), int(uid), began, terminal, network)


def _last(lines: Sequence[str]) -> Iterator[tuple[str, datetime]]:
    """When each login signed in last: the end of a line of lastlog(8)."""
    for line in lines:
        words = line.split()
        with suppress(ValueError):
            yield words[0] if words else "", datetime.strptime(" ".join(words[-5:]), "%b %d %H:%M:%S %z %Y")
