"""Sharing documents, as they were last read."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Mapping, Sequence
from uuid import UUID

import orjson
from pydantic import TypeAdapter
from sqlalchemy import delete, func, select
from sqlalchemy.dialects.postgresql import insert

from openlatch.core.providers.sharing import Document, Statement
from openlatch.store.inventory.rows import DocumentRow
from openlatch.store.noun import Noun

__all__ = ["Documents"]

_STATEMENTS = TypeAdapter(tuple[Statement, ...])
_AT_ONCE = 500


class Documents(Noun):
    """Queries over documents; accounts and parties in them are named by the provider's keys."""

    def keep(
        self, provider_id: UUID, documents: Sequence[Document], accounts: Mapping[str, UUID], *, every: bool
    ) -> None:
        """Store what a reading saw of a provider's documents; with `every`, there are no others any more."""
        known = select(DocumentRow.key, DocumentRow.digest).where(DocumentRow.provider_id == provider_id)
        before = {row.key: row.digest for row in self._session.execute(known)}
        rows = [self._document(provider_id, document, accounts[document.account]) for document in documents]
        news = [row for row in rows if before.get(str(row["key"])) != row["digest"]]
        statement = insert(DocumentRow)
        same = ("workspace_id", "provider_id", "key")
        values = {column.name: column for column in statement.excluded if column.name not in same}
        for start in range(0, len(news), _AT_ONCE):
            added = statement.on_conflict_do_update(index_elements=same, set_=values)
            self._session.execute(added, news[start : start + _AT_ONCE])
        gone = list(before.keys() - {document.key for document in documents}) if every else []
        if gone:
            theirs = (DocumentRow.provider_id == provider_id, DocumentRow.key == func.any(gone))
            self._session.execute(delete(DocumentRow).where(*theirs))

    def of(self, account_ids: Iterable[UUID]) -> dict[UUID, tuple[Document, ...]]:
        """Return the documents of accounts, in a steady order; they name the account by the text of its id."""
        query = select(DocumentRow).where(DocumentRow.account_id == func.any(list(account_ids)))
        documents_by_id: dict[UUID, list[Document]] = {}
        for row in self._session.scalars(query.order_by(DocumentRow.key)):
            statements = _STATEMENTS.validate_python(row.statements)
            document = Document(row.key, str(row.account_id), row.resource, row.zone, statements)
            documents_by_id.setdefault(row.account_id, []).append(document)
        return {account: tuple(documents) for account, documents in documents_by_id.items()}

    def _document(self, provider_id: UUID, document: Document, account_id: UUID) -> dict[str, object]:
        statements = _STATEMENTS.dump_python(document.statements, mode="json")
        for statement in statements:
            # Sets come in any order, and the same document is to have the same digest.
            statement["to"].sort(key=lambda to: (to["kind"], to["value"]))
            statement["powers"].sort()
        content = orjson.dumps(
            [str(account_id), document.resource, document.zone, statements], option=orjson.OPT_SORT_KEYS
        )
        return {
            "workspace_id": self._workspace_id,
            "provider_id": provider_id,
            "key": document.key,
            "account_id": account_id,
            "resource": document.resource,
            "zone": document.zone,
            "statements": statements,
            "digest": hashlib.blake2b(content, digest_size=16).digest(),
        }
