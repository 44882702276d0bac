"""What-if: two versions of a proposal beside each other."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import asdict, dataclass
from typing import Any

from openlatch.core.what_if.comparing import Effect, apart
from openlatch.core.what_if.shifts import Ability
from openlatch.errors import Conflict, NotFound
from openlatch.operations.call import Call, operation
from openlatch.operations.what_if import proposals
from openlatch.store.what_if.proposals import Proposal, Run
from openlatch.words import Power

__all__ = ["ComparedLine", "Versions", "compare"]


@dataclass(frozen=True, slots=True)
class ComparedLine:
    """One thing that only one of two versions would bring about; `kind` is that of the wire."""

    kind: str
    text: str
    outside: bool = False


@dataclass(frozen=True, slots=True)
class Versions:
    """What only the first of two versions would bring about, and what only the second; `partly`: as far as told."""

    only_first: tuple[ComparedLine, ...]
    only_second: tuple[ComparedLine, ...]
    partly: bool


@operation("proposals.compare")
def compare(call: Call, text: str, first: int, second: int) -> Versions:
    """What two versions of a proposal would each change that the other would not; both have to be worked out."""
    sight = proposals.show(call, text)
    document, other = (_outcome(sight.proposal, sight.runs, number) for number in (first, second))
    only_first, only_second = apart(_effects(document), _effects(other))
    return Versions(
        _side(only_first, document, other),
        _side(only_second, other, document),
        partly=_summed_up(document) or _summed_up(other),
    )


_KINDS = ("gain", "loss", "limit", "raised", "cleared", "severity", "risk", "policy")


def _side(effects: Iterable[Effect], mine: Mapping[str, Any], other: Mapping[str, Any]) -> tuple[ComparedLine, ...]:
    """What only one outcome has, in the order of its kinds, those outside the circle first."""
    known, theirs = _names(mine), set(_lines(other))
    lines = [*(_told(effect, known) for effect in effects), *(line for line in _lines(mine) if line not in theirs)]
    return tuple(sorted(lines, key=lambda line: (_KINDS.index(line.kind), not line.outside)))


def _outcome(proposal: Proposal, runs: tuple[Run, ...], number: int) -> Mapping[str, Any]:
    run = next((run for run in runs if run.number == number), None)
    if run is None:
        raise NotFound(
            f"Proposal {proposal.ref} has no version {number}. Nothing was compared.",
            next_step=f"It has {', '.join(str(run.number) for run in runs)}.",
        )
    if run.outcome is None:
        why = run.trouble or "That is in progress."
        raise Conflict(
            f"Version {number} of proposal {proposal.ref} is not worked out. {why}",
            next_step="Compare it once it is, or another version.",
        )
    return run.outcome


def _effects(outcome: Mapping[str, Any]) -> Iterator[Effect]:
    for value in outcome["shifts"]:
        for gains, abilities in ((True, value["gained"]), (False, value["lost"])):
            for can in abilities:
                ability = Ability(
                    tuple(Power(power) for power in can["powers"]),
                    can["hours"],
                    tuple(can["networks"]),
                    can["in_part"],
                    can["witness"],
                    tuple(can["but"]),
                )
                yield Effect(
                    value["party"] or value["who"], value["account"]["id"], tuple(value["resources"]), gains, ability
                )


def _summed_up(outcome: Mapping[str, Any]) -> bool:
    """Whether there was too much to tell all of it exactly."""
    told = (can for value in outcome["shifts"] for can in (*value["gained"], *value["lost"]))
    return bool(outcome["more_shifts"]) or any(can["in_part"] or can["witness"] for can in told)


def _names(outcome: Mapping[str, Any]) -> dict[tuple[str, str], Mapping[str, Any]]:
    return {(value["party"] or value["who"], value["account"]["id"]): value for value in outcome["shifts"]}


def _told(effect: Effect, known: Mapping[tuple[str, str], Mapping[str, Any]]) -> ComparedLine:
    which = "gained" if effect.gains else "lost"
    shift = {**known[effect.who, effect.account], "resources": list(effect.resources), which: [asdict(effect.ability)]}
    verb = "loses" if not effect.gains else "from outside, gains" if shift["outside"] else "gains"
    return ComparedLine("gain" if effect.gains else "loss", proposals.shift_said(shift, which, verb), shift["outside"])


def _lines(outcome: Mapping[str, Any]) -> Iterable[ComparedLine]:
    """What is told in words already."""
    for text in outcome["limits"]:
        yield ComparedLine("limit", text)
    for kind, word in (("raised", "Raises"), ("cleared", "Clears")):
        for flag in outcome[f"flags_{kind}"]:
            yield ComparedLine(kind, f"{word}: {flag['reason']}")
    for flag in outcome["flags_changed"]:
        yield ComparedLine("severity", f"{flag['reason']} It is {flag['severity']} then.")
    for risk in outcome["risks"]:
        yield ComparedLine("risk", f"Risk of {risk['about']}: {risk['before']} → {risk['after']}")
    for text in outcome["policy"]:
        yield ComparedLine("policy", f"Policy: {text}")
