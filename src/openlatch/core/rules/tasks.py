"""From what someone is to do to the least that lets them do it: tasks, and the narrowest choice that covers one."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass

from openlatch.core.phrases import listed
from openlatch.core.powers import ADMITTING, MONEY, in_order, weighty
from openlatch.words import Power

__all__ = ["BUILT_IN", "Choice", "Fit", "Task", "fit"]


@dataclass(frozen=True, slots=True)
class Task:
    """Something that someone is let in for, and the powers that it takes."""

    id: str
    title: str
    needs: tuple[Power, ...]
    own: bool = False
    """whether the holder has named it, in the policy"""


BUILT_IN: tuple[Task, ...] = (
    Task("look", "Look at what is there", (Power.VIEW,)),
    Task("keep-up", "Keep it up to date", (Power.VIEW, Power.EDIT)),
    Task("speak", "Speak in our name", (Power.VIEW, Power.PUBLISH)),
    Task("take-copies", "Take copies of the data", (Power.VIEW, Power.EXPORT)),
    Task("buy", "Buy what is needed", (Power.VIEW, Power.SPEND)),
    Task("pay-out", "Pay money out", (Power.VIEW, Power.WITHDRAW)),
    Task("look-after-people", "Decide who gets in", (Power.VIEW, Power.ADMIT)),
    Task(
        "stand-in",
        "Stand in for us in everything but money",
        (
            Power.VIEW,
            Power.EDIT,
            Power.PUBLISH,
            Power.EXPORT,
            Power.ADMIT,
        ),
    ),
)


@dataclass(frozen=True, slots=True)
class Choice:
    """A level, or permissions one by one, that covers what is needed, and what it hands over beyond that."""

    level: str
    permissions: tuple[str, ...]
    powers: tuple[Power, ...]
    beyond: tuple[Power, ...]
    words: int = 0
    """of how many words a level is put together that is no level of the provider's own"""

    @property
    def money(self) -> tuple[Power, ...]:
        """What it hands over beyond the need that moves money."""
        return tuple(power for power in self.beyond if power in MONEY)

    @property
    def admitting(self) -> tuple[Power, ...]:
        """What it hands over beyond the need that decides who else gets in."""
        return tuple(power for power in self.beyond if power in ADMITTING)

    @property
    def named(self) -> str:
        if not self.permissions:
            return f"“{self.level}”"
        return listed([f"“{permission}”" for permission in self.permissions])


@dataclass(frozen=True, slots=True)
class Fit:
    """What covers a need, the narrowest first; with none, `lacks` are the powers that nothing here can give."""

    needs: tuple[Power, ...]
    choices: tuple[Choice, ...]
    lacks: tuple[Power, ...] = ()

    @property
    def text(self) -> str:
        """Return what is proposed, and why, as a sentence or two."""
        need = listed(self.needs)
        if not self.choices:
            return f"Nothing here gives {listed(self.lacks)}, which this needs."
        best = self.choices[0]
        several = len(best.permissions) > 1
        said = f"{best.named} {'are' if several else 'is'} the narrowest that covers {need}"
        if not best.beyond:
            return f"{said}, and {'give' if several else 'gives'} nothing else."
        told = [f"{said}; it hands over {listed(best.beyond)} as well."]
        if best.money:
            told.append(f"It also gives power over money: {listed(best.money)}.")
        if best.admitting:
            told.append(f"It also gives the power to let others in: {listed(best.admitting)}.")
        return " ".join(told)


def fit(
    needs: Iterable[Power],
    levels: Mapping[str, Sequence[Power]],
    permissions: Mapping[str, Sequence[Power]] | None = None,
    *,
    single: str = "",
) -> Fit:
    """Return what covers a need, of a provider's levels and of its permissions where they can be given one by one.

    The least power over money beyond the need comes first, then the least power to admit, then the fewest powers, then
    the fewest words. Of permissions there is one choice, the best of all sets of them, found exactly: as many
    different sets count as there are sets of powers. `single` is what the provider calls access that is given so; if
    it has no word for it, that is the permissions themselves, one after another.
    """
    needed = set(needs)
    the_choices = [
        Choice(name, (), in_order(gives), in_order(set(gives) - needed))
        for name, gives in levels.items()
        if needed <= set(gives)
    ]
    if permissions:
        the_choices += _of_permissions(needed, permissions, single)
    possible = {power for gives in (*levels.values(), *(permissions or {}).values()) for power in gives}
    choices = tuple(sorted(the_choices, key=_breadth))
    # Where each power can be had, but not all of them together, all of them are what is lacking.
    lacks = () if choices else in_order(needed - possible or needed)
    return Fit(in_order(needed), choices, lacks)


def _of_permissions(needed: set[Power], permissions: Mapping[str, Sequence[Power]], single: str) -> tuple[Choice, ...]:
    """The best set of permissions: for each set of powers that can be reached, the fewest words that reach it."""
    best: dict[frozenset[Power], tuple[str, ...]] = {frozenset(): ()}
    for word, gives in permissions.items():
        for powers, words in list(best.items()):
            more, longer = powers | set(gives), (*words, word)
            if more not in best or len(longer) < len(best[more]):
                best[more] = longer
    covering = [(powers, words) for powers, words in best.items() if words and needed <= powers]
    if not covering:
        return ()
    powers, words = min(covering, key=lambda pair: _order(pair[0] - needed, len(pair[1]), "", pair[1]))
    beyond = in_order(powers - needed)
    if single:
        return (Choice(single, words, in_order(powers), beyond),)
    return (Choice("".join(words), (), in_order(powers), beyond, len(words)),)


def _breadth(choice: Choice) -> tuple[int, int, int, int, str, tuple[str, ...]]:
    return _order(choice.beyond, choice.words or len(choice.permissions), choice.level, choice.permissions)


def _order(
    beyond: Collection[Power], words: int, level: str, permissions: tuple[str, ...]
) -> tuple[int, int, int, int, str, tuple[str, ...]]:
    """What comes first: the least power over money, the least to admit, the fewest powers, then the fewest words."""
    return len(MONEY & set(beyond)), len(weighty(beyond)), len(beyond), words, level, permissions
