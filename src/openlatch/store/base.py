"""What every table has in common: each carries `workspace_id`, and row-level security keeps workspaces apart."""

from __future__ import annotations

from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import DateTime, Dialect, LargeBinary, Text, TypeDecorator
from sqlalchemy.dialects.postgresql import ARRAY, JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

__all__ = ["Base", "Owned", "Several"]


class Several(TypeDecorator[list[Any]]):
    """An array, as the driver reads it: it is a list already, which the usual type would go through once more."""

    impl = ARRAY
    cache_ok = True

    def result_processor(self, dialect: Dialect, coltype: object) -> Any:
        return None


class Base(DeclarativeBase):
    """Common ground: text is `text`, instants carry their zone, structures are jsonb."""

    type_annotation_map = {  # noqa: RUF012 - SQLAlchemy reads it so
        str: Text,
        datetime: DateTime(timezone=True),
        dict[str, Any]: JSONB,
        list[dict[str, Any]]: JSONB,
        list[str]: Several(Text),
        list[datetime]: Several(DateTime(timezone=True)),
        bytes: LargeBinary,
    }


class Owned(Base):
    """A row that belongs to one workspace and has an id of its own there."""

    __abstract__ = True
    workspace_id: Mapped[UUID] = mapped_column(primary_key=True)
    id: Mapped[UUID] = mapped_column(primary_key=True)
