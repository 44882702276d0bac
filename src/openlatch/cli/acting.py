"""What is said with every act: why, until when, only to look; and asking whoever is there before it is done."""

from __future__ import annotations

import sys
from datetime import date, datetime

import click

from openlatch.cli.failure import Failure

__all__ = [
    "asked_count",
    "confirmed",
    "count_option",
    "dry_run_option",
    "last",
    "no_wait_option",
    "reason_option",
    "until_option",
    "yes_option",
]

yes_option = click.option("--yes", is_flag=True, help="Do not ask; for programs.")
count_option = click.option(
    "--count",
    type=click.IntRange(min=0),
    help="How many, instead of being asked; for programs. If it is another number, nothing is changed.",
)
dry_run_option = click.option("--dry-run", is_flag=True, help="Only show what would happen; change nothing.")
reason_option = click.option("--reason", default="", help="Why; kept in the log.")
until_option = click.option("--until", type=click.DateTime(["%Y-%m-%d"]), help="The last day, such as 2027-03-31.")
no_wait_option = click.option("--no-wait", is_flag=True, help="Do not wait until it is done.")


def last(day: datetime | None) -> date | None:
    """Return the last day that was typed, if one was."""
    return day.date() if day is not None else None


def confirmed(question: str, yes: bool) -> None:
    """Ask whoever is there, unless they said yes beforehand; leaves if nobody is there or the answer is no."""
    if not yes:
        if not sys.stdin.isatty():
            raise Failure("Nobody is there to confirm. Nothing was changed.", "Add --yes to do it without asking.", 2)
        click.confirm(f"\n{question}", abort=True)


def asked_count(what: str, number: int) -> int:
    """Ask whoever is there how many there are; returns what they say."""
    if not sys.stdin.isatty():
        raise Failure("Nobody is there to confirm. Nothing was changed.", f"Say how many: --count {number}", 2)
    return int(click.prompt(f"\nType how many {what} ({number})", type=int))
