"""Providers: which outside services are read, and how fresh what is known of them is."""

from __future__ import annotations

from collections.abc import Mapping

from openlatch.core.model import Provider, Reading
from openlatch.operations.gate import Call, operation

__all__ = ["add", "browse", "show"]


@operation("providers.browse")
def browse(call: Call) -> tuple[tuple[Provider, Reading | None], ...]:
    """Every provider, with its latest reading."""
    latest = call.tx.readings.latest()
    return tuple((provider, latest.get(provider.id)) for provider in call.tx.providers.all())


@operation("providers.show")
def show(call: Call, text: str) -> tuple[Provider, Reading | None]:
    """One provider, by id, short form or name, with its latest reading."""
    provider = call.tx.providers.find(text)
    return provider, call.tx.readings.latest().get(provider.id)


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
) -> Provider:
    """Add a provider; it is read for the first time at once. Wrong settings change nothing."""
    call.services.connector(connector, settings, secret)
    provider = Provider(
        call.services.new_id(), name, connector, settings, read_every, stale_after, most_gone, next_reading=call.now
    )
    call.tx.providers.add(provider, call.services.vault.close(secret))
    call.log("provider.added", "provider", provider.id, name=name, connector=connector, settings=dict(settings))
    return provider
