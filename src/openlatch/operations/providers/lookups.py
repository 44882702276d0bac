"""Asking providers before anything is decided, whom they know or whether they answer: outside any transaction."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from uuid import UUID

from openlatch.core.providers.ports import Connector, Found
from openlatch.errors import ProviderTrouble

__all__ = ["Finding", "Findings", "Lookup", "ask"]


@dataclass(frozen=True, slots=True)
class Lookup:
    """Someone to be looked up at a provider, by an address or a handle; with nobody, whether it can be read at all."""

    provider_id: UUID
    connector: Connector
    who: str = ""
    trial: Callable[[], object] | None = None
    """what is done there instead of looking someone up"""


@dataclass(frozen=True, slots=True)
class Finding:
    """What a provider said of someone; with `trouble`, it could not be asked, and why."""

    found: Found = field(default_factory=Found)
    trouble: str = ""
    shown: object = None
    """what came of a trial"""


Findings = Mapping[tuple[UUID, str], Finding]
"""What was found, by the provider and by whom it was asked about."""


def ask(lookups: Iterable[Lookup]) -> Findings:
    """Ask each provider; one that does not answer is no reason to refuse anything, and is told as trouble."""
    findings: dict[tuple[UUID, str], Finding] = {}
    for lookup in lookups:
        try:
            if lookup.trial is not None:
                findings[lookup.provider_id, lookup.who] = Finding(shown=lookup.trial())
                continue
            findings[lookup.provider_id, lookup.who] = Finding(
                lookup.connector.find(lookup.who) if lookup.who else _read(lookup.connector)
            )
        except ProviderTrouble as error:
            findings[lookup.provider_id, lookup.who] = Finding(trouble=error.message)
    return findings


def _read(connector: Connector) -> Found:
    """Read the first page that a provider shows; raises ProviderTrouble if that cannot be done."""
    connector.abilities()
    next(iter(connector.pages()), None)
    return Found()
