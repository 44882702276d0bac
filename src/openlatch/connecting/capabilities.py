"""The parts of a connector, one for each thing that a provider may be able to do, with what holds where it cannot."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import ClassVar

from openlatch.connecting.settings import unable
from openlatch.core.model import Abilities
from openlatch.core.providers.meaning import Words
from openlatch.core.providers.observation import Observation, merged
from openlatch.core.providers.ports import About, Answer, Change, Found, Gift, Page
from openlatch.errors import Invalid
from openlatch.words import Power, ReadingOutcome

__all__ = ["VERSION", "Changes", "Ends", "Finds", "Gives", "HasTeams", "Reads", "of_party", "refusing"]

VERSION = 1
"""The version of this interface. A connector that is made for another one is not loaded."""


class Reads(ABC):
    """A connector that shows what there is; all that it does not do besides is refused, and nothing is sent.

    The constructor takes the settings and the secret that the holder entered, and raises Invalid for a wrong one.
    """

    made_for: ClassVar[int]
    """the version of this interface that the connector is made for"""
    about: ClassVar[About]
    """what it speaks, and what it has to be told; other settings are refused"""
    words: ClassVar[Words] = {}
    """what the protocol's own levels and permissions mean; empty where the provider states powers itself"""
    levels: ClassVar[Mapping[str, tuple[Power, ...]]] = {}
    """levels that the protocol itself has, with what each gives; empty where every provider has its own"""

    @abstractmethod
    def abilities(self) -> Abilities:
        """Return what can be done at this provider. Nothing is asked of a connector that this does not promise."""

    @abstractmethod
    def pages(self) -> Iterator[Page]:
        """Read everything; what was yielded before an exception is a partial reading, and ends nothing."""

    def look(self, party: str) -> Observation:
        """Read what one party, by the provider's key, has now. Replace this where less than all can be asked for."""
        parts = (
            Observation(ReadingOutcome.COMPLETE, page.accounts, page.parties, page.entries, page.memberships)
            for page in self.pages()
        )
        return of_party(merged(parts), party)

    def end(self, entry: str, party: str, idempotency_key: str) -> Answer:
        """Refused: this connector ends nothing."""
        raise unable(entry, "end")

    def change(self, entry: str, party: str, change: Change, idempotency_key: str) -> Answer:
        """Refused: this connector changes nothing."""
        raise unable(entry, "change")

    def find(self, text: str) -> Found:
        """Nobody: this connector does not know whom its provider knows."""
        return Found()

    def give(self, party: str, gift: Gift, idempotency_key: str) -> Answer:
        """Refused: this connector gives nothing."""
        raise unable(f"{gift.level} on {gift.account}", "give")

    def set_member(self, team: str, member: str, idempotency_key: str, *, belongs: bool) -> Answer:
        """Refused: this connector changes no teams."""
        raise unable(f"the members of {team}", "change")


class Ends(Reads):
    """A connector that ends what it shows."""

    @abstractmethod
    def end(self, entry: str, party: str, idempotency_key: str) -> Answer:
        """End one entry, by its key; called again with the same idempotency key, it has no second effect."""


class Changes(Reads):
    """A connector that narrows, pauses, dates or widens what it shows, as far as its abilities say."""

    @abstractmethod
    def change(self, entry: str, party: str, change: Change, idempotency_key: str) -> Answer:
        """Change one entry, as far as `abilities` say that this is possible; repeated like `end`."""


class Gives(Reads):
    """A connector that lets somebody in, or in again."""

    @abstractmethod
    def give(self, party: str, gift: Gift, idempotency_key: str) -> Answer:
        """Give a party access, as far as `abilities` say that this is possible; repeated like `end`."""


class Finds(Reads):
    """A connector that knows whom its provider knows."""

    @abstractmethod
    def find(self, text: str) -> Found:
        """Return whom the provider knows by an address or a handle, and what would keep them from being let in."""


class HasTeams(Reads):
    """A connector that adds members to teams and removes them."""

    @abstractmethod
    def set_member(self, team: str, member: str, idempotency_key: str, *, belongs: bool) -> Answer:
        """Have a party be in a team, or not, as far as `abilities` say that this is possible; repeated like `end`."""


def refusing(name: str, made_for: int | None) -> type[Reads]:
    """Return a connector in the place of one that is made for another version: it says so, and takes no provider."""
    version = f"version {made_for}" if made_for else "no version"
    why = f"is made for {version} of the interface for connectors, and this Open Latch has {VERSION}"

    class Refusing(Reads):
        """Nothing of it can be used."""

        made_for = VERSION
        about = About(f"nothing here: it {why}", (), "")

        def __init__(self, settings: Mapping[str, str], secret: str) -> None:
            raise Invalid(
                f"The connector “{name}” {why}. Nothing was added.",
                next_step=f"Install a release of it that is made for version {VERSION}.",
            )

        def abilities(self) -> Abilities:
            return Abilities()

        def pages(self) -> Iterator[Page]:
            yield Page()

    return Refusing


def of_party(seen: Observation, party: str) -> Observation:
    """Return what an observation says of one party, with the teams that it is in."""
    memberships = tuple(m for m in seen.memberships if m.member == party)
    named = {party, *(m.team for m in memberships)}
    return replace(
        seen,
        parties=tuple(p for p in seen.parties if p.key in named),
        entries=tuple(e for e in seen.entries if e.party == party),
        memberships=memberships,
    )
