"""Two parties that are perhaps the same, as two providers show them."""

from __future__ import annotations

from openlatch.core.providers.observation import Observation, ObservedAccount, ObservedEntry, ObservedParty
from openlatch.operations.providers import readings
from openlatch.words import Kind, PartyKind, Power, ReadingOutcome
from tests.harness.ridge import Ridge

PLACES = (("Ticket Desk", "Gate", "d"), ("Plate Archive", "Night-Sky Plates", "s"))


def twins(ridge: Ridge, name: str) -> tuple[str, str]:
    """Read someone at two providers, with one address that nobody has confirmed; returns the two short forms.

    Ticket Desk knows the first as NAME-d, and Plate Archive the second as NAME-s.
    """
    texts = []
    for provider, account, suffix in PLACES:
        key = f"{name}-{suffix}"
        with ridge.call() as call:
            at = call.tx.providers.find(provider)
            there = next(each_account for each_account in call.tx.accounts.of(at.id) if each_account.name == account)
            party = ObservedParty(key, PartyKind.PERSON, f"{name.title()} Rell", (f"{name}@northcape-uni.example",))
            entry = ObservedEntry(f"{account}:{key}", there.key, key, Kind.DELEGATE, "guide", (Power.VIEW,))
            accounts = (ObservedAccount(there.key, there.name, locked=there.locked),)
            seen = Observation(ReadingOutcome.PARTIAL, accounts, (party,), (entry,))
            (new,) = readings.apply(call, at.id, seen, evidence="a reading").new_parties
            texts.append(new.ref)
    return texts[0], texts[1]
