"""Flags, and living with them."""

from __future__ import annotations

from openlatch.operations.call import Call
from openlatch.operations.rules import flags
from openlatch.web.api import Routes
from openlatch.web.rules.render import flag_of
from openlatch.wire import messages as wire

__all__ = ["routes"]

routes = Routes()


@routes.route("GET", "/flags", query=wire.FlagQuery, returns=wire.FlagList)
def list_flags(call: Call, query: wire.FlagQuery) -> wire.FlagList:
    """Flags, the worst first."""
    page = flags.browse(call, query)
    return wire.FlagList(items=[flag_of(item) for item in page.items], next=page.next)


@routes.route("GET", "/flags/<flag>", returns=wire.Flag)
def get_flag(call: Call, flag: str) -> wire.Flag:
    """One flag, with the facts behind it, what is advised, and when it was raised before."""
    return flag_of(flags.show(call, flag))


@routes.route("PUT", "/flags/<flag>/acceptance", body=wire.AcceptWish, returns=wire.Flag)
def accept_flag(call: Call, body: wire.AcceptWish, flag: str) -> wire.Flag:
    """Live with a flag for a reason until the end of a day."""
    return flag_of(flags.accept(call, flag, body.why, body.until))


@routes.route("DELETE", "/flags/<flag>/acceptance", returns=wire.Flag)
def refuse_flag(call: Call, flag: str) -> wire.Flag:
    """Take back that a flag is accepted."""
    return flag_of(flags.refuse(call, flag))
