"""Providers, readings and levels as messages of the API."""

from __future__ import annotations

from datetime import datetime

from openlatch.core import model
from openlatch.core.providers.ports import About
from openlatch.core.providers.standing import in_trouble
from openlatch.operations.providers.levels import WordSight
from openlatch.operations.providers.providers import ProviderSight
from openlatch.store.providers.versions import ProviderVersion
from openlatch.web.filled import filled
from openlatch.wire import messages as wire
from openlatch.words import Kind

__all__ = ["connector_of", "level_of", "provider_of", "reading_of", "version_of"]


def reading_of(reading: model.Reading) -> wire.Reading:
    return filled(wire.Reading, reading)


def connector_of(name: str, about: About) -> wire.Connector:
    return filled(wire.Connector, about, name=name)


def provider_of(sight: ProviderSight, now: datetime) -> wire.Provider:
    provider, state = sight.provider, sight.state(now)
    more = {"stale": provider.stale(now), "state": state, "trouble": in_trouble(state)}
    return filled(wire.Provider, sight, provider, **more, abilities=_abilities(provider.abilities))


def version_of(
    version: ProviderVersion, before: ProviderVersion | None, *, present: bool = False
) -> wire.ProviderVersion:
    """A version, with which settings it has otherwise than the one before it; none where it is the first."""
    was = {} if before is None else before.settings
    names = sorted({*version.settings, *was})
    changed = [name for name in names if before is not None and version.settings.get(name) != was.get(name)]
    more = {"by": version.by.name, "by_id": version.by.id, "changed": changed, "present": present}
    return filled(wire.ProviderVersion, version, **more)


def _abilities(able: model.Abilities) -> wire.Abilities:
    """Of what is about kinds, the kinds in their order."""
    document = {name: getattr(able, name) for name in wire.Abilities.model_fields}
    kinds = {name: [k for k in Kind if k in those] for name, those in document.items() if isinstance(those, frozenset)}
    return filled(wire.Abilities, able, **kinds)


def level_of(word: WordSight) -> wire.Level:
    return filled(wire.Level, word, kind="level" if word.level else "permission")
