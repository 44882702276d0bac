"""The connector for a machine that people sign in to: all of its logins, over SSH.

One login without rights of its own runs the helper `open-latch-machine` by a sudo rule (docs/machine); nothing else is
run there. What is seen becomes entries: `login:NAME` (may sign in), `key:NAME:FINGERPRINT` (a key by which it can),
`group:GROUP:NAME`, `sudo:NAME` (a rule of its own), and `session:NAME:PID:TICKS`. All others hang on the login. Ending
a login has it expire, which sshd, PAM and cron go by, and signs it out.

The comment of a login (GECOS) names its person, as in `Orla Finch <orla.finch@kestrelridge.example>`. Keys of a login
that several people share are each a party of their own.
"""

from __future__ import annotations

import re
import shlex
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any, ClassVar

import paramiko

from openlatch.connecting.capabilities import Changes, Ends, Finds, Gives
from openlatch.connecting.settings import checked, port_of, unable
from openlatch.connectors import ssh_client
from openlatch.connectors.authorized_keys import (
    NO_SHELL,
    SHELL,
    bearer_of,
    ends_of,
    fingerprint_of,
    level_of,
    networks_of,
    words_of,
)
from openlatch.connectors.authorized_keys import WORDS as KEY_WORDS
from openlatch.connectors.logins import EVERYTHING, SOME, Key, Login, Machine, Session, Sudo, Unreadable, machine_of
from openlatch.connectors.ssh_client import HOST_KEY, pinned, private_key
from openlatch.core.model import Abilities
from openlatch.core.powers import in_order
from openlatch.core.providers.meaning import Words
from openlatch.core.providers.observation import Observation, ObservedAccount, ObservedEntry, ObservedParty
from openlatch.core.providers.ports import About, Answer, Change, Found, Gift, Hindrance, Page, Setting
from openlatch.errors import ProviderDown, ProviderRefused, ProviderUnreadable
from openlatch.words import Kind, PartyKind, Power, ReadingOutcome

__all__ = ["MachineConnector"]

LOGIN, OPEN, ROOT, SESSION = "login", "login without a password", "superuser", "signed in"
_SHELL = (Power.VIEW, Power.EDIT, Power.EXPORT)
_ALL = (*_SHELL, Power.ADMIT, Power.OWN)
_HELPER = "/usr/local/sbin/open-latch-machine"
_ACCOUNT = "machine"
_MOST = 32 * 1024 * 1024
_PATIENCE = 120
"""Seconds for which the machine may say nothing."""
_DAY = 86400
_TERMINALS = {"none": "", "notty": "no terminal"}
"""What sshd says of a session that has no terminal, or has not opened anything."""


@dataclass(frozen=True, slots=True)
class _Said:
    """What the helper printed, and with which code it ended."""

    code: int
    out: str
    trouble: str


class MachineConnector(Ends, Changes, Finds, Gives):
    """Reads the logins of a machine, and ends them."""

    made_for: ClassVar[int] = 1
    about: ClassVar[About] = About(
        "Every login of a machine, its keys, groups, sudo rules and sessions, over SSH",
        (
            Setting("host", "name or address of the machine"),
            Setting("port", "usually 22"),
            Setting("user", "the login that may run the helper, such as latch", leads=False),
            HOST_KEY,
            Setting("shared", "logins that several people use, each by a key: root, deploy", needed=False, leads=False),
            Setting("helper", f"where the helper is, if not {_HELPER}", needed=False, leads=False),
            Setting("account", "what to call the machine", needed=False, leads=False),
        ),
        "private key in OpenSSH’s format",
    )
    words: ClassVar[Words] = {
        **KEY_WORDS,
        LOGIN: _SHELL,
        OPEN: _SHELL,
        ROOT: _ALL,
        EVERYTHING: _ALL,
        # Who may start containers, or write to a disk as such, can do anything.
        **dict.fromkeys(("group docker", "group lxd", "group incus-admin", "group libvirt", "group disk"), _ALL),
        "group shadow": (Power.VIEW, Power.EXPORT),
        **dict.fromkeys(("group adm", "group systemd-journal"), (Power.VIEW,)),
    }

    def __init__(self, settings: Mapping[str, str], secret: str) -> None:
        checked("machine", self.about, settings)
        self._host, self._port, self._user = settings["host"], port_of("machine", settings), settings["user"]
        self._host_key = pinned("machine", settings)
        self._where = f"{self._user} at {self._host}:{self._port}"
        self._shared = frozenset(re.split(r"[\s,]+", settings.get("shared", "")))
        self._helper = settings.get("helper") or _HELPER
        self._account = ObservedAccount(_ACCOUNT, settings.get("account") or self._host)
        self._key = private_key("machine", secret)
        self._own = fingerprint_of(self._key.asbytes())

    def abilities(self) -> Abilities:
        kinds = frozenset({Kind.DELEGATE, Kind.GRANT, Kind.SESSION})
        logins = frozenset({Kind.DELEGATE, Kind.GRANT})
        return Abilities(
            kinds,
            kinds,
            ends_teams=False,
            dates=logins,
            prolongs=logins,
            enforces=logins,
            gives=logins,
        )

    def pages(self) -> Iterator[Page]:
        seen = self._observed()
        yield Page(seen.accounts, seen.parties, seen.entries, total=len(seen.entries))

    def end(self, entry: str, party: str, idempotency_key: str) -> Answer:
        # Each asks for a state, not for a step, so that doing it twice is doing it once.
        if not party.startswith(("login:", "key:")):
            raise ProviderRefused(
                f"{entry!r} stands in sshd's own settings, which Open Latch does not change.",
                next_step="Take it out of sshd_config on the machine.",
            )
        kind, *parts = entry.split(":")
        if kind == "key":
            return self._end_key(parts[0], ":".join(parts[1:]))
        if kind == "sudo":
            return self._end_sudo(parts[0])
        ways = {"login": ("expire", *parts, "now"), "group": ("leave", *parts), "session": ("close", *parts[1:])}
        return self._told(*ways[kind])

    def change(self, entry: str, party: str, change: Change, idempotency_key: str) -> Answer:
        dated = change.ends_at is not None or "end" in change.lifts
        kind, _, login = entry.partition(":")
        if kind != "login" or not dated:
            raise unable(entry, "give an end to" if dated else "change")
        return self._dated(login, change.ends_at)

    def find(self, text: str) -> Found:
        wanted = text.strip().casefold()
        for login in self._read().logins:
            if wanted == login.name.casefold() or wanted in (a.casefold() for a in login.addresses):
                return Found(f"login:{login.name}", login.person)
        reason = (
            f"No login of {self._host} is known to be theirs. Make one, with their name and address as its comment."
        )
        return Found(hindrances=(Hindrance("not-registered", reason),))

    def give(self, party: str, gift: Gift, idempotency_key: str) -> Answer:
        kind, *parts = gift.again.split(":") if gift.again else ("",)
        if kind == "login":
            return self._dated(parts[0], gift.ends_at)
        whose = parts[1] if kind == "group" else parts[0] if parts else ""
        if whose and self._ends_by(whose, gift.ends_at):
            if kind == "group":
                return self._told("join", *parts)
            if kind == "sudo":
                return self._told("restore-sudo", whose)
            key = self._key_of(whose, ":".join(parts[1:]), ended=True)
            if kind == "key" and key is not None:
                return self._told("restore-key", whose, key.blob)
        group, login = gift.level.removeprefix("group "), party.removeprefix("login:")
        if gift.again or gift.ends_at is not None or gift.level == group or party == login:
            raise unable(f"{gift.level} on {gift.account}", "give")
        return self._told("join", group, login)

    def _ends_by(self, name: str, ends_at: datetime | None) -> bool:
        """Whether a login is over by itself when something of it is to be, which has no end of its own."""
        machine = self._read()
        ends = [machine.ends(login) for login in machine.logins if login.name == name]
        return ends_at is None or any(end is not None and end <= ends_at for end in ends)

    def _end_key(self, login: str, fingerprint: str) -> Answer:
        if fingerprint == self._own:
            raise ProviderRefused(
                f"{fingerprint} is Open Latch's own key for {self._where}; ending it would lock Open Latch out.",
                next_step="Remove the provider from Open Latch, then take the key out on the machine.",
            )
        key = self._key_of(login, fingerprint)
        if key is None:
            return Answer("no file has that key any more", already=True)
        return self._told("end-key", login, key.blob)

    def _end_sudo(self, login: str) -> Answer:
        if not any(rule.who in (login, "ALL") for rule in self._read().sudo):
            return Answer("there is no such sudo rule any more", already=True)
        return self._told("end-sudo", login)

    def _dated(self, login: str, ends_at: datetime | None) -> Answer:
        if ends_at is None:
            return self._told("expire", login, "never")
        # An end in the middle of a day is one when that day begins; sshd without PAM lets in all of the last day.
        day = int(ends_at.timestamp()) // _DAY - (0 if self._read().pam else 1)
        return self._told("expire", login, str(day))

    def _key_of(self, login: str, fingerprint: str, *, ended: bool = False) -> Key | None:
        machine = self._read()
        keys = machine.ended if ended else machine.keys
        return next((key for key in keys if (key.login, key.lines[0].fingerprint) == (login, fingerprint)), None)

    # Asking

    def _read(self) -> Machine:
        said = self._run("read")
        if said.code:
            raise self._refused(said)
        try:
            return machine_of(said.out)
        except Unreadable as error:
            raise ProviderUnreadable(
                f"What {self._helper} prints at {self._where} cannot be read: {error}.",
                next_step="Install the helper anew from the guide; what was known before is kept.",
            ) from error

    def _told(self, *words: str) -> Answer:
        said = self._run(*words)
        if said.code not in (0, 3):
            raise self._refused(said)
        return Answer(said.out.strip(), already=said.code == 3)

    def _refused(self, said: _Said) -> ProviderRefused:
        if said.code == 4:
            return ProviderRefused(
                f"{self._host} will not do this: {said.trouble}.", next_step="Do it on the machine itself."
            )
        return ProviderRefused(
            f"{self._where} cannot run {self._helper} ({said.trouble or f'exit code {said.code}'}).",
            next_step="Install the helper and its sudo rule as the guide says, then try again.",
        )

    def _run(self, *words: str) -> _Said:
        """Have the helper do one thing, as the superuser."""
        command = shlex.join(["sudo", "-n", self._helper, *words])
        client = None
        try:
            client = ssh_client.connected(self._host, self._port, self._user, self._key, self._host_key)
            _, out, trouble = client.exec_command(command, timeout=_PATIENCE)
            said = out.read(_MOST + 1)
            if len(said) > _MOST:
                raise ProviderUnreadable(
                    f"{self._where} answered more than {_MOST >> 20} MB.",
                    next_step="Find out on the machine why; what was known before is kept.",
                )
            complaint = " ".join(trouble.read(4096).decode("utf-8", "replace").split())
            return _Said(out.channel.recv_exit_status(), said.decode("utf-8", "replace"), complaint)
        except paramiko.AuthenticationException as error:
            raise ProviderRefused(
                f"{self._where} does not accept Open Latch's own key.",
                next_step="Put its public half into the login's file of authorized keys.",
            ) from error
        except (OSError, EOFError, paramiko.SSHException) as error:
            raise ProviderDown(
                f"{self._where} does not answer: {error}.",
                next_step="It will be tried again automatically; what was known before is kept.",
            ) from error
        finally:
            if client is not None:
                client.close()

    # Telling

    def _observed(self) -> Observation:
        machine = self._read()
        parties: dict[str, ObservedParty] = {}
        entries: list[ObservedEntry] = []
        for login in machine.logins:
            keys = [key for key in machine.keys if key.login == login.name]
            sessions = [session for session in machine.sessions if session.uid == login.uid]
            lets_in = not machine.over(login) and bool(keys or not login.locked)
            if lets_in or sessions:
                parties[f"login:{login.name}"] = self._party(login)
                entries += _sessions(machine, login, sessions, stands=lets_in)
            if lets_in:
                entries += self._standing(machine, login, keys)
                shared = keys if self._is_shared(login) else ()
                parties |= {party.key: party for party in (self._bearer(key) for key in shared)}
        for name, value in machine.elsewhere.items():
            key = f"elsewhere:{name} {value}"
            parties[key] = ObservedParty(key, PartyKind.TEAM, f"whoever {name} {value} lets in")
            entries.append(ObservedEntry(key, _ACCOUNT, key, Kind.DELEGATE, name))
        return Observation(ReadingOutcome.COMPLETE, (self._account,), tuple(parties.values()), tuple(entries))

    def _is_shared(self, login: Login) -> bool:
        return login.uid == 0 or login.name in self._shared

    def _groups(self, machine: Machine, login: Login) -> Iterator[str]:
        """The groups that a login is in; its own one only if that lends it something."""
        own = next((name for name, gid in machine.groups.items() if gid == login.gid), "")
        yield from login.groups
        if own and own not in login.groups and (machine.lends(own) or f"group {own}" in self.words):
            yield own

    def _party(self, login: Login) -> ObservedParty:
        own = login.name == self._user
        addresses = () if own else login.addresses
        return ObservedParty(f"login:{login.name}", PartyKind.PERSON, login.person, addresses, service=own)

    def _bearer(self, key: Key) -> ObservedParty:
        """Whoever has a key of a login that several share."""
        fingerprint = key.lines[0].fingerprint
        name, addresses = bearer_of(key.lines)
        own = fingerprint == self._own
        return ObservedParty(f"key:{fingerprint}", PartyKind.PERSON, name, () if own else addresses, service=own)

    def _standing(self, machine: Machine, login: Login, keys: Iterable[Key]) -> Iterator[ObservedEntry]:
        """What a login has for as long as nobody ends it."""
        party, whole = f"login:{login.name}", f"login:{login.name}"
        end = machine.ends(login)
        kind = Kind.DELEGATE if end is None else Kind.GRANT
        accepted = machine.accepted.get(login.name, {})
        last = max((at for at in (machine.last.get(login.name), *accepted.values()) if at), default=None)

        def entry(key: str, level: str, **more: Any) -> ObservedEntry:
            values = {"party": party, "hangs_on": whole, "kind": kind, "ends_at": end, **more}
            return ObservedEntry(key, _ACCOUNT, level=level, **values)

        level = ROOT if login.uid == 0 else OPEN if login.open else LOGIN
        yield entry(
            whole,
            level,
            hangs_on=None,
            last_used=last,
            use_known=last is not None,
            permissions=() if login.shell else (NO_SHELL,),
            powers=None if login.shell or login.uid == 0 else (),
        )
        for key in keys:
            fingerprint = key.lines[0].fingerprint
            until, unknown = ends_of(key.lines, machine.zone)
            level = level_of(key.lines) if login.shell else NO_SHELL
            ends = min((at for at in (until, end) if at), default=None)
            yield entry(
                f"key:{login.name}:{fingerprint}",
                level,
                party=f"key:{fingerprint}" if self._is_shared(login) else party,
                kind=Kind.GRANT if ends is not None or unknown else Kind.DELEGATE,
                ends_at=ends,
                end_unknown=unknown,
                permissions=tuple(dict.fromkeys(word for line in key.lines for word in words_of(line))),
                powers=_ALL if login.uid == 0 and level == SHELL else None,
                last_used=accepted.get(fingerprint),
                use_known=fingerprint in accepted,
                device=next((line.comment for line in key.lines if line.comment), ""),
                network=networks_of(key.lines),
            )
        for group in self._groups(machine, login):
            yield entry(f"group:{group}:{login.name}", f"group {group}", **_lent(machine.lends(group)))
        if rules := machine.may(login):
            level = EVERYTHING if any(rule.everything for rule in rules) else SOME
            yield entry(f"sudo:{login.name}", level, **(_lent(rules) | self._helps(login, rules)))

    def _helps(self, login: Login, rules: Iterable[Sudo]) -> dict[str, Any]:
        """What our own login can do by the helper alone: see who can sign in, and change that."""
        alone = login.name == self._user and all(
            command.rpartition(": ")[2].partition(" ")[0] == self._helper for rule in rules for command in rule.commands
        )
        return {"powers": (Power.VIEW, Power.ADMIT)} if alone else {}


def _lent(rules: Iterable[Sudo]) -> dict[str, Any]:
    """The permissions of sudo rules; and the powers of those that permit everything."""
    rules = tuple(rules)
    permissions = tuple(dict.fromkeys(command for rule in rules for command in rule.commands))
    return {"permissions": permissions, "powers": _ALL if any(rule.everything for rule in rules) else None}


def _sessions(machine: Machine, login: Login, sessions: Iterable[Session], *, stands: bool) -> Iterator[ObservedEntry]:
    """Those who are signed in now, with all that the login can do; one that is over may be so still."""
    rules = [*machine.may(login), *(rule for group in login.groups for rule in machine.lends(group))]
    powers = _ALL if login.uid == 0 or any(rule.everything for rule in rules) else _SHELL
    for session in sessions:
        yield ObservedEntry(
            f"session:{login.name}:{session.pid}:{session.ticks}",
            _ACCOUNT,
            f"login:{login.name}",
            Kind.SESSION,
            SESSION,
            in_order(powers),
            given_at=session.began,
            last_used=machine.now,
            use_known=True,
            hangs_on=f"login:{login.name}" if stands else None,
            device=_TERMINALS.get(session.terminal, session.terminal),
            network=session.network,
        )
