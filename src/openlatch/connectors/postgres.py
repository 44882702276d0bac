"""The connector for a PostgreSQL server: its login roles, their memberships, and who is connected now.

What the database knows of a role becomes entries: `login:ROLE` (may sign in, with the privileges it holds itself),
`membership:GROUP:ROLE` (what a group lends it), and `session:PID:START`. Memberships and sessions hang on the login.
What is granted to PUBLIC, and lets people see or change something, is one entry of everyone: `public`.
The comment on a role (COMMENT ON ROLE) names its person, as in `Orla Finch <orla.finch@kestrelridge.example>`.
"""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime
from email.utils import parseaddr
from typing import Any, ClassVar
from urllib.parse import quote, unquote

import psycopg
from psycopg import sql
from psycopg.rows import namedtuple_row

from openlatch.connecting import outgoing
from openlatch.connecting.capabilities import Changes, Ends, Finds, Gives
from openlatch.connecting.settings import checked, port_of, unable
from openlatch.core.model import Abilities
from openlatch.core.phrases import counted
from openlatch.core.powers import in_order
from openlatch.core.providers.observation import Observation, ObservedAccount, ObservedEntry, ObservedParty
from openlatch.core.providers.ports import About, Answer, Change, Found, Gift, Hindrance, Page, Setting
from openlatch.errors import ProviderDown, ProviderRefused
from openlatch.words import Kind, PartyKind, Power, ReadingOutcome, State

__all__ = ["PostgresConnector"]

OWNER = "OWNER"
_READS = (Power.VIEW, Power.EXPORT)
# Whoever can select from a table can take all of it along; hence export. A function is counted only if it runs with the
# rights of its owner: any other lets nobody do more than they may.
PRIVILEGES: Mapping[tuple[str, str], tuple[Power, ...]] = {
    **{(of, "SELECT"): _READS for of in ("table", "column", "table to come")},
    **{
        (of, word): (Power.EDIT,)
        for of in ("table", "column", "table to come")
        for word in ("INSERT", "UPDATE", "DELETE", "TRUNCATE", "TRIGGER")
    },
    ("schema", "CREATE"): (Power.EDIT,),
    ("schema to come", "CREATE"): (Power.EDIT,),
    ("database", "CREATE"): (Power.EDIT,),
    ("function", "EXECUTE"): (Power.VIEW, Power.EDIT),
    ("table", OWNER): (*_READS, Power.EDIT, Power.ADMIT),
}
"""What privileges give, by what they are on; all others give nothing by themselves."""
PREDEFINED: Mapping[str, tuple[Power, ...]] = {
    "pg_read_all_data": (Power.VIEW, Power.EXPORT),
    "pg_write_all_data": (Power.EDIT,),
    "pg_database_owner": (Power.OWN,),
    "pg_read_server_files": (Power.VIEW, Power.EXPORT),
    "pg_write_server_files": (Power.EDIT, Power.OWN),
    "pg_execute_server_program": (Power.EDIT, Power.EXPORT, Power.OWN),
}
_ALL = (Power.VIEW, Power.EDIT, Power.EXPORT, Power.ADMIT, Power.OWN)

_ROLES = """
    select r.oid::bigint as oid, r.rolname as name, r.rolcanlogin as login, r.rolsuper as super,
        r.rolcreaterole as createrole, case when isfinite(r.rolvaliduntil) then r.rolvaliduntil end as until,
        shobj_description(r.oid, 'pg_authid') as comment, d.datdba = r.oid as owner, r.rolname = session_user as own
    from pg_roles r cross join pg_database d where d.datname = current_database()
"""
_MEMBERS = "select roleid::bigint as grp, member::bigint as member, admin_option as admin from pg_auth_members"
_GRANTS = """
    with theirs as (
        select oid, nspname, nspowner, nspacl from pg_namespace where nspname !~ '^(pg_|information_schema)'
    )
    select case when c.relkind = 'S' then 'sequence' else 'table' end as what, c.relowner as owner, '' as scope, a.*,
        format('%s ON %s %I.%I', a.privilege_type, case when c.relkind = 'S' then 'SEQUENCE' else 'TABLE' end,
            n.nspname, c.relname) as clause
    from pg_class c join theirs n on n.oid = c.relnamespace
    cross join aclexplode(
        coalesce(c.relacl, acldefault(case when c.relkind = 'S' then 's' else 'r' end::"char", c.relowner))) a
    where c.relkind in ('r', 'p', 'v', 'm', 'f', 'S')
    union all
    select 'column', c.relowner, '', a.*,
        format('%s (%I) ON TABLE %I.%I', a.privilege_type, t.attname, n.nspname, c.relname)
    from pg_attribute t join pg_class c on c.oid = t.attrelid join theirs n on n.oid = c.relnamespace
    cross join aclexplode(t.attacl) a where not t.attisdropped
    union all
    select 'schema', n.nspowner, '', a.*, format('%s ON SCHEMA %I', a.privilege_type, n.nspname)
    from theirs n cross join aclexplode(coalesce(n.nspacl, acldefault('n', n.nspowner))) a
    union all
    select 'database', d.datdba, '', a.*, format('%s ON DATABASE %I', a.privilege_type, d.datname)
    from pg_database d cross join aclexplode(coalesce(d.datacl, acldefault('d', d.datdba))) a
    where d.datname = current_database()
    union all
    select 'function', p.proowner, '', a.*, format('%s ON ROUTINE %s', a.privilege_type, p.oid::regprocedure)
    from pg_proc p join theirs n on n.oid = p.pronamespace
    cross join aclexplode(coalesce(p.proacl, acldefault('f', p.proowner))) a where p.prosecdef
    union all
    select case when f.defaclobjtype = 'r' then 'table to come' else 'schema to come' end, f.defaclrole,
        format('ALTER DEFAULT PRIVILEGES FOR ROLE %I %s', pg_get_userbyid(f.defaclrole),
            coalesce((select format('IN SCHEMA %I ', nspname) from pg_namespace where oid = f.defaclnamespace), '')),
        a.*, format('%s ON %s', a.privilege_type, case when f.defaclobjtype = 'r' then 'TABLES' else 'SCHEMAS' end)
    from pg_default_acl f cross join aclexplode(f.defaclacl) a where f.defaclobjtype in ('r', 'n')
"""
_PRIVILEGES = f"""
    select grantee::bigint as grantee, what, privilege_type as privilege, bool_or(is_grantable) as further,
        count(*) as times
    from ({_GRANTS}) g where grantee <> owner group by 1, 2, 3
    union all
    select relowner::bigint, 'table', '{OWNER}', false, count(*)
    from pg_class c join pg_namespace n on n.oid = c.relnamespace and n.nspname !~ '^(pg_|information_schema)'
    where relkind in ('r', 'p', 'v', 'm', 'f') group by 1
    order by 1, 2, 3
"""
_PUBLICS = f"""
    select what, privilege_type as privilege, scope, clause from ({_GRANTS}) g where grantee = 0 order by clause, scope
"""
_SESSIONS = """
    select pid, usesysid::bigint as oid, application_name as program, host(client_addr) as network,
        backend_start as began, coalesce(state_change, backend_start) as last
    from pg_stat_activity
    where backend_type = 'client backend' and datname = current_database() and usename <> current_user
"""


_MAY_READ_RULES = """
    select has_function_privilege('pg_hba_file_rules()', 'execute')
        and has_table_privilege('pg_hba_file_rules', 'select')
"""
_RULES = "select distinct auth_method from pg_hba_file_rules where error is null"
_BY_PASSWORD = frozenset({"scram-sha-256", "md5", "password", "reject"})
"""The ways to sign in that the server refuses past VALID UNTIL; all others pass it by."""
_PAST_END = "its password is refused since, and any other way to sign in with it still works"


_PUBLIC = "public"
"""The key of everyone, which no role can be called."""
_MOST_CLAUSES = 200
_MANY = {"table to come": "tables to come", "schema to come": "schemas to come"}
_NAME = r'(?:[a-z_][a-z0-9_$]*|"(?:[^"]|"")+")'
_CLAUSE = re.compile(
    rf"(?P<scope>ALTER DEFAULT PRIVILEGES FOR ROLE {_NAME} (?:IN SCHEMA {_NAME} )?)?"
    rf"(?P<what>[A-Z]+(?: \({_NAME}\))? ON (?:TABLES|SCHEMAS|(?:TABLE|SEQUENCE) {_NAME}\.{_NAME}"
    rf"|(?:SCHEMA|DATABASE) {_NAME}|ROUTINE (?:{_NAME}\.)?{_NAME}\([\w ,.\"\[\]]*\)))"
)
"""A privilege as it stands in a GRANT to PUBLIC, and as a permission of that entry."""


@dataclass(frozen=True, slots=True)
class _Catalogue:
    """What was read of the server in one transaction.

    `by_password` says whether nobody signs in there but by a password; where the login may not see that, it is not so.
    """

    database: str
    by_password: bool
    roles: Mapping[int, Any]
    groups: Mapping[int, tuple[Any, ...]]
    privileges: Mapping[int, tuple[Any, ...]]
    publics: tuple[Any, ...]
    """what everyone may do here, one by one, as GRANT says it"""
    sessions: tuple[Any, ...]


class PostgresConnector(Ends, Changes, Finds, Gives):
    """Reads and changes roles.

    The login needs CREATEROLE, and membership in pg_read_all_stats and pg_signal_backend.
    """

    made_for: ClassVar[int] = 1
    about: ClassVar[About] = About(
        "PostgreSQL roles, memberships and sessions",
        (
            Setting("host", "name or address of the server"),
            Setting("port", "usually 5432"),
            Setting("database", "the database", leads=False),
            Setting("user", "a login with CREATEROLE, pg_read_all_stats and pg_signal_backend", leads=False),
        ),
        "password",
    )

    def __init__(self, settings: Mapping[str, str], secret: str) -> None:
        checked("postgres", self.about, settings)
        port = port_of("postgres", settings)
        self._where = f"{settings['host']}:{settings['port']}/{settings['database']}"
        self._user = settings["user"]
        self._arguments: dict[str, Any] = {
            "host": settings["host"],
            "port": port,
            "dbname": settings["database"],
            "user": settings["user"],
            "password": secret,
            "connect_timeout": 5,
            "application_name": "open-latch",
            "options": "-c statement_timeout=30s -c lock_timeout=10s",
        }

    def abilities(self) -> Abilities:
        kinds = frozenset({Kind.DELEGATE, Kind.GRANT, Kind.SESSION, Kind.OPEN})
        logins = frozenset({Kind.DELEGATE, Kind.GRANT})
        catalogue = self._read()
        groups = [role for role in catalogue.roles.values() if not role.login and not role.name.startswith("pg_")]
        levels = {group.name: in_order(_powers(catalogue, group)) for group in groups}
        enforces = logins if catalogue.by_password else frozenset()
        return Abilities(
            kinds,
            kinds,
            dates=logins,
            prolongs=logins,
            gives=logins | {Kind.OPEN},
            levels=levels,
            enforces=enforces,
            past_end="" if catalogue.by_password else _PAST_END,
        )

    def pages(self) -> Iterator[Page]:
        seen = _observation(self._read())
        yield Page(seen.accounts, seen.parties, seen.entries, total=len(seen.entries))

    def end(self, entry: str, party: str, idempotency_key: str) -> Answer:
        # Each statement asks for a state, not for a step, so that doing it twice is doing it once.
        kind, *parts = entry.split(":")
        names = [unquote(part) for part in parts]
        if party == self._user:
            raise ProviderRefused(
                f"{entry!r} is Open Latch's own way into {self._where}; ending it would lock Open Latch out.",
                next_step="Remove the provider from Open Latch, then end it at the server.",
            )
        with self._connected() as connection:
            if kind == "public":
                return self._end_public(connection)
            if kind == "login":
                return self._end_login(connection, names[0])
            if kind == "membership":
                return self._end_membership(connection, *names)
            return self._close_session(connection, int(names[0]), names[1])

    def change(self, entry: str, party: str, change: Change, idempotency_key: str) -> Answer:
        kind, _, role = entry.partition(":")
        dated = change.ends_at is not None or "end" in change.lifts
        if kind != "login" or not dated:
            raise unable(entry, "give an end to" if dated else "change")
        with self._connected() as connection, connection.transaction():
            statement = sql.SQL("alter role {} valid until {}")
            until = "infinity" if change.ends_at is None else change.ends_at.isoformat()
            connection.execute(statement.format(sql.Identifier(unquote(role)), sql.Literal(until)))
        return Answer(f"{unquote(role)} may sign in {'without an end' if until == 'infinity' else f'until {until}'}")

    def find(self, text: str) -> Found:
        logins = [role for role in self._read().roles.values() if role.login]
        wanted = text.casefold()
        for role in logins:
            if role.name.casefold() == wanted or wanted in (a.casefold() for a in _party(role).addresses):
                return Found(role.name, _party(role).name)
        reason = (
            f"No login at {self._where} is known to be theirs. Make one, with their name and address as its comment."
        )
        return Found(hindrances=(Hindrance("not-registered", reason),))

    def give(self, party: str, gift: Gift, idempotency_key: str) -> Answer:
        if not gift.again:
            return self._join(party, gift)
        kind, *parts = gift.again.split(":")
        names = [sql.Identifier(unquote(part)) for part in parts]
        with self._connected() as connection, connection.transaction():
            if kind == "login":
                until = sql.Literal(gift.ends_at.isoformat() if gift.ends_at is not None else "infinity")
                connection.execute(sql.SQL("alter role {} login valid until {}").format(*names, until))
                return Answer(f"{party} may sign in again")
            clauses = [_CLAUSE.fullmatch(text) for text in gift.permissions]
            if kind == "public" and clauses and all(clauses):
                for clause in filter(None, clauses):
                    connection.execute(_composed(f"{clause['scope'] or ''}grant {clause['what']} to public"))
                return Answer("PUBLIC has the same privileges again")
            if kind == "membership" and self._ends_by(connection, unquote(parts[1]), gift.ends_at):
                connection.execute(sql.SQL("grant {} to {}").format(*names))
                return Answer(f"{party} is a member of {unquote(parts[0])} again")
        raise unable(f"{gift.level} on {gift.account}", "give")

    def _ends_by(self, connection: psycopg.Connection[Any], role: str, ends_at: datetime | None) -> bool:
        """Whether a login is over by itself when something of it is to be, which has no end of its own."""
        row = connection.execute(
            "select rolvaliduntil <= %s from pg_roles where rolname = %s", [ends_at, role]
        ).fetchone()
        return ends_at is None or (row is not None and row[0] is True)

    def _join(self, role: str, gift: Gift) -> Answer:
        """Make a login a member of the group that the level names."""
        if gift.ends_at is not None or gift.hours is not None or gift.resources:
            raise unable(f"{gift.level} on {gift.account}", "give")
        names = [sql.Identifier(gift.level), sql.Identifier(role)]
        with self._connected() as connection, connection.transaction():
            known = connection.execute(
                "select rolname, rolcanlogin from pg_roles where rolname = any(%s)", [[gift.level, role]]
            )
            logins = dict(known.fetchall())
            if role not in logins or logins.get(gift.level, True):
                missing = f"no login {role!r}" if role not in logins else f"no group {gift.level!r}"
                raise ProviderRefused(f"{self._where} has {missing}.", next_step="Have it made there, then try again.")
            has = connection.execute(
                "select 1 from pg_auth_members m join pg_roles g on g.oid = m.roleid "
                "join pg_roles l on l.oid = m.member where g.rolname = %s and l.rolname = %s",
                [gift.level, role],
            )
            already = has.fetchone() is not None
            connection.execute(sql.SQL("grant {} to {}").format(*names))
        return Answer(f"{role} is a member of {gift.level}", already)

    def _end_login(self, connection: psycopg.Connection[Any], role: str) -> Answer:
        with connection.transaction():
            row = connection.execute("select rolcanlogin from pg_roles where rolname = %s", [role]).fetchone()
            already = row is None or not row[0]
            if not already:
                connection.execute(sql.SQL("alter role {} nologin").format(sql.Identifier(role)))
        # Only after the commit: a session that is closed before could simply be opened again.
        closed = connection.execute(
            "select count(*) filter (where pg_terminate_backend(pid, 5000)) from pg_stat_activity where usename = %s",
            [role],
        ).fetchone()
        sessions = closed[0] if closed else 0
        return Answer(f"{role} may no longer sign in; {counted(sessions, 'session')} closed", already)

    def _end_public(self, connection: psycopg.Connection[Any]) -> Answer:
        with connection.transaction():
            there = self._publics(connection)
            for scope, clause in there:
                connection.execute(_composed(f"{scope}revoke {clause} from public"))
            # Who may not take a privilege back is only warned of it.
            left = self._publics(connection)
            if left:
                raise ProviderRefused(
                    f"{self._where} does not let “{self._user}” take {left[0][1]} from PUBLIC. Nothing was changed.",
                    next_step="Have whoever owns it do it, or make that login a member of the owner.",
                )
        return Answer(f"{counted(len(there), 'privilege')} taken from PUBLIC", already=not there)

    def _publics(self, connection: psycopg.Connection[Any]) -> list[tuple[str, str]]:
        return [(row.scope, row.clause) for row in _of_everyone(connection.cursor(row_factory=namedtuple_row))]

    def _end_membership(self, connection: psycopg.Connection[Any], group: str, role: str) -> Answer:
        with connection.transaction():
            row = connection.execute(
                "select 1 from pg_auth_members where roleid = (select oid from pg_roles where rolname = %s) "
                "and member = (select oid from pg_roles where rolname = %s)",
                [group, role],
            ).fetchone()
            if row is not None:
                revoke = sql.SQL("revoke {} from {}").format(sql.Identifier(group), sql.Identifier(role))
                connection.execute(revoke)
        return Answer(f"{role} is no longer a member of {group}", row is None)

    def _close_session(self, connection: psycopg.Connection[Any], pid: int, began: str) -> Answer:
        row = connection.execute(
            "select pg_terminate_backend(pid, 5000) from pg_stat_activity where pid = %s and backend_start = %s",
            [pid, datetime.fromisoformat(began)],
        ).fetchone()
        return Answer("the session is closed", row is None)

    def _read(self) -> _Catalogue:
        with self._connected() as connection:
            connection.execute("set default_transaction_isolation to 'repeatable read'")
            with connection.transaction():
                cursor = connection.cursor(row_factory=namedtuple_row)
                database = connection.info.dbname
                roles = {row.oid: row for row in _rows(cursor.execute(_ROLES))}
                members = cursor.execute(_MEMBERS).fetchall()
                privileges = cursor.execute(_PRIVILEGES).fetchall()
                publics = tuple(_of_everyone(cursor))
                sessions = tuple(cursor.execute(_SESSIONS))
                ways = None
                if any(row[0] for row in cursor.execute(_MAY_READ_RULES)):
                    ways = {row[0] for row in cursor.execute(_RULES)}
        by_password = ways is not None and ways <= _BY_PASSWORD
        of_roles, of_grantees = _grouped(members, "member"), _grouped(privileges, "grantee")
        return _Catalogue(
            database=database,
            by_password=by_password,
            roles=roles,
            groups=of_roles,
            privileges=of_grantees,
            publics=publics,
            sessions=sessions,
        )

    def _reached(self) -> dict[str, str]:
        """At which address, and how it is kept from whoever is between: on the public internet, as https would be."""
        host, port = self._arguments["host"], self._arguments["port"]
        addresses = outgoing.addresses_of(host, port)
        # The name stands once for each address: it is what a certificate is checked for.
        where = {"host": ",".join([host] * len(addresses)), "hostaddr": ",".join(addresses)}
        if all(map(outgoing.is_beside, addresses)):
            return where | {"sslmode": "prefer"}
        return where | {"sslmode": "verify-full", "sslrootcert": "system"}

    @contextmanager
    def _connected(self) -> Iterator[psycopg.Connection[Any]]:
        try:
            with psycopg.connect(**(self._arguments | self._reached()), autocommit=True) as connection:
                yield connection
        except psycopg.errors.InsufficientPrivilege as error:
            raise ProviderRefused(
                f"{self._where} does not let “{self._user}” do this: {error.diag.message_primary}.",
                next_step="Give that login CREATEROLE, pg_read_all_stats and pg_signal_backend, then try again.",
            ) from error
        except psycopg.OperationalError as error:
            reason = str(error).strip().splitlines()[-1]
            if any(word in reason for word in ("authentication failed", "not permitted to log in", "does not exist")):
                raise ProviderRefused(
                    f"{self._where} does not let us in: {reason}.",
                    next_step="Check the database, the user and the password of this provider.",
                ) from error
            raise ProviderDown(
                f"{self._where} does not answer: {reason}.",
                next_step="It will be tried again automatically; what was known before is kept.",
            ) from error


def _rows(cursor: Iterable[Any]) -> Iterable[Any]:
    """Named tuples, whose fields the type checker cannot know."""
    return cursor


def _of_everyone(cursor: psycopg.Cursor[Any]) -> Iterator[Any]:
    """What PUBLIC may do that lets people see or change something."""
    return (row for row in _rows(cursor.execute(_PUBLICS)) if (row.what, row.privilege) in PRIVILEGES)


def _composed(statement: str) -> sql.SQL:
    """A statement whose names the server itself has quoted, or whose form has been looked at."""
    return sql.SQL(statement)


def _grouped(rows: Iterable[Any], by: str) -> dict[int, tuple[Any, ...]]:
    groups: dict[int, list[Any]] = defaultdict(list)
    for row in rows:
        groups[getattr(row, by)].append(row)
    return {key: tuple(found) for key, found in groups.items()}


def _observation(catalogue: _Catalogue) -> Observation:
    logins = [role for role in catalogue.roles.values() if role.login]
    parties = [_party(role) for role in logins]
    entries = [entry for role in logins for entry in _entries(catalogue, role)]
    if catalogue.publics:
        parties.append(ObservedParty(_PUBLIC, PartyKind.ANYONE, "everyone who may sign in"))
        entries.append(_open(catalogue))
    account = ObservedAccount(catalogue.database, catalogue.database)
    return Observation(ReadingOutcome.COMPLETE, (account,), tuple(parties), tuple(entries))


def _open(catalogue: _Catalogue) -> ObservedEntry:
    """What is granted to PUBLIC: one by one, or counted where that would be too long to read."""
    powers = {power for row in catalogue.publics for power in PRIVILEGES[row.what, row.privilege]}
    permissions = tuple(f"{row.scope}{row.clause}" for row in catalogue.publics)
    if len(permissions) > _MOST_CLAUSES:
        counts = Counter(f"{row.privilege} on {row.what}" for row in catalogue.publics)
        permissions = tuple(f"{words}: {number}" for words, number in counts.items())
    return ObservedEntry(
        _PUBLIC, catalogue.database, _PUBLIC, Kind.OPEN, "PUBLIC", in_order(powers), permissions=permissions
    )


def _party(role: Any) -> ObservedParty:
    name, address = parseaddr(role.comment or "")
    addresses = (address,) if "@" in address else ()
    shown = name or role.comment or role.name
    return ObservedParty(role.name, PartyKind.PERSON, shown, addresses, service=role.own)


def _entries(catalogue: _Catalogue, role: Any) -> Iterator[ObservedEntry]:
    sessions = [s for s in catalogue.sessions if s.oid == role.oid]
    login = f"login:{_quoted(role.name)}"
    kind = Kind.DELEGATE if role.until is None else Kind.GRANT
    used = max((s.last for s in sessions), default=None)
    permissions = [
        f"{p.privilege} on {counted(p.times, p.what, _MANY.get(p.what, ''))}"
        for p in catalogue.privileges.get(role.oid, ())
        if p.privilege != OWNER and (p.what, p.privilege) in PRIVILEGES
    ]
    owned = sum(p.times for p in catalogue.privileges.get(role.oid, ()) if p.privilege == OWNER)
    permissions += [f"owner of {counted(owned, 'table')}"] if owned else []
    permissions += [word for word, held in (("SUPERUSER", role.super), ("CREATEROLE", role.createrole)) if held]
    permissions += ["owner of the database"] if role.owner else []

    def entry(key: str, of: Kind, level: str, powers: Iterable[Power], **more: Any) -> ObservedEntry:
        values = {"last_used": used, "ends_at": role.until, "state": State.LIVE, **more}
        return ObservedEntry(key, catalogue.database, role.name, of, level, in_order(powers), **values)

    yield entry(login, kind, "login", _own_powers(catalogue, role), permissions=tuple(permissions))
    for membership in catalogue.groups.get(role.oid, ()):
        group = catalogue.roles[membership.grp]
        powers = _powers(catalogue, group)
        if membership.admin:
            powers |= {Power.ADMIT}
        key = f"membership:{_quoted(group.name)}:{_quoted(role.name)}"
        granted = (f"member of {group.name}", *(("WITH ADMIN OPTION",) if membership.admin else ()))
        yield entry(key, kind, group.name, powers, permissions=granted, hangs_on=login)
    everything = _powers(catalogue, role)
    for session in sessions:
        yield entry(
            f"session:{session.pid}:{_quoted(session.began.isoformat())}",
            Kind.SESSION,
            "open session",
            everything,
            given_at=session.began,
            last_used=session.last,
            use_known=True,
            ends_at=None,
            hangs_on=login,
            device=session.program or "",
            network=session.network or "this machine",
        )


def _own_powers(catalogue: _Catalogue, role: Any) -> set[Power]:
    powers = set(_ALL if role.super else PREDEFINED.get(role.name, ()))
    for privilege in catalogue.privileges.get(role.oid, ()):
        powers |= set(PRIVILEGES.get((privilege.what, privilege.privilege), ()))
        powers |= {Power.ADMIT} if privilege.further else set()
    if role.createrole:
        powers.add(Power.ADMIT)
    if role.owner:
        powers |= {Power.OWN, Power.VIEW, Power.EDIT, Power.EXPORT}
    return powers


def _powers(catalogue: _Catalogue, role: Any) -> set[Power]:
    """What a role can do by itself and through all groups above it."""
    powers: set[Power] = set()
    waiting, seen = [role], {role.oid}
    while waiting:
        value = waiting.pop()
        powers |= _own_powers(catalogue, value)
        for membership in catalogue.groups.get(value.oid, ()):
            if membership.grp not in seen:
                seen.add(membership.grp)
                waiting.append(catalogue.roles[membership.grp])
    return powers


def _quoted(name: str) -> str:
    return quote(name, safe="")
