"""What a connector is made of: the public interface for connectors that others write, version 1.

A connector takes `Reads` and, of the other parts, those that its provider can do: `Ends`, `Changes`, `Gives`, `Finds`,
`HasTeams`. What it leaves out is refused in words that say so. It says for which version it is made by `made_for = 1`;
that version stays as it is, and a connector that is made for one that is not known is refused with a sentence.

`openlatch.connecting.http` has what calls an HTTP interface with the manners of the product, and
`openlatch.connecting.conformance` the tests that every connector has to pass.
"""

from openlatch.connecting.capabilities import VERSION, Changes, Ends, Finds, Gives, HasTeams, Reads
from openlatch.connecting.settings import checked, port_of, unable, wrong
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
from openlatch.core.providers.ports import About, Answer, Change, Found, Gift, Hindrance, Page, Setting
from openlatch.errors import Invalid, ProviderDown, ProviderRefused, ProviderUnreadable
from openlatch.words import Criticality, Kind, PartyKind, PartyStatus, Power, ReadingOutcome, State

__all__ = [
    "VERSION",
    "Abilities",
    "About",
    "Answer",
    "Change",
    "Changes",
    "Criticality",
    "Ends",
    "Finds",
    "Found",
    "Gift",
    "Gives",
    "HasTeams",
    "Hindrance",
    "Hours",
    "Invalid",
    "Kind",
    "Observation",
    "ObservedAccount",
    "ObservedActivity",
    "ObservedEntry",
    "ObservedMembership",
    "ObservedParty",
    "Page",
    "PartyKind",
    "PartyStatus",
    "Power",
    "ProviderDown",
    "ProviderRefused",
    "ProviderUnreadable",
    "ReadingOutcome",
    "Reads",
    "Setting",
    "State",
    "Words",
    "checked",
    "port_of",
    "unable",
    "wrong",
]
