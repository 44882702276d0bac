"""Every column of the database that holds something closed, so that keys can be changed: each is in this one list."""

from __future__ import annotations

from collections.abc import Callable

from sqlalchemy import ColumnElement, inspect, select, true, update
from sqlalchemy.orm import InstrumentedAttribute, Session

from openlatch.store.orders.rows import KeyRow
from openlatch.store.people.rows import FactorRow, ReplyRow, SignOnQuestionRow, SignOnRow
from openlatch.store.providers.rows import EventStreamRow, ProviderRow
from openlatch.store.telling.rows import WebhookRow
from openlatch.words import FactorKind

__all__ = ["CLOSED", "close_anew"]

CLOSED: tuple[tuple[InstrumentedAttribute[bytes] | InstrumentedAttribute[bytes | None], ColumnElement[bool]], ...] = (
    (ProviderRow.secret, true()),
    (EventStreamRow.secret, true()),
    (KeyRow.secret, true()),
    (WebhookRow.secret, true()),
    (WebhookRow.address, WebhookRow.address.is_not(None)),
    (FactorRow.secret, FactorRow.kind == FactorKind.CODES.value),
    (ReplyRow.body, true()),
    (SignOnRow.secret, true()),
    (SignOnQuestionRow.question, true()),
)
"""The columns, with the rows of which it is true."""


def close_anew(session: Session, anew: Callable[[bytes], bytes]) -> int:
    """Have everything closed of the workspace that was entered be closed anew; returns how much that was."""
    count = 0
    for column, where in CLOSED:
        row = column.class_
        key = inspect(row).primary_key
        for each_row in session.execute(select(*key, column).where(where).with_for_update()).all():
            mine = [part == value for part, value in zip(key, each_row[:-1], strict=True)]
            session.execute(update(row).where(*mine).values({column.key: anew(each_row[-1])}))
            count += 1
    return count
