"""One class, one method for each thing that can be asked of the service."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from datetime import date
from typing import Any
from uuid import UUID

import httpx

from openlatch.client.answers import AnswerCalls
from openlatch.client.imports import ImportCalls
from openlatch.client.notices import NoticeCalls
from openlatch.client.offers import OfferCalls
from openlatch.client.orders import OrderCalls
from openlatch.client.proposals import ProposalCalls
from openlatch.client.requests import RequestCalls
from openlatch.client.reviews import ReviewCalls
from openlatch.client.sameness import SamenessCalls
from openlatch.client.teams import TeamCalls
from openlatch.client.transport import part, plain
from openlatch.wire import messages as wire

__all__ = ["Client"]

_OPEN_READING = ("queued", "running")


class Client(
    OfferCalls,
    OrderCalls,
    ProposalCalls,
    RequestCalls,
    ReviewCalls,
    NoticeCalls,
    AnswerCalls,
    SamenessCalls,
    TeamCalls,
    ImportCalls,
):
    """A sign-in to one service, `url` such as https://latch.example, with a token of one workspace.

    Lists are iterators that fetch page after page. What can be sent again is sent again when the service does not
    answer; a change carries an idempotency key, so that it is carried out once. `password` is called for the person's
    own where an act is dangerous and it was not given lately; without it, that raises NotConfirmed. `transport` carries
    the requests and `pause` waits some seconds between them; tests put their own there.
    """

    @classmethod
    def sign_in(
        cls,
        url: str,
        *,
        workspace: str,
        address: str,
        password: str,
        name: str = "client",
        scope: str = "change",
        days: int = 30,
        transport: httpx.BaseTransport | None = None,
        pause: Callable[[float], None] = time.sleep,
    ) -> tuple[Client, wire.TokenSecret]:
        """Make a token with a password; returns a client that uses it, and the token to keep."""
        body = {"workspace": workspace, "address": address, "password": password, "name": name, "scope": scope}
        with cls(url, "", transport=transport, pause=pause) as nobody:
            made = nobody._send(wire.TokenSecret, "POST", "/tokens", json=body | {"days": days})
        return cls(url, made.secret, transport=transport, pause=pause), made

    # Who and where

    def me(self) -> wire.Me:
        """Return who is signed in, where, and what they may do."""
        return self._send(wire.Me, "GET", "/me")

    def waiting(self) -> wire.Holder:
        """Return what waits for whoever is signed in, and in which holder's name."""
        return self._send(wire.Holder, "GET", "/me/waiting")

    def confirm(self, password: str) -> wire.Me:
        """Give one's own password again, which dangerous acts ask for."""
        return self._send(wire.Me, "POST", "/session/confirmation", json={"password": password})

    def tokens(self) -> list[wire.Token]:
        """Return one's own tokens, without their secrets."""
        return self._send(wire.TokenList, "GET", "/tokens").items

    def revoke_token(self, token_id: UUID) -> None:
        """Revoke a token."""
        self._request("DELETE", f"/tokens/{token_id}")

    def workspace(self) -> wire.Workspace:
        """Return the workspace that one is signed in to."""
        return self._send(wire.Workspace, "GET", "/workspace")

    def change_workspace(self, *, name: str | None = None, zone: str | None = None) -> wire.Workspace:
        """Call the workspace something else, or have its days in another zone (IANA); None leaves as it is."""
        return self._send(wire.Workspace, "PUT", "/workspace", json={"name": name, "zone": zone})

    def people(self) -> list[wire.Person]:
        """Return everyone who signs in to the workspace."""
        return self._send(wire.PersonList, "GET", "/people").items

    def add_person(self, name: str, address: str, role: str, password: str) -> wire.Person:
        """Let someone sign in to the workspace."""
        body = {"name": name, "address": address, "role": role, "password": password}
        return self._send(wire.Person, "POST", "/people", json=body)

    # Providers and readings

    def providers(self) -> list[wire.Provider]:
        """Return all providers, and how fresh what is known of each is."""
        return self._send(wire.ProviderList, "GET", "/providers").items

    def provider(self, provider: str) -> wire.Provider:
        """Return one provider, by id, short form or name."""
        return self._send(wire.Provider, "GET", f"/providers/{part(provider)}")

    def connectors(self) -> list[wire.Connector]:
        """Return the connectors that the service has, each with the settings that it takes."""
        return self._send(wire.ConnectorList, "GET", "/connectors").items

    def add_provider(
        self, name: str, connector: str, settings: dict[str, str], secret: str = "", **more: int
    ) -> wire.Provider:
        """Add a provider; `more` may be read_every and stale_after (minutes), most_gone (percent), vouch_days."""
        body = {"name": name, "connector": connector, "settings": settings, "secret": secret, **more}
        return self._send(wire.Provider, "POST", "/providers", json=body)

    def levels(self, provider: str) -> list[wire.Level]:
        """Return the levels and permissions of a provider, and what they mean in plain powers."""
        return self._send(wire.LevelList, "GET", f"/providers/{part(provider)}/levels").items

    def correct_level(self, provider: str, word: str, powers: list[str] | None) -> list[wire.Level]:
        """Say what a level or permission means at a provider; None takes that back. Returns all words as they are."""
        body = {"word": word, "powers": powers}
        return self._send(wire.LevelList, "PUT", f"/providers/{part(provider)}/levels", json=body).items

    def keep(self, provider: str, **fields: Any) -> wire.Entry:
        """Keep an entry of a provider by hand, or correct it; `fields` are those of KeptEntry, such as account."""
        body = wire.KeptEntry(**fields).model_dump(mode="json")
        return self._send(wire.Entry, "POST", f"/providers/{part(provider)}/entries", json=body)

    def vouch(self, entry: str) -> wire.Entry:
        """Say that an entry that is kept by hand is still there as it is written."""
        return self._send(wire.Entry, "POST", f"/entries/{part(entry)}/vouch")

    def gone(self, entry: str, reason: str = "") -> wire.Entry:
        """Say that an entry that is kept by hand has ended at its provider."""
        return self._send(wire.Entry, "POST", f"/entries/{part(entry)}/gone", json={"reason": reason})

    def read(self, provider: str, *, accept_loss: bool = False) -> wire.Reading:
        """Ask for a reading now; returns the one that is made, which may have been under way.

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

    def follow_reading(self, reading_id: UUID, *, every: float = 0.3) -> Iterator[wire.Reading]:
        """Yield a reading whenever it has moved on, until it is over; looks every so many seconds."""
        return self._follow(lambda: self.reading(reading_id), lambda r: r.state not in _OPEN_READING, every)

    # The inventory

    def accounts(self, q: str = "", provider: str = "") -> Iterator[wire.Account]:
        """Return accounts by name."""
        return self._pages(wire.AccountList, "/accounts", {"q": q, "provider": provider})

    def account(self, account: str) -> wire.Account:
        """Return one account, by id, short form or name."""
        return self._send(wire.Account, "GET", f"/accounts/{part(account)}")

    def describe_account(
        self, account: str, *, criticality: str | None = None, practice: bool | None = None
    ) -> wire.Account:
        """Say how vital an account is (minor, normal, vital), and whether it is only for practice."""
        body = {"criticality": criticality, "practice": practice}
        return self._send(wire.Account, "PUT", f"/accounts/{part(account)}", json=body)

    def sponsor(self, party: str, address: str) -> wire.Party:
        """Say who of the workspace answers for a party, by address; nobody, if it is empty."""
        return self._send(wire.Party, "PUT", f"/parties/{part(party)}/sponsor", json={"address": address})

    def report_breach(self, provider: str, since: date, what: str) -> wire.Provider:
        """Say that a provider has reported a breach; reviews that wait for one open a round about it."""
        body = {"since": since.isoformat(), "what": what}
        return self._send(wire.Provider, "POST", f"/providers/{part(provider)}/breaches", json=body)

    def apps(self, q: str = "") -> Iterator[wire.App]:
        """Return connected apps by name, each with what it holds on every account."""
        return self._pages(wire.AppList, "/apps", {"q": q})

    def views(self) -> list[wire.View]:
        """Return one's own saved views of the inventory, by name."""
        return self._send(wire.ViewList, "GET", "/views").items

    def save_view(self, name: str, query: str) -> wire.View:
        """Save a view; `query` is written as in an address, such as kind=app&flagged=true."""
        return self._send(wire.View, "PUT", "/views", json={"name": name, "query": query})

    def remove_view(self, view_id: UUID) -> None:
        """Delete one of one's own views."""
        self._request("DELETE", f"/views/{view_id}")

    def parties(self, q: str = "") -> Iterator[wire.Party]:
        """Return parties by name."""
        return self._pages(wire.PartyList, "/parties", {"q": q})

    def party(self, party: str) -> wire.Party:
        """Return one party, by id, short form or address."""
        return self._send(wire.Party, "GET", f"/parties/{part(party)}")

    def reach(self, party: str) -> wire.Reach:
        """Return everything that a party can do, and through which chains."""
        return self._send(wire.Reach, "GET", f"/parties/{part(party)}/reach")

    def smallest_cut(self, party: str, account: str, power: str) -> wire.Cut:
        """Return the smallest set to end so that a party loses a power on an account, and nobody else anything."""
        wanted = {"account": account, "power": power}
        return self._send(wire.Cut, "GET", f"/parties/{part(party)}/cut", params=wanted)

    def entries(self, **wanted: Any) -> Iterator[wire.Entry]:
        """Return entries; `wanted` are the fields of EntryQuery, such as state="live", flagged=True, sort="party"."""
        return self._pages(wire.EntryList, "/entries", wanted)

    def export(self, file_format: str = "csv", **wanted: Any) -> bytes:
        """Return the entries that a filter leaves as a file: `csv`, `jsonl` or `xlsx`; `wanted` as for `entries`."""
        return b"".join(self.export_pieces(file_format, **wanted))

    def export_pieces(self, file_format: str = "csv", **wanted: Any) -> Iterator[bytes]:
        """Return the same file piece by piece, as the service reads it."""
        return self._pieces("/entries/export", params=plain(wanted) | {"format": file_format})

    def summary(self, **wanted: Any) -> wire.Summary:
        """Return how many entries a filter leaves, and how many of them carry a flag."""
        return self._send(wire.Summary, "GET", "/entries/summary", params=plain(wanted))

    def entry(self, entry: str) -> wire.Entry:
        """Return one entry, by id or short form, with its flags and its latest order."""
        return self._send(wire.Entry, "GET", f"/entries/{part(entry)}")

    def flags(
        self,
        rule: str = "",
        severity: str = "",
        entry: str = "",
        *,
        account: str = "",
        party: str = "",
        state: str = "standing",
    ) -> Iterator[wire.Flag]:
        """Return flags, the worst first; `severity` means that or worse, `state` is standing, accepted or cleared."""
        wanted = {"rule": rule, "severity": severity, "entry": entry, "account": account, "party": party}
        return self._pages(wire.FlagList, "/flags", wanted | {"state": state})

    def flag(self, flag: str) -> wire.Flag:
        """Return one flag, with the facts behind it, what is advised, and when it was raised before."""
        return self._send(wire.Flag, "GET", f"/flags/{part(flag)}")

    def accept(self, flag: str, why: str, until: date | None = None) -> wire.Flag:
        """Live with a flag for a reason until the end of a day; in 90 days, if none is given."""
        body = {"why": why, "until": until.isoformat() if until else None}
        return self._send(wire.Flag, "PUT", f"/flags/{part(flag)}/acceptance", json=body)

    def refuse(self, flag: str) -> wire.Flag:
        """Take back that a flag is accepted."""
        return self._send(wire.Flag, "DELETE", f"/flags/{part(flag)}/acceptance")

    def account_risk(self, account: str) -> wire.Risk:
        """Return the risk of an account, what adds up to it, and how it has moved."""
        return self._send(wire.Risk, "GET", f"/accounts/{part(account)}/risk")

    def party_risk(self, party: str) -> wire.Risk:
        """Return the risk of a party, and what adds up to it."""
        return self._send(wire.Risk, "GET", f"/parties/{part(party)}/risk")

    # The policy

    def rules(self) -> list[wire.Rule]:
        """Return the rules of the policy in force, each with its flags; those with the worst flags first."""
        return self._send(wire.RuleList, "GET", "/rules").items

    def policy(self, number: int | None = None) -> wire.Policy:
        """Return the policy in force, or an earlier one by its number."""
        params = {} if number is None else {"number": number}
        return self._send(wire.Policy, "GET", "/policy", params=params)

    def policies(self) -> list[wire.Policy]:
        """Return every policy that was adopted, the latest first."""
        return self._send(wire.PolicyList, "GET", "/policy/history").items

    def policy_fields(self) -> list[wire.CatalogueField]:
        """Return every field that a condition can name."""
        return self._send(wire.CatalogueList, "GET", "/policy/catalogue").items

    def check_policy(self, text: str) -> wire.PolicyVerdict:
        """Check a policy without trying it; raises Invalid with every mistake and its place."""
        return self._send(wire.PolicyVerdict, "POST", "/policy/check", json={"text": text})

    def try_policy(self, text: str) -> wire.Trial:
        """Try a policy against the present inventory; nothing is changed."""
        return self._send(wire.Trial, "POST", "/policy/try", json={"text": text})

    def adopt_policy(self, text: str, *, note: str = "", expected: int | None = None) -> wire.Policy:
        """Put a policy in force; with `expected`, only if the one in force has that number."""
        body = {"text": text, "note": note, "expected": expected}
        return self._send(wire.Policy, "POST", "/policy/adopt", json=body)

    def return_to_policy(self, number: int) -> wire.Policy:
        """Put an earlier policy in force again, under a new number."""
        return self._send(wire.Policy, "POST", "/policy/back", json={"number": number})

    def activity(
        self, *, account: str = "", party: str = "", how: str = "", limit: int | None = None
    ) -> Iterator[wire.Activity]:
        """Return what was done, the latest first; `how` is own, delegate or app."""
        wanted = {"account": account, "party": party, "how": how, "limit": limit}
        return self._pages(wire.ActivityList, "/activity", wanted)

    def events(
        self,
        subject: UUID | None = None,
        *,
        account: str = "",
        party: str = "",
        sealed: bool = False,
        oldest: bool = False,
    ) -> Iterator[wire.Event]:
        """Return events of the log: of one subject, of all that is about an account or a party, or simply all."""
        wanted = {"subject": subject, "account": account, "party": party, "sealed": sealed, "oldest": oldest}
        return self._pages(wire.EventList, "/log", wanted)

    def log_head(self) -> wire.LogHead:
        """Return the end of the sealed log."""
        return self._send(wire.LogHead, "GET", "/log/head")
