"""The log's events: inserted freely by any transaction, numbered and linked afterwards by the one sealer."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import ColumnElement, delete, func, literal, or_, select, text, update
from sqlalchemy.dialects.postgresql import insert as upsert

from openlatch.core.record import tree
from openlatch.core.record.ledger import START, Event, form_of
from openlatch.store.bulk import add_rows, change_rows
from openlatch.store.inventory.rows import EntryRow
from openlatch.store.letting_in.rows import OfferPartRow
from openlatch.store.noun import Noun
from openlatch.store.orders.rows import OrderRow
from openlatch.store.pages import Page, Sort, page
from openlatch.store.record.rows import EventRow, NodeRow, SealRow

__all__ = ["EventFilter", "Events", "Head", "LoggedEvent"]

KEPT_FROM = 6
"""Subtrees of this level and above are kept; a smaller one is soon made of its leaves, which all are."""

COPIED = 2000
"""So many events of a copy are held at a time."""

STAYS = ("order.proved",)
"""Acts that stay at hand when they are archived: a receipt is shown with the proof that the log holds its event."""


@dataclass(frozen=True, slots=True)
class LoggedEvent:
    """An event as it lies in the log; `number` and `link` are None until it is sealed."""

    id: UUID
    subject_id: UUID
    content: dict[str, Any]
    number: int | None
    link: str | None


@dataclass(frozen=True, slots=True)
class Head:
    """The end of the sealed log: its size, its last link, when it was sealed, and what waits to be sealed.

    `grown` of its events are in the tree, whose root is `root`; what waits is not, for a few seconds. The oldest
    `archived` of them are in files elsewhere, up to the link `archived_link`; `archived_wholes` are the whole subtrees
    that they make, 64 hex digits each.
    """

    size: int
    link: str
    sealed_at: datetime | None
    unsealed: int
    grown: int = 0
    root: str = tree.EMPTY.hex()
    archived: int = 0
    archived_link: str = START
    archived_wholes: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class EventFilter:
    """Which events are wanted: about what, by or on behalf of whom, which acts, from when until before when."""

    subject_id: UUID | None = None
    account_id: UUID | None = None
    party_id: UUID | None = None
    entry_id: UUID | None = None
    actor: str = ""
    acts: tuple[str, ...] = ()
    since: datetime | None = None
    until: datetime | None = None


EVERYTHING = EventFilter()


def _logged(row: EventRow) -> LoggedEvent:
    return LoggedEvent(row.id, row.subject_id, row.content, row.number, row.link)


class Events(Noun):
    """Queries over the log."""

    def append(self, events: Iterable[Event]) -> None:
        rows = [
            {
                "workspace_id": self._workspace_id,
                "id": event.id,
                "at": event.at,
                "actor": event.actor,
                "act": event.act,
                "subject": event.subject,
                "subject_id": event.subject_id,
                "content": event.content(),
            }
            for event in events
        ]
        add_rows(self._session, EventRow, rows)

    def head(self) -> Head:
        """Return how far the log goes, and how many events wait to be sealed."""
        unsealed = self._session.scalar(select(func.count()).where(EventRow.number.is_(None))) or 0
        there, nodes = self._sealed(), self.nodes()
        pieces = tuple(nodes(*whole).hex() for whole in tree.wholes(0, there.archived))
        return replace(there, unsealed=unsealed, archived_wholes=pieces)

    def _sealed(self) -> Head:
        """How far the log goes, without counting what waits."""
        seal = self._session.get(SealRow, self._workspace_id, populate_existing=True)
        if seal is None:
            return Head(0, START, None, 0)
        root, begins = seal.root or tree.EMPTY.hex(), seal.archived_link or START
        head = Head(seal.size, seal.link, seal.sealed_at, 0, seal.grown, root)
        return replace(head, archived=seal.archived, archived_link=begins)

    def seal(self, link: Callable[[str, dict[str, Any]], str], now: datetime, most: int = 5000) -> int:
        """Number and link the committed events in their order; returns how many. One sealer at a time."""
        self._session.execute(select(func.pg_advisory_xact_lock(func.hashtext(str(self._workspace_id)))))
        head = self._sealed()
        waiting = self._session.execute(
            select(EventRow.id, EventRow.content)
            .where(EventRow.number.is_(None), text("written_by < pg_snapshot_xmin(pg_current_snapshot())"))
            .order_by(text("written_by"), EventRow.id)
            .limit(most)
        ).all()
        number, last = head.size, head.link
        sealed = []
        for row in waiting:
            number, last = number + 1, link(last, row.content)
            sealed.append({"workspace_id": self._workspace_id, "id": row.id, "number": number, "link": last})
        change_rows(self._session, EventRow, sealed, versioned=False)
        if sealed:
            values = {"size": number, "link": last, "sealed_at": now}
            self._session.execute(
                upsert(SealRow)
                .values(workspace_id=self._workspace_id, **values)
                .on_conflict_do_update(index_elements=["workspace_id"], set_=values)
            )
        self._grow(max(number, head.size), head.grown, most)
        return len(sealed)

    def _grow(self, size: int, grown: int, most: int) -> None:
        """Put what is sealed into the tree: each event, and the whole subtrees that it completes from a level on."""
        end = min(size, grown + most)
        if end == grown:
            return
        sealed = select(EventRow.content).where(EventRow.number > grown, EventRow.number <= end)
        contents = self._session.scalars(sealed.order_by(EventRow.number))
        new: dict[tuple[int, int], bytes] = {
            (0, grown + n): tree.leaf_of(form_of(value)) for n, value in enumerate(contents)
        }
        nodes = self._nodes(new)
        level = KEPT_FROM
        while end >> level:
            new |= {(level, place): nodes(level, place) for place in range(grown >> level, end >> level)}
            level += 1
        rows = [
            {"workspace_id": self._workspace_id, "level": at, "place": place, "hash": piece}
            for (at, place), piece in new.items()
        ]
        add_rows(self._session, NodeRow, rows)
        values = {"grown": end, "root": tree.root(nodes, end).hex()}
        self._session.execute(update(SealRow).where(SealRow.workspace_id == self._workspace_id).values(**values))

    def _nodes(self, new: Mapping[tuple[int, int], bytes]) -> tree.Nodes:
        """The whole subtrees of the log: those at hand, those that are kept, and the small ones from their leaves."""
        known = dict(new)

        def node(level: int, place: int) -> bytes:
            if (level, place) in known:
                return known[level, place]
            if level < KEPT_FROM and (0, place << level) not in known:
                first = place << level
                leaves = (NodeRow.level == 0, NodeRow.place >= first, NodeRow.place < first + (1 << level))
                rows = self._session.execute(select(NodeRow.place, NodeRow.hash).where(*leaves))
                known.update({(0, row.place): row.hash for row in rows})
            elif level >= KEPT_FROM and (kept := self._kept(level, place)) is not None:
                known[level, place] = kept
            if (level, place) not in known:
                known[level, place] = tree.parent(node(level - 1, 2 * place), node(level - 1, 2 * place + 1))
            return known[level, place]

        return node

    def _kept(self, level: int, place: int) -> bytes | None:
        return self._session.scalar(select(NodeRow.hash).where(NodeRow.level == level, NodeRow.place == place))

    def nodes(self) -> tree.Nodes:
        """Return what proofs of the log are made of."""
        return self._nodes({})

    def sealed(self, event_id: UUID) -> LoggedEvent | None:
        """Return an event, if it is sealed."""
        row = self._session.scalar(select(EventRow).where(EventRow.id == event_id, EventRow.number.is_not(None)))
        return None if row is None else _logged(row)

    def last_of(self, subject_id: UUID, act: str) -> LoggedEvent | None:
        """Return the last event of one act about something, sealed or not."""
        mine = (EventRow.subject_id == subject_id, EventRow.act == act)
        row = self._session.scalar(select(EventRow).where(*mine).order_by(EventRow.id.desc()).limit(1))
        return None if row is None else _logged(row)

    def after(self, number: int, limit: int) -> tuple[LoggedEvent, ...]:
        """Return the sealed events that come after a place in the log, in its order; none that are archived."""
        seal = self._sealed()
        query = select(EventRow).where(EventRow.number > max(number, seal.archived), EventRow.number <= seal.size)
        return tuple(_logged(row) for row in self._session.scalars(query.order_by(EventRow.number).limit(limit)))

    def before(self, instant: datetime) -> int:
        """Return how many events of the log, the oldest, are of before an instant, one and all."""
        later = select(func.min(EventRow.number)).where(EventRow.at >= instant, EventRow.number.is_not(None))
        first = self._session.scalar(later)
        return self._sealed().grown if first is None else first - 1

    def archive(self, through: int) -> None:
        """Note that the events up to a number are in files elsewhere: from then on they can be cleared."""
        link = self._session.scalar(select(EventRow.link).where(EventRow.number == through))
        mine = SealRow.workspace_id == self._workspace_id
        self._session.execute(update(SealRow).where(mine).values(archived=through, archived_link=link))

    def clear(self, after: int, most: int) -> int:
        """Delete archived events that come after a number, of so many numbers at most; returns up to which.

        Their hashes stay in the tree, and so every proof can still be given.
        """
        last = min(after + most, self._sealed().archived)
        gone = (EventRow.number > after, EventRow.number <= last, EventRow.act != func.all(list(STAYS)))
        self._session.execute(delete(EventRow).where(*gone))
        return last

    def copy(self, end: int | None = None) -> Iterator[str]:
        """Return what is at hand of the sealed log in its order, all or up to a number.

        An event a line: its number, its link and its content, as JSON.
        """
        seal = self._sealed()
        end = seal.size if end is None else end
        line = text(
            "'{\"number\":' || number || ',\"link\":\"' || link || '\",\"content\":' || cast(content as text) || '}'"
        )
        query = (
            select(line)
            .select_from(EventRow)
            .where(EventRow.number.between(seal.archived + 1, end))
            .order_by(EventRow.number)
        )
        return self._session.scalars(query, execution_options={"yield_per": COPIED})

    def browse(
        self,
        wanted: EventFilter = EVERYTHING,
        *,
        sealed_only: bool = False,
        oldest_first: bool = False,
        limit: int,
        cursor: str | None,
    ) -> Page[LoggedEvent]:
        """Return events; those of an account, a party or an entry include those of its entries, orders and offers."""
        query = select(EventRow).where(*_conditions(wanted))
        for each_id, whose in ((wanted.account_id, EntryRow.account_id), (wanted.party_id, EntryRow.party_id)):
            if each_id is not None:
                theirs = select(EntryRow.id).where(whose == each_id)
                on: ColumnElement[bool] = OrderRow.entry_id.in_(theirs)
                if each_id == wanted.party_id:
                    on = or_(on, OrderRow.team_id == each_id, OrderRow.member_id == each_id)
                orders = select(OrderRow.id).where(on)
                offers = select(OfferPartRow.offer_id).where(OfferPartRow.entry_id.in_(theirs))
                first = select(literal(each_id, EntryRow.id.type).label("id"))
                about = first.union_all(theirs, orders, offers).subquery()
                query = query.where(EventRow.subject_id.in_(select(about.c.id)))
        if wanted.entry_id is not None:
            # What was given as it was offered goes on as another entry.
            offered = select(OfferPartRow.entry_id).where(OfferPartRow.live_id == wanted.entry_id)
            same = select(literal(wanted.entry_id, EntryRow.id.type).label("id")).union_all(offered).cte()
            orders = select(OrderRow.id).where(OrderRow.entry_id.in_(select(same.c.id)))
            offers = select(OfferPartRow.offer_id).where(OfferPartRow.entry_id.in_(select(same.c.id)))
            about = select(same.c.id).union_all(orders, offers).subquery()
            query = query.where(EventRow.subject_id.in_(select(about.c.id)))
        if sealed_only:
            query = query.where(EventRow.number.is_not(None))
            sort = Sort("number", (EventRow.number,), descending=not oldest_first)
        else:
            sort = Sort("time", (EventRow.at, EventRow.id), descending=not oldest_first)
        return page(self._session, query, sort, limit=limit, cursor=cursor, read=lambda r: _logged(r[0]))


def _conditions(wanted: EventFilter) -> list[ColumnElement[bool]]:
    """What has to hold for an event itself; whose entries it may be about is looked up apart."""
    conditions: list[ColumnElement[bool]] = []
    if wanted.subject_id is not None:
        conditions.append(EventRow.subject_id == wanted.subject_id)
    if wanted.actor:
        behalf = EventRow.content["on_behalf_of"].astext
        conditions.append(
            or_(
                EventRow.actor.icontains(wanted.actor, autoescape=True), behalf.icontains(wanted.actor, autoescape=True)
            )
        )
    if wanted.acts:
        conditions.append(EventRow.act == func.any(list(wanted.acts)))
    if wanted.since is not None:
        conditions.append(EventRow.at >= wanted.since)
    if wanted.until is not None:
        conditions.append(EventRow.at < wanted.until)
    return conditions
