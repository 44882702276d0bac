"""Parties."""

from __future__ import annotations

from openlatch.core.model import Party
from openlatch.operations.call import Call
from openlatch.operations.inventory import parties
from openlatch.operations.rules import risks
from openlatch.web.api import Routes
from openlatch.web.inventory.entry_render import app_of, cut_of, reach_of
from openlatch.web.inventory.render import party_of
from openlatch.web.rules.render import risk_of
from openlatch.wire import messages as wire

__all__ = ["routes"]

routes = Routes()


class PartyQuery(wire.PageQuery):
    """Which parties are wanted: part of a name or an address."""

    q: wire.Search = ""


def _rendered(call: Call, party: Party, accounts: int) -> wire.Party:
    return party_of(party, not call.tx.workspace.circle.holds(party), accounts)


@routes.route("GET", "/parties", query=PartyQuery, returns=wire.PartyList)
def list_parties(call: Call, query: PartyQuery) -> wire.PartyList:
    """Parties by name, each with the number of accounts it reaches."""
    page = parties.browse(call, query.q, query.limit, query.cursor)
    return wire.PartyList(items=[_rendered(call, *item) for item in page.items], next=page.next)


@routes.route("GET", "/apps", query=PartyQuery, returns=wire.AppList)
def list_apps(call: Call, query: PartyQuery) -> wire.AppList:
    """Connected apps by name, each with what it holds on every account."""
    page = parties.browse_apps(call, query.q, query.limit, query.cursor)
    circle = call.tx.workspace.circle
    return wire.AppList(items=[app_of(item, not circle.holds(item.party)) for item in page.items], next=page.next)


@routes.route("GET", "/parties/<party>", returns=wire.Party)
def get_party(call: Call, party: str) -> wire.Party:
    """One party, by id, short form or address."""
    return _rendered(call, *parties.show(call, party))


@routes.route("PUT", "/parties/<party>/sponsor", body=wire.SponsorWish, returns=wire.Party)
def sponsor_party(call: Call, party: str, body: wire.SponsorWish) -> wire.Party:
    """Set who of the workspace sponsors a party."""
    return _rendered(call, *parties.sponsor(call, party, body.address))


@routes.route("GET", "/parties/<party>/reach", returns=wire.Reach)
def get_reach(call: Call, party: str) -> wire.Reach:
    """Everything that a party can do, directly and through teams, and by which chains."""
    sight = parties.reach(call, party)
    return reach_of(sight, not call.tx.workspace.circle.holds(sight.party))


@routes.route("GET", "/parties/<party>/cut", query=wire.CutQuery, returns=wire.Cut)
def get_smallest_cut(call: Call, party: str, query: wire.CutQuery) -> wire.Cut:
    """The smallest set to end so that a party loses a power on an account and nobody else loses anything."""
    return cut_of(parties.cut(call, party, query.account, query.power))


@routes.route("GET", "/parties/<party>/risk", returns=wire.Risk)
def get_party_risk(call: Call, party: str) -> wire.Risk:
    """The risk of a party, and what adds up to it."""
    return risk_of(risks.of_party(call, party))
