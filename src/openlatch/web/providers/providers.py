"""Providers, and asking for a reading of one."""

from __future__ import annotations

from collections.abc import Sequence

from openlatch.operations.call import Call
from openlatch.operations.inventory import by_hand
from openlatch.operations.providers import levels, providers, readings, removal
from openlatch.operations.providers.lookups import Findings, Lookup
from openlatch.operations.providers.providers import ProviderSight
from openlatch.web.api import Answer, Routes, Stream
from openlatch.web.files import CONTENT_TYPES, cells, kept
from openlatch.web.filled import filled
from openlatch.web.inventory.entry_render import entry_of
from openlatch.web.providers.render import connector_of, level_of, provider_of, reading_of, version_of
from openlatch.wire import messages as wire
from openlatch.words import Power

__all__ = ["routes"]

routes = Routes()


def _tried(call: Call, provider: str, body: wire.ProviderWish) -> Sequence[Lookup]:
    return providers.to_be_tried(call, provider, body)


@routes.route("GET", "/providers", query=wire.ProviderFilter, returns=wire.ProviderList)
def list_providers(call: Call, query: wire.ProviderFilter) -> wire.ProviderList:
    """All providers that a filter leaves, and how fresh what is known of each is."""
    return wire.ProviderList(items=[provider_of(sight, call.now) for sight in providers.browse(call, query)])


@routes.route("GET", "/providers/export", query=wire.ProviderExport, files=CONTENT_TYPES, streams=True)
def export_providers(call: Call, query: wire.ProviderExport) -> Stream:
    """Every provider that a filter leaves, as a file: CSV or JSON Lines, sent while it is read; or a spreadsheet."""
    listed = (provider_of(sight, call.now) for sight in providers.browse(call, query))
    return kept("providers", query, wire.Provider, listed, call.tx.workspace.zone)


@routes.route("GET", "/connectors", returns=wire.ConnectorList)
def list_connectors(call: Call) -> wire.ConnectorList:
    """The connectors that are installed, each with the settings that it takes."""
    abouts = providers.connectors(call)
    return wire.ConnectorList(items=[connector_of(name, about) for name, about in abouts.items()])


@routes.route("GET", "/providers/<provider>", returns=wire.Provider)
def get_provider(call: Call, provider: str) -> wire.Provider:
    """One provider, by id, short form or name."""
    return provider_of(providers.show(call, provider), call.now)


@routes.route("POST", "/providers", body=wire.NewProvider, returns=wire.Provider, status=201)
def add_provider(call: Call, body: wire.NewProvider) -> wire.Provider:
    """Add a provider, which is read at once for the first time."""
    added = providers.add(call, body)
    return provider_of(ProviderSight(added), call.now)


@routes.route("PUT", "/providers/<provider>", body=wire.ProviderWish, returns=wire.Provider, asks=_tried)
def change_provider(call: Call, provider: str, body: wire.ProviderWish, findings: Findings) -> wire.Provider:
    """Change a provider's name, how it is reached, or how often it is read; a new address or secret is tried first."""
    return provider_of(providers.change(call, provider, body, findings), call.now)


@routes.route("POST", "/providers/<provider>/pause", returns=wire.Provider)
def pause_provider(call: Call, provider: str) -> wire.Provider:
    """Pause the readings of a provider."""
    return provider_of(providers.pause(call, provider), call.now)


@routes.route("POST", "/providers/<provider>/resume", returns=wire.Provider)
def resume_provider(call: Call, provider: str) -> wire.Provider:
    """Resume the readings of a provider."""
    return provider_of(providers.resume(call, provider), call.now)


@routes.route("GET", "/providers/<provider>/versions", returns=wire.ProviderVersionList)
def list_provider_versions(call: Call, provider: str) -> wire.ProviderVersionList:
    """How a provider was reached, the latest first; to go back, change the provider to the settings of one of them."""
    every = providers.versions(call, provider)
    pairs = zip(every, [*every[1:], None], strict=True)
    return wire.ProviderVersionList(items=[version_of(*pair, present=pair[0] is every[0]) for pair in pairs])


@routes.route("GET", "/providers/<provider>/removal", returns=wire.ProviderRemoval)
def plan_provider_removal(call: Call, provider: str) -> wire.ProviderRemoval:
    """What removing a provider would do, and what prevents it; changes nothing."""
    return filled(wire.ProviderRemoval, removal.plan(call, provider))


@routes.route("DELETE", "/providers/<provider>", query=wire.ProviderRemovalWish, returns=wire.ProviderRemoval)
def remove_provider(call: Call, provider: str, query: wire.ProviderRemovalWish) -> wire.ProviderRemoval:
    """Remove a provider: it is no longer read, and its entries stay as history; nothing is ended at the provider."""
    return filled(wire.ProviderRemoval, removal.remove(call, provider, query.entries))


@routes.route("POST", "/providers/<provider>/breaches", body=wire.BreachReport, returns=wire.Provider)
def report_breach(call: Call, provider: str, body: wire.BreachReport) -> wire.Provider:
    """Record that a provider has reported a breach; reviews that wait for one open a round about it."""
    return provider_of(providers.report_breach(call, provider, body.since, body.what), call.now)


@routes.route("POST", "/providers/<provider>/entries", body=wire.KeptEntry, returns=wire.Entry)
def keep_entry(call: Call, provider: str, body: wire.KeptEntry) -> wire.Entry:
    """Keep an entry of this provider by hand, or correct it; whoever does so vouches for it."""
    return entry_of(by_hand.keep(call, provider, cells(body), somebody_else=body.somebody_else))


@routes.route("GET", "/providers/<provider>/levels", returns=wire.LevelList)
def list_levels(call: Call, provider: str) -> wire.LevelList:
    """The levels and permissions of a provider, and what they mean in plain powers."""
    return wire.LevelList(items=[level_of(word) for word in levels.browse(call, provider)])


@routes.route("PUT", "/providers/<provider>/levels", body=wire.LevelCorrection, returns=wire.LevelList)
def correct_level(call: Call, provider: str, body: wire.LevelCorrection) -> wire.LevelList:
    """Correct what a level or permission means; every entry that has it changes at once."""
    powers = None if body.powers is None else tuple(Power(p) for p in body.powers)
    return wire.LevelList(items=[level_of(word) for word in levels.correct(call, provider, body.word, powers)])


@routes.route("POST", "/providers/<provider>/readings", query=wire.ReadingWish, returns=wire.Reading, status=202)
def start_reading(call: Call, provider: str, query: wire.ReadingWish) -> Answer:
    """Read a provider now; 200 with the reading in progress if there is one."""
    reading, new = readings.start(call, provider, accept_loss=query.accept_loss)
    return Answer(reading_of(reading), 202 if new else 200)
