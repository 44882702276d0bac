"""Putting a policy in force, which is an act with who, when and what it changed; and going back to an earlier one."""

from __future__ import annotations

from datetime import timedelta

from openlatch.errors import Changed, Conflict
from openlatch.operations.call import Call, operation
from openlatch.operations.rules import flags, policies
from openlatch.operations.rules.policy_file import read
from openlatch.store.rules.policies import Adopted

__all__ = ["adopt", "back"]


@operation("policy.adopt")
def adopt(call: Call, text: str, note: str, expected: int | None) -> Adopted:
    """Put a policy in force; with `expected`, refuses (Changed) if another one is in force than that number.

    Flags are brought up to date with it: at once where the inventory is small, else by a job that begins right after.
    """
    return _adopt(call, text, note, expected)


@operation("policy.back")
def back(call: Call, number: int) -> Adopted:
    """Put an earlier policy in force again, under a new number."""
    earlier = policies.numbered(call, number)
    if earlier.text == policies.latest(call).text:
        raise Conflict(
            f"Policy {number} says what the policy in force says. Nothing was changed.",
            next_step="Look at the policies there are: openlatch policy history",
        )
    return _adopt(call, earlier.text, f"Back to policy {number}.", None)


def _adopt(call: Call, text: str, note: str, expected: int | None) -> Adopted:
    call.tx.facts.take_turns()
    before = policies.latest(call)
    if expected is not None and expected != before.number:
        raise Changed(
            f"Policy {before.number} is in force, and not {expected} any more. Yours was not adopted.",
            next_step="Look at what changed, then try yours again.",
        )
    policy_read = read(text, call.tx.workspace.zone)
    changes = policies.changes(read(before.text, call.tx.workspace.zone).policy, policy_read.policy)
    adopted = Adopted(before.number + 1, text, note, call.actor.name, call.now, changes)
    unused = policy_read.policy.limits.get("unused")
    days = unused.days if isinstance(unused, timedelta) else None
    if before.number == 0:
        call.tx.policies.keep(before)
    call.tx.policies.adopt(adopted, domains=policy_read.policy.domains, unused_days=days)
    call.tx.enter_again()
    call.log("policy.adopted", "policy", call.tx.workspace.id, number=adopted.number, note=note, changes=list(changes))
    policies.draw_circle(call, policy_read.policy, everyone=True)
    flags.evaluate_all(call)
    return adopted
