"""Providers: which outside services are read, and how fresh what is known of them is."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

from openlatch.core.model import Provider, Reading
from openlatch.core.ports import About
from openlatch.errors import Invalid
from openlatch.operations.gate import Call, operation

__all__ = ["ProviderSight", "add", "browse", "show"]


@dataclass(frozen=True, slots=True)
class ProviderSight:
    """A provider with its latest reading; `worn_off` counts entries that nobody has vouched for lately."""

    provider: Provider
    latest: Reading | None = None
    worn_off: int = 0


@operation("providers.browse")
def browse(call: Call) -> tuple[ProviderSight, ...]:
    """Every provider, and how fresh what is known of it is."""
    return _sights(call, call.tx.providers.all())


@operation("providers.show")
def show(call: Call, text: str) -> ProviderSight:
    """One provider, by id, short form or name."""
    return _sights(call, [call.tx.providers.find(text)])[0]


def _sights(call: Call, providers: Iterable[Provider]) -> tuple[ProviderSight, ...]:
    latest, worn_off = call.tx.readings.latest(), call.tx.entries.worn_off(call.now)
    return tuple(ProviderSight(p, latest.get(p.id), worn_off.get(p.id, 0)) for p in providers)


@operation("providers.connectors")
def connectors(call: Call) -> Mapping[str, About]:
    """The connectors that are installed, by name, each with what it has to be told."""
    return {name: connector.about for name, connector in sorted(call.services.connectors.items())}


@operation("providers.add")
def add(
    call: Call,
    name: str,
    connector: str,
    settings: Mapping[str, str],
    secret: str,
    read_every: int,
    stale_after: int,
    most_gone: int,
    vouch_days: int,
) -> Provider:
    """Add a provider; it is read for the first time at once. Wrong settings change nothing.

    With the connector `by-hand` there is nothing to read: its entries are kept by people.
    """
    provider = Provider(
        call.services.new_id(), name, connector, settings, read_every, stale_after, most_gone, vouch_days
    )
    if provider.by_hand and (settings or secret):
        raise Invalid(
            "A provider that is kept by hand has neither settings nor a secret. Nothing was added.",
            next_step="Leave both out.",
            errors=[{"at": "settings", "problem": "not for a provider kept by hand"}],
        )
    if not provider.by_hand:
        call.services.connector(connector, settings, secret)
        provider = replace(provider, next_reading=call.now)
    call.tx.providers.add(provider, call.services.vault.close(secret))
    call.log("provider.added", "provider", provider.id, name=name, connector=connector, settings=dict(settings))
    return provider
