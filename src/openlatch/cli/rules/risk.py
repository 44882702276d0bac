"""What adds up to the risk of an account or a party."""

from __future__ import annotations

from rich.console import Console
from rich.text import Text

from openlatch.cli.columns import Column, day
from openlatch.cli.table import print_table
from openlatch.wire import messages as wire

__all__ = ["tell_risk"]

_SHARES: tuple[Column, ...] = (
    Column("  adds", lambda share: f"  +{share.points}"),
    Column("entry", lambda share: share.entry.ref, whole=True),
    Column.who("who and where", lambda share: Text(share.entry.name)),
    Column("its risk", lambda share: str(share.risk)),
)


def tell_risk(to: Console, risk: wire.Risk, zone: str) -> None:
    """Print a risk, the entries that add up to it, and how it has changed."""
    to.print(Text.assemble(("  risk          ", "dim"), (str(risk.risk), "bold"), " of 100"))
    if risk.shares:
        print_table(to, _SHARES, [[column.says(share) for column in _SHARES] for share in risk.shares])
    for point in risk.over_time:
        to.print(f"  {point.risk:>3} since {day(point.at, zone)}", style="dim")
