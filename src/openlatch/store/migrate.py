"""Bringing the database to the schema that this version needs."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from sqlalchemy import Engine, text

from openlatch.deferred import deferred

if TYPE_CHECKING:
    from alembic import command, config, script
    from alembic.runtime import migration
else:
    command, config, script = (deferred(f"alembic.{name}") for name in ("command", "config", "script"))
    migration = deferred("alembic.runtime.migration")

__all__ = ["at_head", "migrate"]

_LOCK = 0x4F4C  # any number, as long as every Open Latch takes the same one


def _config() -> config.Config:
    made = config.Config()
    made.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    return made


def migrate(engine: Engine) -> tuple[str | None, str]:
    """Apply the missing migrations; returns the revision before and after. Several at once take turns."""
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


def at_head(engine: Engine) -> bool:
    """Return whether the database has the schema that this version needs."""
    with engine.connect() as connection:
        current = migration.MigrationContext.configure(connection).get_current_revision()
    return current == script.ScriptDirectory.from_config(_config()).get_current_head()
