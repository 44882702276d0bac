"""Completion in the shell."""

from __future__ import annotations

import click
from click.shell_completion import get_completion_class

__all__ = ["completion"]


@click.command()
@click.argument("shell", type=click.Choice(["bash", "zsh", "fish"]))
@click.pass_context
def completion(ctx: click.Context, shell: str) -> None:
    """Print what makes SHELL complete these commands, such as: openlatch completion bash >> ~/.bashrc"""
    found = get_completion_class(shell)
    root = ctx.find_root().command
    if found is not None:
        click.echo(found(root, {}, "openlatch", "_OPENLATCH_COMPLETE").source())
