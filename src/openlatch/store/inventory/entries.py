"""Entries: the inventory, and the lists that people make of it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, time
from itertools import accumulate
from types import MappingProxyType
from typing import Any, NamedTuple, TypeVar
from uuid import UUID

from sqlalchemy import and_, case, func, literal, not_, or_, select, text, update

from openlatch.core.hours import Hours, Window
from openlatch.core.model import Account, Entry, Party, Provider
from openlatch.errors import Changed, Invalid
from openlatch.store.bulk import add_rows, change_rows
from openlatch.store.codec import Codec, Form
from openlatch.store.inventory.accounts import ACCOUNT
from openlatch.store.inventory.parties import PARTY, party_matches
from openlatch.store.inventory.rows import AccountRow, EntryRow, PartyRow
from openlatch.store.inventory.tallies import Summary
from openlatch.store.noun import Noun, id_or_ref, missing
from openlatch.store.orders.rows import OrderRow
from openlatch.store.pages import Page, Sort, folded, page
from openlatch.store.providers.providers import PROVIDER
from openlatch.store.providers.rows import ProviderRow
from openlatch.store.rules.rows import FlagRow
from openlatch.words import EndReason, Kind, Power, State

__all__ = ["ENTRY", "NO_DIGESTS", "SORTS", "Entries", "EntryFilter", "Listed", "Mark", "listing"]

V = TypeVar("V")
NO_DIGESTS: Mapping[str, bytes] = MappingProxyType({})


@dataclass(frozen=True, slots=True)
class EntryFilter:
    """Which entries a list shows; what is left empty does not restrict it. `parties` restricts to their own."""

    q: str = ""
    states: tuple[State, ...] = ()
    kinds: tuple[Kind, ...] = ()
    powers: tuple[Power, ...] = ()
    provider_id: UUID | None = None
    account_id: UUID | None = None
    party_id: UUID | None = None
    flagged: bool | None = None
    rule: str = ""
    outside: bool | None = None
    unknown: bool | None = None
    ends: str = ""
    risk: int = 0
    own_party: UUID | None = None


class Mark(NamedTuple):
    """What is kept beside an entry so that lists can be sorted by it; what is None stays as it is."""

    id: UUID
    severity: int | None = None
    """the rank of the worst flag on it or on its party"""
    outside: bool | None = None
    risk: int | None = None


_MARK = text("""
    update entries set severity = coalesce(new.severity, entries.severity),
        outside = coalesce(new.outside, entries.outside), risk = coalesce(new.risk, entries.risk)
    from unnest(cast(:ids as uuid[]), cast(:severities as smallint[]), cast(:outsides as boolean[]),
        cast(:risks as smallint[])) as new (id, severity, outside, risk)
    where entries.workspace_id = :workspace and entries.id = new.id
        and (entries.severity <> new.severity or entries.outside <> new.outside or entries.risk <> new.risk)
""")


@dataclass(frozen=True, slots=True)
class Listed:
    """An entry with what a list shows beside it."""

    entry: Entry
    party: Party
    account: Account
    provider: Provider
    severity: int
    outside: bool
    risk: int = 0


_NEVER = literal(datetime(1970, 1, 1, tzinfo=UTC), EntryRow.last_used.type)
_FAR = literal(datetime(9999, 12, 31, tzinfo=UTC), EntryRow.ends_at.type)

SORTS: Mapping[str, Sort] = {
    sort.name: sort
    for sort in (
        Sort("severity", (-EntryRow.severity, func.coalesce(EntryRow.last_used, _NEVER), EntryRow.id)),
        Sort("risk", (-EntryRow.risk, EntryRow.id)),
        Sort("party", (folded(PartyRow.name), EntryRow.id)),
        Sort("account", (folded(AccountRow.name), folded(PartyRow.name), EntryRow.id)),
        Sort("last-used", (func.coalesce(EntryRow.last_used, _NEVER), EntryRow.id)),
        Sort("given", (func.coalesce(EntryRow.given_at, _NEVER), EntryRow.id), descending=True),
        Sort("ends", (func.coalesce(EntryRow.ends_at, _FAR), EntryRow.id)),
    )
}
"""The orders in which the inventory can be listed."""


def _hours(stored: Mapping[str, Any] | None) -> Hours | None:
    if stored is None:
        return None
    return Hours(
        stored["zone"],
        tuple(
            Window(frozenset(w["days"]), time.fromisoformat(w["start"]), time.fromisoformat(w["end"]))
            for w in stored["windows"]
        ),
    )


def _stored_hours(hours: Hours | None) -> dict[str, Any] | None:
    if hours is None:
        return None
    windows = [{"days": sorted(w.days), "start": f"{w.start:%H:%M}", "end": f"{w.end:%H:%M}"} for w in hours.windows]
    return {"zone": hours.zone, "windows": windows}


ENTRY = Codec(EntryRow, Entry, forms={"hours": Form(_stored_hours, _hours), "reviewed_at": Form(sorted, tuple)})


class Entries(Noun):
    """Queries over entries."""

    def add(self, entries: Iterable[Entry], digests: Mapping[str, bytes] = NO_DIGESTS) -> None:
        """Store new entries, with the digests of what was observed, by their keys."""
        same = {"severity": 0, "outside": False}
        rows = [{**row, **same, "digest": digests.get(row["key"])} for row in self._rows_of(ENTRY, entries)]
        add_rows(self._session, EntryRow, rows)

    def save(self, entry: Entry) -> None:
        """Store an entry that is one version on; refuses if someone else changed it meanwhile."""
        self._save("entry", ENTRY, entry, digest=None)

    def save_all(self, entries: Iterable[Entry], digests: Mapping[str, bytes] = NO_DIGESTS) -> None:
        """Store entries that are each one version on; refuses if someone else changed one of them meanwhile."""
        rows = [{**row, "digest": digests.get(row["key"])} for row in self._rows_of(ENTRY, entries)]
        if not change_rows(self._session, EntryRow, rows, versioned=True):
            raise Changed(
                "An entry was changed by someone else at the same moment. Nothing was changed.",
                next_step="Look at it again.",
            )

    def ending(self, after: datetime, until: datetime, *, party_id: UUID | None = None, limit: int) -> list[UUID]:
        """Return the standing entries that end after an instant and no later than another, the soonest first."""
        query = select(EntryRow.id).where(
            EntryRow.state != State.ENDED.value, EntryRow.ends_at > after, EntryRow.ends_at <= until
        )
        if party_id is not None:
            query = query.where(EntryRow.party_id == party_id)
        return list(self._session.scalars(query.order_by(EntryRow.ends_at, EntryRow.id).limit(limit)))

    def digests(self, provider_id: UUID) -> dict[str, bytes | None]:
        """Return the digest of every standing entry of a provider, by its key."""
        query = select(EntryRow.key, EntryRow.digest).where(
            EntryRow.provider_id == provider_id, EntryRow.state != State.ENDED.value
        )
        return dict(self._session.execute(query).all())

    def digested(self, digests: Mapping[UUID, bytes], now: datetime) -> None:
        """Record the digests of entries that a reading has just seen as they were, by their ids."""
        statement = text(
            "update entries set digest = seen.digest, last_seen = :now "
            "from unnest(cast(:ids as uuid[]), cast(:digests as bytea[])) as seen (id, digest) "
            "where entries.workspace_id = :workspace and entries.id = seen.id"
        )
        values = {"ids": list(digests), "digests": list(digests.values()), "now": now, "workspace": self._workspace_id}
        if digests:
            self._session.execute(statement, values)

    def vouch(self, ids: Iterable[UUID], by: str, at: datetime) -> None:
        """Record that someone vouched for these entries."""
        chosen = EntryRow.id == func.any(list(ids))
        self._session.execute(update(EntryRow).where(chosen).values(vouched_at=at, vouched_by=by))

    def worn_off(self, now: datetime) -> dict[UUID, int]:
        """Return for each provider how many standing entries are kept by hand, and nobody vouched for them lately."""
        counts_from = now - func.make_interval(0, 0, 0, ProviderRow.vouch_days)
        query = (
            select(EntryRow.provider_id, func.count())
            .join(
                ProviderRow,
                and_(ProviderRow.workspace_id == EntryRow.workspace_id, ProviderRow.id == EntryRow.provider_id),
            )
            .where(
                EntryRow.state != State.ENDED.value,
                EntryRow.by_hand,
                func.coalesce(EntryRow.vouched_at >= counts_from, False).is_(False),
            )
            .group_by(EntryRow.provider_id)
        )
        return dict(self._session.execute(query).all())

    def reviewed(self, kept: Sequence[UUID], unanswered: Sequence[UUID], at: datetime) -> None:
        """Keep that entries were looked at and kept in a review, and that others were asked about in vain."""
        changes = (
            (kept, {"reviewed_at": func.array_append(EntryRow.reviewed_at, at), "unanswered_at": None}),
            (unanswered, {"unanswered_at": at}),
        )
        for ids, values in changes:
            if ids:
                changed = {**values, "version": EntryRow.version + 1}
                self._session.execute(update(EntryRow).where(EntryRow.id == func.any(list(ids))).values(**changed))

    def mark(self, marks: Iterable[Mark]) -> None:
        """Keep beside entries what was found of them.

        In one statement: an entry is in many indexes, and each time that its row is written it is written in all.
        """
        every = list(marks)
        if not every:
            return
        ids, severities, outsides, risks = (list(column) for column in zip(*every, strict=True))
        values = {"ids": ids, "severities": severities, "outsides": outsides, "risks": risks}
        self._session.execute(_MARK, values | {"workspace": self._workspace_id})

    def marked_by(self, ids: Iterable[UUID]) -> dict[UUID, tuple[UUID, bool]]:
        """Return the entries among the ids, and those that parties among them hold: each with its party, and whether
        that is outside.
        """
        wanted = list(ids)
        query = (
            select(EntryRow.id, EntryRow.party_id, PartyRow.outside)
            .join(PartyRow, and_(PartyRow.workspace_id == EntryRow.workspace_id, PartyRow.id == EntryRow.party_id))
            .where(or_(EntryRow.id == func.any(wanted), EntryRow.party_id == func.any(wanted)))
        )
        return {row.id: (row.party_id, row.outside) for row in self._session.execute(query)}

    def on(self, account_ids: Iterable[UUID]) -> tuple[Entry, ...]:
        """Return the standing entries on these accounts."""
        query = select(EntryRow).where(
            EntryRow.state != State.ENDED.value, EntryRow.account_id == func.any(list(account_ids))
        )
        return tuple(self._values(ENTRY, query.order_by(EntryRow.id)))

    def standing(self, provider_id: UUID | None = None, keys: Iterable[str] | None = None) -> tuple[Entry, ...]:
        """Return the standing entries: all, or one provider's, or those of it with these keys."""
        query = select(EntryRow).where(EntryRow.state != State.ENDED.value)
        if keys is not None:
            query = query.where(EntryRow.key == func.any(list(keys)))
        if provider_id is not None:
            query = query.where(EntryRow.provider_id == provider_id)
        return tuple(self._values(ENTRY, query))

    def held_by(self, party_ids: Iterable[UUID], accounts: Iterable[UUID] | None = None) -> tuple[Entry, ...]:
        """Return the standing entries of these parties, on all accounts or on these."""
        query = select(EntryRow).where(
            EntryRow.state != State.ENDED.value, EntryRow.party_id == func.any(list(party_ids))
        )
        if accounts is not None:
            query = query.where(EntryRow.account_id == func.any(list(accounts)))
        return tuple(self._values(ENTRY, query.order_by(EntryRow.id)))

    def ids_of(self, party_ids: Iterable[UUID], account_ids: Iterable[UUID]) -> list[UUID]:
        """Return the standing entries of some parties, and those on some accounts, by their ids alone."""
        theirs = or_(EntryRow.party_id == func.any(list(party_ids)), EntryRow.account_id == func.any(list(account_ids)))
        return list(self._session.scalars(select(EntryRow.id).where(EntryRow.state != State.ENDED.value, theirs)))

    def let_go(self, party_id: UUID) -> list[UUID]:
        """Return the entries of a party that nobody looks at any more, since their provider was removed."""
        query = select(EntryRow.id).where(
            EntryRow.party_id == party_id, EntryRow.end_reason == EndReason.PROVIDER_REMOVED.value
        )
        return list(self._session.scalars(query.order_by(EntryRow.id)))

    def around(self, entries: Iterable[Entry]) -> tuple[Entry, ...]:
        """Return the standing entries that are of the same parties as these, or on the same accounts."""
        several = tuple(entries)
        query = select(EntryRow).where(
            EntryRow.state != State.ENDED.value,
            or_(
                EntryRow.party_id == func.any([entry.party_id for entry in several]),
                EntryRow.account_id == func.any([entry.account_id for entry in several]),
            ),
        )
        return tuple(self._values(ENTRY, query.order_by(EntryRow.id)))

    def some(self, ids: Iterable[UUID], *, lock: bool = False) -> dict[UUID, Entry]:
        """Return entries by their ids; with `lock`, no other transaction changes them until this one is over."""
        query = select(EntryRow).where(EntryRow.id == func.any(list(ids))).order_by(EntryRow.id)
        if lock:
            query = query.with_for_update()
        return {entry.id: entry for entry in self._values(ENTRY, query)}

    def lock(self, entry_id: UUID) -> Entry:
        """Return an entry that no other transaction changes until this one is over."""
        query = select(EntryRow).where(EntryRow.id == entry_id).with_for_update()
        row = self._session.scalar(query.execution_options(populate_existing=True))
        if row is None:
            raise missing("entry", entry_id)
        return ENTRY.read(row)

    def find(self, text: str, own_party: UUID | None = None) -> Listed:
        """Return the entry that a person means, by id or short form."""
        wanted = id_or_ref(text)
        if wanted is None:
            raise missing("entry", text)
        query = _beside(listing(EntryFilter(own_party=own_party)))
        where = EntryRow.id == wanted if isinstance(wanted, UUID) else EntryRow.ref == wanted
        rows = self._session.execute(query.where(where).limit(2)).all()
        if not rows:
            raise missing("entry", text)
        if len(rows) > 1:
            raise Invalid(f"“{text}” is the short form of two entries.", next_step="Use the full id of the one meant.")
        return _reader()(rows[0])

    def foremost(self, ids: Iterable[UUID], most: int) -> list[UUID]:
        """Return so many of some entries at most: accounts with the most risk first, and all of an account together."""
        worst = func.max(EntryRow.risk).over(partition_by=EntryRow.account_id)
        query = listing(EntryFilter()).with_only_columns(EntryRow.id).where(EntryRow.id == func.any(list(ids)))
        by = (worst.desc(), AccountRow.name, AccountRow.id, EntryRow.risk.desc(), PartyRow.name, EntryRow.id)
        return list(self._session.scalars(query.order_by(*by).limit(most)))

    def since(self, ids: Iterable[UUID], at: datetime) -> list[UUID]:
        """Return those of some entries that were seen first after an instant."""
        query = select(EntryRow.id).where(EntryRow.id == func.any(list(ids)), EntryRow.first_seen > at)
        return list(self._session.scalars(query.order_by(EntryRow.id)))

    def administering(self, account_ids: Iterable[UUID]) -> list[tuple[UUID, UUID]]:
        """Return who may admit others to these accounts: each account with such a party."""
        query = select(EntryRow.account_id, EntryRow.party_id).where(
            EntryRow.state != State.ENDED.value,
            EntryRow.account_id == func.any(list(account_ids)),
            EntryRow.powers.contains([Power.ADMIT.value]),
        )
        return [(row[0], row[1]) for row in self._session.execute(query)]

    def about(self, ids: Iterable[UUID]) -> dict[UUID, Listed]:
        """Return the entries among the ids, and for ids of orders the entries that these are on."""
        wanted = list(ids)
        of_orders = select(OrderRow.id, OrderRow.entry_id).where(
            OrderRow.id == func.any(wanted), OrderRow.entry_id.is_not(None)
        )
        orders = {row[0]: row[1] for row in self._session.execute(of_orders)}
        entries = self._gathered([*wanted, *(entry for entry in orders.values() if entry is not None)])
        return entries | {order: entries[entry] for order, entry in orders.items() if entry is not None}

    def _gathered(self, ids: Sequence[UUID]) -> dict[UUID, Listed]:
        """Return entries, which may be thousands, with what is beside them: each party and account is read once."""
        query = select(*ENTRY.columns, *_MARKS).where(EntryRow.id == func.any(ids))
        own = len(ENTRY.columns)
        rows = [(ENTRY.of(row[:own]), row[own:]) for row in self._session.execute(query)]
        parties = self._each(PARTY, {entry.party_id for entry, _ in rows})
        accounts = self._each(ACCOUNT, {entry.account_id for entry, _ in rows})
        providers = self._each(PROVIDER, {entry.provider_id for entry, _ in rows})
        return {
            entry.id: Listed(
                entry, parties[entry.party_id], accounts[entry.account_id], providers[entry.provider_id], *marks
            )
            for entry, marks in rows
        }

    def _each(self, codec: Codec[V], ids: Iterable[UUID]) -> dict[UUID, V]:
        """Return the things with these ids, by them."""
        row: Any = codec.row
        query = select(row.id, *codec.columns).where(row.id == func.any(list(ids)))
        return {values[0]: codec.of(values[1:]) for values in self._session.execute(query)}

    def browse(self, wanted: EntryFilter, *, sort: str, limit: int, cursor: str | None) -> Page[Listed]:
        query = _beside(listing(wanted))
        return page(self._session, query, SORTS[sort], limit=limit, cursor=cursor, read=_reader())

    def ids(self, wanted: EntryFilter) -> list[UUID]:
        """Return the ids of all entries that a filter lets through, in a steady order."""
        listed = listing(wanted).subquery()
        return list(self._session.scalars(select(listed.c.id).order_by(listed.c.id)))

    def summary(self, wanted: EntryFilter) -> Summary:
        """Count the entries that a filter leaves."""
        listed = select(EntryRow).where(*_conditions(wanted)).subquery()
        columns = listed.c
        row = self._session.execute(
            select(
                func.count(),
                func.count(columns.account_id.distinct()),
                func.count(columns.party_id.distinct()),
                func.count(case((columns.severity > 0, 1))),
                func.count(case((columns.severity > 2, 1))),
            ).select_from(listed)
        ).one()
        return Summary(*row)


def listing(wanted: EntryFilter) -> Any:
    """Return the query of entries that a filter leaves, each with its party, its account and its provider."""
    query: Any = (
        select(EntryRow, PartyRow, AccountRow, ProviderRow)
        .join(PartyRow, and_(PartyRow.workspace_id == EntryRow.workspace_id, PartyRow.id == EntryRow.party_id))
        .join(AccountRow, and_(AccountRow.workspace_id == EntryRow.workspace_id, AccountRow.id == EntryRow.account_id))
        .join(
            ProviderRow, and_(ProviderRow.workspace_id == EntryRow.workspace_id, ProviderRow.id == EntryRow.provider_id)
        )
    )
    return query.where(*_conditions(wanted))


def _matches(q: str) -> Any:
    """What has a text in its name, its level, or what it is on."""
    # Each by itself, so that what has the name is found first, and not asked of every entry with all beside it.
    resources = func.array_to_string(EntryRow.resources, "\n").icontains(q, autoescape=True)
    return or_(
        EntryRow.party_id.in_(select(PartyRow.id).where(party_matches(q))),
        EntryRow.account_id.in_(select(AccountRow.id).where(AccountRow.name.icontains(q, autoescape=True))),
        EntryRow.provider_id.in_(select(ProviderRow.id).where(ProviderRow.name.icontains(q, autoescape=True))),
        EntryRow.level.icontains(q, autoescape=True),
        and_(func.cardinality(EntryRow.resources) > 0, resources),
    )


def _conditions(wanted: EntryFilter) -> Iterator[Any]:
    """What a filter asks of entries."""
    if wanted.q:
        yield _matches(wanted.q)
    if wanted.states:
        yield EntryRow.state.in_([s.value for s in wanted.states])
    if wanted.kinds:
        yield EntryRow.kind.in_([k.value for k in wanted.kinds])
    if wanted.powers:
        yield EntryRow.powers.overlap([p.value for p in wanted.powers])
    if wanted.risk:
        yield -EntryRow.risk <= -wanted.risk
    for column, value in (
        (EntryRow.provider_id, wanted.provider_id),
        (EntryRow.account_id, wanted.account_id),
        (EntryRow.party_id, wanted.party_id),
        (EntryRow.party_id, wanted.own_party),
    ):
        if value is not None:
            yield column == value
    yield from _marked(wanted)


def _marked(wanted: EntryFilter) -> Iterator[Any]:
    """What a filter asks of what is said about entries: flags, their circle, what is not known, and their end."""
    if wanted.flagged is not None:
        yield EntryRow.severity > 0 if wanted.flagged else EntryRow.severity == 0
    if wanted.rule:
        flag = select(FlagRow.id).where(
            FlagRow.workspace_id == EntryRow.workspace_id,
            or_(
                FlagRow.subject_id == EntryRow.id,
                FlagRow.subject_id == EntryRow.party_id,
                FlagRow.subject_id == EntryRow.account_id,
            ),
            FlagRow.rule == wanted.rule,
            FlagRow.cleared_at.is_(None),
        )
        yield flag.exists()
    if wanted.outside is not None:
        yield EntryRow.outside if wanted.outside else not_(EntryRow.outside)
    if wanted.unknown is not None:
        some = func.cardinality(EntryRow.unknown) > 0
        yield some if wanted.unknown else not_(some)
    if wanted.ends:
        yield _by_end(wanted.ends)


def _by_end(word: str) -> Any:
    dated = EntryRow.ends_at.is_not(None)
    return {"dated": dated, "unknown": EntryRow.end_unknown, "none": and_(not_(dated), not_(EntryRow.end_unknown))}[
        word
    ]


_CODECS: tuple[Codec[Any], ...] = (ENTRY, PARTY, ACCOUNT, PROVIDER)
_MARKS = (EntryRow.severity, EntryRow.outside, EntryRow.risk)


def _beside(query: Any) -> Any:
    """A listing by its columns, as `_reader` reads them: no rows have to be made."""
    return query.with_only_columns(*(column for codec in _CODECS for column in codec.columns), *_MARKS)


def _reader() -> Callable[[Sequence[Any]], Listed]:
    """Return what reads the rows of one result; what many entries share, as their provider, is made once."""
    ends = list(accumulate(len(codec.columns) for codec in _CODECS))
    parts = [
        (codec, slice(start, end), dict[UUID, Any]())
        for codec, start, end in zip(_CODECS, [0, *ends], ends, strict=False)
    ]

    def read(row: Sequence[Any]) -> Listed:
        values = []
        for codec, columns, made in parts:
            kept = row[columns]
            value = made.get(kept[0])
            if value is None:
                value = made[kept[0]] = codec.of(kept)
            values.append(value)
        return Listed(*values, *row[ends[-1] : ends[-1] + len(_MARKS)])

    return read
