"""What is sent to find, end, change or give access, and what an answer means."""

from __future__ import annotations

import re
from collections.abc import Mapping
from datetime import UTC, datetime, timedelta
from typing import Any
from urllib.parse import parse_qsl
from zoneinfo import ZoneInfo

import uritemplate

from openlatch.core.providers.described.shapes import (
    EPOCH,
    SLOT,
    Act,
    Described,
    Fault,
    Finding,
    Rule,
    Sent,
)
from openlatch.core.providers.described.values import needed, plain, text_of
from openlatch.core.providers.ports import Answer, Change, Found, Gift, Hindrance
from openlatch.words import Kind

__all__ = [
    "acts_on",
    "answered",
    "changed",
    "ended",
    "found_in",
    "given",
    "gives",
    "gives_until",
    "member_set",
    "searched",
]


def acts_on(described: Described, do: str) -> frozenset[Kind]:
    """Return the kinds of entry for which an act is described: for each rule of the kind, or it is none."""
    able = {act.of for act in described.acts if act.do == do}
    rules = [rule for rule in described.rules if rule.makes == "entry"]
    return frozenset(
        kind for kind in {rule.kind for rule in rules} if all(rule.name in able for rule in rules if rule.kind is kind)
    )


def ended(described: Described, entry: str, party: str) -> tuple[Act, Sent] | None:
    """Return the request that ends an entry, and the act that it is; None where none is described."""
    return _asked(described, "end", entry, {"party": party})


def changed(described: Described, entry: str, party: str, change: Change) -> list[tuple[Act, Sent]] | None:
    """Return the requests that make a change, in their order; None where one of them is not described."""
    wanted: list[tuple[str, dict[str, Any]]] = []
    if change.level:
        wanted.append(("level", {"level": change.level}))
    if change.paused is not None:
        wanted.append(("pause" if change.paused else "resume", {}))
    if change.ends_at is not None or "end" in change.lifts:
        wanted.append(("date", {"until": change.ends_at}))
    asked = [_asked(described, do, entry, {"party": party, **more}) for do, more in wanted]
    whole = change.resources is None and change.hours is None and set(change.lifts) <= {"end"}
    found = [one for one in asked if one is not None]
    return found if whole and found and len(found) == len(asked) else None


def gives(described: Described) -> frozenset[Kind]:
    """Return the kinds of entry that a party can be given."""
    return frozenset(rule.kind for rule in described.rules if rule.makes == "entry" and _act(described, "give", rule))


def gives_until(described: Described) -> frozenset[Kind]:
    """Return the kinds of entry that a party can be given with an end."""
    rules = [rule for rule in described.rules if rule.makes == "entry"]
    acts = [(rule.kind, _act(described, "give", rule)) for rule in rules]
    return frozenset(kind for kind, act in acts if act is not None and "until" in act.names)


def searched(finding: Finding, text: str) -> str:
    """Return the address that finds somebody, relative to the provider's."""
    return str(uritemplate.expand(finding.url, {"who": text}))


def found_in(finding: Finding, document: Any) -> Found:
    """Return whom an answer names, and what keeps them from being let in."""
    line = document if isinstance(document, dict) else {}
    listed = finding.hindrances.first(line) if finding.hindrances else None
    if listed is not None and not (isinstance(listed, list) and all(isinstance(one, dict) for one in listed)):
        raise Fault(finding.part, f"{finding.hindrances} is no list of objects")
    hindrances = tuple(
        Hindrance(needed(finding.hindrance, one, finding.part, "hindrance"), text_of(finding.reason, one))
        for one in listed or ()
    )
    return Found(text_of(finding.key, line), text_of(finding.name, line) if finding.name else "", hindrances)


def given(described: Described, party: str, gift: Gift) -> tuple[Act, Sent] | None:
    """Return the request that gives a party access; None where none is described that could say all of it."""
    rules = [rule for rule in described.rules if rule.makes == "entry" and rule.kind is gift.kind]
    act = next((act for rule in rules if (act := _act(described, "give", rule))), None)
    said = {"level": gift.level, "until": gift.ends_at}
    unsaid = gift.permissions or gift.resources or gift.hours is not None
    if act is None or unsaid or any(value and name not in act.names for name, value in said.items()):
        return None
    return act, _sent(act, {"party": party, "account": gift.account, **said})


def member_set(described: Described, team: str, member: str, *, belongs: bool) -> tuple[Act, Sent] | None:
    """Return the request that has a party be in a team, or not; None where none is described."""
    rules = [rule for rule in described.rules if rule.makes == "membership"]
    act = next((act for rule in rules if (act := _act(described, "join" if belongs else "leave", rule))), None)
    return None if act is None else (act, _sent(act, {"team": team, "member": member}))


def _act(described: Described, do: str, rule: Rule) -> Act | None:
    return next((act for act in described.acts if act.do == do and act.of == rule.name), None)


def _asked(described: Described, do: str, entry: str, more: Mapping[str, Any]) -> tuple[Act, Sent] | None:
    rule = described.rule_of(entry)
    act = _act(described, do, rule) if rule else None
    if act is None:
        return None
    return act, _sent(act, {**more, **dict(parse_qsl(entry.partition(":")[2], keep_blank_values=True))})


def _sent(act: Act, known: Mapping[str, Any]) -> Sent:
    """The request of an act, with what is known in the places of its slots."""
    values = dict(known)
    if values.get("level"):
        values["level"] = act.level_as.get(values["level"], values["level"])
    if "until" in values:
        values["until"] = _until(act, values["until"])
    return Sent(act.method, str(uritemplate.expand(act.url, values)), _filled(act.body, values))


def _until(act: Act, at: datetime | None) -> str | int:
    """The end of an access as the request wants it; empty for none."""
    if at is None:
        return ""
    if act.until_as in EPOCH:
        return int(at.timestamp() * EPOCH[act.until_as])
    if act.until_as == "instant":
        return at.astimezone(UTC).isoformat()
    # An end in the middle of a day is one at its beginning: nobody is let in for longer than was meant.
    day = at.astimezone(ZoneInfo(act.zone)).date() - timedelta(days=act.until_as == "last-day")
    return day.isoformat()


def _filled(body: Any, known: Mapping[str, Any]) -> Any:
    """A body with what is known in the places of its slots; a text that is one slot alone and empty is null.

    One that is to be a number is one, where it can be.
    """
    if isinstance(body, Mapping):
        return {name: _filled(value, known) for name, value in body.items()}
    if isinstance(body, list):
        return [_filled(value, known) for value in body]
    if not isinstance(body, str):
        return body
    whole = SLOT.fullmatch(body)
    if whole:
        value = known.get(whole[1])
        if whole[2] and isinstance(value, str) and re.fullmatch(r"-?\d{1,18}", value, re.ASCII):
            return int(value)
        return None if value == "" else value
    return SLOT.sub(lambda slot: str(known.get(slot[1], "")), body)


def answered(act: Act, status: int, document: Any) -> Answer | str | None:
    """Return what an answer means: that it is done, why it is refused, or None where the description says nothing."""
    words = " ".join(plain(act.says.first(document)).split())[:200] if act.says and document else ""
    said = f"{act.method} was answered with {status}" + (f": “{words}”" if words else "")
    if status in act.gone:
        return Answer(said, already=True)
    if status in act.done or status in act.later:
        return Answer(said, later=status in act.later)
    return said if status in act.refused else None
