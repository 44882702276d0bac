"""One class, one method for each thing that can be asked of the service."""

from __future__ import annotations

import json
import time
import uuid
from collections.abc import Callable, Iterator, Sequence
from datetime import date
from types import TracebackType
from typing import Any, TypeVar
from urllib.parse import quote
from uuid import UUID

import httpx
from pydantic import BaseModel, ValidationError

from openlatch.errors import BY_CODE, NotConfirmed, OpenLatchError, ServiceUnreachable
from openlatch.wire import messages as wire

__all__ = ["Client"]

M = TypeVar("M", bound=BaseModel)
T = TypeVar("T")
_AGAIN = frozenset({429, 502, 503, 504})
_TRIES = 4
_OPEN_READING = ("queued", "running")


class Client:
    """A sign-in to one service, `url` such as https://latch.example, with a token of one workspace.

    Lists are iterators that fetch page after page. What can be sent again is sent again when the service does not
    answer; a change carries an idempotency key, so that it is carried out once. `password` is called for the person's
    own where an act is dangerous and it was not given lately; without it, that raises NotConfirmed. `transport` is for
    tests.
    """

    def __init__(
        self,
        url: str,
        token: str,
        *,
        timeout: float = 30,
        password: Callable[[], str] | None = None,
        transport: httpx.BaseTransport | None = None,
        pause: Callable[[float], None] = time.sleep,
    ) -> None:
        headers = {"Authorization": f"Bearer {token}"} if token else {}
        self._http = httpx.Client(
            base_url=url.rstrip("/") + "/api/v1", headers=headers, timeout=timeout, transport=transport
        )
        self._password = password
        self._pause = pause

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
    ) -> tuple[Client, wire.TokenSecret]:
        """Make a token with a password; returns a client that uses it, and the token to keep."""
        body = {"workspace": workspace, "address": address, "password": password, "name": name, "scope": scope}
        with cls(url, "", transport=transport) as nobody:
            made = nobody._send(wire.TokenSecret, "POST", "/tokens", json=body | {"days": days})
        return cls(url, made.secret, transport=transport), made

    def __enter__(self) -> Client:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def close(self) -> None:
        """Close the connections."""
        self._http.close()

    # Who and where

    def me(self) -> wire.Me:
        """Return who is signed in, where, and what they may do."""
        return self._send(wire.Me, "GET", "/me")

    def confirm(self, password: str) -> wire.Me:
        """Give one's own password again, which dangerous acts ask for."""
        return self._send(wire.Me, "POST", "/session/confirmation", json={"password": password})

    def tokens(self) -> list[wire.Token]:
        """Return one's own tokens, without their secrets."""
        return self._send(wire.TokenList, "GET", "/tokens").items

    def revoke_token(self, token_id: UUID) -> None:
        """Revoke a token."""
        self._request("DELETE", f"/tokens/{token_id}")

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
        return self._send(wire.Provider, "GET", f"/providers/{_part(provider)}")

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
        return self._send(wire.LevelList, "GET", f"/providers/{_part(provider)}/levels").items

    def correct_level(self, provider: str, word: str, powers: list[str] | None) -> list[wire.Level]:
        """Say what a level or permission means at a provider; None takes that back. Returns all words as they are."""
        body = {"word": word, "powers": powers}
        return self._send(wire.LevelList, "PUT", f"/providers/{_part(provider)}/levels", json=body).items

    def keep(self, provider: str, **fields: Any) -> wire.Entry:
        """Keep an entry of a provider by hand, or correct it; `fields` are those of KeptEntry, such as account."""
        body = wire.KeptEntry(**fields).model_dump(mode="json")
        return self._send(wire.Entry, "POST", f"/providers/{_part(provider)}/entries", json=body)

    def vouch(self, entry: str) -> wire.Entry:
        """Say that an entry that is kept by hand is still there as it is written."""
        return self._send(wire.Entry, "POST", f"/entries/{_part(entry)}/vouch")

    def gone(self, entry: str, reason: str = "") -> wire.Entry:
        """Say that an entry that is kept by hand has ended at its provider."""
        return self._send(wire.Entry, "POST", f"/entries/{_part(entry)}/gone", json={"reason": reason})

    def import_list(
        self,
        provider: str,
        content: bytes,
        file_format: str = "csv",
        *,
        columns: dict[str, str] | None = None,
        dry_run: bool = True,
    ) -> wire.ImportOutcome:
        """Take a list (`csv` or `xlsx`) of entries that no reading shows: all of it, or with a complaint nothing.

        `columns` names fields by header; with `dry_run` nothing is changed, and the outcome says what would be.
        """
        wanted = {"dry_run": str(dry_run).lower(), "columns": json.dumps(columns) if columns else ""}
        path, headers = f"/providers/{_part(provider)}/imports", {"Content-Type": wire.LISTS[file_format]}
        return self._send(wire.ImportOutcome, "POST", path, params=wanted, content=content, headers=headers)

    def read(self, provider: str, *, accept_loss: bool = False) -> wire.Reading:
        """Ask for a reading now; returns the one that is made, which may have been under way.

        With `accept_loss`, whatever it no longer shows has ended, even if that is more than may vanish at once.
        """
        wanted = {"accept_loss": "true"} if accept_loss else {}
        return self._send(wire.Reading, "POST", f"/providers/{_part(provider)}/readings", params=wanted)

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
        return self._send(wire.Account, "GET", f"/accounts/{_part(account)}")

    def describe_account(
        self, account: str, *, criticality: str | None = None, practice: bool | None = None
    ) -> wire.Account:
        """Say how vital an account is (minor, normal, vital), and whether it is only for practice."""
        body = {"criticality": criticality, "practice": practice}
        return self._send(wire.Account, "PUT", f"/accounts/{_part(account)}", json=body)

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
        return self._send(wire.Party, "GET", f"/parties/{_part(party)}")

    def reach(self, party: str) -> wire.Reach:
        """Return everything that a party can do, and through which chains."""
        return self._send(wire.Reach, "GET", f"/parties/{_part(party)}/reach")

    def smallest_cut(self, party: str, account: str, power: str) -> wire.Cut:
        """Return the smallest set to end so that a party loses a power on an account, and nobody else anything."""
        wanted = {"account": account, "power": power}
        return self._send(wire.Cut, "GET", f"/parties/{_part(party)}/cut", params=wanted)

    def entries(self, **wanted: Any) -> Iterator[wire.Entry]:
        """Return entries; `wanted` are the fields of EntryQuery, such as state="live", flagged=True, sort="party"."""
        return self._pages(wire.EntryList, "/entries", wanted)

    def export(self, file_format: str = "csv", **wanted: Any) -> bytes:
        """Return the entries that a filter leaves as a file: `csv`, `jsonl` or `xlsx`; `wanted` as for `entries`."""
        return self._request("GET", "/entries/export", params=_plain(wanted) | {"format": file_format}).content

    def summary(self, **wanted: Any) -> wire.Summary:
        """Return how many entries a filter leaves, and how many of them carry a flag."""
        return self._send(wire.Summary, "GET", "/entries/summary", params=_plain(wanted))

    def entry(self, entry: str) -> wire.Entry:
        """Return one entry, by id or short form, with its flags and its latest order."""
        return self._send(wire.Entry, "GET", f"/entries/{_part(entry)}")

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
        return self._send(wire.Flag, "GET", f"/flags/{_part(flag)}")

    def accept(self, flag: str, why: str, until: date | None = None) -> wire.Flag:
        """Live with a flag for a reason until the end of a day; in 90 days, if none is given."""
        body = {"why": why, "until": until.isoformat() if until else None}
        return self._send(wire.Flag, "PUT", f"/flags/{_part(flag)}/acceptance", json=body)

    def refuse(self, flag: str) -> wire.Flag:
        """Take back that a flag is accepted."""
        return self._send(wire.Flag, "DELETE", f"/flags/{_part(flag)}/acceptance")

    def account_risk(self, account: str) -> wire.Risk:
        """Return the risk of an account, what adds up to it, and how it has moved."""
        return self._send(wire.Risk, "GET", f"/accounts/{_part(account)}/risk")

    def party_risk(self, party: str) -> wire.Risk:
        """Return the risk of a party, and what adds up to it."""
        return self._send(wire.Risk, "GET", f"/parties/{_part(party)}/risk")

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

    # Taking back

    def plan(
        self,
        entry: str,
        action: str = "end",
        *,
        level: str = "",
        resources: Sequence[str] | None = None,
        until: date | None = None,
        successor: str = "",
    ) -> wire.Plan:
        """Return what an order would do, such as `end`, `narrow` or `end-on`, and how; changes nothing."""
        params = {"action": action, "level": level, "successor": successor}
        if resources is not None:
            params["resources"] = ",".join(resources)
        if until is not None:
            params["until"] = until.isoformat()
        return self._send(wire.Plan, "GET", f"/entries/{_part(entry)}/plan", params=params)

    def command(
        self,
        entry: str,
        action: str = "end",
        *,
        level: str = "",
        resources: Sequence[str] | None = None,
        until: date | None = None,
        successor: str = "",
        reason: str = "",
        digest: str | None = None,
    ) -> wire.Order:
        """Order what `plan` says for the same arguments; with `digest`, only if the plan is still that one."""
        body = {
            "entry": entry, "action": action, "level": level, "until": until.isoformat() if until else None,
            "resources": None if resources is None else list(resources), "successor": successor, "reason": reason,
            "digest": digest,
        }  # fmt: skip
        return self._send(wire.Order, "POST", "/orders", json=body)

    def end(self, entry: str, *, successor: str = "", reason: str = "", digest: str | None = None) -> wire.Order:
        """Order the end of an entry; `successor` is the entry of whoever is to follow the last administrator."""
        return self.command(entry, "end", successor=successor, reason=reason, digest=digest)

    def give_up(self, entry: str, *, reason: str = "", digest: str | None = None) -> wire.Order:
        """Order the end of one's own access."""
        return self.command(entry, "give-up", reason=reason, digest=digest)

    def order(self, order: str) -> wire.Order:
        """Return one order, by id or short form."""
        return self._send(wire.Order, "GET", f"/orders/{_part(order)}")

    def orders(self, state: str = "", *, batch: str = "") -> Iterator[wire.Order]:
        """Return orders, the latest first; several states are separated by commas."""
        return self._pages(wire.OrderList, "/orders", {"state": state, "batch": batch})

    def cancel(self, order: str) -> wire.Order:
        """Call an order off."""
        return self._send(wire.Order, "POST", f"/orders/{_part(order)}/cancel")

    def try_again(self, order: str) -> wire.Order:
        """Try an order that is stuck once more."""
        return self._send(wire.Order, "POST", f"/orders/{_part(order)}/try-again")

    def done(self, order: str, said: str = "") -> wire.Order:
        """Say that what an order asks a person to do is done."""
        return self._send(wire.Order, "POST", f"/orders/{_part(order)}/done", json={"said": said})

    def receipt(self, order: str) -> str:
        """Return the receipt of a proved order, signed: a compact JSON Web Signature."""
        return self._send(wire.SignedReceipt, "GET", f"/orders/{_part(order)}/receipt").signed

    def receipt_keys(self) -> dict[str, Any]:
        """Return the public keys that receipts can be checked with, as a JSON Web Key set."""
        return self._send(wire.ReceiptKeys, "GET", "/receipt-keys").model_dump()

    def follow(self, order: str, *, every: float = 0.3) -> Iterator[wire.Order]:
        """Yield an order whenever it has moved on, until it is proved or cancelled, or waits for a person or a day."""
        return self._follow(lambda: self.order(order), _resting, every)

    # Orders given together

    def plan_batch(
        self, where: dict[str, Any], action: str = "end", *, level: str = "", until: date | None = None
    ) -> wire.BatchPlan:
        """Return what doing the same to all entries that a filter lets through would do; changes nothing."""
        body = {"where": where, "action": action, "level": level, "until": until.isoformat() if until else None}
        return self._send(wire.BatchPlan, "POST", "/batches/plan", json=body)

    def command_batch(
        self,
        where: dict[str, Any],
        action: str = "end",
        *,
        count: int,
        level: str = "",
        until: date | None = None,
        reason: str = "",
    ) -> wire.Batch:
        """Order the same for all entries that a filter lets through; refused if they are not `count`."""
        body = {
            "where": where, "action": action, "level": level, "until": until.isoformat() if until else None,
            "count": count, "reason": reason,
        }  # fmt: skip
        return self._send(wire.Batch, "POST", "/batches", json=body)

    def batches(self, kind: str = "") -> Iterator[wire.Batch]:
        """Return batches, the latest first; `kind` is bulk or leaver."""
        return self._pages(wire.BatchList, "/batches", {"kind": kind})

    def batch(self, batch: str, outcome: str = "") -> wire.Batch:
        """Return one batch, by id or short form, with what came of each thing in it."""
        return self._send(wire.Batch, "GET", f"/batches/{_part(batch)}", params=_plain({"outcome": outcome}))

    def cancel_batch(self, batch: str) -> wire.Batch:
        """Let nothing more come of a batch; orders that were given go on."""
        return self._send(wire.Batch, "POST", f"/batches/{_part(batch)}/cancel")

    def done_in_batch(self, batch: str, place: int) -> wire.Batch:
        """Say that a thing in a batch that a person is to do is done; `place` counts from 0."""
        return self._send(wire.Batch, "POST", f"/batches/{_part(batch)}/items/{place}/done")

    def follow_batch(self, batch: str, *, every: float = 0.5) -> Iterator[wire.Batch]:
        """Yield a batch whenever it has moved on, until nothing in it goes on by itself."""
        return self._follow(lambda: self.batch(batch), _batch_rests, every)

    def plan_leaver(self, party: str) -> wire.LeaverPlan:
        """Return what is to be done if a party goes; changes nothing."""
        return self._send(wire.LeaverPlan, "GET", f"/parties/{_part(party)}/leaver-plan")

    def leave(
        self, party: str, *, count: int, last_day: date | None = None, who: str = "", reason: str = ""
    ) -> wire.Batch:
        """Take back everything that a party holds, once its last day is over or at once."""
        body = {
            "party": party, "count": count, "last_day": last_day.isoformat() if last_day else None, "who": who,
            "reason": reason,
        }  # fmt: skip
        return self._send(wire.Batch, "POST", "/leavers", json=body)

    # The log

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

    # How it is sent

    def _pages(self, of: type[wire.Page[T]], path: str, wanted: dict[str, Any]) -> Iterator[T]:
        limit = wanted.pop("limit", None)
        params = _plain(wanted) | {"limit": str(min(limit or 500, 500))}
        given = 0
        while True:
            page = self._send(of, "GET", path, params=params)
            for item in page.items:
                if limit is not None and given >= limit:
                    return
                given += 1
                yield item
            if page.next is None or (limit is not None and given >= limit):
                return
            params["cursor"] = page.next

    def _follow(self, look: Callable[[], M], over: Callable[[M], bool], every: float) -> Iterator[M]:
        last: M | None = None
        while True:
            found = look()
            if found != last:
                yield found
            if over(found):
                return
            last = found
            self._pause(every)

    def _send(self, model: type[M], method: str, path: str, **more: Any) -> M:
        try:
            answer = self._request(method, path, **more)
        except NotConfirmed:
            if self._password is None or path == "/session/confirmation":
                raise
            self.confirm(self._password())
            answer = self._request(method, path, **more)
        try:
            return model.model_validate_json(answer.content)
        except ValidationError as error:
            raise ServiceUnreachable(
                f"{answer.url} answered something that is not Open Latch.", next_step="Check the service's address."
            ) from error

    def _request(self, method: str, path: str, **more: Any) -> httpx.Response:
        headers = more.pop("headers", {}) | ({} if method == "GET" else {"Idempotency-Key": str(uuid.uuid4())})
        for tries in range(1, _TRIES + 1):
            last = tries == _TRIES
            try:
                answer = self._http.request(method, path, headers=headers, **more)
            except httpx.TransportError as error:
                if last:
                    raise ServiceUnreachable(
                        f"Open Latch at {self._http.base_url.host}:{self._http.base_url.port or ''} does not answer.",
                        next_step="Check the address, and that the service runs.",
                    ) from error
                self._pause(0.2 * 2**tries)
                continue
            if answer.status_code not in _AGAIN or last:
                break
            wait = answer.headers.get("Retry-After", "")
            if wait.isdecimal() and int(wait) > 30:
                break
            self._pause(float(wait) if wait.isdecimal() else 0.2 * 2**tries)
        if answer.is_error:
            raise _error(answer)
        return answer


def _error(answer: httpx.Response) -> OpenLatchError:
    """The same error that the service raised, from its problem document."""
    try:
        problem = wire.Problem.model_validate_json(answer.content)
    except ValidationError:
        return ServiceUnreachable(
            f"{answer.url} answered {answer.status_code}, and not as Open Latch does.",
            next_step="Check the service's address.",
        )
    kind = BY_CODE.get(problem.code, OpenLatchError)
    error = kind(problem.detail, next_step=problem.next, **problem.facts)
    error.fields["errors"] = problem.errors
    error.status = problem.status
    return error


def _resting(order: wire.Order) -> bool:
    """Whether an order does not go on by itself, or not today."""
    waits = order.state == "waiting" and ("done" in order.moves or any(s.until and not s.at for s in order.steps))
    return waits or order.state in ("proved", "cancelled", "stuck")


def _batch_rests(batch: wire.Batch) -> bool:
    moving = sum(batch.outcomes.get(word, 0) for word in ("to come", "running", "waiting", "told"))
    first = any(item.outcome == "to do" and item.phase == "Hand over first" for item in batch.items)
    return batch.over or not moving or first or batch.begins_at is not None


def _plain(wanted: dict[str, Any]) -> dict[str, str]:
    words = {True: "true", False: "false"}
    return {
        k: words.get(v, str(v)) if isinstance(v, bool) else str(v) for k, v in wanted.items() if v not in (None, "")
    }


def _part(text: str) -> str:
    """One part of a path; what a person typed may hold anything."""
    part = quote(text.replace("/", " ").strip(), safe="") or "%20"
    return part if part.strip(".") else "%20"
