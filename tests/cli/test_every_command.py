"""Every command is run once as people type it, in a terminal of eighty columns, and once more as programs read it."""

from __future__ import annotations

import json
import re

import pytest

from tests.cli.commands import COLUMNS, COMMANDS, ELSEWHERE, LISTS, SAYS, typed
from tests.harness.furniture import Furniture
from tests.harness.ridge import Ridge
from tests.harness.terminal import Terminal

ONCE = {"batch follow", "order done", "order retry", "review add", "review change", "what-if again"}
"""What can be done once only is not done again for programs."""
REFUSED = {
    "batch follow": 6,
    "me add-codes": 1,
    "me recovery-codes": 1,
    "me remove-factor": 4,
    "offer accept": 3,
    "offer decline": 3,
    "offer postpone": 3,
    "people reset-factors": 1,
    "provider remove": 1,
    "round retry": 1,
}
"""What has nothing to do in the demo is tried for what it says then."""


def test_no_command_is_left_out() -> None:
    assert set(SAYS) | ELSEWHERE == set(COMMANDS)


@pytest.mark.parametrize("command", sorted(SAYS))
def test_a_command_says_in_eighty_columns_what_it_did_and_names_nothing_by_halves(
    furnished: Ridge, terminal: Terminal, things: Furniture, more: dict[str, str], command: str
) -> None:
    words, says = typed(command, {**things.as_mapping(), **more}, furnished.url)
    said = terminal(*words, exits=REFUSED.get(command, 0))
    assert says in " ".join(said.split()) or says in said, said
    if command in LISTS:
        assert max((len(line) for line in said.splitlines()), default=0) <= COLUMNS, said
    for cut in re.findall(r"\b[0-9A-HJKMNP-TV-Z]{4}-[0-9A-HJKMNP-TV-Z]{0,3}…", said):
        raise AssertionError(f"{cut} cannot be typed:\n{said}")


@pytest.mark.parametrize("command", sorted((LISTS & set(SAYS)) - ONCE))
def test_what_programs_read_is_one_json_value_or_one_a_line(
    furnished: Ridge, terminal: Terminal, things: Furniture, more: dict[str, str], command: str
) -> None:
    words, _ = typed(command, {**things.as_mapping(), **more}, furnished.url)
    said = terminal(*words, "--output", "json")
    for value in [said] if said.startswith("{\n") else said.splitlines():
        assert isinstance(json.loads(value), dict), value
