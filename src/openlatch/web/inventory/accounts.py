"""Accounts."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from openlatch.operations.call import Call
from openlatch.operations.inventory import accounts
from openlatch.operations.rules import risks
from openlatch.store.inventory.accounts import ListedAccount
from openlatch.store.pages import every
from openlatch.web.api import Routes, Stream
from openlatch.web.files import CONTENT_TYPES, kept
from openlatch.web.inventory.render import account_of
from openlatch.web.rules.render import risk_of
from openlatch.wire import messages as wire
from openlatch.words import Criticality

__all__ = ["routes"]

routes = Routes()


@routes.route("GET", "/accounts", query=wire.AccountQuery, returns=wire.AccountList)
def list_accounts(call: Call, query: wire.AccountQuery) -> wire.AccountList:
    """Accounts in the order asked for, each with what is on it: risk, worst flag, parties, secrets, last review."""
    page = accounts.browse(call, query, query.limit, query.cursor)
    return wire.AccountList(items=list(_rendered(call, page.items)), next=page.next)


@routes.route("GET", "/accounts/export", query=wire.AccountExport, files=CONTENT_TYPES, streams=True)
def export_accounts(call: Call, query: wire.AccountExport) -> Stream:
    """Every account that a filter leaves, as a file: CSV or JSON Lines, sent while it is read; or a spreadsheet."""
    listed = every(lambda size, cursor: accounts.browse(call, query, size, cursor))
    return kept("accounts", query, wire.Account, _rendered(call, listed), call.tx.workspace.zone)


@routes.route("GET", "/accounts/<account>", returns=wire.Account)
def get_account(call: Call, account: str) -> wire.Account:
    """One account, by id, short form or name."""
    return _one(call, accounts.show(call, account))


@routes.route("PUT", "/accounts/<account>", body=wire.AccountDescription, returns=wire.Account)
def describe_account(call: Call, account: str, body: wire.AccountDescription) -> wire.Account:
    """Set how critical an account is, and whether it is only for practice."""
    wanted = Criticality(body.criticality) if body.criticality else None
    return _one(call, accounts.describe(call, account, wanted, body.practice))


@routes.route("GET", "/accounts/<account>/risk", returns=wire.Risk)
def get_account_risk(call: Call, account: str) -> wire.Risk:
    """The risk of an account, what adds up to it, and how it has moved."""
    return risk_of(risks.of_account(call, account))


def _rendered(call: Call, listed: Iterable[ListedAccount]) -> Iterator[wire.Account]:
    names = call.tx.providers.names()
    return (account_of(each, names[each.account.provider_id]) for each in listed)


def _one(call: Call, listed: ListedAccount) -> wire.Account:
    return account_of(listed, call.tx.providers.names()[listed.account.provider_id])
