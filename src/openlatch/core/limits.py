"""What a provider, or the holder, lets nobody pass when access is given: known before anything is sent."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from dataclasses import dataclass
from datetime import timedelta
from typing import TypeVar

from openlatch.core.powers import in_order
from openlatch.words import Power

__all__ = ["Broken", "Limits", "Taken", "broken", "strictest"]

Measure = TypeVar("Measure", int, timedelta)


@dataclass(frozen=True, slots=True)
class Limits:
    """Limits on the access that can be given to one account; what is None or empty sets no limit.

    `most` counts parties that are let in or hold an offer, `outsiders` those of them from outside the circle. Powers
    in `never` do not pass to anyone who is let in. `opt_in` says that a party must first have agreed to be invited.
    """

    most: int | None = None
    outsiders: int | None = None
    never: frozenset[Power] = frozenset()
    longest: timedelta | None = None
    opt_in: bool = False

    def __and__(self, other: Limits) -> Limits:
        """Return the limits that keep both."""
        return Limits(
            _least(self.most, other.most),
            _least(self.outsiders, other.outsiders),
            self.never | other.never,
            _least(self.longest, other.longest),
            self.opt_in or other.opt_in,
        )

    @property
    def sentences(self) -> tuple[str, ...]:
        """Return each limit as people read it."""
        texts = []
        if self.most is not None:
            texts.append(f"At most {_parties(self.most)} can be let in.")
        if self.outsiders is not None:
            texts.append(f"At most {_parties(self.outsiders)} from outside the circle at a time.")
        if self.never:
            texts.append(f"Never passes on: {', '.join(in_order(self.never))}.")
        if self.longest is not None:
            texts.append(f"For {self.longest.days} days at most.")
        if self.opt_in:
            texts.append("Only those can be invited who have opted in to it there.")
        return tuple(texts)


@dataclass(frozen=True, slots=True)
class Taken:
    """Someone who is let in to an account already, or holds an offer of it; `party` is an id, `name` for people."""

    party: str
    name: str
    outside: bool


@dataclass(frozen=True, slots=True)
class Broken:
    """A limit that would be passed, in words, and what would help."""

    limit: str
    text: str
    next_step: str


def broken(
    limits: Limits,
    where: str,
    who: Taken,
    powers: Iterable[Power],
    taken: Collection[Taken],
    lasts: timedelta | None = None,
) -> tuple[Broken, ...]:
    """Return every limit that would be passed if someone were let in; `where` names the account.

    `taken` are those who are in already; someone who is among them takes no further place. `lasts` is None for access
    without an end. Whether a party has opted in is for its provider to say, and is not found here.
    """
    others = {one.party: one for one in taken if one.party != who.party}
    outside = [one for one in others.values() if one.outside]
    broken_links = []
    if limits.most is not None and len(others) >= limits.most:
        text = f"{where} can be shared with {_parties(limits.most)} at most, and {_are(len(others))} let in already."
        broken_links.append(Broken("most", text, "First end the access of someone who no longer needs it."))
    if limits.outsiders is not None and who.outside and len(outside) >= limits.outsiders:
        named = ", ".join(sorted(one.name for one in outside)[:3])
        text = f"{where} lets in {_parties(limits.outsiders)} from outside at a time, and {named} has that place."
        broken_links.append(Broken("outsiders", text, "End that access, or withdraw that offer, first."))
    kept = in_order(limits.never & set(powers))
    if kept:
        text = f"“{', '.join(kept)}” cannot be given on {where}."
        broken_links.append(Broken("never", text, "Choose a level without it."))
    if limits.longest is not None and (lasts is None or lasts > limits.longest):
        text = f"{where} lets nobody in for longer than {limits.longest.days} days."
        broken_links.append(Broken("longest", text, "Choose an earlier end."))
    return tuple(broken_links)


def strictest(every: Iterable[Limits]) -> Limits:
    """Return the limits that keep all of these."""
    limits = Limits()
    for each_limits in every:
        limits &= each_limits
    return limits


def _least(value: Measure | None, other: Measure | None) -> Measure | None:
    return other if value is None else value if other is None else min(value, other)


def _parties(number: int) -> str:
    return "one party" if number == 1 else f"{number} parties"


def _are(number: int) -> str:
    return "one is" if number == 1 else f"{number} are"
