"""The columns of a list, and how single facts are written in them: instants, severities, powers, outcomes."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from rich.text import Text

from openlatch.cli.connection import workspace_zone
from openlatch.cli.failure import Failure
from openlatch.core.phrases import counted
from openlatch.words import Outcome, Power, Severity, Tone

__all__ = [
    "Column",
    "ago",
    "came_to",
    "chosen",
    "day",
    "last_day",
    "notches",
    "outcomes",
    "powers",
    "second",
    "worst",
]

_TONES = {
    Tone.GOOD: "green",
    Tone.BAD: "red",
    Tone.WAITS: "yellow",
    Tone.GOING: "yellow",
    Tone.STAYS: "",
    Tone.NONE: "",
}
SEVERITY = {Severity.LOW: "cyan", Severity.MEDIUM: "yellow", Severity.HIGH: "dark_orange3", Severity.CRITICAL: "red"}


@dataclass(frozen=True, slots=True)
class Column:
    """A column of a list: its heading, and what it says of an item.

    What `folds` is prose, and goes on in further lines where there is no room; of what is `whole`, such as an address
    or a short form, no letter may be lost or torn away. What is `wide` is shown only where it is asked for.
    """

    heading: str
    says: Callable[[Any], Text | str]
    folds: bool = False
    whole: bool = False
    leads: bool = False
    """in front of the rest, where the terminal is too narrow for a table"""
    wide: bool = False
    named: str = ""
    """what it is asked for by, where that is not its heading"""

    @property
    def key(self) -> str:
        """What the column is asked for by."""
        return self.named or self.heading.replace(" ", "-")

    @classmethod
    def ref(cls, says: Callable[[Any], Text | str]) -> Column:
        return cls("id", says, whole=True)

    @classmethod
    def prose(cls, heading: str, says: Callable[[Any], Text | str], *, wide: bool = False) -> Column:
        return cls(heading, says, folds=True, wide=wide)

    @classmethod
    def who(cls, heading: str, says: Callable[[Any], Text | str]) -> Column:
        return cls(heading, says, whole=True, leads=True)

    @classmethod
    def address(cls, heading: str, says: Callable[[Any], Text | str], *, wide: bool = False) -> Column:
        return cls(heading, says, whole=True, wide=wide)

    @classmethod
    def more(cls, heading: str, says: Callable[[Any], Text | str]) -> Column:
        """Return a column that is shown only with --wide, or by name."""
        return cls(heading, says, wide=True)


def chosen(columns: Sequence[Column], words: str, *, wide: bool) -> tuple[Column, ...]:
    """Return the columns that were asked for by name, in that order; else the usual ones, or with `wide` all.

    Raises:
        Failure: there is no column of such a name.
    """
    wanted = [word.strip().casefold() for word in words.split(",") if word.strip()]
    if not wanted:
        return tuple(column for column in columns if wide or not column.wide)
    known = {column.key: column for column in columns}
    unknown = [word for word in wanted if word not in known]
    if unknown:
        raise Failure(f"There is no column “{unknown[0]}”.", f"Use some of: {', '.join(known)}.", 2)
    return tuple(known[word] for word in dict.fromkeys(wanted))


def worst(severity: str | None) -> Text:
    """The worst severity of something, or nothing where it has no flag."""
    return notches(severity) if severity else Text("")


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
    """A day in a zone: that of the workspace in which someone is signed in, if none is given."""
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
            return f"{counted(seconds // size, unit)} ago"
    return "just now"
