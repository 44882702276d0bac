"""The connector for any provider that serves the feed protocol (docs/feed/README.md)."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from datetime import time, timedelta
from typing import Any, ClassVar, TypeVar
from urllib.parse import quote

import httpx

from openlatch.connecting.capabilities import Changes, Ends, Finds, Gives, HasTeams
from openlatch.connecting.http import Caller, checked_settings
from openlatch.core.hours import DAYS, Hours, Window
from openlatch.core.limits import Limits
from openlatch.core.model import Abilities, Dependency
from openlatch.core.powers import in_order
from openlatch.core.providers.observation import (
    SHARED,
    Observation,
    ObservedAccount,
    ObservedActivity,
    ObservedEntry,
    ObservedMembership,
    ObservedParty,
    behind,
    spread,
)
from openlatch.core.providers.ports import About, Answer, Change, Found, Gift, Hindrance, Page, Setting
from openlatch.core.providers.sharing import Document, Selector, Statement
from openlatch.errors import ProviderRefused, ProviderUnreadable
from openlatch.wire.providers.feed import (
    AmendmentOutcome,
    Description,
    EndingOutcome,
    FeedAccount,
    FeedActivity,
    FeedDocument,
    FeedEntry,
    FeedHours,
    FeedInvitee,
    FeedLimits,
    FeedPage,
    FeedParty,
    FeedStatement,
    FeedWindow,
    GivingOutcome,
    TeamChangeOutcome,
)
from openlatch.words import Criticality, Kind, PartyKind, PartyStatus, Power, ReadingOutcome, Side, State

__all__ = ["FeedConnector"]

Outcome = TypeVar("Outcome", EndingOutcome, AmendmentOutcome, GivingOutcome, TeamChangeOutcome)

_MOST_PAGES = 100_000


class FeedConnector(Ends, Changes, Finds, Gives, HasTeams):
    """Speaks the feed protocol."""

    made_for: ClassVar[int] = 1
    about: ClassVar[About] = About(
        "our own feed protocol (docs/feed)",
        (Setting("url", "base address, such as https://desk.example/latch"),),
        "bearer token",
    )

    def __init__(self, settings: Mapping[str, str], secret: str, transport: httpx.BaseTransport | None = None) -> None:
        self._url, _ = checked_settings("feed", self.about, settings, url="url")
        headers = {"Authorization": f"Bearer {secret}", "Accept": "application/json"}
        self._caller = Caller("the feed protocol", headers, transport)

    def abilities(self) -> Abilities:
        described = self._caller.parsed(Description, self._caller.send("GET", self._url))
        feed_abilities = described.abilities
        return Abilities(
            frozenset(Kind(k) for k in feed_abilities.lists),
            frozenset(Kind(k) for k in feed_abilities.ends),
            feed_abilities.at_once,
            Side(feed_abilities.redone_by),
            consent=feed_abilities.consent,
            consent_for=frozenset(Power(p) for p in feed_abilities.consent_for),
            narrows=frozenset(Kind(k) for k in feed_abilities.narrows),
            pauses=frozenset(Kind(k) for k in feed_abilities.pauses),
            dates=frozenset(Kind(k) for k in feed_abilities.dates),
            raises=frozenset(Kind(k) for k in feed_abilities.raises),
            prolongs=frozenset(Kind(k) for k in feed_abilities.prolongs),
            widens=frozenset(Kind(k) for k in feed_abilities.widens),
            enforces=frozenset(Kind(k) for k in feed_abilities.enforces),
            one_each=feed_abilities.one_each,
            adds_members=feed_abilities.adds_members,
            removes_members=feed_abilities.removes_members,
            gives=frozenset(Kind(k) for k in feed_abilities.gives),
            gives_until=frozenset(Kind(k) for k in feed_abilities.gives_until),
            gives_hours=frozenset(Kind(k) for k in feed_abilities.gives_hours),
            levels=_meant(described.levels),
            permissions=tuple(_meant(described.permissions).items()),
            single=described.single,
            limits=_limits(described.limits),
        )

    def pages(self, cursor: str = "", before: Sequence[Page] = ()) -> Iterator[Page]:
        self._caller.reads()
        cursors = {page.cursor for page in before}
        for _ in range(_MOST_PAGES):
            query = f"?cursor={quote(cursor, safe='')}" if cursor else ""
            page = self._page(f"{self._url}/inventory{query}")
            if page.next is None:
                yield _observed(page)
                return
            if page.next in cursors:
                yield _observed(page)
                raise ProviderUnreadable(
                    f"{self._url} gave the cursor {cursor!r} twice, so its inventory has no end.",
                    next_step="Tell whoever runs the feed; what was known before is kept.",
                )
            cursor = page.next
            cursors.add(cursor)
            yield replace(_observed(page), cursor=cursor)
        raise ProviderUnreadable(f"{self._url} has more than {_MOST_PAGES} pages.", next_step="Ask for larger pages.")

    def look(self, party: str) -> Observation:
        return spread(self._seen(party), only=party)

    def end(self, entry: str, party: str, idempotency_key: str) -> Answer:
        body: dict[str, Any] = {"entry": entry, "party": party}
        if entry.startswith(SHARED):
            shared = behind(self._seen(party), entry)
            if shared is None:
                return Answer("no document gives it", already=True)
            to, documents = shared
            body |= {"documents": documents, "to": {to.kind: to.value or True}}
        return self._asked(EndingOutcome, "endings", body, idempotency_key, f"end {entry!r}")

    def change(self, entry: str, party: str, change: Change, idempotency_key: str) -> Answer:
        body: dict[str, Any] = {"entry": entry, "party": party}
        if change.level:
            body["level"] = change.level
        if change.resources is not None:
            body["resources"] = list(change.resources)
        if change.ends_at is not None:
            body["ends_at"] = change.ends_at.isoformat()
        if change.paused is not None:
            body["paused"] = change.paused
        if change.hours is not None:
            body["hours"] = _shown(change.hours)
        if change.lifts:
            body["lifts"] = list(change.lifts)
        return self._asked(AmendmentOutcome, "changes", body, idempotency_key, f"change {entry!r}")

    def find(self, text: str) -> Found:
        answer = self._caller.send("GET", f"{self._url}/invitees", ok=(200, 404, 501), params={"who": text})
        if answer.status_code != 200:
            return Found()  # a provider need not be able to tell
        invitee = self._caller.parsed(FeedInvitee, answer)
        return Found(invitee.key or "", invitee.name, tuple(Hindrance(h.kind, h.reason) for h in invitee.hindrances))

    def give(self, party: str, gift: Gift, idempotency_key: str) -> Answer:
        body: dict[str, Any] = {
            "account": gift.account,
            "party": party,
            "kind": gift.kind.value,
            "level": gift.level,
            "permissions": list(gift.permissions),
            "resources": list(gift.resources),
            "again": gift.again or None,
        }
        if gift.ends_at is not None:
            body["ends_at"] = gift.ends_at.isoformat()
        if gift.hours is not None:
            body["hours"] = _shown(gift.hours)
        return self._asked(GivingOutcome, "givings", body, idempotency_key, f"give {gift.level!r} on {gift.account!r}")

    def set_member(self, team: str, member: str, idempotency_key: str, *, belongs: bool) -> Answer:
        body = {"team": team, "member": member, "belongs": belongs}
        what = f"{'add' if belongs else 'remove'} {member!r} {'to' if belongs else 'from'} the team {team!r}"
        return self._asked(TeamChangeOutcome, "memberships", body, idempotency_key, what)

    def _asked(self, shape: type[Outcome], where: str, body: dict[str, Any], key: str, what: str) -> Answer:
        """Ask for something under an idempotency key; `what` says it in a refusal."""
        answer = self._caller.send(
            "POST", f"{self._url}/{where}", ok=(200, 202, 409), json=body, headers={"Idempotency-Key": key}
        )
        outcome = self._caller.parsed(shape, answer)
        if outcome.outcome == "refused":
            raise ProviderRefused(
                f"The provider refused to {what}: {outcome.reason or 'it gave no reason'}.",
                next_step="Do what the reason asks for, then try again.",
                reason=outcome.reason,
            )
        said = f"{outcome.outcome}: {outcome.reason}" if outcome.reason else outcome.outcome
        return Answer(said, already=outcome.outcome.startswith("already"), later=outcome.outcome == "accepted")

    def _seen(self, party: str) -> Observation:
        page = _observed(self._page(f"{self._url}/parties/{quote(party, safe='')}/inventory"))
        return Observation(
            ReadingOutcome.COMPLETE, page.accounts, page.parties, page.entries, page.memberships, page.documents
        )

    def _page(self, url: str) -> FeedPage:
        return self._caller.parsed(FeedPage, self._caller.send("GET", url))


def _observed(page: FeedPage) -> Page:
    return Page(
        accounts=tuple(_account(a) for a in page.accounts),
        parties=tuple(_party(p) for p in page.parties),
        entries=tuple(_entry(e) for e in page.entries),
        memberships=tuple(ObservedMembership(m.team, m.member, m.since, m.how) for m in page.memberships),
        documents=tuple(_document(d) for d in page.documents),
        activity=tuple(_activity(a) for a in page.activity),
        total=page.total,
    )


def _account(a: FeedAccount) -> ObservedAccount:
    return ObservedAccount(a.key, a.name, Criticality(a.criticality), a.practice, a.locked)


def _party(p: FeedParty) -> ObservedParty:
    return ObservedParty(
        key=p.key,
        kind=PartyKind(p.kind),
        name=p.name,
        addresses=tuple(p.addresses),
        status=PartyStatus(p.status),
        verified=p.verified,
        publisher=p.publisher,
        home=p.home,
        service=p.service,
    )


def _meant(words: Mapping[str, Iterable[str]]) -> dict[str, tuple[Power, ...]]:
    return {name: in_order(Power(p) for p in powers) for name, powers in words.items()}


def _limits(limits: FeedLimits) -> Limits:
    longest = timedelta(days=limits.longest_days) if limits.longest_days is not None else None
    never = frozenset(Power(p) for p in limits.never)
    return Limits(limits.most, limits.outsiders, never, longest, limits.opt_in)


def _shown(hours: Hours) -> dict[str, Any]:
    windows = [
        {"days": [DAYS[d] for d in sorted(w.days)], "start": f"{w.start:%H:%M}", "end": f"{w.end:%H:%M}"}
        for w in hours.windows
    ]
    return {"zone": hours.zone, "windows": windows}


def _hours(h: FeedHours) -> Hours:
    return Hours(h.zone, _windows(h.windows))


def _windows(windows: Iterable[FeedWindow]) -> tuple[Window, ...]:
    return tuple(
        Window(frozenset(DAYS.index(d) for d in w.days), time.fromisoformat(w.start), time.fromisoformat(w.end))
        for w in windows
    )


def _activity(a: FeedActivity) -> ObservedActivity:
    power = Power(a.power) if a.power else None
    return ObservedActivity(
        key=a.key,
        at=a.at,
        account=a.account,
        party=a.party,
        behalf_of=a.behalf_of,
        entry=a.entry,
        power=power,
        what=a.what,
    )


def _document(d: FeedDocument) -> Document:
    return Document(d.key, d.account, d.resource, d.zone, tuple(_statement(s) for s in d.statements))


def _statement(s: FeedStatement) -> Statement:
    return Statement(
        allow=s.effect == "allow",
        to=frozenset(
            Selector("anyone")
            if selector.anyone
            else Selector("domain", selector.domain)
            if selector.domain
            else Selector("party", selector.party or "")
            for selector in s.to
        ),
        powers=frozenset(Power(p) for p in s.powers),
        networks=None if s.networks is None else tuple(s.networks),
        hours=None if s.hours is None else _windows(s.hours),
        level=s.level,
        given_at=s.given_at,
        given_by=s.given_by,
        basis=s.basis,
        last_used=s.last_used,
        use_known=s.use_known,
    )


def _entry(e: FeedEntry) -> ObservedEntry:
    return ObservedEntry(
        key=e.key,
        account=e.account,
        party=e.party,
        kind=Kind(e.kind),
        level=e.level,
        powers=None if e.powers is None else tuple(Power(p) for p in e.powers),
        state=State(e.state),
        permissions=tuple(e.permissions),
        resources=tuple(e.resources),
        given_at=e.given_at,
        given_by=e.given_by,
        accepted_at=e.accepted_at,
        last_used=e.last_used,
        use_known=e.use_known,
        uses=None if e.uses is None else {Power(p): at for p, at in e.uses.items()},
        ends_at=e.ends_at,
        end_unknown=e.end_unknown,
        hours=None if e.hours is None else _hours(e.hours),
        reviewed_at=tuple(e.reviewed_at),
        basis=e.basis,
        hangs_on=e.hangs_on,
        dependencies=tuple(Dependency(d.kind, d.what, d.next_at) for d in e.dependencies),
        device=e.device,
        network=e.network,
    )
