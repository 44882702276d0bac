"""What every command and group is: with an example that the tests run, and the nearest name where one is not known.

Loaded with every command, so it loads nothing but Click itself.
"""

from __future__ import annotations

import difflib
from collections.abc import Iterator, Mapping
from typing import Any

import click

from openlatch.cli.config import defaults
from openlatch.cli.failure import Failure

__all__ = ["Command", "Group", "shown"]

_SERVER = "http://127.0.0.1:8480"
_SAMPLES = {
    # how a place in an example is shown; whatever else stands there is shown as a short form
    "server": _SERVER,
    "letter": f"{_SERVER}/answer/J4pX…",
    "to_do": "3",
    "to_do_too": "4",
}
_REF = "7Q4K-BRM2"
MOST = 4
"""So many near names are proposed at most."""


class _Samples(dict[str, str]):
    """What stands in the places of an example: things as people see them."""

    def __missing__(self, name: str) -> str:
        return _REF


def shown(example: str, things: Mapping[str, str] | None = None) -> str:
    """Return an example with its places filled in: with samples for people, or with `things` that there are."""
    return example.format_map(_Samples(_SAMPLES) if things is None else things)


class Command(click.Command):
    """A command, with what is typed after its name in an example; `{entry}` and the like are places for things."""

    def __init__(self, *args: Any, example: str = "", **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.example = example

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        """Read what was typed; what is left out may stand in the configuration file."""
        ctx.default_map = defaults(ctx, self.params)
        return super().parse_args(ctx, args)

    def format_epilog(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """Show the example below the options."""
        with formatter.section("Example"):
            formatter.write(f"  {' '.join([ctx.command_path, shown(self.example)]).strip()}\n")
        super().format_epilog(ctx, formatter)


class Group(click.Group):
    """A noun, and what can be done with it."""

    command_class = Command

    def list_commands(self, ctx: click.Context) -> list[str]:
        """Return what can be done, in the order in which it is declared: what is done most stands first."""
        return list(self.commands)

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        """Find a command; if there is none, name the nearest."""
        word = args[0] if args else ""
        if word and not word.startswith("-") and word not in self.list_commands(ctx):
            path = ctx.command_path
            raise Failure(f"There is no command “{path} {word}”.", _nearest(path, word, dict(self.words(ctx))), 2)
        return super().resolve_command(ctx, args)

    def words(self, ctx: click.Context) -> Iterator[tuple[str, str]]:
        """Every word by which a command could be meant, with the command."""
        yield from ((name, name) for name in self.list_commands(ctx))


def _nearest(path: str, word: str, known: Mapping[str, str]) -> str:
    """What to type instead of a word that is not known; `known` are words, each with the command it means."""
    found = dict.fromkeys([*_meant(word, known), *difflib.get_close_matches(word, known, MOST, 0.6)])
    lines = [f"{path} {known[name]}" for name in found][:MOST]
    return f"Did you mean: {', or '.join(lines)}" if lines else f"List the commands: {path} --help"


def _meant(word: str, known: Mapping[str, str]) -> Iterator[str]:
    """What is meant by several of a thing, or by the beginning of a name."""
    for one in (word, word.removesuffix("s"), word.removesuffix("ies") + "y", word.removesuffix("es")):
        if one in known:
            yield one
    if len(word) > 2:
        yield from (name for name in known if name.startswith(word))
