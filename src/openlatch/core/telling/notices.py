"""What people are told: one piece of news each, and the letters that carry them.

A letter holds what its reader needs to decide whether to look, and no more: whoever it is passed on to learns little,
and its links sign nobody in.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, time, timedelta
from zoneinfo import ZoneInfo

from openlatch.core.waits import doubling
from openlatch.words import Telling

__all__ = ["DIGEST_AT", "Letter", "Notice", "again_after", "letter", "when"]

DIGEST_AT = time(8)
"""When a digest is sent, in the workspace's zone."""
_FIRST, _LONGEST = timedelta(seconds=30), timedelta(hours=1)
_GIVEN_UP = timedelta(days=7)
"""A letter that could not be handed over for so long is not tried any more."""
_LISTED = 40
"""So many pieces of news are written out in one letter; the rest is counted."""


@dataclass(frozen=True, slots=True)
class Notice:
    """A piece of news; the same `key` is told to the same person once. `link` is a path in the console."""

    key: str
    title: str
    text: str = ""
    link: str = ""


@dataclass(frozen=True, slots=True)
class Letter:
    """A mail in plain text. `id` is the same whenever the same letter is sent again."""

    id: str
    to: str
    subject: str
    text: str


def when(telling: Telling, now: datetime, zone: str) -> datetime | None:
    """Return when news is to be sent to someone who wants to be told so; None for never."""
    if telling is Telling.CONSOLE:
        return None
    if telling is Telling.AT_ONCE:
        return now
    here = now.astimezone(ZoneInfo(zone))
    today = datetime.combine(here.date(), DIGEST_AT, here.tzinfo)
    following = today if today > here else datetime.combine(here.date() + timedelta(days=1), DIGEST_AT, here.tzinfo)
    return following.astimezone(now.tzinfo)


def again_after(attempts: int, waited: timedelta) -> timedelta | None:
    """Return how long to wait with a letter that a mail server did not take, after so many times; None is for ever.

    A server can be away for days: it is asked every hour in the end, until a week is over (`waited`).
    """
    if waited >= _GIVEN_UP:
        return None
    return doubling(attempts, _FIRST, _LONGEST)


def letter(
    letter_id: str, to: str, name: str, workspace: str, notices: Sequence[Notice], console: str, *, settles: bool
) -> Letter:
    """Return the letter that tells someone all of these, the first first.

    `console` is the address of the console, without a slash at its end; without one the letter has no links.
    `settles` for someone who signs in and can choose there how to be told.
    """
    first = notices[0].title
    subject = first if len(notices) == 1 else f"{first}, and {len(notices) - 1} more"
    lines = [f"Hello {name}," if name else "Hello,", ""]
    for notice in notices[:_LISTED]:
        lines.append(notice.title if notice.title.endswith((".", "?", "!")) else f"{notice.title}.")
        if notice.text:
            lines.extend(notice.text.splitlines())
        if notice.link and console:
            lines.append(f"{console}{notice.link}")
        lines.append("")
    if len(notices) > _LISTED:
        lines += [f"And {len(notices) - _LISTED} more.", ""]
    lines.append(f"Open Latch, for {workspace}")
    if settles:
        lines.append("You can choose in the console when you get letters.")
    return Letter(letter_id, to, _one_line(f"{workspace}: {subject}"), "\n".join(lines) + "\n")


def _one_line(text: str) -> str:
    """A header field is one line, whatever a name holds."""
    return " ".join(text.split())
