"""What plans are made of: actions, what is asked, steps, and the plan as a value."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass, replace
from datetime import datetime, time
from typing import Any
from uuid import UUID

from openlatch.core.hours import Hours
from openlatch.core.model import Entry
from openlatch.core.orders.impact import Consequence, Situation
from openlatch.core.powers import in_order
from openlatch.core.providers.observation import WRITTEN, ObservedEntry
from openlatch.core.providers.ports import Change, Gift
from openlatch.core.record.ledger import canonical
from openlatch.words import Action, Power, State

__all__ = [
    "Ask",
    "Extent",
    "Plan",
    "Step",
    "WayOut",
    "asked",
    "changed",
    "ended",
    "had_step",
    "held_before",
    "key_of",
    "known_as",
    "known_by",
    "read_step",
    "receipt_step",
]


@dataclass(frozen=True, slots=True)
class Ask:
    """What is wanted of an entry; `successor` is the entry of whoever is to be made an administrator first.

    `until` is the instant after the last day. `lifts` are limits that are to be taken away: end, hours, parts.
    """

    action: Action = Action.END
    level: str = ""
    resources: tuple[str, ...] | None = None
    until: datetime | None = None
    successor: UUID | None = None
    hours: Hours | None = None
    lifts: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Extent:
    """How far one access goes: all of it that an order can ask for or has to leave as it is.

    `powers` are those that the provider itself says it gives, None where it does not say.
    """

    level: str
    permissions: tuple[str, ...] = ()
    resources: tuple[str, ...] = ()
    hours: Hours | None = None
    ends_at: datetime | None = None
    state: State = State.LIVE
    powers: tuple[Power, ...] | None = None

    @classmethod
    def of(cls, entry: Entry | ObservedEntry) -> Extent:
        """How far an entry goes; that its end was asked for already makes no difference."""
        powers = entry.stated if isinstance(entry, Entry) else entry.powers
        state = State.LIVE if entry.state is State.ENDING else entry.state
        return cls(
            entry.level,
            permissions=tuple(sorted(entry.permissions)),
            resources=tuple(sorted(entry.resources)),
            hours=entry.hours,
            ends_at=entry.ends_at,
            state=state,
            powers=None if powers is None else in_order(powers),
        )

    def after(self, change: Change) -> Extent:
        """Return what a change makes of it; which permissions go with a new level is the provider's to say."""
        return replace(
            self,
            level=change.level or self.level,
            resources=self.resources if change.resources is None else tuple(sorted(change.resources)),
            hours=None if "hours" in change.lifts else change.hours or self.hours,
            ends_at=None if "end" in change.lifts else change.ends_at or self.ends_at,
            state=self.state if change.paused is None else State.PAUSED if change.paused else State.LIVE,
        )


@dataclass(frozen=True, slots=True)
class Step:
    """One step of a plan, and how it went: `at` is None while it is still to be done.

    `call` is one of change, end, give, add-member and remove-member (the provider is asked), ask (a person is asked),
    consent (whoever has the entry is asked, by a link), withdraw (an offer that was made here), wait, read and receipt.
    `entry`, `party`, `team` and `account` are the provider's own keys. `before` is how far access went before the step,
    by the provider's keys of the entries: of what is changed, as the plan knew it; of what is ended, with all else that
    the party had on that account; and of all that it had when it was given something, as a reading showed it. `found`
    are the keys of the entries by which a reading showed what was given. A reading that is `patient` is made again
    and again for as long as what the provider said yes to may take: such as until a device of theirs connects.
    """

    call: str
    text: str
    entry: str = ""
    party: str = ""
    change: Change | None = None
    gift: Gift | None = None
    until: datetime | None = None
    at: datetime | None = None
    said: str = ""
    account: str = ""
    before: tuple[tuple[str, Extent], ...] = ()
    found: tuple[str, ...] = ()
    patient: bool = False
    team: str = ""
    team_name: str = ""
    """the team as its provider named it when the plan was made: once someone has left it, a look may not show it"""

    @property
    def asks(self) -> bool:
        """Whether the provider, or a person at it, is asked to do something."""
        return self.call in ("change", "end", "give", "ask", Action.ADD_MEMBER, Action.REMOVE_MEMBER)


@dataclass(frozen=True, slots=True)
class WayOut:
    """Someone who could be made an administrator first, by their entry."""

    entry: str
    name: str
    level: str


@dataclass(frozen=True, slots=True)
class Plan:
    """What is done about one entry: what happens, gravest first, and how it is done.

    With a `stop` it is not carried out; each of `ways_out` would lift it. `subject` is whoever the entry lets in, as
    its provider names them.
    """

    action: str
    entry: str
    subject: str
    consequences: tuple[Consequence, ...]
    steps: tuple[Step, ...]
    stop: str = ""
    ways_out: tuple[WayOut, ...] = ()

    @property
    def digest(self) -> str:
        """64 hex digits that differ whenever anything in the plan differs."""
        return _digest(self._plain())

    def as_dict(self) -> dict[str, Any]:
        plain = self._plain()
        return {**plain, "digest": _digest(plain)}

    def _plain(self) -> dict[str, Any]:
        return asdict(self, dict_factory=_plainly)


def _digest(plain: Mapping[str, Any]) -> str:
    return hashlib.sha256(canonical(plain)).hexdigest()


def _plainly(fields: list[tuple[str, Any]]) -> dict[str, Any]:
    """The fields of a value in a form that JSON has, in one order."""
    sets = {name: sorted(value) for name, value in fields if isinstance(value, frozenset)}
    times = {name: value.isoformat() for name, value in fields if isinstance(value, time)}
    return {**dict(fields), **sets, **times}


def held_before(steps: Iterable[Step], key: str) -> Extent | None:
    """Return how far an entry went before the first of these steps; None if none of them kept it."""
    return next((extent for step in steps for text, extent in step.before if text == key), None)


def receipt_step() -> Step:
    """The last step of every plan."""
    return Step("receipt", "Write the receipt, with what was seen, and seal it into the log.")


def read_step(s: Situation, entry: Entry, why: str) -> Step:
    """A fresh reading of the party of an entry."""
    return Step("read", f"Read {s.provider} again and {why}.", party=key_of(s, entry))


def changed(s: Situation, entry: Entry, change: Change, text: str) -> Step:
    """The provider is asked to change an entry."""
    return Step("change", text, entry.key, key_of(s, entry), change, before=((entry.key, Extent.of(entry)),))


def asked(s: Situation, entry: Entry, text: str, change: Change | None = None) -> Step:
    """A person is asked to end an entry, or to change it."""
    if change is None:
        return replace(ended(s, entry, text), call="ask")
    return replace(changed(s, entry, change, text), call="ask")


def ended(s: Situation, entry: Entry, text: str) -> Step:
    """The provider is asked to end an entry."""
    had = (
        each_entry
        for each_entry in (entry, *s.standing)
        if (each_entry.party_id, each_entry.account_id) == (entry.party_id, s.account.id)
    )
    before = tuple((entry.key, Extent.of(entry)) for entry in had)
    return Step("end", text, entry.key, key_of(s, entry), account=s.account.key, before=before)


def had_step(s: Situation, party: str, who: str) -> Step:
    """A reading of what a party has before it is given something: what is there already proves nothing later."""
    return Step("read", f"Read {s.provider} to see what {who} has there now.", party=party)


def key_of(s: Situation, entry: Entry) -> str:
    """The provider's own key of whoever an entry lets in: the one that it showed with the entry itself."""
    if entry.subject and not entry.subject.startswith(WRITTEN):
        return entry.subject
    return s.keys[entry.party_id]


def known_as(s: Situation, entry: Entry) -> str:
    """Whoever an entry lets in, as its provider names them: with its key, and its name if that says more."""
    key = key_of(s, entry)
    if key == str(entry.party_id):
        return s.holder(entry).name
    return known_by(s.names, key)


def known_by(names: Mapping[str, str], key: str) -> str:
    """Someone as a provider names them, by its names of its keys: with the key, and the name if that says more."""
    name = names.get(key, "")
    return f"{name} ({key})" if name and name.casefold() != key.casefold() else key
