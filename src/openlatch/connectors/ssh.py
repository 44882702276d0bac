"""The connector for a shared login that is reached with OpenSSH keys.

The connector signs in to that login with a key of its own, reads the file of authorized keys (sshd(8)) over SFTP, and
takes lines out of it. A key is known by its fingerprint; the comment behind it is all that names its owner. When a
key was used last is in sshd's log, if the login can read it.
"""

from __future__ import annotations

import base64
import binascii
import hashlib
import io
import re
import stat
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import ClassVar
from uuid import uuid4
from zoneinfo import ZoneInfo

import paramiko

from openlatch.connectors import outgoing
from openlatch.connectors.settings import checked, port_of, unable, wrong
from openlatch.core.hours import zones
from openlatch.core.model import Abilities
from openlatch.core.phrases import counted
from openlatch.core.providers.meaning import Words
from openlatch.core.providers.observation import Observation, ObservedAccount, ObservedEntry, ObservedParty
from openlatch.core.providers.ports import About, Answer, Change, Found, Gift, Page, Setting
from openlatch.errors import Invalid, ProviderDown, ProviderRefused, ProviderUnreadable
from openlatch.words import Kind, PartyKind, Power, ReadingOutcome

__all__ = ["KeyLine", "SshConnector", "parse_line"]

SHELL, COMMAND, AUTHORITY = "shell", "one command", "certificate authority"
# What only limits a key, or how it is used, and so gives no power.
_LIMITS = (
    "restrict",
    "pty",
    "no-pty",
    "agent-forwarding",
    "no-agent-forwarding",
    "port-forwarding",
    "no-port-forwarding",
    "x11-forwarding",
    "no-x11-forwarding",
    "user-rc",
    "no-user-rc",
    "verify-required",
    "no-touch-required",
    "permitopen",
    "permitlisten",
    "principals",
)
_LOSSLESS, _SHOWN = ("utf-8", "surrogateescape"), ("utf-8", "replace")
"""How a file is read: to be written again just as it was, or to be shown."""
_LOCKED_FOR = 60
"""Seconds after which nobody is at the file any more who said so and did not say that they have done."""
_MOST_LOG = 16 * 1024 * 1024
_OPTION = re.compile(r'([A-Za-z0-9-]+)(?:="((?:[^"\\]|\\.)*)")?(?:,|(?=\s))')
_TYPES = re.compile(r"(ssh-|ecdsa-|sk-|webauthn-)[a-z0-9@.-]+$", re.IGNORECASE)
_ACCEPTED = re.compile(
    r"^(?P<at>\d{4}-\d\d-\d\dT\S+|[A-Z][a-z]{2} [ \d]\d \d\d:\d\d:\d\d) .*"
    r"Accepted publickey for (?P<login>\S+) from (?P<network>\S+) port \d+ ssh2: \S+ (?P<key>SHA256:\S+)"
)


@dataclass(frozen=True, slots=True)
class KeyLine:
    """One line of a file of authorized keys."""

    number: int
    text: str
    fingerprint: str
    comment: str
    options: Mapping[str, str]


class SshConnector:
    """Reads and changes authorized keys."""

    about: ClassVar[About] = About(
        "OpenSSH authorized keys over SFTP, last use from sshd's log",
        (
            Setting("host", "name or address of the server"),
            Setting("port", "usually 22"),
            Setting("user", "the shared login", leads=False),
            Setting("host_key", "the server's fingerprint, as ssh-keygen -l shows it"),
            Setting("file", "of authorized keys, if not .ssh/authorized_keys", needed=False, leads=False),
            Setting("log", "of sshd, to see when keys were used", needed=False, leads=False),
            Setting("zone", "of expiry times, an IANA name; UTC if left out", needed=False, leads=False),
            Setting("account", "what to call the login", needed=False, leads=False),
        ),
        "private key in OpenSSH’s format",
    )
    words: ClassVar[Words] = {
        SHELL: (Power.VIEW, Power.EDIT, Power.EXPORT),
        AUTHORITY: (Power.VIEW, Power.EDIT, Power.EXPORT, Power.ADMIT),
        **dict.fromkeys(_LIMITS, ()),
    }
    levels: ClassVar[Mapping[str, tuple[Power, ...]]] = {}

    def __init__(self, settings: Mapping[str, str], secret: str) -> None:
        checked("ssh", self.about, settings)
        if not re.fullmatch(r"SHA256:[A-Za-z0-9+/]{43}", settings["host_key"]):
            raise wrong("ssh", "host_key", "is not a fingerprint", "Give one as ssh-keygen -l shows it: SHA256:…")
        if settings.get("zone", "UTC") not in zones():
            raise wrong("ssh", "zone", "is not an IANA time zone", "Give one such as Europe/London.")
        self._host, self._port, self._user = settings["host"], port_of("ssh", settings), settings["user"]
        self._where = f"{self._user} at {self._host}:{self._port}"
        self._host_key = settings["host_key"]
        self._file, self._log = settings.get("file", ".ssh/authorized_keys"), settings.get("log", "")
        self._zone = ZoneInfo(settings.get("zone", "UTC"))
        self._account = ObservedAccount(self._user, settings.get("account") or self._user)
        self._key = _private_key(secret)
        self._own = _fingerprint(self._key.asbytes())

    def abilities(self) -> Abilities:
        kinds = frozenset({Kind.DELEGATE, Kind.GRANT})
        return Abilities(kinds, kinds, dates=kinds, prolongs=kinds, enforces=kinds)

    def pages(self) -> Iterator[Page]:
        seen = self._read()
        yield Page(seen.accounts, seen.parties, seen.entries, total=len(seen.entries))

    def look(self, party: str) -> Observation:
        seen = self._read()
        return Observation(
            seen.outcome,
            seen.accounts,
            tuple(p for p in seen.parties if p.key == party),
            tuple(e for e in seen.entries if e.party == party),
        )

    def end(self, entry: str, party: str, idempotency_key: str) -> Answer:
        lines = self._rewrite(entry, lambda line: "")
        if not lines:
            return Answer("the key is not in the file any more", already=True)
        return Answer(f"{counted(lines, 'line')} with the key taken out of {self._file}")

    def find(self, text: str) -> Found:
        return Found()

    def set_member(self, team: str, member: str, idempotency_key: str, *, belongs: bool) -> Answer:
        raise unable(f"the members of {team}", "change")

    def give(self, party: str, gift: Gift, idempotency_key: str) -> Answer:
        # A key that was taken out of the file is known by its fingerprint only.
        raise unable(f"{gift.level} on {gift.account}", "give")

    def change(self, entry: str, party: str, change: Change, idempotency_key: str) -> Answer:
        if change.ends_at is None and "end" not in change.lifts:
            raise unable(entry, "change")
        at = change.ends_at
        expiry = "" if at is None else f'expiry-time="{at.astimezone(self._zone):%Y%m%d%H%M}"'
        lines = self._rewrite(entry, lambda line: dated(line, expiry))
        if not lines:
            raise ProviderRefused(
                "The key is not in the file any more.", next_step="Read the provider again; nothing has to be dated."
            )
        what = "given an end" if expiry else "left without an end"
        return Answer(f"{counted(lines, 'line')} with the key {what} in {self._file}")

    def _rewrite(self, entry: str, changed: Callable[[str], str]) -> int:
        """Put another text in the place of each line with a key, an empty one for none; returns how many there were."""
        fingerprint = entry.removeprefix("key:")
        if fingerprint == self._own:
            raise ProviderRefused(
                f"{entry!r} is Open Latch's own key for {self._where}; ending it would lock Open Latch out.",
                next_step="Remove the provider from Open Latch, then take the key out of the file.",
            )
        with self._connected() as files:
            # What is written is the file itself, and not a link that leads to it.
            path = files.normalize(self._file)
            with self._alone(files, path):
                before = _fetched(files, path, _LOSSLESS)
                lines = {line.number for line in self._lines(before) if line.fingerprint == fingerprint}
                if not lines:
                    return 0
                after = "\n".join(
                    kept
                    for number, text in enumerate(before.split("\n"), 1)
                    for kept in ([changed(text)] if number in lines else [text])
                    if kept or number not in lines
                )
                if after != before:
                    self._replace(files, path, before, after)
        return len(lines)

    @contextmanager
    def _alone(self, files: paramiko.SFTPClient, path: str) -> Iterator[None]:
        """Keep every other Open Latch from changing the file meanwhile, by a file beside it that only one can make.

        One that was left behind, such as by a lost connection, counts for a minute by the server's own clock.
        """
        lock, mine = f"{path}.open-latch-lock", f"{path}.open-latch-{uuid4().hex}"
        with files.open(mine, "wx"):
            pass
        try:
            now = files.stat(mine).st_mtime or 0
            try:
                held = files.stat(lock).st_mtime or 0
            except FileNotFoundError:
                held = None
            if held is not None and now - held >= _LOCKED_FOR:
                files.remove(lock)
            try:
                # A rename that replaces nothing is all or nothing, whoever else tries the same.
                files.rename(mine, lock)
            except OSError as error:
                raise self._busy() from error
        except BaseException:
            _removed(files, mine)
            raise
        try:
            yield
        finally:
            _removed(files, lock)

    def _busy(self) -> ProviderDown:
        return ProviderDown(
            f"The keys of {self._where} are being changed by someone else at the same moment.",
            next_step="It will be tried again automatically.",
        )

    def _replace(self, files: paramiko.SFTPClient, path: str, before: str, after: str) -> None:
        """Put a new file in the place of the old one in one step, so that nobody is ever locked out half way.

        It is written beside the old one, read back, and moved only if nobody has changed the old one meanwhile.
        """
        mode = stat.S_IMODE(files.stat(path).st_mode or 0o600)
        new = f"{path}.open-latch-{uuid4().hex}"
        try:
            with files.open(new, "wx") as file:
                file.write(after.encode(*_LOSSLESS))
            files.chmod(new, mode)
            if _fetched(files, new, _LOSSLESS) != after:
                raise ProviderDown(
                    f"The new keys of {self._where} did not arrive whole; the old ones are as they were.",
                    next_step="It will be tried again automatically.",
                )
            if _fetched(files, path, _LOSSLESS) != before:
                raise self._busy()
            files.posix_rename(new, path)
        except BaseException:
            _removed(files, new)
            raise

    def _read(self) -> Observation:
        with self._connected() as files:
            lines = self._lines(_fetched(files, self._file, _SHOWN))
            log = _fetched(files, self._log, _SHOWN, tail=True) if self._log else None
            used = None if log is None else _uses(log, self._user, self._now(files))
        by_key: dict[str, list[KeyLine]] = {}
        for line in lines:
            by_key.setdefault(line.fingerprint, []).append(line)
        return Observation(
            ReadingOutcome.COMPLETE,
            (self._account,),
            tuple(_party(key, key_lines, own=key == self._own) for key, key_lines in by_key.items()),
            tuple(self._entry(key, each_lines, used) for key, each_lines in by_key.items()),
        )

    def _now(self, files: paramiko.SFTPClient) -> datetime:
        """When the log was last written: what its lines without a year are counted back from."""
        return datetime.fromtimestamp(files.stat(self._log).st_mtime or 0, UTC)

    def _lines(self, text: str) -> tuple[KeyLine, ...]:
        lines = []
        for number, line in enumerate(text.split("\n"), 1):
            if line.strip() and not line.lstrip().startswith("#"):
                parsed = parse_line(number, line)
                if parsed is None:
                    raise ProviderUnreadable(
                        f"Line {number} of {self._file} of {self._where} is not an authorized key.",
                        next_step="Put the line right, or take it out; what was known before is kept.",
                        at=f"line {number}",
                    )
                lines.append(parsed)
        return tuple(lines)

    def _entry(self, key: str, lines: list[KeyLine], used: Mapping[str, datetime] | None) -> ObservedEntry:
        ends = [_expiry(line.options["expiry-time"], self._zone) for line in lines if "expiry-time" in line.options]
        dated = len(ends) == len(lines)
        unknown = dated and None in ends
        end = max((e for e in ends if e is not None), default=None) if dated and not unknown else None
        networks = [line.options["from"] for line in lines if "from" in line.options]
        return ObservedEntry(
            f"key:{key}",
            self._account.key,
            key,
            Kind.GRANT if dated else Kind.DELEGATE,
            _level(lines),
            permissions=tuple(dict.fromkeys(word for line in lines for word in _words(line))),
            last_used=(used or {}).get(key),
            use_known=key in (used or {}),
            ends_at=end,
            end_unknown=unknown,
            network="; ".join(networks) if len(networks) == len(lines) else "",
        )

    @contextmanager
    def _connected(self) -> Iterator[paramiko.SFTPClient]:
        client = paramiko.SSHClient()
        client.set_missing_host_key_policy(_Pinned(self._host_key))
        try:
            client.connect(
                self._host,
                self._port,
                self._user,
                pkey=self._key,
                allow_agent=False,
                look_for_keys=False,
                timeout=10,
                banner_timeout=20,
                auth_timeout=20,
                sock=outgoing.connected(self._host, self._port, 10),
            )
            files = client.open_sftp()
            yield files
        except paramiko.AuthenticationException as error:
            raise ProviderRefused(
                f"{self._where} does not accept Open Latch's own key.",
                next_step="Put its public half into the file of authorized keys.",
            ) from error
        except PermissionError as error:
            raise ProviderRefused(
                f"{self._where} may not do this: {error}.", next_step="Check who owns the file and its folder."
            ) from error
        except FileNotFoundError as error:
            raise ProviderRefused(
                f"{self._where} has no such file: {error}.", next_step="Check the settings file and log."
            ) from error
        except (OSError, EOFError, paramiko.SSHException) as error:
            raise ProviderDown(
                f"{self._where} does not answer: {error}.",
                next_step="It will be tried again automatically; what was known before is kept.",
            ) from error
        finally:
            client.close()


def _private_key(secret: str) -> paramiko.PKey:
    for kind in (paramiko.Ed25519Key, paramiko.ECDSAKey, paramiko.RSAKey):
        try:
            return kind.from_private_key(io.StringIO(secret.strip() + "\n"))
        except (paramiko.SSHException, ValueError, IndexError):
            continue
    raise Invalid(
        "The secret of the connector “ssh” is not a private key without a passphrase. Nothing was added.",
        next_step="Make one for Open Latch alone: ssh-keygen -t ed25519 -N ''",
        errors=[{"at": "secret", "problem": "not a private key"}],
    )


class _Pinned(paramiko.MissingHostKeyPolicy):
    """Only the server with that fingerprint is spoken to."""

    def __init__(self, fingerprint: str) -> None:
        self._fingerprint = fingerprint

    def missing_host_key(self, client: paramiko.SSHClient, hostname: str, key: paramiko.PKey) -> None:
        text = _fingerprint(key.asbytes())
        if text != self._fingerprint:
            raise ProviderRefused(
                f"{hostname} shows the host key {text}, not {self._fingerprint}. Nothing was sent to it.",
                next_step="Find out why, and only then change host_key.",
            )


def parse_line(number: int, text: str) -> KeyLine | None:
    """Return what a line of the file says (sshd(8), AUTHORIZED_KEYS FILE FORMAT), or None if it is not a key."""
    rest, options = text.strip(), dict[str, str]()
    if not _TYPES.match(rest.split(None, 1)[0]):
        place = 0
        while match := _OPTION.match(rest, place):
            options.setdefault(match[1].lower(), re.sub(r"\\(.)", r"\1", match[2] or ""))
            place = match.end()
        if not place or not rest[place : place + 1].isspace():
            return None
        rest = rest[place:].strip()
    kind, _, rest = rest.partition(" ")
    blob, _, comment = rest.strip().partition(" ")
    try:
        key = base64.b64decode(blob, validate=True)
    except (ValueError, binascii.Error):
        return None
    if not _TYPES.match(kind) or len(key) < 16:
        return None
    return KeyLine(number, text, _fingerprint(key), comment.strip(), options)


def dated(line: str, expiry: str) -> str:
    """Return a line of the file with an expiry time (an option with its value, or none) in the place of all it had."""
    line = line.lstrip()
    if _TYPES.match(line.split(None, 1)[0]):
        return f"{expiry} {line}".lstrip()
    place, options = 0, []
    while match := _OPTION.match(line, place):
        options += [] if match[1].lower() == "expiry-time" else [match[0].removesuffix(",")]
        place = match.end()
        if not match[0].endswith(","):
            break
    return f"{','.join([*([expiry] if expiry else []), *options])} {line[place:].lstrip()}".lstrip()


def _fingerprint(key: bytes) -> str:
    return "SHA256:" + base64.b64encode(hashlib.sha256(key).digest()).decode().rstrip("=")


def _level(lines: Iterable[KeyLine]) -> str:
    """What the widest of the lines allows."""
    options = [line.options for line in lines]
    if any("cert-authority" in option for option in options):
        return AUTHORITY
    return COMMAND if all("command" in option for option in options) else SHELL


def _words(line: KeyLine) -> Iterator[str]:
    """The options of a line, but for those that become a field of their own; what a command does, nobody here knows."""
    for name, value in line.options.items():
        if name == "command":
            yield f"command: {value}"
        elif name not in ("cert-authority", "from", "expiry-time"):
            yield name


def _party(key: str, lines: list[KeyLine], *, own: bool) -> ObservedParty:
    comment = next((line.comment for line in lines if line.comment), "")
    # What stands behind our own key looks like an address, and is that of a machine.
    addresses = () if own else tuple(re.findall(r"[^\s<>@,;]+@[^\s<>@,;]+", comment))
    name = comment or f"key without a name, {key[:15]}…"
    return ObservedParty(key, PartyKind.PERSON, name, addresses, service=own)


def _expiry(text: str, zone: ZoneInfo) -> datetime | None:
    """When a key stops working, or None if that cannot be read."""
    of_utc = text.endswith("Z")
    digits = text.removesuffix("Z")
    for form, length in (("%Y%m%d", 8), ("%Y%m%d%H%M", 12), ("%Y%m%d%H%M%S", 14)):
        if len(digits) == length and digits.isdecimal():
            try:
                return datetime.strptime(digits, form).replace(tzinfo=UTC if of_utc else zone).astimezone(UTC)
            except ValueError:
                return None
    return None


def _uses(log: str, login: str, now: datetime) -> dict[str, datetime]:
    """When each key was accepted last, by fingerprint."""
    used: dict[str, datetime] = {}
    for line in log.splitlines():
        match = _ACCEPTED.match(line)
        if match and match["login"] == login:
            at = _logged(match["at"], now)
            if at is not None:
                used[match["key"]] = max(at, used.get(match["key"], at))
    return used


def _logged(text: str, now: datetime) -> datetime | None:
    """The instant of a log line; one without a year belongs to the last year that puts it before now."""
    try:
        if text[0].isdecimal():
            at = datetime.fromisoformat(text)
            return at if at.tzinfo else at.replace(tzinfo=UTC)
        at = datetime.strptime(f"{now.year} {text}", "%Y %b %d %H:%M:%S").replace(tzinfo=UTC)
        return at if at <= now else at.replace(year=now.year - 1)
    except ValueError:
        return None


def _removed(files: paramiko.SFTPClient, path: str) -> None:
    """Take a file away that is needed no more, if it is there, and if anyone still answers."""
    with suppress(OSError, EOFError, paramiko.SSHException):
        files.remove(path)


def _fetched(files: paramiko.SFTPClient, path: str, how: tuple[str, str], *, tail: bool = False) -> str:
    """A file as text, read as `how` says; of a long log only the end."""
    with files.open(path, "rb") as file:
        if tail:
            file.seek(max(0, (file.stat().st_size or 0) - _MOST_LOG))
        file.prefetch()
        return bytes(file.read()).decode(*how)
