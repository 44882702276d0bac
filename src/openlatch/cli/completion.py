"""Completion in the shell."""

from __future__ import annotations

import click
from click.shell_completion import get_completion_class

from openlatch.cli.command import Command

__all__ = ["completion"]


@click.command(cls=Command, example="bash >> ~/.bashrc")
@click.argument("shell", type=click.Choice(["bash", "zsh", "fish"]))
@click.pass_context
def completion(ctx: click.Context, shell: str) -> None:
    """Print what makes your shell complete commands."""
    found = get_completion_class(shell)
    root = ctx.find_root().command
    if found is not None:
        click.echo(found(root, {}, "openlatch", "_OPENLATCH_COMPLETE").source())
