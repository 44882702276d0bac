"""Reports as they are printed."""

from __future__ import annotations

from openlatch.operations.call import Call
from openlatch.operations.reviews import prints
from openlatch.printing import PDF
from openlatch.store.reviews.prints import Print
from openlatch.web.api import Answer, Download, Routes
from openlatch.web.filled import filled
from openlatch.wire import messages as wire

__all__ = ["routes"]

routes = Routes("reports")


@routes.route("POST", "/rounds/<one>/prints", returns=wire.Print, status=202)
def print_round(call: Call, one: str) -> Answer:
    """Have the report of a round printed, as a PDF; it is done by a job."""
    return Answer(_printed(prints.start(call, "round", one)), 202)


@routes.route("POST", "/batches/<batch>/prints", returns=wire.Print, status=202)
def print_batch(call: Call, batch: str) -> Answer:
    """Have the report of a batch printed, as a PDF; it is done by a job."""
    return Answer(_printed(prints.start(call, "batch", batch)), 202)


@routes.route("GET", "/prints/<one>", returns=wire.Print)
def get_print(call: Call, one: str) -> wire.Print:
    """How far a printed report is."""
    return _printed(prints.show(call, one))


@routes.route("GET", "/prints/<one>/file", files=(PDF,))
def get_print_file(call: Call, one: str) -> Download:
    """The file of a printed report, once it is done; it is kept for a day."""
    found, content = prints.file(call, one)
    return Download(content, PDF, found.name)


def _printed(one: Print) -> wire.Print:
    return filled(wire.Print, one)
