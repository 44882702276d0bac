"""Whatever is typed, no command ends in a traceback, and none tells of an error that nobody has a word for."""

from __future__ import annotations

import os
import zlib
from collections.abc import Iterator

import click
import pytest

from openlatch.words import Action
from tests.cli.commands import COMMANDS, SAYS, typed
from tests.harness.furniture import Furniture
from tests.harness.ridge import Ridge
from tests.harness.terminal import Terminal

HOSTILE = (
    "",
    " ",
    "-",
    "--",
    "0",
    "-1",
    "99999999999999999999",
    "1e9",
    "nan",
    "\udc80",
    "\u202egnp.exe",
    "\U0001f980" * 300,
    "../../etc/shadow",
    "/proc/self/mem",
    "/nowhere/at/all.csv",
    ".",
    "0001-01-01",
    "9999-12-31",
    "2026-02-30",
    "FREQ=MONTHLY;BYDAY=9MO",
    "FREQ=YEARLY;COUNT=0",
    "'; drop table entries; --",
    "%00",
    "a@b",
    "{}",
    "[[",
    "ZZZZ-ZZZZ",
    "00000000-0000-0000-0000-000000000000",
    "Europe/Londn",
    "http://[::1",
    "x" * 5000,
    "=cmd()",
    "a,b,,c",
    "\n",
)
EACH = int(os.environ.get("OPENLATCH_FUZZ", "1"))
"""So many of them are tried in each place; `make nightly` tries more."""
KNOWN = frozenset(range(8))
"""The exit codes that the guide has a meaning for."""


def places(words: list[str], command: click.Command, depth: int) -> Iterator[tuple[str, list[str]]]:
    """Every line that differs from a right one in one place, where `HERE` stands: each word, and each option."""
    for at in range(depth, len(words)):
        if not words[at].startswith("--"):
            yield f"{at}", [*words[:at], "HERE", *words[at + 1 :]]
    for param in command.params:
        if isinstance(param, click.Option) and not param.is_flag and not set(param.opts) & set(words):
            yield param.opts[-1], [*words, param.opts[-1], "HERE"]


@pytest.mark.parametrize("command", sorted(SAYS))
def test_nothing_that_can_be_typed_ends_in_a_traceback(
    furnished: Ridge, terminal: Terminal, things: Furniture, more: dict[str, str], command: str
) -> None:
    words, _ = typed(command, {**things.as_mapping(), **more}, furnished.url)
    kept = terminal.kept.read_text()
    for place, line in places(words, COMMANDS[command], len(command.split())):
        first = zlib.crc32(f"{command} {place}".encode())
        for number in range(EACH):
            hostile = HOSTILE[(first + number * 7) % len(HOSTILE)]
            tried = [hostile if word == "HERE" else word for word in line]
            code, said = terminal.tried(*tried)
            assert code in KNOWN, (tried, code, said)
            assert "Traceback" not in said, (tried, said)
            assert "unexpected error" not in said, (tried, said)
            assert code == 0 or said.strip(), (tried, "nothing was said")
            terminal.kept.write_text(kept)


def test_an_order_of_any_kind_has_words() -> None:
    assert all(action.does for action in Action)
