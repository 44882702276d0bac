"""The connector for a shared login that is reached with OpenSSH keys.

The connector signs in to that login with a key of its own, reads the file of authorized keys (sshd(8)) over SFTP, and
takes lines out of it. A key is known by its fingerprint; the comment behind it is all that names its owner. When a
key was used last is in sshd's log, if the login can read it.
"""

from __future__ import annotations

import stat
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager, suppress
from datetime import UTC, datetime
from typing import ClassVar
from uuid import uuid4
from zoneinfo import ZoneInfo

import paramiko

from openlatch.connecting.capabilities import Changes, Ends
from openlatch.connecting.settings import checked, port_of, unable, wrong
from openlatch.connectors import ssh_client
from openlatch.connectors.authorized_keys import (
    WORDS,
    KeyLine,
    bearer_of,
    dated,
    ends_of,
    fingerprint_of,
    level_of,
    networks_of,
    parse_line,
    words_of,
)
from openlatch.connectors.ssh_client import HOST_KEY, pinned, private_key
from openlatch.connectors.sshd_log import uses
from openlatch.core.hours import zones
from openlatch.core.model import Abilities
from openlatch.core.phrases import counted
from openlatch.core.providers.meaning import Words
from openlatch.core.providers.observation import Observation, ObservedAccount, ObservedEntry, ObservedParty
from openlatch.core.providers.ports import About, Answer, Change, Page, Setting
from openlatch.errors import ProviderDown, ProviderRefused, ProviderUnreadable
from openlatch.words import Kind, PartyKind, ReadingOutcome

__all__ = ["SshConnector"]

_LOSSLESS, _SHOWN = ("utf-8", "surrogateescape"), ("utf-8", "replace")
"""How a file is read: to be written again just as it was, or to be shown."""
_LOCKED_FOR = 60
"""Seconds after which nobody is at the file any more who said so and did not say that they have done."""
_MOST_LOG = 16 * 1024 * 1024


class SshConnector(Ends, Changes):
    """Reads and changes authorized keys."""

    made_for: ClassVar[int] = 1
    about: ClassVar[About] = About(
        "OpenSSH authorized keys over SFTP, last use from sshd's log",
        (
            Setting("host", "name or address of the server"),
            Setting("port", "usually 22"),
            Setting("user", "the shared login", leads=False),
            HOST_KEY,
            Setting("file", "of authorized keys, if not .ssh/authorized_keys", needed=False, leads=False),
            Setting("log", "of sshd, to see when keys were used", needed=False, leads=False),
            Setting("zone", "of expiry times, an IANA name; UTC if left out", needed=False, leads=False),
            Setting("account", "what to call the login", needed=False, leads=False),
        ),
        "private key in OpenSSH’s format",
    )
    words: ClassVar[Words] = WORDS

    def __init__(self, settings: Mapping[str, str], secret: str) -> None:
        checked("ssh", self.about, settings)
        if settings.get("zone", "UTC") not in zones():
            raise wrong("ssh", "zone", "is not an IANA time zone", "Give one such as Europe/London.")
        self._host, self._port, self._user = settings["host"], port_of("ssh", settings), settings["user"]
        self._where = f"{self._user} at {self._host}:{self._port}"
        self._host_key = pinned("ssh", settings)
        self._file, self._log = settings.get("file", ".ssh/authorized_keys"), settings.get("log", "")
        self._zone = ZoneInfo(settings.get("zone", "UTC"))
        self._account = ObservedAccount(self._user, settings.get("account") or self._user)
        self._key = private_key("ssh", secret)
        self._own = fingerprint_of(self._key.asbytes())

    def abilities(self) -> Abilities:
        kinds = frozenset({Kind.DELEGATE, Kind.GRANT})
        return Abilities(kinds, kinds, dates=kinds, prolongs=kinds, enforces=kinds)

    def pages(self) -> Iterator[Page]:
        seen = self._read()
        yield Page(seen.accounts, seen.parties, seen.entries, total=len(seen.entries))

    def end(self, entry: str, party: str, idempotency_key: str) -> Answer:
        lines = self._rewrite(entry, lambda line: "")
        if not lines:
            return Answer("the key is not in the file any more", already=True)
        return Answer(f"{counted(lines, 'line')} with the key taken out of {self._file}")

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
            used = None if log is None else uses(log, self._now(files)).get(self._user, {})
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
        end, unknown = ends_of(lines, self._zone)
        return ObservedEntry(
            f"key:{key}",
            self._account.key,
            key,
            Kind.GRANT if end is not None or unknown else Kind.DELEGATE,
            level_of(lines),
            permissions=tuple(dict.fromkeys(word for line in lines for word in words_of(line))),
            last_used=(used or {}).get(key),
            use_known=key in (used or {}),
            ends_at=end,
            end_unknown=unknown,
            network=networks_of(lines),
        )

    @contextmanager
    def _connected(self) -> Iterator[paramiko.SFTPClient]:
        client = None
        try:
            client = ssh_client.connected(self._host, self._port, self._user, self._key, self._host_key)
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
            if client is not None:
                client.close()


def _party(key: str, lines: list[KeyLine], *, own: bool) -> ObservedParty:
    name, addresses = bearer_of(lines)
    # What stands behind our own key looks like an address, and is that of a machine.
    return ObservedParty(key, PartyKind.PERSON, name, () if own else addresses, service=own)


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
