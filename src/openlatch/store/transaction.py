"""The one owner of commit and rollback."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from datetime import datetime, timedelta
from typing import TYPE_CHECKING, Any
from uuid import UUID

from sqlalchemy import Engine, event, func, select, text
from sqlalchemy.engine.interfaces import DBAPIConnection
from sqlalchemy.exc import DBAPIError, OperationalError, SQLAlchemyError
from sqlalchemy.orm import Session

from openlatch.core.model import Workspace
from openlatch.errors import Conflict, Misconfigured, NotFound
from openlatch.store import migrate, rights
from openlatch.store.inventory import sheet
from openlatch.store.inventory.accounts import Accounts
from openlatch.store.inventory.activity import Activities
from openlatch.store.inventory.documents import Documents
from openlatch.store.inventory.entries import Entries, EntryFilter
from openlatch.store.inventory.facts import Facts, Snapshot
from openlatch.store.inventory.imports import Imports
from openlatch.store.inventory.memberships import Memberships
from openlatch.store.inventory.parties import Parties
from openlatch.store.inventory.sameness import Sameness
from openlatch.store.inventory.tallies import Tallies
from openlatch.store.inventory.views import Views
from openlatch.store.letting_in.offers import Offers
from openlatch.store.letting_in.requests import Requests
from openlatch.store.orders.keys import Keys
from openlatch.store.orders.orders import Orders
from openlatch.store.people.data_keys import DataKeys
from openlatch.store.people.factors import Factors
from openlatch.store.people.people import People
from openlatch.store.people.replies import Replies
from openlatch.store.people.sign_ons import SignOns
from openlatch.store.people.strangers import Strangers
from openlatch.store.people.workspaces import Housekeeping, change_workspace, insert_workspace, workspace_of
from openlatch.store.providers.providers import Providers
from openlatch.store.providers.readings import Readings
from openlatch.store.providers.removals import Removals
from openlatch.store.providers.security_events import EventStreams, SecurityEvents
from openlatch.store.providers.versions import ProviderVersions
from openlatch.store.providers.words import ProviderWords
from openlatch.store.queue import enqueue
from openlatch.store.record.events import Events
from openlatch.store.reviews.prints import Prints
from openlatch.store.reviews.reviews import Reviews
from openlatch.store.rules.flags import Flags
from openlatch.store.rules.policies import Policies
from openlatch.store.running.state import Running, all_jobs, workers
from openlatch.store.secrets import close_anew
from openlatch.store.taking_back.batches import Batches
from openlatch.store.telling.links import Links
from openlatch.store.telling.notices import Notices
from openlatch.store.telling.webhooks import Webhooks
from openlatch.store.what_if.proposals import Proposals

if TYPE_CHECKING:
    import polars as pl

__all__ = ["AWAY", "Store", "Transaction"]

AWAY = "the database does not answer"
"""What `Store.ready` returns of one that is away, and may come back."""


class Transaction:
    """One transaction in one workspace: the queries of every noun, the queue and the log, all or nothing."""

    def __init__(self, session: Session, workspace: Workspace) -> None:
        self._session = session
        self.workspace = workspace
        self.people = People(session, workspace.id)
        self.data_keys = DataKeys(session, workspace.id)
        self.factors = Factors(session, workspace.id)
        self.sign_ons = SignOns(session, workspace.id)
        self.providers = Providers(session, workspace.id)
        self.event_streams = EventStreams(session, workspace.id)
        self.provider_versions = ProviderVersions(session, workspace.id)
        self.security_events = SecurityEvents(session, workspace.id)
        self.removals = Removals(session, workspace.id)
        self.views = Views(session, workspace.id)
        self.words = ProviderWords(session, workspace.id)
        self.accounts = Accounts(session, workspace.id)
        self.parties = Parties(session, workspace.id)
        self.sameness = Sameness(session, workspace.id)
        self.memberships = Memberships(session, workspace.id)
        self.imports = Imports(session, workspace.id)
        self.prints = Prints(session, workspace.id)
        self.entries = Entries(session, workspace.id)
        self.tallies = Tallies(session, workspace.id)
        self.readings = Readings(session, workspace.id)
        self.facts = Facts(session, workspace.id)
        self.flags = Flags(session, workspace.id)
        self.policies = Policies(session, workspace.id)
        self.orders = Orders(session, workspace.id)
        self.batches = Batches(session, workspace.id)
        self.reviews = Reviews(session, workspace.id)
        self.notices = Notices(session, workspace.id)
        self.links = Links(session, workspace.id)
        self.offers = Offers(session, workspace.id)
        self.requests = Requests(session, workspace.id)
        self.webhooks = Webhooks(session, workspace.id)
        self.documents = Documents(session, workspace.id)
        self.proposals = Proposals(session, workspace.id)
        self.keys = Keys(session, workspace.id)
        self.activity = Activities(session, workspace.id)
        self.events = Events(session, workspace.id)
        self.running = Running(session, workspace.id)
        self.replies = Replies(session, workspace.id)

    def change_workspace(self, workspace: Workspace) -> None:
        """Keep another name and zone of the workspace itself, and for which roles it demands a second factor."""
        change_workspace(self._session, workspace)
        self.enter_again()

    def close_anew(self, anew: Callable[[bytes], bytes]) -> int:
        """Have everything closed of this workspace be closed anew; returns how much that was."""
        return close_anew(self._session, anew)

    def enter_again(self) -> None:
        """Bring what is known of the workspace itself up to date, after this transaction changed it."""
        self._session.expire_all()
        workspace = workspace_of(self._session, self.workspace.id)
        assert workspace is not None  # noqa: S101 - we are in it
        self.workspace = workspace

    @contextmanager
    def tried(self) -> Iterator[None]:
        """Let everything that is changed inside be undone at the end, as if it had never been."""
        nested = self._session.begin_nested()
        try:
            yield
        finally:
            nested.rollback()
            self._session.expire_all()

    def snapshot(self) -> Snapshot:
        """Return this workspace as it stands committed, without this transaction's changes, to be read in columns."""
        return Snapshot(self._session.get_bind().engine, self.workspace.id)

    def sheet(self, wanted: EntryFilter, sort: str) -> Iterator[pl.DataFrame]:
        """Return the entries that a filter leaves as columns, some at a time, as they stand committed."""
        statement = sheet.statement(self._session, wanted, sort)
        with self.snapshot() as snapshot:
            yield from snapshot.pieces(statement)

    def enqueue(
        self, task: str, *, lock: str | None = None, once: str | None = None, at: datetime | None = None, **args: Any
    ) -> bool:
        """Queue a job with this transaction; returns False if one with the same `once` waits already."""
        return enqueue(self._session, task, lock=lock, once=once, at=at, workspace_id=str(self.workspace.id), **args)


MUCH = 5_000
"""Rows; a table that has changed by fewer is left to the database, which looks at its tables once a minute."""


class Store:
    """The database, through which every transaction of the product goes."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    def hurry(self, statement: timedelta, lock: timedelta) -> None:
        """Have no statement take longer than that from now on, and none wait longer for a lock: it fails then."""
        limits = {"statement_timeout": statement, "lock_timeout": lock}
        told = "; ".join(f"set {name} = {int(limit.total_seconds() * 1000)}" for name, limit in limits.items())

        def limit(connection: DBAPIConnection, _: object) -> None:
            with connection.cursor() as cursor:  # type: ignore[attr-defined]
                cursor.execute(told)
            connection.commit()

        event.listen(self._engine, "connect", limit)

    @contextmanager
    def transaction(self, workspace: UUID | str) -> Iterator[Transaction]:
        """Open a transaction in the workspace of that id or slug; raises NotFound if there is none."""
        with Session(self._engine, expire_on_commit=False) as session, session.begin():
            the_workspace = workspace_of(session, workspace)
            if the_workspace is None:
                raise NotFound(
                    f"There is no workspace “{workspace}” here.",
                    next_step="Check its name with the person who invited you.",
                )
            yield Transaction(session, the_workspace)

    @contextmanager
    def strangers(self) -> Iterator[Strangers]:
        """Open a transaction in no workspace at all, in which is counted what anyone asks for."""
        with Session(self._engine, expire_on_commit=False) as session, session.begin():
            yield Strangers(session)

    @contextmanager
    def found(self, workspace: Workspace, created_at: datetime, *, only: bool = False) -> Iterator[Transaction]:
        """Create a workspace, and open the transaction in which it is created.

        One after the other; raises Conflict where there is one of that short name already, or with `only` any.
        """
        with Session(self._engine, expire_on_commit=False) as session, session.begin():
            session.execute(select(func.pg_advisory_xact_lock(func.hashtextextended("founding a workspace", 0))))
            there = Housekeeping(session).workspaces()
            if only and there:
                raise Conflict(
                    "A workspace was founded here already. Nothing was created.",
                    next_step="Sign in, or ask its owner to invite you.",
                )
            if any(each.slug == workspace.slug for each in there):
                raise Conflict(
                    f"There is a workspace “{workspace.slug}” already. Nothing was created.",
                    next_step="Choose another short name.",
                )
            insert_workspace(session, workspace, created_at)
            yield Transaction(session, workspace)

    def workspaces(self) -> tuple[Workspace, ...]:
        """Return every workspace, for housekeeping and for a service that holds only one."""
        with Session(self._engine) as session, session.begin():
            return Housekeeping(session).workspaces()

    def unsealed(self) -> tuple[UUID, ...]:
        """Return the workspaces whose log has events that are not sealed yet."""
        with Session(self._engine) as session, session.begin():
            return Housekeeping(session).unsealed()

    def due(self, now: datetime) -> tuple[UUID, ...]:
        """Return the workspaces in which a provider is due for a reading."""
        with Session(self._engine) as session, session.begin():
            return Housekeeping(session).due(now)

    def migrate(self) -> tuple[str | None, str]:
        """Bring the schema up to date; returns the revision before and after."""
        self._refuse_superuser()
        return migrate.migrate(self._engine)

    def grant(self, login: str) -> bool:
        """Give the login of the service what it needs; returns whether it is another one than this, the owner's."""
        return rights.grant(self._engine, login)

    def owns_tables(self) -> bool:
        """Return whether this login owns the tables, and so could change what keeps them honest."""
        with suppress(OperationalError):  # that it does not answer is told where it is asked for something
            return rights.owns_tables(self._engine)
        return False

    def due_again(self, now: datetime) -> tuple[UUID, ...]:
        """Return the workspaces in which time alone may have changed a flag."""
        with Session(self._engine) as session, session.begin():
            return Housekeeping(session).due_again(now)

    def learn(self) -> int:
        """Have the database know tables that have grown much, so that it finds its way in them; returns how many."""
        with Session(self._engine) as session, session.begin():
            return Housekeeping(session).learn(MUCH)

    def forget_statements(self) -> None:
        """Let go of the statements that were made ready, with the values that each was first executed with.

        SQLAlchemy keeps both, and a value may be a whole page of a reading or the ids of a whole inventory.
        """
        self._engine.clear_compiled_cache()

    def close(self) -> None:
        """Close the connections to the database."""
        self._engine.dispose()

    def ready(self) -> str:
        """Return an empty string if the database answers and has the right schema, else what is wrong, as a phrase."""
        try:
            return migrate.standing(self._engine)[0].value
        except OperationalError:
            return AWAY

    def workers(self) -> int | None:
        """Return how many workers are at work; None if that cannot be found out now."""
        with suppress(SQLAlchemyError), Session(self._engine) as session, session.begin():
            return workers(session)[0]
        return None

    def measured(self, now: datetime) -> list[tuple[str, str, float]]:
        """Return what is measured of all workspaces together: its name, what tells it apart, and the value.

        Nothing where that cannot be found out now.
        """
        with suppress(SQLAlchemyError), Session(self._engine) as session, session.begin():
            at_work, jobs = workers(session)[0], all_jobs(session)
            return [
                ("workers", "", at_work),
                ("jobs_waiting", "", jobs.number),
                ("jobs_waiting_seconds", "", jobs.since.total_seconds() if jobs.since else 0),
                ("jobs_failed", "", jobs.failed),
                *Housekeeping(session).measured(now),
            ]
        return []

    def _refuse_superuser(self) -> None:
        try:
            with self._engine.connect() as connection:
                name, passes = connection.execute(
                    text("select rolname, rolsuper or rolbypassrls from pg_roles where rolname = current_user")
                ).one()
        except DBAPIError as error:
            raise Misconfigured(
                f"The database in OPENLATCH_DATABASE_URL cannot be used: {error.orig}",
                next_step="Check that it runs, and that the name, password and database in the URL are right.",
            ) from error
        if passes:
            raise Misconfigured(
                f"The database login “{name}” passes over row-level security, which keeps workspaces apart.",
                next_step="Use a login of its own that is neither superuser nor BYPASSRLS, and owns the database.",
            )
