"""Bringing the database to the schema that this version needs."""

from __future__ import annotations

from pathlib import Path

from alembic import command
from alembic.config import Config
from alembic.runtime.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Engine, text

__all__ = ["at_head", "migrate"]

_LOCK = 0x4F4C  # any number, as long as every Open Latch takes the same one


def _config() -> Config:
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    return config


def migrate(engine: Engine) -> tuple[str | None, str]:
    """Apply the missing migrations; returns the revision before and after. Several at once take turns."""
    config = _config()
    with engine.connect() as connection:
        connection.execute(text("select pg_advisory_lock(:key)"), {"key": _LOCK})
        connection.commit()
        try:
            before = MigrationContext.configure(connection).get_current_revision()
            connection.rollback()
            config.attributes["connection"] = connection
            command.upgrade(config, "head")
            connection.commit()
        finally:
            connection.rollback()
            connection.execute(text("select pg_advisory_unlock(:key)"), {"key": _LOCK})
            connection.commit()
    return before, str(ScriptDirectory.from_config(config).get_current_head())


def at_head(engine: Engine) -> bool:
    """Return whether the database has the schema that this version needs."""
    with engine.connect() as connection:
        current = MigrationContext.configure(connection).get_current_revision()
    return current == ScriptDirectory.from_config(_config()).get_current_head()
