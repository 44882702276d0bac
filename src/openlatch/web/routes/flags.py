"""Flags."""

from __future__ import annotations

from openlatch.operations import flags
from openlatch.operations.gate import Call
from openlatch.web import render
from openlatch.web.api import Routes
from openlatch.wire import messages as wire

__all__ = ["routes"]

routes = Routes("flags")


@routes.route("GET", "/flags", query=wire.FlagQuery, returns=wire.FlagList)
def list_flags(call: Call, query: wire.FlagQuery) -> wire.FlagList:
    """Flags, the worst first."""
    page = flags.browse(call, query.rule, query.severity, query.entry, query.cleared, query.limit, query.cursor)
    return wire.FlagList(items=[render.flag(*item) for item in page.items], next=page.next)


@routes.route("GET", "/flags/<flag>", returns=wire.Flag)
def get_flag(call: Call, flag: str) -> wire.Flag:
    """One flag, with the facts behind it."""
    return render.flag(*flags.show(call, flag))
