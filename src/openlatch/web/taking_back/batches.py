"""Batches: the same for many entries, and everything of someone who goes."""

from __future__ import annotations

from dataclasses import asdict

from openlatch.operations.call import Call
from openlatch.operations.orders.orders import Wish
from openlatch.operations.reviews import reports
from openlatch.operations.taking_back import batches, leavers
from openlatch.printing import CONTENT_TYPES, written
from openlatch.web.api import Answer, Download, Routes
from openlatch.web.taking_back.render import batch_of, foreseen_of, leaver_of
from openlatch.wire import messages as wire

__all__ = ["routes"]

routes = Routes()


@routes.route("GET", "/batches", query=wire.BatchQuery, returns=wire.BatchList)
def list_batches(call: Call, query: wire.BatchQuery) -> wire.BatchList:
    """Batches, the latest first."""
    page = batches.browse(call, query.kind, query.limit, query.cursor)
    return wire.BatchList(items=[batch_of(sight) for sight in page.items], next=page.next)


@routes.route("POST", "/batches/plan", body=wire.BatchPlanWish, returns=wire.BatchPlan)
def plan_batch(call: Call, body: wire.BatchPlanWish) -> wire.BatchPlan:
    """What doing the same to many entries would do; changes nothing."""
    return foreseen_of(batches.plan(call, *_wanted(body)))


@routes.route("POST", "/batches", body=wire.NewBatch, returns=wire.Batch, status=201)
def create_batch(call: Call, body: wire.NewBatch) -> Answer:
    """Order the same for many entries; refused if they are not as many as was said."""
    return Answer(batch_of(batches.create(call, *_wanted(body), body.reason, body.count)), 201)


@routes.route(
    "GET",
    "/batches/<batch>/report",
    query=wire.ReportQuery,
    returns=wire.SignedReport,
    files=tuple(CONTENT_TYPES.values()),
)
def batch_report(call: Call, batch: str, query: wire.ReportQuery) -> Download:
    """The report of a batch, or of a leaver: signed once it is over."""
    return Download(**asdict(written(*reports.of_batch(call, batch), query.format)))


@routes.route("GET", "/batches/<batch>", query=wire.BatchView, returns=wire.Batch)
def get_batch(call: Call, batch: str, query: wire.BatchView) -> wire.Batch:
    """One batch with what came of each thing in it, or of the first `limit`."""
    return batch_of(batches.show(call, batch, query.outcome or "", query.limit))


@routes.route("POST", "/batches/<batch>/cancel", returns=wire.Batch)
def cancel_batch(call: Call, batch: str) -> wire.Batch:
    """Let nothing more come of a batch; orders that were given go on."""
    return batch_of(batches.cancel(call, batch))


@routes.route("POST", "/batches/<batch>/items/<int:place>/done", returns=wire.Batch)
def batch_item_done(call: Call, batch: str, place: int) -> wire.Batch:
    """Report that an item of a batch that a person had to do is done."""
    return batch_of(batches.tick(call, batch, place))


@routes.route("POST", "/batches/<batch>/left-open", body=wire.LeftOpenWish, returns=wire.Batch)
def leave_batch_item_open(call: Call, batch: str, body: wire.LeftOpenWish) -> wire.Batch:
    """Leave an item of a batch open: why, and who takes care of it."""
    return batch_of(batches.leave_open(call, batch, body.place, body.reason, body.owner))


@routes.route("GET", "/parties/<party>/leaver-plan", returns=wire.LeaverPlan)
def plan_leaver(call: Call, party: str) -> wire.LeaverPlan:
    """Everything that would be ended if a party leaves; changes nothing."""
    return leaver_of(leavers.plan(call, party))


@routes.route("POST", "/leavers", body=wire.NewLeaver, returns=wire.Batch, status=201)
def create_leaver(call: Call, body: wire.NewLeaver) -> Answer:
    """Take back everything that a party holds, at once or once its last day is over."""
    made = leavers.create(call, body.party, body.last_day, body.who, body.reason, body.count)
    return Answer(batch_of(made), 201)


def _wanted(body: wire.BatchPlanWish) -> tuple[wire.EntryFilter, Wish]:
    return body.where, Wish(body.action, body.level, until=body.until)
