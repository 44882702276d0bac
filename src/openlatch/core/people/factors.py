"""Second factors: what someone proves with that it is them, beside their password, and who has to have one.

Codes follow RFC 6238: an app and the service share a secret, and each 30 seconds have a code of six digits. A passkey
is a key pair (WebAuthn) that never leaves the device, which checks by itself who holds it.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterable
from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID

from openlatch.core.model import Person
from openlatch.errors import Conflict
from openlatch.words import FactorKind, Role

__all__ = [
    "RECOVERY_CODES",
    "STEP",
    "Factor",
    "accepted_step",
    "is_recovery_code",
    "keep_one",
    "lacks_factor",
    "one_time_code",
    "plain_code",
    "proved",
]

STEP = timedelta(seconds=30)
AROUND = 1
"""so many steps a clock may be before or behind this one"""
RECOVERY_CODES = 10
"""so many are made at a time"""
_LETTERS = "23456789abcdefghjkmnpqrstuvwxyz"
"""without those that look like another one"""
_GROUPS, _GROUP = 3, 5
_RECOVERY = _GROUPS * _GROUP
_NOT_WRITTEN = re.compile(r"[\s-]+")


@dataclass(frozen=True, slots=True)
class Factor:
    """One second factor of someone; it counts once it is proved, by a code or a key that was right.

    `uses` keeps one from being used twice: the last step (of 30 seconds) whose code was used, or what the key counts.
    """

    id: UUID
    person_id: UUID
    kind: FactorKind
    name: str
    created_at: datetime
    proved_at: datetime | None = None
    last_used_at: datetime | None = None
    uses: int = 0


def proved(factors: Iterable[Factor]) -> tuple[Factor, ...]:
    """Return those that count."""
    return tuple(factor for factor in factors if factor.proved_at is not None)


def lacks_factor(person: Person, factors: Iterable[Factor], demanded: Collection[Role]) -> bool:
    """Return whether someone has to have a second factor as what they are here, and has none."""
    return person.role in demanded and not proved(factors)


def keep_one(person: Person, factors: Iterable[Factor], factor: Factor, demanded: Collection[Role]) -> None:
    """Refuse (Conflict) to remove the last second factor of someone who has to have one."""
    others = [other for other in factors if other.id != factor.id]
    if factor.proved_at is not None and lacks_factor(person, others, demanded):
        raise Conflict(
            f"As {person.role} you need a second factor here, and “{factor.name}” is your only one. "
            "Nothing was changed.",
            next_step="Add another one first, then remove this one.",
            factor=str(factor.id),
        )


def accepted_step(fits: Callable[[int], bool], now: datetime, used: int) -> int | None:
    """Return the step whose code it is that was typed, of those around now; None for none, or one used before.

    `fits` says whether it is the code of a step, counted from 1970 by 30 seconds. Of a code that was used, and of all
    before it, none is taken again: whoever looks over a shoulder cannot use what they see.
    """
    present = int(now.timestamp() // STEP.total_seconds())
    steps = range(present - AROUND, present + AROUND + 1)
    # Each is worked out whatever comes of the others, so that how long it takes says nothing.
    fitting = [step for step in steps if fits(step)]
    return next((step for step in fitting if step > used), None)


def one_time_code(below: Callable[[int], int]) -> str:
    """Return a code for one use, of letters that `below` draws (a number from 0 to below its argument): 74 bits."""
    drawn = "".join(_LETTERS[below(len(_LETTERS))] for _ in range(_RECOVERY))
    return "-".join(drawn[at : at + _GROUP] for at in range(0, _RECOVERY, _GROUP))


def plain_code(text: str) -> str:
    """Return a code as it is compared, however it was typed: without spaces and hyphens, in small letters."""
    return _NOT_WRITTEN.sub("", text).lower()


def is_recovery_code(text: str) -> bool:
    """Return whether something that was typed is a recovery code rather than a code of an app."""
    plain = plain_code(text)
    return len(plain) == _RECOVERY and all(letter in _LETTERS for letter in plain)
