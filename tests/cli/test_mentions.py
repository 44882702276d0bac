"""Wherever a command is named, in a sentence, a page or a guide, it is one that can be typed so."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

import click
import pytest

from openlatch.cli import main

ROOT = Path(__file__).parents[2]
NAMED = re.compile(r"(?<![\w./-])(?<!role )(?<!database )openlatch ([a-z][^\n`”;|<]*)")
KINDS = {".html", ".md", ".py", ".toml", ".ts", ".txt", ".vue"}
APART = (
    "docs/decisions/",
    "docs/man/",
    "docs/reference/commands.md",
    "src/openlatch/web/console/",
    "src/openlatch/web/help/",
)
"""What tells of how it was; what is made from the commands themselves, or from other files here."""


def texts() -> Iterator[Path]:
    """Every text that people read, and every file in which such texts are written."""
    yield from (path for path in ROOT.iterdir() if path.is_file() and path.suffix in KINDS | {""})
    for folder in ("bench", "console/src", "docs", "src"):
        for path in (ROOT / folder).rglob("*"):
            name = str(path.relative_to(ROOT))
            if path.suffix in KINDS and not name.startswith(APART) and "__pycache__" not in name:
                yield path


def wrong(said: str) -> str:
    """What of a command that is named cannot be typed; nothing if all of it can."""
    words = [word.strip("\"'“”()[]{},.:*<>\\") for word in said.split()]
    context = click.Context(main, info_name="openlatch")
    command: click.Command | None = main
    at = 0
    while isinstance(command, click.Group) and at < len(words):
        word = words[at]
        if not re.fullmatch(r"[a-z][a-z-]*", word):
            return "" if word.startswith("-") or not word or command is main else f"“{word}” is no command"
        inner = command.get_command(context, word)
        if inner is None:
            return f"“{word}” is no command of {command.name}"
        command, at = inner, at + 1
    assert command is not None
    if isinstance(command, click.Group):
        return "" if at else "no command is named"
    options = {"--help", "-h", *(opt for param in command.params for opt in (*param.opts, *param.secondary_opts))}
    for word in words[at:]:
        if re.fullmatch(r"--[a-z][a-z-]*", word) and word not in options:
            return f"{word} is no option of {command.name}"
        if word == "openlatch":
            break
    return ""


def mentions(path: Path) -> Iterator[tuple[str, str]]:
    """Each command that a text names, with where it stands; one that goes on in the next line is read as one."""
    for number, line in enumerate(re.sub(r"\\\n *", "", path.read_text()).splitlines(), 1):
        if path.suffix != ".py" or "import " not in line:
            yield from ((f"{path.relative_to(ROOT)}:{number}", found[1]) for found in NAMED.finditer(line))


def test_every_command_that_is_named_can_be_typed() -> None:
    named = [mention for path in texts() for mention in mentions(path)]
    assert len(named) > 100, "the texts are where they were"
    assert not [f"{at}: openlatch {said}: {wrong(said)}" for at, said in named if wrong(said)]


@pytest.mark.parametrize("said", ["entry enc", "orders", "entry list --accounts"])
def test_what_cannot_be_typed_is_found(said: str) -> None:
    assert wrong(said)
