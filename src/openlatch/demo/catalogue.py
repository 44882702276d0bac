"""Plate Catalogue: the research database, a real PostgreSQL server with roles of its own."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime, timedelta

from psycopg import sql

from openlatch.demo.cast import DOMAIN

__all__ = ["CONTRACTOR", "DATABASE", "LATCH", "SESSIONS", "logins", "statements"]

DATABASE = "plate_catalogue"
LATCH = "open_latch"
"""the login with which Open Latch reads and changes the roles"""
CONTRACTOR = "brightmere_sync"

SESSIONS: Mapping[str, str] = {CONTRACTOR: "gate-log-sync", "star_chart": "star-chart 3.1"}
"""Logins that are connected while the demo runs, and the program each connects with."""

_TABLES = """
create table plates (id serial primary key, taken_on date not null, field text not null, exposure_s integer not null);
create table observers (id serial primary key, name text not null);
create table gate_log (at timestamptz not null, what text not null);
insert into plates (taken_on, field, exposure_s)
    select current_date - n, 'field ' || n % 40, 60 + n % 9 * 30 from generate_series(1, 400) n;
create role plate_readers;
create role plate_editors;
create role plate_keepers createrole;
grant select on all tables in schema public to plate_readers;
grant plate_readers to plate_editors;
grant insert, update, delete on plates, observers to plate_editors;
grant plate_editors to plate_keepers;
"""
_LOGINS = (
    # login, whose it is, groups, privileges of its own, days until it ends
    ("pell_varga", f"Pell Varga <pell.varga@{DOMAIN}>", ("plate_keepers",), "", None),
    ("ines_okoro", f"Ines Okoro <ines.okoro@{DOMAIN}>", ("plate_editors",), "", None),
    ("jory_penrose", f"Jory Penrose <jory.penrose@{DOMAIN}>", ("plate_editors", "plate_readers"), "", None),
    ("dome_nightly", f"Dome nightly import <dome@{DOMAIN}>", (), "insert on plates", None),
    ("amara_levy", "Dr Amara Levy <amara.levy@northcape-uni.example>", ("plate_readers",), "", 18),
    (CONTRACTOR, "Brightmere Electrical <works@brightmere.example>", ("plate_readers",), "insert on gate_log", None),
    ("star_chart", "Star Chart Weekly <data@starchartweekly.example>", ("plate_readers",), "", None),
    ("old_import", "", (), "update on observers", None),
)


def statements(passwords: Mapping[str, str], now: datetime) -> list[sql.Composed]:
    """Return what builds the catalogue; `passwords` holds that of every login, Open Latch's own among them."""
    built = [sql.Composed([sql.SQL(_TABLES)])]
    for login, whose, groups, privilege, days in _LOGINS:
        name = sql.Identifier(login)
        built.append(_login(login, passwords[login], "", whose))
        built += [sql.SQL("grant {} to {}").format(sql.Identifier(group), name) for group in groups]
        if privilege:
            built.append(sql.SQL(f"grant {privilege} to {{}}").format(name))
        if days is not None:
            until = (now + timedelta(days=days)).isoformat()
            built.append(sql.SQL("alter role {} valid until {}").format(name, sql.Literal(until)))
    latch = sql.Identifier(LATCH)
    built.append(_login(LATCH, passwords[LATCH], "createrole", "Open Latch"))
    built.append(sql.SQL("grant pg_read_all_stats, pg_signal_backend to {}").format(latch))
    return built


def logins() -> tuple[str, ...]:
    """Return every login that needs a password."""
    return (*(login for login, *_ in _LOGINS), LATCH)


def _login(login: str, password: str, attributes: str, whose: str) -> sql.Composed:
    role = sql.SQL("create role {} login password {} " + attributes).format(
        sql.Identifier(login), sql.Literal(password)
    )
    comment = sql.SQL("; comment on role {} is {}").format(sql.Identifier(login), sql.Literal(whose or None))
    return role + comment
