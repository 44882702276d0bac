"""The connector for any provider with an HTTP and JSON interface of its own, by a description of it.

It asks for the lists that the description names (docs/guide/described.md), and has the core make of their lines what a
reading shows. What it asks stays at the provider's own host; how many pages and lines there may be is bounded; a page
that comes again ends the reading with a sentence that says by which line of the description it was asked for.
"""

from __future__ import annotations

import hashlib
import itertools
import json
from base64 import b64encode
from collections.abc import Collection, Iterator, Mapping
from typing import Any, ClassVar
from urllib.parse import urljoin, urlsplit

import httpx

from openlatch.connecting.capabilities import Changes, Ends, Finds, Gives, HasTeams
from openlatch.connecting.http import Caller, checked_settings
from openlatch.connecting.settings import unable
from openlatch.connectors.description import Read, read
from openlatch.core.model import Abilities
from openlatch.core.providers import described as core
from openlatch.core.providers.observation import Observation
from openlatch.core.providers.ports import About, Answer, Change, Found, Gift, Hindrance, Page, Setting
from openlatch.errors import Invalid, ProviderRefused, ProviderUnreadable
from openlatch.words import ReadingOutcome

__all__ = ["DescribedConnector"]

MOST_REQUESTS = 20_000
"""Requests of one reading."""
MOST_LINES = 1_000_000
"""Lines of all lists of one reading."""
PIECE = 500
"""Entries that are handed on at a time."""
STANDS = "what was known before is kept."


class DescribedConnector(Ends, Changes, Finds, Gives, HasTeams):
    """Reads and changes what a description describes."""

    made_for: ClassVar[int] = 1
    about: ClassVar[About] = About(
        "an interface of its own (HTTP and JSON), by a description",
        (
            Setting("url", "base address, such as https://club.example/api"),
            Setting("description", "the description, as TOML (docs/guide/described.md)", lines=True),
        ),
        "what the description's sign_in needs: a token, “name:password”, or a JSON object of OAuth 2.0",
    )

    def __init__(self, settings: Mapping[str, str], secret: str, transport: httpx.BaseTransport | None = None) -> None:
        self._url, more = checked_settings("described", self.about, settings, url="url")
        self._read: Read = read(more["description"])
        self._described = self._read.described
        self._secret = secret
        self._token = ""
        self._caller = Caller("the description", {"Accept": "application/json", **self._headers()}, transport)
        self._asked: list[str] = []
        self._recorded: Mapping[str, Any] | None = None

    def abilities(self) -> Abilities:
        kinds = frozenset(rule.kind for rule in self._described.rules if rule.makes == "entry")
        level = core.acts_on(self._described, "level")
        pauses = core.acts_on(self._described, "pause") & core.acts_on(self._described, "resume")
        dates = core.acts_on(self._described, "date")
        return Abilities(
            kinds,
            core.acts_on(self._described, "end"),
            narrows=level,
            raises=level,
            pauses=pauses,
            dates=dates,
            prolongs=dates,
            gives=core.gives(self._described),
            gives_until=core.gives_until(self._described),
            limits=self._described.limits,
            redone_by=self._described.again_by,
            adds_members=core.member_set(self._described, "", "", belongs=True) is not None,
            removes_members=core.member_set(self._described, "", "", belongs=False) is not None,
            levels=self._described.levels,
        )

    def pages(self) -> Iterator[Page]:
        self._caller.reads()
        made = self._made()
        accounts, parties = tuple(made.accounts.values()), tuple(made.parties.values())
        total = len(made.entries)
        yield Page(accounts, parties, memberships=tuple(made.memberships), total=total)
        for place in range(0, total, PIECE):
            yield Page(entries=tuple(made.entries[place : place + PIECE]), total=total)
        yield Page(activity=tuple(made.activity), total=total)

    def look(self, party: str) -> Observation:
        made = self._made()
        entries = tuple(entry for entry in made.entries if entry.party == party)
        memberships = tuple(one for one in made.memberships if party in (one.member, one.team))
        keys = {party, *(one.team for one in memberships), *(one.member for one in memberships)}
        return Observation(
            ReadingOutcome.COMPLETE,
            tuple(account for account in made.accounts.values() if any(e.account == account.key for e in entries)),
            tuple(each for each in made.parties.values() if each.key in keys),
            entries,
            memberships,
        )

    def end(self, entry: str, party: str, idempotency_key: str) -> Answer:
        asked = core.ended(self._described, entry, party)
        if asked is None:
            raise unable(entry, "end")
        return self._act(*asked, idempotency_key)

    def change(self, entry: str, party: str, change: Change, idempotency_key: str) -> Answer:
        asked = core.changed(self._described, entry, party, change)
        if asked is None:
            raise unable(entry, "change")
        answers = [self._act(act, sent, f"{idempotency_key}-{place}") for place, (act, sent) in enumerate(asked)]
        already = all(answer.already for answer in answers)
        return Answer("; ".join(a.said for a in answers), already, any(answer.later for answer in answers))

    def find(self, text: str) -> Found:
        finding = self._described.finding
        if finding is not None:
            answer = self._sent("GET", self._url + core.searched(finding, text), ok={200, *finding.nobody})
            if answer.status_code in finding.nobody:
                return self._nobody()
            try:
                return core.found_in(finding, self._json(answer, finding.part))
            except core.Fault as fault:
                raise self._unfit(fault) from fault
        wanted = text.strip().casefold()
        for party in self._made().parties.values():
            if wanted in (party.key.casefold(), *(address.casefold() for address in party.addresses)):
                return Found(party.key, party.name)
        return self._nobody()

    def _nobody(self) -> Found:
        reason = f"Nobody at {self._url} is known by that. Have them registered there first."
        return Found(hindrances=(Hindrance("not-registered", reason),) if core.gives(self._described) else ())

    def set_member(self, team: str, member: str, idempotency_key: str, *, belongs: bool) -> Answer:
        asked = core.member_set(self._described, team, member, belongs=belongs)
        if asked is None:
            raise unable(f"the members of {team}", "change")
        return self._act(*asked, idempotency_key)

    def give(self, party: str, gift: Gift, idempotency_key: str) -> Answer:
        asked = core.given(self._described, party, gift)
        if asked is None:
            raise unable(f"{gift.level} on {gift.account}", "give")
        return self._act(*asked, idempotency_key)

    def trial(self, answers: Mapping[str, Any] | None = None) -> core.Trial:
        """Read once and say what comes of it; nothing is changed at the provider.

        With `answers`, by path and query as they would be asked for, no request is sent at all.
        """
        self._recorded = answers
        made = self._made()
        sent = {entry.key: core.ended(self._described, entry.key, entry.party) for entry in made.entries}
        ends = {key: one[1] for key, one in sent.items() if one is not None}
        return core.Trial(self._read.title, made, ends, tuple(self._asked))

    # Reading

    def _made(self) -> core.Made:
        """What all lists become; a Fault of the core is what the provider sent, and says where."""
        self._asked = []
        lines: dict[str, list[core.Line]] = {}
        count = 0
        try:
            for listing in self._described.lists:
                outer: list[core.Line | None] = list(lines[listing.each]) if listing.each else [None]
                found = [line for one in outer for line in self._all(listing, one, count)]
                lines[listing.name] = core.joined(listing, found, lines)
                count += len(found)
            return core.made(self._described, lines)
        except core.Fault as fault:
            raise self._unfit(fault) from fault

    def _unfit(self, fault: core.Fault) -> ProviderUnreadable:
        return ProviderUnreadable(
            f"What {self._url} sent does not fit the description, {fault.part}: {fault.problem}.",
            next_step=f"Correct the description, and try it before it is used; {STANDS}",
        )

    def _all(self, listing: core.Listing, outer: core.Line | None, before: int) -> Iterator[core.Line]:
        """The lines of a list, page after page."""
        cursor, following, seen, count = "", "", set(), 0
        for pages in itertools.count():
            page = core.request_of(listing, outer, pages=pages, lines=count, cursor=cursor)
            url = following or self._url + page
            answer = self._get(url, listing.part)
            document = self._json(answer, listing.part)
            lines = core.lines_in(listing, document, outer)
            count += len(lines)
            if before + count > MOST_LINES:
                raise core.Fault(listing.part, f"there are more than {MOST_LINES:,} lines in all")
            yield from lines
            if listing.paging == "none":
                return
            digest = hashlib.sha256(answer.content).digest()
            if lines and digest in seen:
                raise core.Fault(listing.part, f"GET {url} answered what another page had answered: it would never end")
            seen.add(digest)
            if listing.paging in ("page", "offset"):
                # A page with fewer lines than were asked for says nothing: the provider may never send as many.
                if not lines:
                    return
            elif listing.paging == "cursor":
                cursor = core.cursor_in(listing, document)
                if not cursor:
                    return
            else:
                following = self._linked(answer, listing.part)
                if not following:
                    return

    def _linked(self, answer: httpx.Response, part: str) -> str:
        """The next page by the Link header (RFC 8288), at the provider's own host."""
        link = answer.links.get("next", {}).get("url", "")
        if not link:
            return ""
        url = urljoin(str(answer.request.url), link)
        if urlsplit(url)[:2] != urlsplit(self._url)[:2]:
            raise core.Fault(part, f"the next page is at another host, {urlsplit(url).netloc}, and was not asked for")
        return url

    def _get(self, url: str, part: str) -> httpx.Response:
        if len(self._asked) == MOST_REQUESTS:
            raise core.Fault(part, f"a reading would take more than {MOST_REQUESTS:,} requests")
        self._asked.append(f"GET {url.removeprefix(self._url)}")
        if self._recorded is not None:
            return self._remembered(url, part)
        try:
            return self._sent("GET", url)
        except ProviderUnreadable as error:
            raise ProviderUnreadable(f"{error.message} It was asked by {part}.", next_step=error.next_step) from error

    def _sent(self, method: str, url: str, ok: Collection[int] = (200,), **more: Any) -> httpx.Response:
        """The answer to a request; a token that no longer counts is changed for a new one, once."""
        headers = more.pop("headers", {})
        if self._bearer():
            answer = self._caller.send(method, url, ok={*ok, 401}, headers=headers | self._bearer(), **more)
            if answer.status_code != 401 or 401 in ok:
                return answer
            self._token = ""
        return self._caller.send(method, url, ok=ok, headers=headers | self._bearer(), **more)

    def _remembered(self, url: str, part: str) -> httpx.Response:
        """The recorded answer to a request."""
        path = url.removeprefix(self._url)
        if self._recorded is None or path not in self._recorded:
            raise core.Fault(part, f"it asks for {path}, and no answer to that was recorded")
        content = json.dumps(self._recorded[path]).encode()
        return httpx.Response(200, content=content, request=httpx.Request("GET", url))

    def _json(self, answer: httpx.Response, part: str) -> Any:
        try:
            return json.loads(answer.content)
        except (ValueError, RecursionError) as error:
            said = "is nested too deeply" if isinstance(error, RecursionError) else "is no JSON"
            raise core.Fault(part, f"what GET {answer.request.url} answered {said}") from error

    # Changing

    def _act(self, act: core.Act, sent: core.Sent, idempotency_key: str) -> Answer:
        known = act.done | act.gone | act.later | act.refused
        more: dict[str, Any] = {} if sent.body is None else {"json": sent.body}
        headers = {"Idempotency-Key": idempotency_key}
        answer = self._sent(sent.method, self._url + sent.url, ok=known, headers=headers, **more)
        try:
            document = json.loads(answer.content) if answer.content else None
        except (ValueError, RecursionError) as error:
            if answer.content.lstrip()[:1] == b"<":
                # Whoever is not signed in is shown a page by many services, with the status of something done.
                raise ProviderUnreadable(
                    f"{self._url}{sent.url} answered {answer.status_code} with a page for people, and so not to this.",
                    next_step="Check the address and how the description signs in; nothing is taken to be done.",
                ) from error
            document = None
        verdict = core.answered(act, answer.status_code, document)
        if isinstance(verdict, Answer):
            return verdict
        raise ProviderRefused(
            f"{self._url}{sent.url} refused it: {verdict}.",
            next_step="Do it at the provider itself, or see what the description says about it.",
        )

    # Signing in

    def _headers(self) -> dict[str, str]:
        how = self._read.sign_in.how
        if how == "bearer":
            return {"Authorization": f"Bearer {self._secret}"}
        if how == "basic":
            return {"Authorization": f"Basic {b64encode(self._secret.encode()).decode()}"}
        return {self._read.sign_in.header: self._secret} if how == "header" else {}

    def _bearer(self) -> dict[str, str]:
        """A token of OAuth 2.0 (RFC 6749, 4.4 and 6), got once for as long as this connection lives."""
        how = self._read.sign_in.how
        if how not in ("client-credentials", "refresh"):
            return {}
        if not self._token:
            self._token = self._got(how)
        return {"Authorization": f"Bearer {self._token}"}

    def _got(self, how: str) -> str:
        try:
            given = json.loads(self._secret)
            credentials = (str(given["client_id"]), str(given["client_secret"]))
            form = {"grant_type": "client_credentials"}
            if how == "refresh":
                form = {"grant_type": "refresh_token", "refresh_token": str(given["refresh_token"])}
        except (ValueError, KeyError, TypeError) as error:
            wanted = "client_id, client_secret" + (" and refresh_token" if how == "refresh" else "")
            raise Invalid(
                f"The secret of the connector “described” cannot be used: it is no JSON object with {wanted}.",
                next_step=f"Give a JSON object with {wanted}.",
                errors=[{"at": "secret", "problem": "not a JSON object with these"}],
            ) from error
        if self._read.sign_in.scope:
            form["scope"] = self._read.sign_in.scope
        url = urljoin(f"{self._url}/", self._read.sign_in.token_url)
        answer = self._caller.send("POST", url, data=form, auth=credentials)
        try:
            token = self._json(answer, "sign_in")
        except core.Fault:
            token = None
        if not isinstance(token, dict) or not isinstance(token.get("access_token"), str):
            raise ProviderUnreadable(f"{url} answered no access_token.", next_step="Check token_url in sign_in.")
        return str(token["access_token"])
