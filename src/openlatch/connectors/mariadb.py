"""The connector for a MariaDB server: its logins, their roles, what they may do in which database, and their sessions.

A login is a name with the hosts from which it counts, as in `orla@10.%`: two of one name are two logins. What the
server knows becomes entries: `login:NAME:HOST` (may sign in, with what it may do everywhere), `role:ROLE:NAME:HOST`,
`grant:DATABASE:NAME:HOST` (what it may do there), and `session:ID:NAME:HOST`. What is granted to PUBLIC, and the login
without a name, are anyone's. MariaDB gives logins no end and no words about whose they are.
"""

from __future__ import annotations

import ipaddress
import re
import ssl
from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any, ClassVar
from urllib.parse import quote, unquote

import orjson
import pymysql
from pymysql.cursors import DictCursor

from openlatch.connecting import outgoing
from openlatch.connecting.capabilities import Ends, Finds, Gives
from openlatch.connecting.settings import checked, port_of, trusted, unable
from openlatch.core.model import Abilities
from openlatch.core.phrases import counted
from openlatch.core.powers import in_order
from openlatch.core.providers.observation import Observation, ObservedAccount, ObservedEntry, ObservedParty
from openlatch.core.providers.ports import About, Answer, Found, Gift, Hindrance, Page, Setting
from openlatch.errors import ProviderDown, ProviderRefused, ProviderUnreadable
from openlatch.words import Kind, PartyKind, Power, ReadingOutcome

__all__ = ["GLOBAL", "MariaDbConnector", "matched"]

GLOBAL = (
    *("SELECT", "INSERT", "UPDATE", "DELETE", "CREATE", "DROP", "RELOAD", "SHUTDOWN", "PROCESS", "FILE"),
    *("GRANT OPTION", "REFERENCES", "INDEX", "ALTER", "SHOW DATABASES", "SUPER", "CREATE TEMPORARY TABLES"),
    *("LOCK TABLES", "EXECUTE", "REPLICATION SLAVE", "BINLOG MONITOR", "CREATE VIEW", "SHOW VIEW", "CREATE ROUTINE"),
    *("ALTER ROUTINE", "CREATE USER", "EVENT", "TRIGGER", "CREATE TABLESPACE", "DELETE HISTORY", "SET USER"),
    *("FEDERATED ADMIN", "CONNECTION ADMIN", "READ_ONLY ADMIN", "REPLICATION SLAVE ADMIN"),
    *("REPLICATION MASTER ADMIN", "BINLOG ADMIN", "BINLOG REPLAY", "SLAVE MONITOR"),
)
"""What each bit of `access` in mysql.global_priv stands for, from the lowest on."""
_ALL = (Power.VIEW, Power.EDIT, Power.EXPORT, Power.ADMIT, Power.OWN)
# Whoever can select from a table can take all of it along; hence export. A routine runs with the rights of its maker.
PRIVILEGES: Mapping[str, tuple[Power, ...]] = {
    "SELECT": (Power.VIEW, Power.EXPORT),
    **dict.fromkeys(
        (
            *("INSERT", "UPDATE", "DELETE", "CREATE", "DROP", "ALTER", "INDEX", "EVENT", "TRIGGER", "CREATE VIEW"),
            *("CREATE ROUTINE", "ALTER ROUTINE", "DELETE HISTORY", "BINLOG REPLAY"),
        ),
        (Power.EDIT,),
    ),
    "EXECUTE": (Power.VIEW, Power.EDIT),
    "PROCESS": (Power.VIEW,),
    "FILE": (Power.VIEW, Power.EDIT, Power.EXPORT),
    "REPLICATION SLAVE": (Power.VIEW, Power.EXPORT),
    **dict.fromkeys(("GRANT OPTION", "CREATE USER"), (Power.ADMIT,)),
    **dict.fromkeys(("SUPER", "SET USER"), _ALL),
    "SHUTDOWN": (Power.OWN,),
}
_SPELT = {
    "create_tmp_table": "CREATE TEMPORARY TABLES",
    "grant": "GRANT OPTION",
    "delete_history": "DELETE HISTORY",
    "delete versioning rows": "DELETE HISTORY",
}
"""How the tables of the server spell what GRANT spells otherwise."""
LOGIN, OPEN, GRANT, SESSION = "login", "login without a password", "privileges in a database", "open session"
PUBLIC = "PUBLIC"
_ACCOUNT = "server"
_ON = re.compile(
    r"(?P<what>[A-Z_ ]+)(?P<column> \(`(?:[^`]|``)+`\))? ON (?P<where>(?:FUNCTION |PROCEDURE |PACKAGE |PACKAGE BODY )?"
    r"`(?:[^`]|``)+`\.(?:\*|`(?:[^`]|``)+`))"
)
"""A privilege as it stands in a GRANT, and as a permission of an entry."""
_LOGINS = "select User as name, Host as host, Priv as priv from mysql.global_priv"
_ROLES = "select User as name, Host as host, Role as role, Admin_option as admin from mysql.roles_mapping"
_BY_DATABASE = "select * from mysql.db"
_BY_TABLE = "select User, Host, Db, Table_name, Table_priv from mysql.tables_priv where Table_priv <> ''"
_BY_COLUMN = (
    "select User, Host, Db, Table_name, Column_name, Column_priv from mysql.columns_priv where Column_priv <> ''"
)
_BY_ROUTINE = "select User, Host, Db, Routine_name, Routine_type, Proc_priv from mysql.procs_priv where Proc_priv <> ''"
_OWN = "select current_user() as own"
_SESSIONS = (
    "select ID as id, USER as name, HOST as host from information_schema.processlist "
    "where ID <> connection_id() and COMMAND not in ('Daemon', 'Binlog Dump') and USER not in ('system user', '')"
)


@dataclass(frozen=True, slots=True)
class _Login:
    """A login or a role; roles have no host."""

    name: str
    host: str
    role: bool
    locked: bool
    open: bool
    everywhere: tuple[str, ...]

    @property
    def whole(self) -> tuple[str, str]:
        return self.name, self.host

    @property
    def anyone(self) -> bool:
        return not self.name or (self.role and self.name == PUBLIC)


@dataclass(frozen=True, slots=True)
class _Catalogue:
    """What was read of the server: roles by their bearers, and privileges as GRANT has them, by bearer and database."""

    logins: Mapping[tuple[str, str], _Login]
    roles: Mapping[tuple[str, str], Sequence[tuple[str, bool]]]
    grants: Mapping[tuple[str, str], Mapping[str, Sequence[str]]]
    sessions: Sequence[tuple[int, tuple[str, str], str]]
    own: tuple[str, str]
    """the login with which it was read"""

    def powers(self, who: tuple[str, str]) -> set[Power]:
        """What somebody can do by themselves, and through all roles above them."""
        powers: set[Power] = set()
        waiting, seen = [who], {who}
        while waiting:
            one = waiting.pop()
            login = self.logins.get(one)
            powers |= _powers(login.everywhere if login else ())
            for clauses in self.grants.get(one, {}).values():
                powers |= _granted(clauses)
            for role, admin in self.roles.get(one, ()):
                powers |= {Power.ADMIT} if admin else set()
                if (role, "") not in seen:
                    seen.add((role, ""))
                    waiting.append((role, ""))
        return powers


class MariaDbConnector(Ends, Finds, Gives):
    """Reads and changes logins. Its own may be one that only reads."""

    made_for: ClassVar[int] = 1
    about: ClassVar[About] = About(
        "MariaDB logins, roles, privileges and sessions",
        (
            Setting("host", "name or address of the server"),
            Setting("port", "usually 3306"),
            Setting("user", "a login that may read mysql.* and, to end access, change it (see the guide)", leads=False),
            Setting("authority", "certificate (PEM) of its authority, if a private one", needed=False, lines=True),
            Setting("account", "what to call the server", needed=False, leads=False),
        ),
        "password",
    )

    def __init__(self, settings: Mapping[str, str], secret: str) -> None:
        checked("mariadb", self.about, settings)
        self._host, self._port, self._user = settings["host"], port_of("mariadb", settings), settings["user"]
        self._where = f"{self._host}:{self._port}"
        self._secret = secret
        self._authority = settings.get("authority", "")
        self._trusts = trusted("mariadb", settings)
        self._account = ObservedAccount(_ACCOUNT, settings.get("account") or self._host)

    def abilities(self) -> Abilities:
        given = frozenset({Kind.DELEGATE, Kind.OPEN})
        kinds = given | {Kind.SESSION}
        seen = self._read()
        levels = {
            login.name: in_order(seen.powers(whole))
            for whole, login in seen.logins.items()
            if login.role and not login.anyone
        }
        return Abilities(kinds, kinds, gives=given, levels=levels)

    def pages(self) -> Iterator[Page]:
        seen = _observation(self._read(), self._account)
        yield Page(seen.accounts, seen.parties, seen.entries, total=len(seen.entries))

    def end(self, entry: str, party: str, idempotency_key: str) -> Answer:
        # Each statement asks for a state, not for a step, so that doing it twice is doing it once.
        kind, *parts = entry.split(":")
        names = [unquote(part) for part in parts]
        seen = self._read()
        if (names[-2], names[-1]) == seen.own:
            raise ProviderRefused(
                f"{entry!r} is Open Latch's own way into {self._where}; ending it would lock Open Latch out.",
                next_step="Remove the provider from Open Latch, then end it at the server.",
            )
        with self._connected() as connection:
            if kind == "login":
                return self._end_login(connection, seen, (names[0], names[1]))
            if kind == "role":
                return self._end_role(connection, seen, names[0], (names[1], names[2]))
            if kind == "grant":
                return self._end_grants(connection, seen, names[0], (names[1], names[2]))
            return self._close(connection, seen, int(names[0]), (names[1], names[2]))

    def find(self, text: str) -> Found:
        wanted = text.strip().casefold()
        logins = [
            one
            for one in self._read().logins.values()
            if not one.role and wanted in (one.name.casefold(), _shown(*one.whole).casefold())
        ]
        if len(logins) == 1:
            return Found(_key(*logins[0].whole), _shown(*logins[0].whole))
        several = f"{self._where} has {len(logins)} logins of that name; give one with its host, such as orla@10.%."
        reason = f"No login of {self._where} is known to be theirs. Have one made there, or give its name."
        return Found(hindrances=(Hindrance("not-registered", several if logins else reason),))

    def give(self, party: str, gift: Gift, idempotency_key: str) -> Answer:
        if gift.ends_at is not None or gift.hours is not None:
            raise unable(f"{gift.level} on {gift.account}", "give an end to")
        kind, *parts = gift.again.split(":") if gift.again else ("role", quote(gift.level, safe=""), *party.split(":"))
        names = [unquote(part) for part in parts]
        with self._connected() as connection:
            if kind == "login":
                _do(connection, f"alter user {_who(connection, names[0], names[1])} account unlock")
                return Answer(f"{_shown(names[0], names[1])} may sign in again")
            if kind == "role" and len(names) == 3:
                self._role_there(names[0], (names[1], names[2]))
                _do(connection, f"grant {_quoted(names[0])} to {_who(connection, names[1], names[2])}")
                return Answer(f"{_shown(names[1], names[2])} has the role {names[0]}")
            clauses = [_ON.fullmatch(text) for text in gift.permissions]
            if kind == "grant" and clauses and all(clauses):
                for clause in filter(None, clauses):
                    _do(connection, f"grant {clause[0]} to {_who(connection, names[1], names[2])}")
                return Answer(f"{_shown(names[1], names[2])} may do the same in {names[0]} again")
        raise unable(f"{gift.level} on {gift.account}", "give")

    # Ending

    def _end_login(self, connection: pymysql.Connection[Any], seen: _Catalogue, who: tuple[str, str]) -> Answer:
        login = seen.logins.get(who)
        if login is None:
            return Answer("there is no such login any more", already=True)
        if not login.locked:
            _do(connection, f"alter user {_who(connection, *who)} account lock")
        # Only now: a session that is closed before could simply be opened again.
        open_now = [session for session, whose, _ in self._read().sessions if whose == who]
        for session in open_now:
            _kill(connection, session)
        return Answer(
            f"{_shown(*who)} may no longer sign in; {counted(len(open_now), 'session')} closed",
            login.locked and not open_now,
        )

    def _end_role(
        self, connection: pymysql.Connection[Any], seen: _Catalogue, role: str, who: tuple[str, str]
    ) -> Answer:
        has = any(name == role for name, _ in seen.roles.get(who, ()))
        if has:
            _do(connection, f"revoke {_quoted(role)} from {_who(connection, *who)}")
        return Answer(f"{_shown(*who)} has the role {role} no more", already=not has)

    def _end_grants(
        self, connection: pymysql.Connection[Any], seen: _Catalogue, database: str, who: tuple[str, str]
    ) -> Answer:
        clauses = seen.grants.get(who, {}).get(database, ())
        for clause in clauses:
            _do(connection, f"revoke {clause} from {_who(connection, *who)}")
        return Answer(f"{_shown(*who)} may do nothing of its own in {database} any more", already=not clauses)

    def _close(
        self, connection: pymysql.Connection[Any], seen: _Catalogue, session: int, who: tuple[str, str]
    ) -> Answer:
        there = any((number, whose) == (session, who) for number, whose, _ in seen.sessions)
        if there:
            _kill(connection, session)
        return Answer("the session is closed", already=not there)

    def _role_there(self, role: str, who: tuple[str, str]) -> None:
        logins = self._read().logins
        if (role, "") not in logins or who not in logins:
            missing = f"role {role!r}" if (role, "") not in logins else f"login {_shown(*who)!r}"
            raise ProviderRefused(f"{self._where} has no {missing}.", next_step="Have it made there, then try again.")

    # Asking

    def _read(self) -> _Catalogue:
        with self._connected() as connection:
            logins = {
                (row["name"], row["host"]): _login(row["name"], row["host"], row["priv"])
                for row in _rows(connection, _LOGINS)
            }
            roles: dict[tuple[str, str], list[tuple[str, bool]]] = defaultdict(list)
            for row in _rows(connection, _ROLES):
                roles[row["name"], row["host"]].append((row["role"], row["admin"] == "Y"))
            grants: dict[tuple[str, str], dict[str, list[str]]] = defaultdict(lambda: defaultdict(list))
            for who, database, clause in _clauses(connection):
                grants[who][database].append(clause)
            hosts = defaultdict(list)
            for name, host in (whole for whole, login in logins.items() if not login.role):
                hosts[name].append(host)
            sessions = []
            for row in _rows(connection, _SESSIONS):
                client = row["host"].rpartition(":")[0] or row["host"]
                named = row["name"] if row["name"] in hosts else ""
                host = matched(client, hosts.get(named, ()))
                if host is not None:
                    sessions.append((int(row["id"]), (named, host), client))
            # Two logins have one name, and only one of them is ours.
            name, _, host = _rows(connection, _OWN)[0]["own"].rpartition("@")
        return _Catalogue(logins, roles, grants, sessions, (name, host))

    @contextmanager
    def _connected(self) -> Iterator[pymysql.Connection[Any]]:
        address, *_ = outgoing.addresses_of(self._host, self._port)
        encrypted = bool(self._authority) or not outgoing.is_beside(address)
        # Without a context the library encrypts where the server does, and asks for no certificate.
        ways: dict[str, Any] = {"ssl": self._trusts} if encrypted else {}
        connection, let_in = None, False
        try:
            connection = pymysql.connect(
                host=self._host,
                port=self._port,
                user=self._user,
                password=self._secret,
                charset="utf8mb4",
                **ways,
                read_timeout=30,
                write_timeout=30,
                autocommit=True,
                cursorclass=DictCursor,
                init_command="set session sql_mode = '', session lock_wait_timeout = 10",
                defer_connect=True,
                program_name="open-latch",
            )
            connection.connect(outgoing.connected(self._host, self._port, 5, in_clear=not encrypted))
            let_in = True
            yield connection
        except pymysql.err.MySQLError as error:
            raise self._told(error, let_in=let_in) from error
        except (OSError, ssl.SSLError) as error:
            raise ProviderDown(
                f"{self._where} does not answer ({error}).",
                next_step="It will be tried again automatically; what was known before is kept.",
            ) from error
        finally:
            if connection is not None and connection.open:
                connection.close()

    def _told(self, error: pymysql.err.MySQLError, *, let_in: bool) -> Exception:
        """An error of the server, or on the way to it, as one of ours."""
        code, said = (*error.args, "", "")[:2]
        if code in (1045, 1698, 1251, 2059, 1862) and not let_in:
            return ProviderRefused(
                f"{self._where} does not let “{self._user}” in: {said}.", next_step="Check the user and the password."
            )
        # A role is taken back by whoever may pass it on; the server says of anyone else that they are not let in.
        if code in (1044, 1045, 1142, 1143, 1227, 1370, 1410, 1698, 1147, 1141):
            return ProviderRefused(
                f"{self._where} does not let “{self._user}” do this: {said}.",
                next_step="Give that login the right that this takes (see the guide), then try again.",
            )
        if code == 1146 and "global_priv" in str(said):
            return ProviderUnreadable(
                f"{self._where} is no MariaDB of version 10.4 or newer: it has no table mysql.global_priv.",
                next_step="Use a connector for what it is.",
            )
        if isinstance(error, pymysql.err.OperationalError | pymysql.err.InterfaceError):
            return ProviderDown(
                f"{self._where} does not answer: {said or error}.",
                next_step="It will be tried again automatically; what was known before is kept.",
            )
        return ProviderRefused(f"{self._where} will not do this: {said}.", next_step="Do it at the server itself.")


def matched(client: str, hosts: Iterable[str]) -> str | None:
    """Return from which of the hosts that logins of one name count the client is let in: the most exact one."""
    fitting = [host for host in hosts if _fits(client, host)]
    return max(fitting, key=lambda host: (not set("%_/") & set(host), len(re.split("[%_/]", host)[0])), default=None)


def _fits(client: str, host: str) -> bool:
    if "/" in host:
        try:
            return ipaddress.ip_address(client) in ipaddress.ip_network(host)
        except ValueError:
            return False
    pattern = "".join({"%": ".*", "_": "."}.get(letter, re.escape(letter)) for letter in host or "%")
    return re.fullmatch(pattern, client, re.IGNORECASE | re.DOTALL) is not None


def _rows(connection: pymysql.Connection[Any], statement: str) -> list[dict[str, Any]]:
    with connection.cursor() as cursor:
        cursor.execute(statement)
        return list(cursor.fetchall())


def _do(connection: pymysql.Connection[Any], statement: str) -> None:
    with connection.cursor() as cursor:
        # Nothing here is a placeholder: a name may have a per cent sign in it.
        cursor.execute(statement)


def _kill(connection: pymysql.Connection[Any], session: int) -> None:
    try:
        _do(connection, f"kill connection {int(session)}")
    except pymysql.err.OperationalError as error:
        if error.args[0] != 1094:  # it has gone by itself
            raise


def _login(name: str, host: str, text: str) -> _Login:
    try:
        priv: Mapping[str, Any] = orjson.loads(text)
    except ValueError:
        # What cannot be read, such as a number beyond 64 bits, is taken to allow everything.
        priv = {"access": (1 << len(GLOBAL)) - 1}
    access = int(priv.get("access", 0))
    by_password = priv.get("plugin", "mysql_native_password") in ("", "mysql_native_password")
    role = bool(priv.get("is_role"))
    return _Login(
        name,
        host,
        role,
        bool(priv.get("account_locked")),
        not role and by_password and not priv.get("authentication_string") and "auth_or" not in priv,
        tuple(word for place, word in enumerate(GLOBAL) if access >> place & 1),
    )


def _clauses(connection: pymysql.Connection[Any]) -> Iterator[tuple[tuple[str, str], str, str]]:
    """Every privilege on a database or in it: whose it is, in which, and how GRANT and REVOKE say it."""
    for row in _rows(connection, _BY_DATABASE):
        for column, value in row.items():
            if column.endswith("_priv") and value == "Y":
                word = _spelt(column.removesuffix("_priv").lower())
                yield (row["User"], row["Host"]), row["Db"], f"{word} ON {_quoted(row['Db'])}.*"
    for row in _rows(connection, _BY_TABLE):
        for word in row["Table_priv"].split(","):
            yield _in(row, f"{_spelt(word)} ON {_quoted(row['Db'])}.{_quoted(row['Table_name'])}")
    for row in _rows(connection, _BY_COLUMN):
        for word in row["Column_priv"].split(","):
            where = f"{_quoted(row['Db'])}.{_quoted(row['Table_name'])}"
            yield _in(row, f"{_spelt(word)} ({_quoted(row['Column_name'])}) ON {where}")
    for row in _rows(connection, _BY_ROUTINE):
        for word in row["Proc_priv"].split(","):
            where = f"{row['Routine_type']} {_quoted(row['Db'])}.{_quoted(row['Routine_name'])}"
            yield _in(row, f"{_spelt(word)} ON {where}")


def _in(row: Mapping[str, str], clause: str) -> tuple[tuple[str, str], str, str]:
    return (row["User"], row["Host"]), row["Db"], clause


def _spelt(word: str) -> str:
    word = word.lower()
    return _SPELT.get(word, word.replace("_", " ").upper())


def _quoted(name: str) -> str:
    return "`" + name.replace("`", "``") + "`"


def _who(connection: pymysql.Connection[Any], name: str, host: str) -> str:
    """A login in a statement; a role, and everyone, have no host."""
    if not host:
        return PUBLIC if name == PUBLIC else _quoted(name)
    return f"{connection.escape(name)}@{connection.escape(host)}"


def _powers(words: Iterable[str]) -> set[Power]:
    return {power for word in words for power in PRIVILEGES.get(word, ())}


def _granted(clauses: Iterable[str]) -> set[Power]:
    """What privileges give that are written as in a GRANT."""
    return _powers(clause.partition(" ON ")[0].partition(" (")[0] for clause in clauses)


def _shown(name: str, host: str) -> str:
    return f"{name or 'anyone'}@{host}" if host else name


def _key(name: str, host: str) -> str:
    return f"{quote(name, safe='')}:{quote(host, safe='')}"


def _observation(seen: _Catalogue, account: ObservedAccount) -> Observation:
    parties, entries = [], []
    for whole, login in seen.logins.items():
        if login.role and not login.anyone:
            continue
        has = list(_entries(seen, whole, login))
        if has:
            parties.append(_party(login, own=whole == seen.own))
            entries += has
    return Observation(ReadingOutcome.COMPLETE, (account,), tuple(parties), tuple(entries))


def _party(login: _Login, *, own: bool) -> ObservedParty:
    if login.anyone:
        name = "everyone who may sign in" if login.role else f"anyone at {login.host}"
        return ObservedParty(_key(*login.whole), PartyKind.ANYONE, name)
    addresses = (login.name,) if re.fullmatch(r"[^@\s]+@[^@\s]+\.[^@\s]+", login.name) and not own else ()
    return ObservedParty(_key(*login.whole), PartyKind.PERSON, _shown(*login.whole), addresses, service=own)


def _entries(seen: _Catalogue, whole: tuple[str, str], login: _Login) -> Iterator[ObservedEntry]:
    key = _key(*whole)
    kind = Kind.OPEN if login.anyone else Kind.DELEGATE
    own_login = None if login.role else f"login:{key}"

    def entry(of: str, level: str, powers: Iterable[Power], **more: Any) -> ObservedEntry:
        values = {"kind": kind, "hangs_on": own_login, **more}
        return ObservedEntry(of, _ACCOUNT, key, level=level, powers=in_order(powers), **values)

    if not login.locked:
        if own_login:
            level = OPEN if login.open else LOGIN
            may = _powers(login.everywhere)
            yield entry(
                own_login, level, may, hangs_on=None, permissions=tuple(f"{p} ON *.*" for p in login.everywhere)
            )
        for role, admin in seen.roles.get(whole, ()):
            powers = seen.powers((role, "")) | ({Power.ADMIT} if admin else set())
            words = (f"role {role}", *(("WITH ADMIN OPTION",) if admin else ()))
            yield entry(f"role:{quote(role, safe='')}:{key}", role, powers, permissions=words)
        for database, clauses in seen.grants.get(whole, {}).items():
            powers = _granted(clauses)
            of = f"grant:{quote(database, safe='')}:{key}"
            yield entry(of, GRANT, powers, permissions=tuple(clauses), resources=(database,))
    for number, whose, client in seen.sessions:
        if whose == whole:
            of, powers = f"session:{number}:{key}", seen.powers(whole)
            stands = None if login.locked else own_login
            yield entry(of, SESSION, powers, kind=Kind.SESSION, hangs_on=stands, network=client, use_known=False)
