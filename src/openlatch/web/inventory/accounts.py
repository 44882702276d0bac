"""Accounts."""

from __future__ import annotations

from openlatch.operations.call import Call
from openlatch.operations.inventory import accounts
from openlatch.operations.rules import risks
from openlatch.web.api import Routes
from openlatch.web.inventory.render import account_of
from openlatch.web.rules.render import risk_of
from openlatch.wire import messages as wire
from openlatch.words import Criticality

__all__ = ["routes"]

routes = Routes()


@routes.route("GET", "/accounts", query=wire.SearchQuery, returns=wire.AccountList)
def list_accounts(call: Call, query: wire.SearchQuery) -> wire.AccountList:
    """Accounts by name, each with the number of parties it is shared with."""
    page = accounts.browse(call, query.q, query.provider, query.limit, query.cursor)
    names = {p.id: p.name for p in call.tx.providers.all()}
    items = [account_of(a, shared, names[a.provider_id]) for a, shared in page.items]
    return wire.AccountList(items=items, next=page.next)


@routes.route("GET", "/accounts/<account>", returns=wire.Account)
def get_account(call: Call, account: str) -> wire.Account:
    """One account, by id, short form or name."""
    the_account, shared = accounts.show(call, account)
    return account_of(the_account, shared, call.tx.providers.get(the_account.provider_id).name)


@routes.route("PUT", "/accounts/<account>", body=wire.AccountDescription, returns=wire.Account)
def describe_account(call: Call, account: str, body: wire.AccountDescription) -> wire.Account:
    """Set how critical an account is, and whether it is only for practice."""
    wanted = Criticality(body.criticality) if body.criticality else None
    the_account, shared = accounts.describe(call, account, wanted, body.practice)
    return account_of(the_account, shared, call.tx.providers.get(the_account.provider_id).name)


@routes.route("GET", "/accounts/<account>/risk", returns=wire.Risk)
def get_account_risk(call: Call, account: str) -> wire.Risk:
    """The risk of an account, what adds up to it, and how it has moved."""
    return risk_of(risks.of_account(call, account))
