"""Asking whoever is there before something is changed."""

from __future__ import annotations

import sys

import click

from openlatch.cli.failure import Failure

__all__ = ["asked_count", "confirmed", "yes_option"]

yes_option = click.option("--yes", is_flag=True, help="Do not ask; for programs.")


def confirmed(question: str, yes: bool) -> None:
    """Ask whoever is there, unless they said yes beforehand; leaves if nobody is there or the answer is no."""
    if not yes:
        if not sys.stdin.isatty():
            raise Failure("Nobody is there to confirm. Nothing was changed.", "Add --yes to do it without asking.", 2)
        click.confirm(f"\n{question}", abort=True)


def asked_count(what: str, count: int) -> int:
    """Ask whoever is there how many there are; returns what they say."""
    if not sys.stdin.isatty():
        raise Failure("Nobody is there to confirm. Nothing was changed.", f"Say how many: --count {count}.", 2)
    return int(click.prompt(f"\nType how many {what} ({count})", type=int))
