"""The inventory."""

from __future__ import annotations

from openlatch.operations.call import Call
from openlatch.operations.inventory import by_hand, entries, secrets, sheet
from openlatch.operations.orders import orders
from openlatch.web.api import Routes, Stream
from openlatch.web.files import CONTENT_TYPES, entries_kept, sheet_kept
from openlatch.web.inventory.entry_render import entry_of
from openlatch.web.orders.orders import wish
from openlatch.web.orders.render import plan_of
from openlatch.wire import messages as wire
from openlatch.words import Power

__all__ = ["routes"]

routes = Routes()


@routes.route("GET", "/entries", query=wire.EntryQuery, returns=wire.EntryList)
def list_entries(call: Call, query: wire.EntryQuery) -> wire.EntryList:
    """A page of the inventory."""
    page = entries.browse(call, query, query.sort, query.limit, query.cursor)
    return wire.EntryList(items=[entry_of(sight) for sight in page.items], next=page.next)


@routes.route("GET", "/entries/summary", query=wire.EntryFilter, returns=wire.Summary)
def summarise_entries(call: Call, query: wire.EntryFilter) -> wire.Summary:
    """How many entries a filter leaves, and how many of them have a flag."""
    summary = entries.summary(call, query)
    return wire.Summary(
        entries=summary.entries,
        accounts=summary.accounts,
        parties=summary.parties,
        flagged=summary.flagged,
        severe=summary.severe,
    )


@routes.route(
    "GET",
    "/entries/export",
    query=wire.ExportQuery,
    files=CONTENT_TYPES,
    streams=True,
)
def export_entries(call: Call, query: wire.ExportQuery) -> Stream:
    """Every entry that a filter leaves, as a file: CSV or JSON Lines, sent while it is read; or a spreadsheet."""
    if query.format == "jsonl":
        return entries_kept(query, map(entry_of, entries.export(call, query, query.sort)), call.tx.workspace.zone)
    return sheet_kept(query, sheet.sheet(call, query, query.sort), call.tx.workspace.zone)


@routes.route("GET", "/entries/<entry>", returns=wire.Entry)
def get_entry(call: Call, entry: str) -> wire.Entry:
    """One entry, by id or short form, with its flags and its latest order."""
    return entry_of(entries.show(call, entry))


@routes.route("POST", "/secrets", body=wire.NewSecret, returns=wire.Entry, status=201)
def record_secret(call: Call, body: wire.NewSecret) -> wire.Entry:
    """Record that someone knows a password, key or code of an account."""
    powers = tuple(Power(p) for p in body.powers)
    kept = secrets.record(
        call, body.account, body.who, body.what, powers, body.reason, somebody_else=body.somebody_else
    )
    return entry_of(kept)


@routes.route("POST", "/entries/<entry>/vouch", returns=wire.Entry)
def vouch_for_entry(call: Call, entry: str) -> wire.Entry:
    """Vouch for an entry that is recorded by hand: it is still there as it is written."""
    return entry_of(by_hand.vouch(call, entry))


@routes.route("POST", "/entries/<entry>/gone", body=wire.GoneWish, returns=wire.Entry)
def say_entry_gone(call: Call, entry: str, body: wire.GoneWish) -> wire.Entry:
    """Record that an entry recorded by hand has ended at its provider."""
    return entry_of(by_hand.gone(call, entry, body.reason))


@routes.route("GET", "/entries/<entry>/plan", query=wire.PlanQuery, returns=wire.Plan)
def plan_end(call: Call, entry: str, query: wire.PlanQuery) -> wire.Plan:
    """What ending this entry would do, and how it would be done; changes nothing."""
    sight = orders.plan(call, entry, wish(query, _apart(query.resources) or None, _apart(query.lifts)))
    return plan_of(sight, not call.tx.workspace.circle.holds(sight.party))


def _apart(text: str) -> list[str]:
    return [part for each_part in text.split(",") if (part := each_part.strip())]
