"""An error as the command line shows it. Loaded with every command, so it loads nothing but Click itself."""

from __future__ import annotations

import sys
from typing import IO, Any

import click

from openlatch.deferred import deferred

__all__ = ["Failure"]

console, text = deferred("rich.console"), deferred("rich.text")


def _printable(text: str) -> str:
    """A text that any terminal can be sent: what was typed may hold bytes that are no letters."""
    return text.encode("utf-8", "replace").decode("utf-8")


class Failure(click.ClickException):
    """An error as the command line shows it: what happened, what to do, and the exit code."""

    def __init__(self, message: str, next_step: str = "", exit_code: int = 1) -> None:
        super().__init__(_printable(message))
        self.next_step = _printable(next_step)
        setattr(self, "exit_code", exit_code)  # noqa: B010 - Click declares it on the class, and reads it here

    def show(self, file: IO[Any] | None = None) -> None:
        to = console.Console(file=file or sys.stderr, highlight=False, soft_wrap=True)
        to.print(text.Text.assemble(("! ", "bold red"), self.message))
        if self.next_step:
            to.print(text.Text.assemble("  ", self.next_step))
