"""What a running service is like as a holder is concerned: who works, what waits, and what somebody has to see to."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta

from openlatch.core.hours import moment
from openlatch.core.model import Provider
from openlatch.core.phrases import counted, listed

__all__ = ["ALIVE", "KEY_AGE", "LONG", "NOBODY_WORKS", "State", "Trouble", "overdue", "troubles"]

ALIVE = timedelta(seconds=20)
"""A worker that has given no sign of life for so long is not at work; it gives one every three seconds."""
LONG = timedelta(minutes=5)
"""What waits for so long, with workers there, has to be looked at."""
KEY_AGE = timedelta(days=400)
"""After so long the keys that encrypt secrets are due to be replaced."""
NOBODY_WORKS = "No worker is at work: nothing is read, carried out or sent until one is."
_LOG = "Look into what the workers have written: each says why a job failed."


@dataclass(frozen=True, slots=True)
class State:
    """A service at an instant; what is counted is that of one workspace, and durations are those of its database.

    `workers` are at work; `last_sign` is when one of them, or the last that was, gave a sign of life. `waiting` jobs
    could begin, the oldest since `waiting_since`; `failed` were given up within a day. `unsealed` events are not in
    the log yet. `behind` are the providers that were to be read and are not, by their names. `letters` could not be
    sent yet, and `mail_trouble` is what the mail server said last. `key_made_at` is when the key was made that encrypts
    secrets, and `database_bytes` is how large all of the database is.
    """

    at: datetime
    workers: int
    last_sign: datetime | None
    waiting: int
    waiting_since: datetime | None
    failed: int
    unsealed: int
    unsealed_since: datetime | None
    last_reading: datetime | None
    behind: tuple[str, ...]
    sends_letters: bool
    letters: int
    mail_trouble: str
    key_made_at: datetime | None
    database_bytes: int


@dataclass(frozen=True, slots=True)
class Trouble:
    """Something that is wrong with the service, and what somebody can do about it."""

    says: str
    next: str


def overdue(providers: Iterable[Provider], now: datetime) -> tuple[str, ...]:
    """Return the names of the providers that were to be read by now, and are not."""
    return tuple(
        each.name
        for each in providers
        if each.next_reading is not None and not each.paused and now - each.next_reading > LONG
    )


def troubles(state: State, zone: str) -> tuple[Trouble, ...]:
    """Return what is wrong, what stops most first; instants are told in a zone."""
    return tuple(_troubles(state, zone))


def _troubles(state: State, zone: str) -> Iterator[Trouble]:
    if not state.workers:
        since = f" The last sign of one was at {moment(state.last_sign, zone)}." if state.last_sign else ""
        yield Trouble(f"{NOBODY_WORKS}{since}", "On the service’s machine: openlatch service work")
    elif _long_ago(state, state.waiting_since):
        oldest = moment(state.waiting_since, zone) if state.waiting_since else ""
        waits = "waits" if state.waiting == 1 else "wait"
        yield Trouble(
            f"{counted(state.waiting, 'job')} {waits}, the oldest since {oldest}.",
            "Start another worker, or see what keeps those that are there.",
        )
    if state.failed:
        yield Trouble(f"{counted(state.failed, 'job')} failed within the last day, and will not be tried again.", _LOG)
    if state.workers and _long_ago(state, state.unsealed_since):
        yield Trouble(f"{counted(state.unsealed, 'event')} could not be sealed into the log yet.", _LOG)
    if state.behind:
        were = "was" if len(state.behind) == 1 else "were"
        yield Trouble(
            f"{listed(state.behind)} {were} not read when it was due.",
            "See what each provider says: openlatch provider list",
        )
    if state.letters and state.mail_trouble:
        yield Trouble(
            f"{counted(state.letters, 'letter')} could not be sent: {state.mail_trouble}",
            "Check the mail server; they are sent by themselves once it takes them.",
        )
    if state.key_made_at is not None and state.at - state.key_made_at > KEY_AGE:
        yield Trouble(
            f"The key that encrypts secrets was made at {moment(state.key_made_at, zone)}.",
            "Replace it, while everything runs: openlatch service rotate-keys",
        )


def _long_ago(state: State, since: datetime | None) -> bool:
    return since is not None and state.at - since > LONG
