"""Providers and readings, as the client asks for them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from datetime import date
from typing import Any, Unpack
from uuid import UUID

from openlatch.client.transport import Transport, part, plain
from openlatch.client.wanted import ProviderFile, ReadingFields
from openlatch.wire import messages as wire
from openlatch.words import ProviderOrder

__all__ = ["ProvidersCalls"]

_OPEN_READING = ("queued", "running")


class ProvidersCalls(Transport):
    """Providers and readings."""

    def providers(
        self,
        q: str = "",
        *,
        connector: str = "",
        trouble: bool | None = None,
        sort: ProviderOrder | str = ProviderOrder.NAME,
    ) -> list[wire.Provider]:
        """Return the providers with part of a name, and how fresh what is known of each is.

        With `trouble`, only those to which someone has to see; or with False, all others.
        """
        wanted = {"q": q, "connector": connector, "trouble": trouble, "sort": sort}
        return self._send(wire.ProviderList, "GET", "/providers", params=plain(wanted)).items

    def providers_export(self, file_format: str = "csv", **wanted: Unpack[ProviderFile]) -> Iterator[bytes]:
        """Return them as a file, piece by piece: `csv`, `jsonl` or `xlsx`; `wanted` as for `providers`."""
        return self._pieces("/providers/export", params=plain(wanted) | {"format": file_format})

    def provider(self, provider: str) -> wire.Provider:
        """Return one provider, by id, short form or name."""
        return self._send(wire.Provider, "GET", f"/providers/{part(provider)}")

    def connectors(self) -> list[wire.Connector]:
        """Return the connectors that the service has, each with the settings that it takes."""
        return self._send(wire.ConnectorList, "GET", "/connectors").items

    def add_provider(
        self, name: str, connector: str, settings: dict[str, str], secret: str = "", **more: Unpack[ReadingFields]
    ) -> wire.Provider:
        """Add a provider; `more` may be read_every and stale_after (minutes), most_gone (percent), vouch_days."""
        body = {"name": name, "connector": connector, "settings": settings, "secret": secret, **more}
        return self._send(wire.Provider, "POST", "/providers", json=body)

    def change_provider(
        self,
        provider: str,
        *,
        name: str | None = None,
        settings: dict[str, str] | None = None,
        secret: str | None = None,
        says_who: bool | None = None,
        **more: Unpack[ReadingFields],
    ) -> wire.Provider:
        """Change how a provider is called, reached and read; None leaves as it is, `more` is as in `add_provider`.

        With `says_who`, its word on who people are goes first, before that of all others.

        Other settings (all of them) or another secret are tried before they are kept.
        """
        body = {"name": name, "settings": settings, "secret": secret, "says_who": says_who, **more}
        return self._send(wire.Provider, "PUT", f"/providers/{part(provider)}", json=body)

    def provider_versions(self, provider: str) -> list[wire.ProviderVersion]:
        """Return how a provider was reached, the latest first; `change_provider` to the settings of one goes back."""
        return self._send(wire.ProviderVersionList, "GET", f"/providers/{part(provider)}/versions").items

    def try_description(
        self, description: str, *, url: str = "", secret: str = "", answers: Mapping[str, Any] | None = None
    ) -> wire.DescriptionTrial:
        """Check a description of a provider (TOML), and try it on recorded answers or at an address; changes nothing.

        `answers` are JSON by the path and query that would be asked for. With neither, it is only checked.
        """
        body = {"description": description, "url": url, "secret": secret, "answers": answers}
        return self._send(wire.DescriptionTrial, "POST", "/descriptions/trial", json=body)

    def pause_provider(self, provider: str) -> wire.Provider:
        """Have a provider be read by itself no more, until that is resumed."""
        return self._send(wire.Provider, "POST", f"/providers/{part(provider)}/pause")

    def resume_provider(self, provider: str) -> wire.Provider:
        """Have a paused provider be read by itself again."""
        return self._send(wire.Provider, "POST", f"/providers/{part(provider)}/resume")

    def provider_removal(self, provider: str) -> wire.ProviderRemoval:
        """Return what removing a provider would come to, and what stands in its way; changes nothing."""
        return self._send(wire.ProviderRemoval, "GET", f"/providers/{part(provider)}/removal")

    def remove_provider(self, provider: str, *, entries: int | None = None) -> wire.ProviderRemoval:
        """Remove a provider: it is no longer read, and its entries stay as history; nothing is ended at the provider.

        With `entries`, nothing is removed if another number of entries stands there.
        """
        wanted = {} if entries is None else {"entries": str(entries)}
        return self._send(wire.ProviderRemoval, "DELETE", f"/providers/{part(provider)}", params=wanted)

    def event_stream(self, provider: str) -> wire.EventStream:
        """Return from whom the security events of a provider come."""
        return self._send(wire.EventStream, "GET", f"/providers/{part(provider)}/event-stream")

    def listen(
        self, provider: str, issuer: str, keys: str, *, audience: str = "", poll: str = "", secret: str | None = None
    ) -> wire.EventStreamSecret:
        """Hear what a provider reports from now on: sent to us, or fetched from the address `poll` with a secret."""
        body = {"issuer": issuer, "keys": keys, "audience": audience, "poll": poll, "secret": secret}
        return self._send(wire.EventStreamSecret, "PUT", f"/providers/{part(provider)}/event-stream", json=body)

    def stop_listening(self, provider: str) -> None:
        """Take no more security events of a provider."""
        self._request("DELETE", f"/providers/{part(provider)}/event-stream")

    def security_events(self, provider: str) -> Iterator[wire.SecurityEvent]:
        """Return what a provider has reported, the latest first, and what came of it."""
        return self._pages(wire.SecurityEventList, f"/providers/{part(provider)}/security-events", {})

    def report_breach(self, provider: str, since: date, what: str) -> wire.Provider:
        """Record that a provider has reported a breach; reviews that wait for one open a round about it."""
        body = {"since": since.isoformat(), "what": what}
        return self._send(wire.Provider, "POST", f"/providers/{part(provider)}/breaches", json=body)

    def levels(self, provider: str) -> list[wire.Level]:
        """Return the levels and permissions of a provider, and what they mean in plain powers."""
        return self._send(wire.LevelList, "GET", f"/providers/{part(provider)}/levels").items

    def correct_level(self, provider: str, word: str, powers: list[str] | None) -> list[wire.Level]:
        """Say what a level or permission means at a provider; None takes that back. Returns all words as they are."""
        body = {"word": word, "powers": powers}
        return self._send(wire.LevelList, "PUT", f"/providers/{part(provider)}/levels", json=body).items

    def read(self, provider: str, *, accept_loss: bool = False) -> wire.Reading:
        """Ask for a reading now; returns the one that is made, which may have been in progress.

        With `accept_loss`, whatever it no longer shows has ended, even if that is more than may vanish at once.
        """
        wanted = {"accept_loss": "true"} if accept_loss else {}
        return self._send(wire.Reading, "POST", f"/providers/{part(provider)}/readings", params=wanted)

    def reading(self, reading_id: UUID) -> wire.Reading:
        """Return one reading, with its progress."""
        return self._send(wire.Reading, "GET", f"/readings/{reading_id}")

    def readings(self, provider: str = "") -> Iterator[wire.Reading]:
        """Return readings, the latest first."""
        return self._pages(wire.ReadingList, "/readings", {"provider": provider})

    def follow_reading(
        self, reading_id: UUID, *, every: float = 0.3, within: float | None = None
    ) -> Iterator[wire.Reading]:
        """Yield a reading whenever it has moved on, until it is over; looks every so many seconds."""
        return self._follow(lambda: self.reading(reading_id), lambda r: r.state not in _OPEN_READING, every, within)
