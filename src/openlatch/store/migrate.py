"""Bringing the database to the schema that this version needs."""

from __future__ import annotations

from enum import StrEnum
from pathlib import Path
from typing import TYPE_CHECKING

from sqlalchemy import Engine, text

from openlatch.deferred import deferred
from openlatch.errors import Misconfigured

if TYPE_CHECKING:
    from alembic import command, config, script
    from alembic.runtime import migration
else:
    command, config, script = (deferred(f"alembic.{name}") for name in ("command", "config", "script"))
    migration = deferred("alembic.runtime.migration")

__all__ = ["Schema", "migrate", "standing"]


class Schema(StrEnum):
    """What the schema of a database is to this version of Open Latch, as the end of a sentence."""

    RIGHT = ""
    NONE = "the database has no tables yet"
    OLDER = "the database has the schema of an older version"
    NEWER = "the database has the schema of a newer version"
    STRANGE = "the database has tables that are not Open Latch’s"


_LOCK = 0x4F4C  # any number, as long as every Open Latch takes the same one


def _config() -> config.Config:
    made = config.Config()
    made.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    return made


def migrate(engine: Engine) -> tuple[str | None, str]:
    """Apply the missing migrations; returns the revision before and after. Several at once take turns.

    Raises Misconfigured for a schema that is not an older one of ours.
    """
    schema, revision = standing(engine)
    if schema in (Schema.NEWER, Schema.STRANGE):
        raise Misconfigured(
            f"It cannot be migrated: {schema}{f' ({revision})' if revision else ''}. Nothing was changed.",
            next_step="Run the version of Open Latch that it belongs to."
            if schema is Schema.NEWER
            else "Check the name of the database in its address; Open Latch needs one of its own.",
        )
    ours = _config()
    with engine.connect() as connection:
        connection.execute(text("select pg_advisory_lock(:key)"), {"key": _LOCK})
        connection.commit()
        try:
            before = migration.MigrationContext.configure(connection).get_current_revision()
            connection.rollback()
            ours.attributes["connection"] = connection
            command.upgrade(ours, "head")
            connection.commit()
        finally:
            connection.rollback()
            connection.execute(text("select pg_advisory_unlock(:key)"), {"key": _LOCK})
            connection.commit()
    return before, str(script.ScriptDirectory.from_config(ours).get_current_head())


def standing(engine: Engine) -> tuple[Schema, str | None]:
    """Return what the schema of a database is to this version, and its revision if it has one."""
    known = script.ScriptDirectory.from_config(_config())
    with engine.connect() as connection:
        current = migration.MigrationContext.configure(connection).get_current_revision()
        tables = "select exists (select from pg_tables where schemaname = 'public')"
        some = bool(connection.execute(text(tables)).scalar())
    head = str(known.get_current_head())
    if current == head:
        return Schema.RIGHT, current
    if current is None:
        return Schema.STRANGE if some else Schema.NONE, None
    if any(each.revision == current for each in known.walk_revisions()):
        return Schema.OLDER, current
    later = len(current) == len(head) and current.isdecimal() and current > head
    return Schema.NEWER if later else Schema.STRANGE, current
