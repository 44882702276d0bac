"""How commands print: tables for people, JSON and CSV for programs, errors with what to do next and an exit code."""

from __future__ import annotations

import csv
import json
import sys
import time
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import wraps
from typing import Any, TypeVar
from zoneinfo import ZoneInfo

import click
from pydantic import BaseModel
from rich.cells import cell_len
from rich.console import Console
from rich.padding import Padding
from rich.table import Table
from rich.text import Text

from openlatch.cli.connection import workspace_zone
from openlatch.cli.failure import Failure
from openlatch.errors import (
    NotAllowed,
    NotFound,
    NotSignedIn,
    OpenLatchError,
    ProviderDown,
    ServiceUnreachable,
    TooManyRequests,
)
from openlatch.wire.inventory.sheet import defused
from openlatch.wire.inventory.sheet import row as sheet_row
from openlatch.wire.messages import Entry
from openlatch.words import Outcome, Power, Severity, Tone

__all__ = [
    "STUCK",
    "Column",
    "ago",
    "came_to",
    "day",
    "emit",
    "last_day",
    "notches",
    "out",
    "outcome_option",
    "outcomes",
    "output_option",
    "powers",
    "reports_errors",
    "second",
]

F = TypeVar("F", bound=Callable[..., Any])


@dataclass(frozen=True, slots=True)
class Column:
    """A column of a list: its heading, and what it says of an item.

    What `folds` is prose, and goes on in further lines where there is no room; of who it is, no letter may be lost.
    """

    heading: str
    says: Callable[[Any], Text | str]
    folds: bool = False
    whole: bool = False
    leads: bool = False
    """in front of the rest, where the terminal is too narrow for a table"""

    @classmethod
    def prose(cls, heading: str, says: Callable[[Any], Text | str]) -> Column:
        return cls(heading, says, folds=True)

    @classmethod
    def who(cls, heading: str, says: Callable[[Any], Text | str]) -> Column:
        return cls(heading, says, whole=True, leads=True)

    @classmethod
    def address(cls, heading: str, says: Callable[[Any], Text | str]) -> Column:
        return cls(heading, says, whole=True)


EXIT: dict[type[OpenLatchError], int] = {
    NotSignedIn: 3,
    NotAllowed: 3,
    NotFound: 4,
    ServiceUnreachable: 5,
    ProviderDown: 5,
    TooManyRequests: 5,
}
STUCK = 6
LEAST = 20
"""What can be folded is given so many letters in a line, if it has them."""
WHOLE = 16
"""What cannot be folded is cut to no fewer letters: more than that is more than a state, a date or a short form."""
_TONES = {
    Tone.GOOD: "green",
    Tone.BAD: "red",
    Tone.WAITS: "yellow",
    Tone.GOING: "yellow",
    Tone.STAYS: "",
    Tone.NONE: "",
}
SEVERITY = {Severity.LOW: "cyan", Severity.MEDIUM: "yellow", Severity.HIGH: "dark_orange3", Severity.CRITICAL: "red"}


def out() -> Console:
    """Return what people's output goes to; without colour where that is not a terminal."""
    return Console(highlight=False)


def reports_errors(function: F) -> F:
    """Show an error of ours as people expect it, with the exit code of its kind."""

    @wraps(function)
    def guarded(*args: Any, **kwargs: Any) -> Any:
        try:
            return function(*args, **kwargs)
        except OpenLatchError as error:
            code = next((EXIT[kind] for kind in type(error).__mro__ if kind in EXIT), 1)
            lines = [f"{e.get('at')}: {e.get('problem')}" for e in error.fields.get("errors") or []]
            more = "\n  ".join(lines[1:])
            raise Failure(error.message + (f"\n  {more}" if more else ""), error.next_step, code) from error
        except UnicodeDecodeError as error:
            raise Failure("The file is not text in UTF-8. Nothing was changed.", "Save it as UTF-8.", 2) from error
        except BrokenPipeError:
            raise  # whoever reads our output has seen enough; Click ends quietly then
        except OSError as error:
            where = f" {error.filename}" if error.filename else ""
            raise Failure(
                f"The file{where} cannot be used: {error.strerror or error}.",
                "Name another file, or another folder.",
                2,
            ) from error

    return guarded  # type: ignore[return-value]


def output_option(function: F) -> F:
    """Let a command print for people or for programs."""
    option = click.option(
        "-o",
        "--output",
        type=click.Choice(["table", "json", "csv"]),
        default="table",
        help="For people or for programs.",
    )
    return option(function)


def emit(items: Iterable[BaseModel], columns: Sequence[Column], output: str, *, empty: str) -> None:
    """Print a list: a table with these columns, or every field as JSON Lines or CSV."""
    if output == "json":
        for item in items:
            click.echo(item.model_dump_json())
        return
    if output == "csv":
        _csv(items)
        return
    models = list(items)
    if not models:
        click.echo(empty)
        return
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="dim", show_edge=False)
    rows = [[column.says(item) for column in columns] for item in models]
    natural = [max(cell_len(one.heading), *(_width(row[n]) for row in rows)) for n, one in enumerate(columns)]
    width = out().width
    shares = _shares(natural, [column.folds for column in columns], width)
    if _squeezed(columns, natural, shares):
        _blocks(columns, rows, width)
        return
    for each_column, share in zip(columns, shares, strict=True):
        wraps = each_column.folds or each_column.whole
        table.add_column(each_column.heading, overflow="fold" if wraps else "ellipsis", no_wrap=not wraps, width=share)
    for row in rows:
        table.add_row(*row)
    out().print(table)


def _shares(natural: Sequence[int], folds: Sequence[bool], width: int) -> list[int]:
    """Return how wide each column is to be; if all together are too wide, the widest ones share what is left.

    What is in front, which people type, comes first; then the narrower columns; last what can be folded.
    """
    kept = [min(number, LEAST) if fold else 0 for number, fold in zip(natural, folds, strict=True)]
    left = width - 2 * (len(natural) - 1) - sum(kept)
    shares = [0] * len(natural)
    for done, place in enumerate(sorted(range(len(natural)), key=lambda n: (n > 0, folds[n], natural[n]))):
        others = sum(not fold for fold in folds) - done if not folds[place] else len(natural) - done
        fair = kept[place] + left // max(others, 1)
        shares[place] = natural[0] if place == 0 else max(min(natural[place], fair), 3)
        left -= shares[place] - kept[place]
    return shares


def _squeezed(columns: Sequence[Column], natural: Sequence[int], shares: Sequence[int]) -> bool:
    """Whether a table so wide would cut what has to be read whole, such as a short form, a state or an address."""
    for column, wanted, share in zip(columns, natural, shares, strict=True):
        kept = min(wanted, LEAST) if column.folds or column.whole else min(wanted, WHOLE)
        if share < kept:
            return True
    return False


def _blocks(columns: Sequence[Column], rows: Sequence[Sequence[Text | str]], width: int) -> None:
    """Print each row as some lines, where the terminal is too narrow for a table: what is in front, then the rest."""
    for row in rows:
        cells = [(each_column, _on_one_line(cell)) for each_column, cell in zip(columns, row, strict=True)]
        head = [cell for one, cell in cells if not one.heading or one is columns[0] or one.leads]
        if len(head) == 1:
            head.append(cells[1][1])
        out().print(Text("  ").join(head))
        line = Text()
        for column, cell in cells:
            if not cell or any(cell is there for there in head):
                continue
            said = Text.assemble((f"{column.heading} ", "dim"), cell)
            if line and (column.folds or cell_len(line.plain) + 3 + cell_len(said.plain) > width - 2):
                out().print(Padding(line, (0, 0, 0, 2), expand=False))
                line = Text()
            line = Text.assemble(line, "   ", said) if line else said
        if line:
            out().print(Padding(line, (0, 0, 0, 2), expand=False))


def _on_one_line(cell: Text | str) -> Text:
    text = cell if isinstance(cell, Text) else Text(cell)
    return Text(" · ").join(part for part in text.split("\n", allow_blank=False) if part.plain.strip())


def _width(cell: Text | str) -> int:
    return max((cell_len(line) for line in str(cell).split("\n")), default=0)


def _csv(items: Iterable[BaseModel]) -> None:
    writer = None
    for item in items:
        flat = sheet_row(item) if isinstance(item, Entry) else _flat(item)
        if writer is None:
            writer = csv.DictWriter(sys.stdout, list(flat), lineterminator="\n")
            writer.writeheader()
        writer.writerow(flat)


def _flat(item: BaseModel) -> dict[str, str]:
    return {name: _cell(value) for name, value in item.model_dump(mode="json").items()}


def _cell(value: Any) -> str:
    if value is None:
        return ""
    text = value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)
    return defused(text)


def notches(severity: str) -> Text:
    """A severity as one to four marks and its word."""
    grave = Severity(severity)
    return Text(f"{'▌' * grave.rank:<4} {grave}", SEVERITY[grave])


def powers(held: Sequence[str], used: Sequence[str] | None) -> Text:
    """The eight powers in their fixed places: ■ held, □ held and not used lately, · not held."""
    marks = Text()
    before = None
    for power in Power:
        group = (power.moves_money, power.admits)
        if before not in (None, group):
            marks.append(" ")
        before = group
        mark = "·" if power not in held else "□" if used is not None and power not in used else "■"
        marks.append(mark, "dark_orange3" if power.moves_money and mark != "·" else "")
    return marks


def day(instant: datetime | None, zone: str = "") -> str:
    """A day in a zone: that of the workspace in which somebody is signed in, if none is given."""
    if instant is None:
        return ""
    local = instant.astimezone(ZoneInfo(zone or workspace_zone()))
    return f"{local.day} {local:%b %Y}"


def last_day(end: datetime | None, zone: str = "") -> str:
    """The last day before an end: one at midnight is through the end of the day before."""
    return day(end and end - timedelta(microseconds=1), zone)


def came_to(word: str) -> Text:
    """What something came to, so that what is well and what is not is seen at once."""
    return Text(word, _TONES[Outcome(word).tone])


def outcomes(counts: Mapping[str, int]) -> Text:
    """How many things came to what."""
    return Text(", ").join(Text(f"{number} ").append_text(came_to(word)) for word, number in sorted(counts.items()))


outcome_option = click.option(
    "--outcome", type=click.Choice([outcome.value for outcome in Outcome]), help="Only what came to this."
)


def second(instant: datetime) -> tuple[str, str]:
    """The day and the time of an instant, to the second, in the zone of the workspace, which is named."""
    local = instant.astimezone(ZoneInfo(workspace_zone()))
    return day(instant), f"{local:%H:%M:%S %Z}"


def ago(instant: datetime | None) -> str:
    """How long ago an instant was, roughly."""
    if instant is None:
        return "never"
    seconds = int(time.time() - instant.timestamp())
    for size, unit in ((86400, "day"), (3600, "hour"), (60, "minute")):
        if seconds >= size:
            number = seconds // size
            return f"{number} {unit}{'s' if number > 1 else ''} ago"
    return "just now"
