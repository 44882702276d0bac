"""Second factors: adding and removing one's own, proving with one, and taking away someone's who has lost theirs."""

from __future__ import annotations

import hashlib
import secrets
from dataclasses import dataclass
from datetime import timedelta
from typing import TYPE_CHECKING
from uuid import UUID

from openlatch.core.model import Person
from openlatch.core.people.factors import (
    RECOVERY_CODES,
    STEP,
    Factor,
    accepted_step,
    is_recovery_code,
    keep_one,
    one_time_code,
    plain_code,
    proved,
)
from openlatch.core.telling.notices import Notice
from openlatch.deferred import deferred
from openlatch.errors import Conflict, Invalid
from openlatch.operations.call import Call, operation
from openlatch.operations.telling import notices
from openlatch.store.noun import missing
from openlatch.words import FactorKind

if TYPE_CHECKING:
    import pyotp
    import segno
else:
    pyotp, segno = deferred("pyotp"), deferred("segno")

__all__ = [
    "UNPROVED",
    "CodesBegun",
    "FactorSight",
    "added",
    "begin_codes",
    "browse",
    "code_fits",
    "new_factor",
    "new_recovery_codes",
    "prove",
    "recovery_codes",
    "remove",
    "reset",
    "tell",
]

UNPROVED = timedelta(hours=1)
"""how long what was begun waits for its first code"""
MOST = 20
"""second factors of one person"""


@dataclass(frozen=True, slots=True)
class FactorSight:
    """One's second factors that count, how many recovery codes are left, and whether one has to have a factor."""

    factors: tuple[Factor, ...]
    recovery_left: int
    demanded: bool


@dataclass(frozen=True, slots=True)
class CodesBegun:
    """What an app makes codes of: as text, as an address (otpauth), and as a QR code, in rows of 1 and 0."""

    factor: Factor
    secret: str
    uri: str
    square: tuple[str, ...]


@operation("factors.browse")
def browse(call: Call) -> FactorSight:
    """One's own second factors."""
    return FactorSight(
        proved(call.tx.factors.of(call.person.id)),
        call.tx.factors.recovery_left(call.person.id),
        call.person.role in call.tx.workspace.second_factor,
    )


@operation("factors.begin_codes")
def begin_codes(call: Call, name: str) -> CodesBegun:
    """Begin with codes from an app: they count once the first one was right, within an hour."""
    factor = new_factor(call, FactorKind.CODES, name)
    secret = pyotp.random_base32()
    call.tx.factors.add(factor, call.close(secret))
    uri = pyotp.TOTP(secret).provisioning_uri(
        name=call.person.address, issuer_name=f"Open Latch {call.tx.workspace.slug}"
    )
    square = tuple("".join(map(str, row)) for row in segno.make_qr(uri, error="m").matrix)
    return CodesBegun(factor, secret, uri, square)


def new_factor(call: Call, kind: FactorKind, name: str) -> Factor:
    """Return a new factor of whoever is signed in, which is not kept yet; refuses (Conflict) more than twenty."""
    before = call.tx.factors.of(call.person.id)
    if len(before) >= MOST:
        raise Conflict(f"You have {MOST} second factors. Nothing was changed.", next_step="Remove one of them first.")
    if name.strip() in {factor.name for factor in proved(before)}:
        raise Conflict(
            f"You have a second factor called “{name.strip()}” already. Nothing was changed.",
            next_step="Call this one something else.",
        )
    return Factor(call.services.new_id(), call.person.id, kind, name.strip(), call.now)


@operation("factors.prove")
def prove(call: Call, factor_id: UUID, code: str) -> tuple[str, ...]:
    """Prove by a first code that an app is set up; returns recovery codes, if there were none left."""
    for factor, closed in call.tx.factors.locked(call.person.id):
        if factor.id == factor_id and factor.kind is FactorKind.CODES and factor.proved_at is None:
            step = _step(call, factor, closed, code) if call.now - factor.created_at <= UNPROVED else None
            if step is None:
                raise Invalid(
                    "That is not the code of this moment. Nothing was changed.",
                    next_step="Type the six digits that the app shows now; your device's clock has to be right.",
                    errors=[{"at": "code", "problem": "is not right"}],
                )
            call.tx.factors.used(factor.id, step, call.now)
            return added(call, factor)
    raise Conflict(
        "There is nothing to prove: it was proved before, or was begun too long ago. Nothing was changed.",
        next_step="Look at your second factors, and begin again if it is not among them.",
    )


def added(call: Call, factor: Factor) -> tuple[str, ...]:
    """Log and tell that a factor counts from now on; returns recovery codes, if there were none left."""
    call.log("factor.added", "person", call.person.id, kind=factor.kind.value, name=factor.name)
    tell(call, call.person, f"A second factor was added: {factor.name}", "added")
    return () if call.tx.factors.recovery_left(call.person.id) else recovery_codes(call)


def recovery_codes(call: Call) -> tuple[str, ...]:
    """Make recovery codes for whoever is signed in; those of before hold no more."""
    codes = tuple(one_time_code(secrets.randbelow) for _ in range(RECOVERY_CODES))
    call.tx.factors.set_recovery(call.person.id, {call.services.new_id(): _hash(code) for code in codes})
    call.log("factor.recovery-made", "person", call.person.id, count=len(codes))
    return codes


@operation("factors.recovery")
def new_recovery_codes(call: Call) -> tuple[str, ...]:
    """Make new recovery codes; those of before hold no more."""
    if not proved(call.tx.factors.of(call.person.id)):
        raise Conflict(
            "You have no second factor, so there is nothing to recover. Nothing was changed.",
            next_step="Add one first: openlatch me add-codes",
        )
    return recovery_codes(call)


@operation("factors.remove")
def remove(call: Call, factor_id: UUID) -> None:
    """Remove a second factor of one's own; with the last one, the recovery codes go too."""
    every = tuple(factor for factor, _ in call.tx.factors.locked(call.person.id))
    the_factor = next((factor for factor in every if factor.id == factor_id), None)
    if the_factor is None:
        raise missing("second factor", factor_id)
    keep_one(call.person, every, the_factor, call.tx.workspace.second_factor)
    call.tx.factors.remove(the_factor.id)
    if not proved(factor for factor in every if factor.id != the_factor.id):
        call.tx.factors.set_recovery(call.person.id, {})
    if the_factor.proved_at is not None:
        call.log("factor.removed", "person", call.person.id, kind=the_factor.kind.value, name=the_factor.name)
        tell(call, call.person, f"A second factor was removed: {the_factor.name}", "removed")


@operation("people.reset_factors")
def reset(call: Call, text: str) -> Person:
    """Take away all second factors of someone who has lost theirs; their sessions and tokens end."""
    person = call.tx.people.find(text)
    if person.id == call.person.id:
        raise Conflict(
            "These are your own. Nothing was changed.",
            next_step="Remove them one by one, or ask another owner: openlatch me factors",
        )
    count = call.tx.factors.remove_of(person.id)
    if not count:
        raise Conflict(f"{person.name} has no second factor. Nothing was changed.", next_step="Nothing is left to do.")
    ended = {
        "sessions": call.tx.people.close_sessions(person.id),
        "tokens": call.tx.people.revoke_tokens(person.id, call.now),
    }
    call.log("factor.reset", "person", person.id, factors=count, **ended)
    tell(call, person, "An owner took away your second factors", f"reset by {call.actor.name}")
    return person


def tell(call: Call, person: Person, title: str, what: str) -> None:
    """Tell someone by letter what became of their second factors."""
    text = "If this was not you, tell an owner of this workspace at once, and choose another password."
    notices.write(call, person.address, person.name, Notice(f"factor:{person.id}:{call.now}:{what}", title, text))


def code_fits(call: Call, person: Person, code: str) -> bool:
    """Return whether a code is one of someone's app, or a recovery code, and keep that it was used; for once."""
    if is_recovery_code(code):
        if not call.tx.factors.use_recovery(person.id, _hash(code)):
            return False
        left = call.tx.factors.recovery_left(person.id)
        call.log("factor.recovery-used", "person", person.id, left=left)
        tell(call, person, f"A recovery code was used; {left} are left", f"recovery {left}")
        return True
    for factor, closed in call.tx.factors.locked(person.id):
        if factor.kind is FactorKind.CODES and factor.proved_at is not None:
            step = _step(call, factor, closed, code)
            if step is not None:
                call.tx.factors.used(factor.id, step, call.now)
                return True
    return False


def _step(call: Call, factor: Factor, closed: bytes, code: str) -> int | None:
    codes = pyotp.TOTP(call.open(closed), interval=int(STEP.total_seconds()))
    typed = plain_code(code)
    return accepted_step(
        lambda step: secrets.compare_digest(codes.generate_otp(step).encode(), typed.encode()),
        call.now,
        factor.uses,
    )


def _hash(code: str) -> bytes:
    """What is stored of a recovery code; it is random and long, so a plain hash does not give it away."""
    return hashlib.sha256(plain_code(code).encode()).digest()
