"""Sharing documents as people read and propose them: as they were last read, in the format of a proposal."""

from __future__ import annotations

from typing import Any
from uuid import UUID

from openlatch.core.model import Party
from openlatch.core.powers import in_order
from openlatch.core.providers.sharing import Document, Selector, Statement
from openlatch.operations.call import Call, operation

__all__ = ["browse"]


@operation("accounts.shares")
def browse(call: Call, account: str, part: str | None) -> tuple[dict[str, Any], ...]:
    """What shares the parts of an account, or one of them, each as a change of a proposal that changes nothing yet."""
    the_account = call.tx.accounts.find(account)
    documents = [
        document
        for document in call.tx.documents.of([the_account.id]).get(the_account.id, ())
        if part in (None, document.resource)
    ]
    ids = {key: some_id for key, (some_id, _) in call.tx.parties.keys_at(the_account.provider_id).items()}
    wanted = {to.value for document in documents for s in document.statements for to in s.to if to.kind == "party"}
    parties = call.tx.parties.some(ids[key] for key in wanted if key in ids)
    return tuple(_change(the_account.name, document, ids, parties) for document in documents)


def _change(account: str, document: Document, ids: dict[str, UUID], parties: dict[UUID, Party]) -> dict[str, Any]:
    return {
        "do": "share",
        "account": account,
        "resource": document.resource,
        "zone": document.zone,
        "statements": [_statement(statement, ids, parties) for statement in document.statements],
    }


def _statement(statement: Statement, ids: dict[str, UUID], parties: dict[UUID, Party]) -> dict[str, Any]:
    said: dict[str, Any] = {
        "effect": "allow" if statement.allow else "deny",
        "to": [_to(to, ids, parties) for to in sorted(statement.to)],
        "powers": [power.value for power in in_order(statement.powers)],
    }
    if statement.networks is not None:
        said["networks"] = [str(network) for network in statement.networks]
    if statement.hours is not None:
        said["hours"] = [window.written() for window in statement.hours]
    return said | ({"level": statement.level} if statement.level else {})


def _to(to: Selector, ids: dict[str, UUID], parties: dict[UUID, Party]) -> dict[str, Any]:
    """Whom a statement is about, by an address or a short form where there is one."""
    if to.kind == "anyone":
        return {"anyone": True}
    if to.kind == "domain":
        return {"domain": to.value}
    party = parties.get(ids[to.value]) if to.value in ids else None
    return {"party": to.value if party is None else next(iter(party.addresses), party.ref)}
