"""What goes wrong on this machine, as a command shows it."""

from __future__ import annotations

from pathlib import Path

import pytest

from openlatch.cli.failure import Failure
from openlatch.cli.output import reports_errors


@pytest.mark.parametrize("name", ["nowhere/at/all.csv", "."])
def test_a_file_that_cannot_be_used_is_named(tmp_path: Path, name: str) -> None:
    with pytest.raises(Failure, match="cannot be used") as failed:
        reports_errors(lambda: (tmp_path / name).write_bytes(b""))()
    assert str(tmp_path) in failed.value.message
    assert failed.value.exit_code == 2


def test_whoever_has_read_enough_of_what_a_command_prints_is_told_nothing() -> None:
    def cut_off() -> None:
        raise BrokenPipeError(32, "Broken pipe")

    with pytest.raises(BrokenPipeError):
        reports_errors(cut_off)()
