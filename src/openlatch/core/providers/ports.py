"""What the core's decisions need of the outside: the interface that every connector fulfils."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import ClassVar, Protocol

from openlatch.core.hours import Hours
from openlatch.core.model import Abilities
from openlatch.core.providers.meaning import Words
from openlatch.core.providers.observation import (
    Observation,
    ObservedAccount,
    ObservedActivity,
    ObservedEntry,
    ObservedMembership,
    ObservedParty,
)
from openlatch.core.providers.sharing import Document
from openlatch.core.telling.notices import Letter
from openlatch.words import Kind, Power

__all__ = ["About", "Answer", "Change", "Connector", "Found", "Gift", "Herald", "Hindrance", "Page", "Post", "Setting"]


@dataclass(frozen=True, slots=True)
class Page:
    """A part of a reading; `total` is the number of entries the provider announces, if it does.

    `cursor` is from where the reading can go on after it, in words of the connector; empty if it cannot.
    """

    accounts: tuple[ObservedAccount, ...] = ()
    parties: tuple[ObservedParty, ...] = ()
    entries: tuple[ObservedEntry, ...] = ()
    memberships: tuple[ObservedMembership, ...] = ()
    documents: tuple[Document, ...] = ()
    activity: tuple[ObservedActivity, ...] = ()
    total: int | None = None
    cursor: str = ""


@dataclass(frozen=True, slots=True)
class Answer:
    """What a provider said to a call: `already` when there was nothing left to do, `later` when that takes a while."""

    said: str
    already: bool = False
    later: bool = False


@dataclass(frozen=True, slots=True)
class Change:
    """What an entry is to be from then on; what is left out stays. With `wider` it may give more than before.

    `resources` that are empty are the whole account. `lifts` are limits that are taken away: end, hours.
    """

    level: str = ""
    resources: tuple[str, ...] | None = None
    ends_at: datetime | None = None
    paused: bool | None = None
    wider: bool = False
    hours: Hours | None = None
    lifts: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Gift:
    """Access that a party is to be given to an account, known to the provider by `account`.

    `again` is the provider's key of the entry by which the party had the same before.
    """

    account: str
    kind: Kind
    level: str
    permissions: tuple[str, ...] = ()
    resources: tuple[str, ...] = ()
    ends_at: datetime | None = None
    again: str = ""
    hours: Hours | None = None


@dataclass(frozen=True, slots=True)
class Hindrance:
    """Why a provider would not let someone be given access, and what would help; `kind` is stable."""

    kind: str
    text: str


@dataclass(frozen=True, slots=True)
class Found:
    """Whom a provider knows by an address or a handle; `key` is empty where it knows nobody by that.

    With hindrances, nothing can be given to them as things stand.
    """

    key: str = ""
    name: str = ""
    hindrances: tuple[Hindrance, ...] = ()


@dataclass(frozen=True, slots=True)
class Setting:
    """A setting that a connector takes: what it is, in a few words, and whether it can be left out.

    Where another value of it would have the secret sent somewhere else, it `leads`: such a change needs the secret too.
    What has `lines` is a text of several lines.
    """

    name: str
    what: str
    needed: bool = True
    leads: bool = field(default=True, kw_only=True)
    lines: bool = field(default=False, kw_only=True)


@dataclass(frozen=True, slots=True)
class About:
    """A connector as people read about it: what it speaks, its settings, and what its secret is."""

    speaks: str
    settings: tuple[Setting, ...]
    secret: str


class Connector(Protocol):
    """One provider, spoken to in its own protocol.

    Every method may raise ProviderDown (asking again may help), ProviderRefused (it will not) or
    ProviderUnreadable (the answer cannot be trusted); none of them leaves anything half done on our side.
    """

    about: ClassVar[About]
    """what it speaks, and what it has to be told; other settings are refused"""
    words: ClassVar[Words]
    """what the protocol's own levels and permissions mean; empty where the provider states powers itself"""

    levels: ClassVar[Mapping[str, tuple[Power, ...]]]
    """levels that the protocol itself has, with what each gives; empty where every provider has its own"""

    def __init__(self, settings: Mapping[str, str], secret: str) -> None:
        """Take the settings and the secret that the holder entered; a wrong one raises Invalid."""

    def abilities(self) -> Abilities:
        """Return what can be done at this provider."""

    def pages(self, cursor: str = "", before: Sequence[Page] = ()) -> Iterator[Page]:
        """Read everything; what was yielded before an exception is a partial reading.

        With a `cursor`, only what comes after the page that had it; `before` are that page and all that came before
        it. Only asked for if a page of it had one, so that a connector whose pages have none need not take them.
        """

    def look(self, party: str) -> Observation:
        """Read what one party, by the provider's key, has now; always complete or an exception."""

    def end(self, entry: str, party: str, idempotency_key: str) -> Answer:
        """End one entry; called again with the same idempotency key, it has no second effect."""

    def change(self, entry: str, party: str, change: Change, idempotency_key: str) -> Answer:
        """Change one entry, as far as `abilities` say that this is possible; repeated like `end`."""

    def find(self, text: str) -> Found:
        """Return whom the provider knows by an address or a handle, and what would keep them from being let in."""

    def give(self, party: str, gift: Gift, idempotency_key: str) -> Answer:
        """Give a party access, as far as `abilities` say that this is possible; repeated like `end`."""

    def set_member(self, team: str, member: str, idempotency_key: str, *, belongs: bool) -> Answer:
        """Have a party be in a team, or not, as far as `abilities` say that this is possible; repeated like `end`."""


class Herald(Protocol):
    """What tells other programs of events."""

    def post(self, url: str, body: bytes, headers: Mapping[str, str]) -> None:
        """Send a POST; raises ProviderDown if it was not taken."""


class Post(Protocol):
    """What carries letters to people."""

    def send(self, letter: Letter) -> None:
        """Hand a letter over; raises ProviderDown if asking again may help, and ProviderRefused if it will not."""

    def leave(self) -> None:
        """Let go of what was held open for the next letter, once there is none."""
