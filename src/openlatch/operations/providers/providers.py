"""Providers: which outside services are read, and how fresh what is known of them is."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from datetime import date
from urllib.parse import urlencode

from openlatch.core.model import Provider, Reading
from openlatch.core.providers.ports import About
from openlatch.core.telling.notices import Notice
from openlatch.errors import Invalid, NotFound
from openlatch.operations.call import Call, operation
from openlatch.operations.people.sight import within_sight
from openlatch.operations.telling import notices
from openlatch.wire.providers.providers import NewProvider

__all__ = ["ProviderSight", "add", "browse", "report_breach", "show"]


@dataclass(frozen=True, slots=True)
class ProviderSight:
    """A provider with its latest reading; `worn_off` counts entries that nobody has vouched for lately."""

    provider: Provider
    latest: Reading | None = None
    worn_off: int = 0


@operation("providers.browse")
def browse(call: Call) -> tuple[ProviderSight, ...]:
    """Every provider, and how fresh what is known of it is; a member sees those at which they have access."""
    return _sights(call, call.tx.providers.all())


@operation("providers.show")
def show(call: Call, text: str) -> ProviderSight:
    """One provider, by id, short form or name; a member sees those at which they have access."""
    found = _sights(call, [call.tx.providers.find(text)])
    if not found:
        raise NotFound(
            f"There is no provider “{text}” at which you have access.",
            next_step="Look at your own: openlatch inventory",
        )
    return found[0]


def _sights(call: Call, providers: Iterable[Provider]) -> tuple[ProviderSight, ...]:
    own = within_sight(call)
    if own is not None:
        there = {entry.provider_id for entry in call.tx.entries.held_by([own])}
        # How it is reached and read is the holder's matter.
        return tuple(ProviderSight(replace(p, settings={})) for p in providers if p.id in there)
    latest, worn_off = call.tx.readings.latest(), call.tx.entries.worn_off(call.now)
    return tuple(ProviderSight(p, latest.get(p.id), worn_off.get(p.id, 0)) for p in providers)


@operation("providers.connectors")
def connectors(call: Call) -> Mapping[str, About]:
    """The connectors that are installed, by name, each with what it has to be told."""
    return {name: connector.about for name, connector in sorted(call.services.connectors.items())}


@operation("providers.report_breach")
def report_breach(call: Call, text: str, since: date, what: str) -> ProviderSight:
    """Keep that a provider has reported a breach, and since when; reviews that wait for one open a round about it."""
    provider = call.tx.providers.find(text)
    if since > call.now.date():
        raise Invalid(
            f"{since.isoformat()} is still to come. Nothing was changed.",
            next_step="Give the first day on which others may have been in.",
            errors=[{"at": "since", "problem": "in the future"}],
        )
    call.log(
        "provider.breach-reported", "provider", provider.id, name=provider.name, since=since.isoformat(), what=what
    )
    news = Notice(
        f"breach:{provider.id}:{call.services.new_id()}",
        f"{provider.name} has reported a breach, since {since.isoformat()}",
        f"{what}\nSecrets that were told there may be known to others: have them changed, and close open sessions.",
        "/inventory?" + urlencode({"provider": provider.name}),
    )
    notices.tell(call, notices.managers(call), news)
    return show(call, text)


@operation("providers.add")
def add(call: Call, new: NewProvider) -> Provider:
    """Add a provider; it is read for the first time at once. Wrong settings change nothing.

    With the connector `by-hand` there is nothing to read: its entries are kept by people.
    """
    provider = Provider(
        id=call.services.new_id(),
        name=new.name,
        connector=new.connector,
        settings=new.settings,
        read_every=new.read_every,
        stale_after=new.stale_after,
        most_gone=new.most_gone,
        vouch_days=new.vouch_days,
    )
    if provider.by_hand and (new.settings or new.secret):
        raise Invalid(
            "A provider that is kept by hand has neither settings nor a secret. Nothing was added.",
            next_step="Leave both out.",
            errors=[{"at": "settings", "problem": "not for a provider kept by hand"}],
        )
    if not provider.by_hand:
        call.services.connector(new.connector, new.settings, new.secret)
        provider = replace(provider, next_reading=call.now)
    call.tx.providers.add(provider, call.services.vault.close(new.secret))
    call.log("provider.added", "provider", provider.id, **new.model_dump(include={"name", "connector", "settings"}))
    return provider
