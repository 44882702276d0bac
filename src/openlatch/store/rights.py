"""What the login of the service may do in the database: read and write rows, and nothing to what keeps them honest."""

from __future__ import annotations

from sqlalchemy import Engine, text

from openlatch.errors import Misconfigured

__all__ = ["grant", "owns_tables"]

RIGHTS = (
    "revoke all on all tables in schema public from {login}",
    "grant usage on schema public to {login}",
    "grant select, insert, update, delete on all tables in schema public to {login}",
    "grant usage on all sequences in schema public to {login}",
    "grant execute on all functions in schema public to {login}",
    # The log grows, and what was unsealed is sealed; nothing else happens to it.
    "revoke update, delete on events, log_nodes from {login}",
    "grant update (number, link) on events to {login}",
    "revoke delete on seals, workspaces, keys from {login}",
    # What counts as archived is for whoever can archive it to say.
    "revoke insert, update on seals from {login}",
    "grant insert (workspace_id, size, link, sealed_at, grown, root) on seals to {login}",
    "grant update (size, link, sealed_at, grown, root) on seals to {login}",
    "revoke insert, update, delete on alembic_version from {login}",
)
"""What is granted, in this order."""


def grant(engine: Engine, login: str) -> bool:
    """Give the login of the service what it needs, as the owner of the tables; returns whether it is another one.

    Raises Misconfigured where that login could do more than it is given.
    """
    with engine.begin() as connection:
        owner = connection.execute(text("select current_user")).scalar_one()
        if owner == login:
            return False
        value = connection.execute(
            text(
                "select rolsuper or rolbypassrls or pg_has_role(rolname, current_user, 'member') "
                "from pg_roles where rolname = :login"
            ),
            {"login": login},
        ).scalar()
        if value is None or value:
            raise Misconfigured(
                f"The login “{login}” of OPENLATCH_DATABASE_URL "
                + ("is not there." if value is None else "may do more than it is given.")
                + " No rights were changed.",
                next_step=f"Make a plain one: create role {login} login password '…'",
            )
        quoted = engine.dialect.identifier_preparer.quote(login)
        for statement in RIGHTS:
            connection.execute(text(statement.format(login=quoted)))
    return True


def owns_tables(engine: Engine) -> bool:
    """Return whether the login of the service owns its tables, and so could change what keeps them honest."""
    query = (
        "select pg_has_role(current_user, relowner, 'member') from pg_class where oid = to_regclass('public.events')"
    )
    with engine.connect() as connection:
        return bool(connection.execute(text(query)).scalar())
