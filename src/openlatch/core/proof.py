"""Whether what was ordered is so: what a fresh observation of a party has to show."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from openlatch.core.model import Kind, State
from openlatch.core.observation import Observation, ObservedEntry
from openlatch.core.plans import Step
from openlatch.core.ports import Gift

__all__ = ["Verdict", "verify"]


@dataclass(frozen=True, slots=True)
class Verdict:
    """What a fresh observation says: whether all is as it was meant to be, and what was seen."""

    reached: bool
    evidence: str


def verify(observation: Observation, steps: Sequence[Step], party: str) -> Verdict:
    """Return whether a complete observation of a party shows all that these steps did to it; less proves nothing."""
    shown = {e.key: e for e in observation.entries}
    wanted = {s.entry: s for s in steps if s.party == party and s.entry and s.call in ("end", "change", "ask")}
    missed = [one for step in wanted.values() if (one := _missed(step, shown.get(step.entry)))]
    given = [step.gift for step in steps if step.party == party and step.gift is not None]
    missed += [f"“{gift.level}” on {gift.account} is not listed" for gift in given if not _there(gift, observation)]
    if missed:
        return Verdict(reached=False, evidence="; ".join(missed))
    seen = [_seen(step, shown.get(step.entry)) for step in wanted.values()]
    seen += [f"“{gift.level}” on {gift.account} is listed" for gift in given]
    others = len([one for one in shown.values() if one.key not in wanted and not any(_is(one, g) for g in given)])
    rest = "nothing else of this party" if not others else f"{others} other of this party"
    return Verdict(reached=True, evidence=f"{'; '.join(seen)}; the reading shows {rest}")


def _missed(step: Step, shown: ObservedEntry | None) -> str:
    """What is not yet as a step wanted it."""
    change = step.change
    if change is None:
        return "" if shown is None else f"{step.entry} is still listed with the level {shown.level!r}"
    if shown is None:
        return f"{step.entry} is not listed" if change.wider else ""
    listed = f"{step.entry} is still listed"
    wrong = (
        (bool(change.level) and shown.level != change.level, f"{listed} with the level {shown.level!r}"),
        (
            change.resources is not None and not (shown.resources and set(shown.resources) <= set(change.resources)),
            f"{listed} for other parts",
        ),
        (
            change.ends_at is not None and (shown.ends_at is None or shown.ends_at > change.ends_at),
            f"{listed} without that end",
        ),
        (change.paused is not None and (shown.state is State.PAUSED) != change.paused, f"{listed} as {shown.state}"),
    )
    return next((said for is_wrong, said in wrong if is_wrong), "")


def _seen(step: Step, shown: ObservedEntry | None) -> str:
    if shown is None or step.change is None:
        return f"{step.entry} is no longer listed"
    change = step.change
    if change.level:
        return f"{step.entry} is listed with the level {shown.level!r}"
    if change.resources is not None:
        return f"{step.entry} is listed for {', '.join(shown.resources)}"
    if change.ends_at is not None and shown.ends_at is not None:
        return f"{step.entry} is listed with its end at {shown.ends_at.isoformat()}"
    return f"{step.entry} is listed as {shown.state}"


def _there(gift: Gift, observation: Observation) -> bool:
    return any(_is(one, gift) for one in observation.entries)


def _is(one: ObservedEntry, gift: Gift) -> bool:
    """Whether an observed entry is what was given, and no more than that."""
    ends = gift.ends_at is None or (one.ends_at is not None and one.ends_at <= gift.ends_at)
    same = (one.account, one.level, one.hours) == (gift.account, gift.level, gift.hours)
    # Whether it stands until it is ended or has an end already is the provider's to say, if nobody asked for one.
    kinds = {one.kind, gift.kind}
    same = same and (len(kinds) == 1 or kinds == {Kind.DELEGATE, Kind.GRANT})
    same = same and (not gift.permissions or set(gift.permissions) <= set(one.permissions))
    return same and set(one.resources) == set(gift.resources) and one.state is State.LIVE and ends
