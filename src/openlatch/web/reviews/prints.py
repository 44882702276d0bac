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

routes = Routes()


@routes.route("POST", "/rounds/<review_round>/prints", returns=wire.Print, status=202)
def print_round(call: Call, review_round: str) -> Answer:
    """Print the report of a round, as a PDF; a job does it."""
    return Answer(_printed(prints.start(call, "round", review_round)), 202)


@routes.route("POST", "/batches/<batch>/prints", returns=wire.Print, status=202)
def print_batch(call: Call, batch: str) -> Answer:
    """Print the report of a batch, as a PDF; a job does it."""
    return Answer(_printed(prints.start(call, "batch", batch)), 202)


@routes.route("GET", "/prints/<print_ref>", returns=wire.Print)
def get_print(call: Call, print_ref: str) -> wire.Print:
    """How far a printed report is."""
    return _printed(prints.show(call, print_ref))


@routes.route("GET", "/prints/<print_ref>/file", files=(PDF,))
def get_print_file(call: Call, print_ref: str) -> Download:
    """The file of a printed report, once it is done; it is kept for a day."""
    a_print, content = prints.file(call, print_ref)
    return Download(content, PDF, a_print.name)


def _printed(a_print: Print) -> wire.Print:
    return filled(wire.Print, a_print)
