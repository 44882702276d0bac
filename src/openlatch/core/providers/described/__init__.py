"""A provider that is described: how its answers become accounts, parties and entries, and what is sent to end one.

A description names lists that are asked for by HTTP, rules by which their lines become what a reading shows, and acts.
Nothing in it is a program: a value is a path into a line (RFC 9535), a text, or a few paths put together, so that what
it costs is bounded by what the provider sends.
"""

from openlatch.core.providers.described.acting import (
    acts_on,
    answered,
    changed,
    ended,
    found_in,
    given,
    gives,
    gives_until,
    member_set,
    searched,
)
from openlatch.core.providers.described.making import (
    Made,
    Triable,
    Trial,
    cursor_in,
    joined,
    lines_in,
    made,
    request_of,
)
from openlatch.core.providers.described.shapes import (
    Act,
    Described,
    Fault,
    Finding,
    Joined,
    Line,
    Listing,
    Path,
    Rule,
    Sent,
    Value,
    When,
)

__all__ = [
    "Act",
    "Described",
    "Fault",
    "Finding",
    "Joined",
    "Line",
    "Listing",
    "Made",
    "Path",
    "Rule",
    "Sent",
    "Triable",
    "Trial",
    "Value",
    "When",
    "acts_on",
    "answered",
    "changed",
    "cursor_in",
    "ended",
    "found_in",
    "given",
    "gives",
    "gives_until",
    "joined",
    "lines_in",
    "made",
    "member_set",
    "request_of",
    "searched",
]
