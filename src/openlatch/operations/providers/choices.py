"""What a provider has to choose from: the narrowest for a task, and the limits within which anyone is let in."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime
from difflib import get_close_matches
from uuid import UUID

from openlatch.core.hours import Hours
from openlatch.core.letting_in.offers import Part
from openlatch.core.limits import Broken, Limits, Taken, broken, strictest
from openlatch.core.model import Account, Provider
from openlatch.core.powers import in_order
from openlatch.core.rules.tasks import BUILT_IN, Fit, Task, fit
from openlatch.errors import Invalid, NotFound
from openlatch.operations.call import Call, operation
from openlatch.operations.providers.levels import vocabulary
from openlatch.operations.rules import policies
from openlatch.operations.rules.advice import known_levels
from openlatch.words import Kind, Power

__all__ = [
    "AccountChoices",
    "choosable",
    "fitting",
    "hours_of",
    "known_parts",
    "levels_of",
    "limits_of",
    "narrowest",
    "needed",
    "parts_of",
    "passed",
    "permissions_of",
    "tasks",
]


# From tasks to choices


@operation("tasks.browse")
def tasks(call: Call) -> tuple[Task, ...]:
    """What people are let in for: the holder's own tasks first, then those that are built in."""
    return _tasks(call)


def _tasks(call: Call) -> tuple[Task, ...]:
    own = policies.current(call).policy.tasks
    named = {task.id for task in own}
    return (*own, *(task for task in BUILT_IN if task.id not in named))


@operation("tasks.fit")
def fitting(call: Call, account: str, task: str, needs: tuple[Power, ...]) -> tuple[Account, Provider, Fit]:
    """The narrowest that an account's provider has for a task, or for powers, and what broader choices hand over."""
    the_account = call.tx.accounts.find(account)
    provider = call.tx.providers.get(the_account.provider_id)
    return the_account, provider, narrowest(call, provider, needed(call, task, needs))


def needed(call: Call, task: str, needs: tuple[Power, ...]) -> tuple[Power, ...]:
    """Return the powers that a task needs, and those that are named beside it; raises NotFound for no task."""
    if not task:
        return needs
    wanted = next(
        (each_task for each_task in _tasks(call) if task.casefold() in (each_task.id, each_task.title.casefold())), None
    )
    if wanted is None:
        raise NotFound(
            f"There is no task “{task}”. Nothing was changed.",
            next_step=f"Use one of: {', '.join(task.id for task in _tasks(call))}; or name the powers that it needs.",
        )
    return in_order((*wanted.needs, *needs))


def narrowest(call: Call, provider: Provider, needs: tuple[Power, ...]) -> Fit:
    """Return the narrowest choice of a provider that covers some powers, and the broader ones."""
    return fit(needs, levels_of(call, provider), permissions_of(call, provider), single=provider.abilities.single)


def permissions_of(call: Call, provider: Provider) -> dict[str, tuple[Power, ...]]:
    """Return the permissions that can be given one by one, with what each gives, as corrected here."""
    words = vocabulary(call, provider)
    return {word: words.corrected.get(word, gives) for word, gives in provider.abilities.permissions}


def levels_of(call: Call, provider: Provider) -> dict[str, tuple[Power, ...]]:
    """Return the levels by which someone can be let in; what only sessions carry, or permissions alone, is none."""
    single, stated = provider.abilities.single, dict(provider.abilities.levels)
    able = known_levels(call, provider, Kind.DELEGATE)
    return {name: gives for name, gives in able.items() if name != single and gives and (not stated or name in stated)}


# Parts and hours


@dataclass(frozen=True, slots=True)
class AccountChoices:
    """What can be given on an account: levels with the powers of each, and the first parts that fit what is wanted."""

    levels: dict[str, tuple[Power, ...]]
    parts: tuple[str, ...]
    more_parts: int


@operation("accounts.choices")
def choosable(call: Call, account: str, part: str, most: int) -> AccountChoices:
    """What can be given on an account, the levels that give least first, and the parts with `part` in their names."""
    the_account = call.tx.accounts.find(account)
    levels = levels_of(call, call.tx.providers.get(the_account.provider_id))
    fits = [text for text in parts_of(call, the_account) if part.casefold() in text.casefold()]
    least_first = dict(sorted(levels.items(), key=lambda item: (len(item[1]), item[0].casefold())))
    return AccountChoices(least_first, tuple(fits[:most]), max(0, len(fits) - most))


def parts_of(call: Call, account: Account) -> tuple[str, ...]:
    """Return the parts of an account that readings have shown, in the order of their names."""
    return call.tx.accounts.parts(account.id)


def known_parts(account: Account, provider: Provider, parts: Collection[str], named: Collection[str]) -> None:
    """Refuse (Invalid) parts that nobody has seen; what is recorded by hand has the parts that people say it has."""
    unknown = [text for text in named if text not in parts]
    if provider.by_hand or not unknown:
        return
    near = get_close_matches(unknown[0], parts, 3, 0.5) or sorted(parts)[:5]
    raise Invalid(
        f"{account.name} has no part “{unknown[0]}”, as far as is known. Nothing was changed.",
        next_step=f"Choose one of: {', '.join(near)}." if near else "Leave the parts out: none is known there.",
        errors=[{"at": "resources", "problem": f"no part “{unknown[0]}” is known"}],
    )


def hours_of(call: Call, text: str) -> Hours | None:
    """Return the hours that a text means, in the workspace's zone if it names none; None for no text."""
    if not text.strip():
        return None
    try:
        return Hours.parse(text, call.tx.workspace.zone)
    except ValueError as error:
        raise Invalid(
            f"“{text}” cannot be read as hours. Nothing was changed.",
            next_step="Write them as: tue,fri 19:00-04:00",
            errors=[{"at": "hours", "problem": "cannot be read as hours"}],
        ) from error


# Limits


def limits_of(call: Call, account: Account, provider: Provider) -> Limits:
    """Return what can be passed neither by the provider's word nor by the holder's."""
    bounds = [
        bound.limits for bound in policies.current(call).policy.bounds if bound.holds(provider.name, account.name)
    ]
    return strictest([provider.abilities.limits, *bounds])


def _taken_on(call: Call, account: Account, but: Collection[UUID] = ()) -> list[Taken]:
    """Return who is let in to an account, or holds an offer of it; without the entries in `but`."""
    kinds = (Kind.DELEGATE, Kind.GRANT, Kind.OFFER)
    entries = [entry for entry in call.tx.entries.on([account.id]) if entry.kind in kinds and entry.id not in but]
    parties = call.tx.parties.some({entry.party_id for entry in entries})
    circle = call.tx.workspace.circle
    return [Taken(str(each_id), party.name, not circle.holds(party)) for each_id, party in sorted(parties.items())]


def passed(
    call: Call,
    account: Account,
    provider: Provider,
    who: Taken,
    part: Part,
    starts_at: datetime | None,
    but: Collection[UUID] = (),
) -> tuple[Broken, ...]:
    """Return the limits that would be passed if someone had a part of an offer; without the entries in `but`."""
    lasts = None if part.ends_at is None else part.ends_at - max(starts_at or call.now, call.now)
    return broken(
        limits_of(call, account, provider), account.name, who, part.powers, _taken_on(call, account, but), lasts
    )
