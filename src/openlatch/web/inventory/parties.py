"""Parties."""

from __future__ import annotations

from openlatch.operations.call import Call
from openlatch.operations.inventory import parties
from openlatch.operations.rules import risks
from openlatch.store.inventory.parties import ListedParty
from openlatch.store.pages import every
from openlatch.web.api import Routes, Stream
from openlatch.web.files import CONTENT_TYPES, kept
from openlatch.web.inventory.entry_render import app_of, cut_of, reach_of
from openlatch.web.inventory.render import overview_of
from openlatch.web.rules.render import risk_of
from openlatch.wire import messages as wire

__all__ = ["routes"]

routes = Routes()


def _rendered(call: Call, listed: ListedParty) -> wire.PartyOverview:
    return overview_of(listed, not call.tx.workspace.circle.holds(listed.party))


@routes.route("GET", "/parties", query=wire.PartyQuery, returns=wire.PartyList)
def list_parties(call: Call, query: wire.PartyQuery) -> wire.PartyList:
    """Parties in the order asked for, each with what it has: risk, worst flag, accounts, teams, last use."""
    page = parties.browse(call, query, query.limit, query.cursor)
    return wire.PartyList(items=[_rendered(call, each) for each in page.items], next=page.next)


@routes.route("GET", "/parties/export", query=wire.PartyExport, files=CONTENT_TYPES, streams=True)
def export_parties(call: Call, query: wire.PartyExport) -> Stream:
    """Every party that a filter leaves, as a file: CSV or JSON Lines, sent while it is read; or a spreadsheet."""
    listed = every(lambda size, cursor: parties.browse(call, query, size, cursor))
    return kept(
        "parties", query, wire.PartyOverview, (_rendered(call, each) for each in listed), call.tx.workspace.zone
    )


@routes.route("GET", "/apps", query=wire.PartyQuery, returns=wire.AppList)
def list_apps(call: Call, query: wire.PartyQuery) -> wire.AppList:
    """Connected apps in the order asked for, each with what it holds on every account."""
    page = parties.browse_apps(call, query, query.limit, query.cursor)
    circle = call.tx.workspace.circle
    return wire.AppList(
        items=[app_of(item, not circle.holds(item.listed.party)) for item in page.items], next=page.next
    )


@routes.route("GET", "/apps/export", query=wire.PartyExport, files=CONTENT_TYPES, streams=True)
def export_apps(call: Call, query: wire.PartyExport) -> Stream:
    """Every app that a filter leaves, as a file: CSV or JSON Lines, sent while it is read; or a spreadsheet."""
    circle = call.tx.workspace.circle
    listed = every(lambda size, cursor: parties.browse_apps(call, query, size, cursor))
    return kept(
        "apps",
        query,
        wire.App,
        (app_of(each, not circle.holds(each.listed.party)) for each in listed),
        call.tx.workspace.zone,
    )


@routes.route("GET", "/parties/<party>", returns=wire.PartyOverview)
def get_party(call: Call, party: str) -> wire.PartyOverview:
    """One party, by id, short form or address."""
    return _rendered(call, parties.show(call, party))


@routes.route("PUT", "/parties/<party>/sponsor", body=wire.SponsorWish, returns=wire.PartyOverview)
def sponsor_party(call: Call, party: str, body: wire.SponsorWish) -> wire.PartyOverview:
    """Set who of the workspace sponsors a party."""
    return _rendered(call, parties.sponsor(call, party, body.address))


@routes.route("PUT", "/parties/<party>/service", body=wire.ServiceWish, returns=wire.PartyOverview)
def mark_service_account(call: Call, party: str, body: wire.ServiceWish) -> wire.PartyOverview:
    """Set whether a party is a service account: rules about people leave it alone."""
    return _rendered(call, parties.mark_service(call, party, service=body.service))


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
