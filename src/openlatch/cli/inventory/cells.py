"""What the columns of an entry say, in lists on the command line."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from rich.text import Text

from openlatch.cli.columns import Column, ago, day, last_day, powers, worst
from openlatch.core.phrases import counted
from openlatch.wire import messages as wire
from openlatch.wire.inventory.columns import COLUMNS as HEADINGS
from openlatch.words import EndReason

__all__ = ["COLUMNS", "held", "not_watched", "parts", "standing_as", "state_of", "used", "where", "who"]


def who(e: wire.Entry) -> Text:
    """Who has it: their name, and what tells them apart from others of that name."""
    who = Text(e.party.name, "bold")
    if e.party.outside:
        who.append("  outside", "cyan")
    of_it = parts(e.resources) if e.kind == "open" else ""
    more = "\n".join(e.party.addresses) or of_it or e.party.publisher or e.device or e.party.kind
    return who.append(f"\n{more}", "not bold dim")


def parts(resources: Sequence[str]) -> str:
    """The parts of an account; where there are many, the first ones, the last, and how many."""
    if len(resources) <= 4:
        return ", ".join(resources)
    return f"{', '.join(resources[:2])} … {resources[-1]} ({counted(len(resources), 'part')})"


def where(e: wire.Entry) -> Text:
    """On which account, and at which provider."""
    return Text(e.account.name).append(f"\n{e.provider.name}", "dim")


def held(e: wire.Entry) -> Text:
    """The powers, and whether some word of it has no meaning yet."""
    return powers(e.powers, e.used_powers).append(" ?" if e.unknown else "", "dark_orange3")


def not_watched(e: wire.Entry) -> bool:
    """Whether its provider was removed: whether the access goes on, nobody here knows."""
    return e.end_reason == EndReason.PROVIDER_REMOVED


def state_of(e: wire.Entry) -> str:
    """Where it stands, in words: that it has ended is said only of what has."""
    return "not watched" if not_watched(e) else e.state


def standing_as(e: wire.Entry) -> Text:
    """As what it stands: its kind, its state, and its level."""
    state = "" if e.state == "live" else f" {state_of(e)}"
    return Text(f"{e.kind}{state}").append(f"\n{e.level}", "dim")


def used(e: wire.Entry) -> str:
    """When it was last used, as far as anyone knows."""
    if e.last_used is None:
        return "never" if e.use_known else "not known"
    return ago(e.last_used)


def _ends(e: wire.Entry) -> str:
    return "unknown" if e.end_unknown else last_day(e.ends_at) or "no end"


def _why(e: wire.Entry) -> Text:
    if not e.flags:
        return Text("")
    more = f"\nand {len(e.flags) - 1} more" if len(e.flags) > 1 else ""
    return Text(e.flags[0].reason).append(more, "dim")


def _worst(e: wire.Entry) -> Text:
    return worst(e.flags[0].severity if e.flags else None)


_SAYS: Mapping[str, Callable[[wire.Entry], Text | str]] = {
    "severity": _worst,
    "who": who,
    "where": where,
    "as": standing_as,
    "powers": held,
    "given": lambda e: Text(day(e.given_at)).append(f"\n{e.given_by}", "dim"),
    "last-used": used,
    "ends": _ends,
    "reviewed": lambda e: day(e.reviewed_at[-1]) if e.reviewed_at else "never",
    "parts": lambda e: parts(e.resources),
    "basis": lambda e: e.basis,
    "id": lambda e: e.ref,
    "risk": lambda e: str(e.risk),
    "why": _why,
}
_PROSE = {"basis", "why"}
_USUAL = ("id", "severity", "who", "where", "as", "last-used")
_MORE = ("powers", "ends", "why", "risk", "given", "reviewed", "parts", "basis")
COLUMNS: tuple[Column, ...] = tuple(
    Column(
        HEADINGS[key],
        _SAYS[key],
        folds=key in _PROSE,
        whole=key in ("who", "id"),
        leads=key == "who",
        wide=key in _MORE,
        named=key,
    )
    for key in (*_USUAL, *_MORE)
)
"""The columns of the inventory, by the same names as in the console; the span strip is the console's."""
