"""Providers: which outside services are read, and how fresh what is known of them is."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime
from typing import Any
from urllib.parse import urlencode

from openlatch.core.model import Provider, Reading
from openlatch.core.phrases import counted, listed
from openlatch.core.providers.ports import About
from openlatch.core.providers.standing import IN_ORDER, in_trouble, standing
from openlatch.core.telling.notices import Notice
from openlatch.errors import Conflict, Invalid, NotFound
from openlatch.operations.call import Call, operation, require
from openlatch.operations.people.sight import within_sight
from openlatch.operations.providers import readings
from openlatch.operations.providers.lookups import Findings, Lookup
from openlatch.operations.telling import notices
from openlatch.store.providers.versions import ProviderVersion
from openlatch.wire.providers.providers import NewProvider, ProviderWish
from openlatch.wire.providers.providers import ProviderFilter as Wanted
from openlatch.words import ProviderOrder, ProviderState

__all__ = [
    "ProviderSight",
    "add",
    "browse",
    "change",
    "pause",
    "report_breach",
    "resume",
    "show",
    "to_be_tried",
    "versions",
]


@dataclass(frozen=True, slots=True)
class ProviderSight:
    """A provider with its latest reading; `worn_off` counts entries that nobody has vouched for lately."""

    provider: Provider
    latest: Reading | None = None
    worn_off: int = 0

    def state(self, now: datetime) -> ProviderState:
        """Return how it stands."""
        return standing(self.provider, self.latest, self.worn_off, now)


@operation("providers.browse")
def browse(call: Call, wanted: Wanted) -> tuple[ProviderSight, ...]:
    """Every provider that is wanted, and how fresh what is known of it is; a member sees those at which they have
    access.
    """
    text = wanted.q.strip().casefold()
    found = [
        sight
        for sight in _sights(call, call.tx.providers.all())
        if text in f"{sight.provider.name} {sight.provider.connector}".casefold()
        and wanted.connector in ("", sight.provider.connector)
        and wanted.trouble in (None, in_trouble(sight.state(call.now)))
    ]
    keys: dict[ProviderOrder, Callable[[ProviderSight], Any]] = {
        ProviderOrder.NAME: lambda _: 0,
        ProviderOrder.TROUBLE: lambda sight: IN_ORDER.index(sight.state(call.now)),
        ProviderOrder.COMPLETE: lambda sight: (
            sight.provider.by_hand,
            sight.provider.last_complete is not None,
            sight.provider.last_complete or call.now,
        ),
        ProviderOrder.ENTRIES: lambda sight: -(sight.latest.seen if sight.latest is not None else 0),
    }
    return tuple(sorted(found, key=lambda sight: (keys[wanted.sort](sight), sight.provider.name.casefold())))


@operation("providers.show")
def show(call: Call, text: str) -> ProviderSight:
    """One provider, by id, short form or name; a member sees those at which they have access."""
    sights = _sights(call, [call.tx.providers.find(text)])
    if not sights:
        raise NotFound(
            f"There is no provider “{text}” at which you have access.",
            next_step="Look at your own: openlatch inventory",
        )
    return sights[0]


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
        f"{what}\nOthers may know the secrets that are used there: have them changed, and close open sessions.",
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
            "A provider that is recorded by hand has neither settings nor a secret. Nothing was added.",
            next_step="Leave both out.",
            errors=[{"at": "settings", "problem": "not for a provider recorded by hand"}],
        )
    if not provider.by_hand:
        call.services.connector(new.connector, new.settings, new.secret)
        provider = replace(provider, next_reading=call.now)
    call.tx.providers.add(provider, call.close(new.secret))
    call.tx.provider_versions.keep(None, provider, call.actor.author, call.now)
    added = {"name": new.name, "connector": new.connector, "settings": _in_the_log(new.settings)}
    call.log("provider.added", "provider", provider.id, **added)
    if not provider.by_hand:
        readings.queue(call, provider)
    return provider


def to_be_tried(call: Call, text: str, wish: ProviderWish) -> Sequence[Lookup]:
    """Return what has to be tried before a provider is reached otherwise: nothing where only its times change."""
    require(call, "providers.change")
    before = call.tx.providers.find(text)
    after = _wished(before, wish)
    if before.by_hand or not _reached_otherwise(wish):
        return ()
    _refuse_to_send_elsewhere(call, before, wish)
    secret = call.open(call.tx.providers.secret(before.id)) if wish.secret is None else wish.secret
    return [Lookup(before.id, call.services.connector(after.connector, after.settings, secret))]


@operation("providers.change")
def change(call: Call, text: str, wish: ProviderWish, findings: Findings) -> ProviderSight:
    """Change how a provider is called, reached and read; what is left out stays.

    Another address or secret is tried before it is kept: where the provider cannot be read by it, nothing is changed.
    """
    before = call.tx.providers.find(text)
    after = _wished(before, wish)
    reached_otherwise = _reached_otherwise(wish)
    if before.by_hand and reached_otherwise:
        raise Invalid(
            "A provider that is recorded by hand has neither settings nor a secret. Nothing was changed.",
            next_step="Leave both out.",
            errors=[{"at": "settings", "problem": "not for a provider recorded by hand"}],
        )
    _refuse_to_send_elsewhere(call, before, wish)
    tried = findings.get((before.id, ""))
    if reached_otherwise and (tried is None or tried.trouble):
        why = tried.trouble if tried is not None else "It was not tried."
        raise Invalid(
            f"{before.name} cannot be read with that: {why} Nothing was changed.",
            next_step="Correct the settings or the secret, then try again.",
            errors=[{"at": "settings" if wish.secret is None else "secret", "problem": why}],
        )
    if after.says_who and not before.says_who:
        _goes_first(call, before)
        reached_otherwise = True
    again = {"next_reading": call.now} if reached_otherwise and not after.paused else {}
    secret = None if wish.secret is None else call.close(wish.secret)
    was, now = _said(before), _said(after)
    changed = [name for name in now if was[name] != now[name]]
    call.tx.providers.change(before, secret, **{name: now[name] for name in changed}, **again)
    if "settings" in changed:
        call.tx.provider_versions.keep(before, after, call.actor.author, call.now)
    call.log(
        "provider.changed",
        "provider",
        after.id,
        name=after.name,
        before={name: _in_the_log(was[name]) for name in changed},
        after={name: _in_the_log(now[name]) for name in changed},
        secret="replaced" if secret is not None else "as before",
    )
    if again:
        readings.queue(call, call.tx.providers.get(after.id))
    return show(call, str(after.id))


def _goes_first(call: Call, provider: Provider) -> None:
    """Have a provider's word on who people are go first, and no other's; refuses (Invalid) one that is never read."""
    if provider.by_hand:
        raise Invalid(
            f"{provider.name} is recorded by hand, and says nothing by itself. Nothing was changed.",
            next_step="Name a provider that is read.",
            errors=[{"at": "says_who", "problem": "recorded by hand"}],
        )
    former = call.tx.providers.saying_who()
    if former is not None:
        call.tx.providers.change(former, says_who=False)
        facts = {"before": {"says_who": True}, "after": {"says_who": False}}
        call.log("provider.changed", "provider", former.id, name=former.name, **facts)
    # What it said before is looked at again: it counts for more now.
    call.tx.parties.seen_anew(provider.id)


@operation("providers.versions")
def versions(call: Call, text: str) -> tuple[ProviderVersion, ...]:
    """How a provider was reached, version by version, the latest first; any of them can be set again."""
    return call.tx.provider_versions.of(call.tx.providers.find(text))


def _refuse_to_send_elsewhere(call: Call, before: Provider, wish: ProviderWish) -> None:
    """Refuse (Invalid) to send the secret that is kept to where nobody who knows it has said that it is to go."""
    if wish.settings is None or wish.secret is not None or not call.open(call.tx.providers.secret(before.id)):
        return
    connector = call.services.connectors.get(before.connector)
    harmless = {setting.name for setting in connector.about.settings if not setting.leads} if connector else set()
    names = {*before.settings, *wish.settings} - harmless
    other = sorted(name for name in names if before.settings.get(name) != wish.settings.get(name))
    if other:
        raise Invalid(
            f"With another {listed(other)}, the secret of {before.name} could be sent somewhere else. "
            "Nothing was sent, and nothing changed.",
            next_step="Give the secret as well.",
            errors=[{"at": "secret", "problem": "needed with another address"}],
        )


def _reached_otherwise(wish: ProviderWish) -> bool:
    return wish.settings is not None or wish.secret is not None


def _wished(before: Provider, wish: ProviderWish) -> Provider:
    given = wish.model_dump(exclude={"secret"}, exclude_none=True)
    return replace(before, **given)


def _said(provider: Provider) -> dict[str, object]:
    names = ("name", "settings", "read_every", "stale_after", "most_gone", "vouch_days", "says_who")
    return {name: getattr(provider, name) for name in names}


def _in_the_log(value: object) -> object:
    """What the log holds of a value: of a setting that is a whole file, its length and its fingerprint."""
    if not isinstance(value, Mapping):
        return value
    return {name: text if "\n" not in text else _fingerprint(text) for name, text in value.items()}


def _fingerprint(text: str) -> str:
    digest = hashlib.sha256(text.encode()).hexdigest()
    return f"{counted(len(text.splitlines()), 'line')}, SHA-256 {digest[:16]}…"


@operation("providers.pause")
def pause(call: Call, text: str) -> ProviderSight:
    """Read a provider by itself no more, until that is resumed; whoever asks for a reading still gets one."""
    provider = call.tx.providers.find(text)
    if provider.by_hand:
        raise Conflict(
            f"{provider.name} is recorded by hand, and never read. Nothing was changed.",
            next_step="Nothing has to be done.",
        )
    if not provider.paused:
        call.tx.providers.change(provider, paused=True, next_reading=None)
        call.log("provider.paused", "provider", provider.id, name=provider.name)
    return show(call, str(provider.id))


@operation("providers.resume")
def resume(call: Call, text: str) -> ProviderSight:
    """Read a paused provider by itself again, at once for the first time."""
    provider = call.tx.providers.find(text)
    if not provider.paused:
        raise Conflict(
            f"{provider.name} is not paused. Nothing was changed.", next_step="Read it now: openlatch read PROVIDER"
        )
    call.tx.providers.change(provider, paused=False, next_reading=call.now)
    call.log("provider.resumed", "provider", provider.id, name=provider.name)
    readings.queue(call, call.tx.providers.get(provider.id))
    return show(call, str(provider.id))
