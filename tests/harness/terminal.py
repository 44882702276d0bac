"""A person's terminal: commands run in this process, as they are typed, over whatever carries their requests."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path

from click.testing import CliRunner

from openlatch.cli import main
from openlatch.cli.connection import Carrier


class Terminal:
    """Commands of one person; `home` is where their files lie, and `kept` where their sign-in is kept.

    `width` is how many columns their terminal has; none, if what they print goes into a pipe.
    """

    def __init__(self, home: Path, carrier: Carrier | None = None, width: int = 160) -> None:
        self.home = home
        self.kept = home / "sign-in.json"
        self.width = width
        self.environment: dict[str, str] = {}
        self._carrier = carrier

    def __call__(self, *words: str, exits: int = 0, given: str | None = None, **environment: str) -> str:
        """Run a command; returns what it printed, and what it complained of if it was to fail."""
        code, said, complained = self._run(words, given, environment)
        assert code == exits, said + complained
        return said if exits == 0 else said + complained

    def tried(self, *words: str) -> tuple[int, str]:
        """Run a command that may end in any way but by an error that nobody caught; returns its code and its words."""
        code, said, complained = self._run(words, None, {})
        return code, said + complained

    def _run(self, words: Sequence[str], given: str | None, environment: Mapping[str, str]) -> tuple[int, str, str]:
        fixed: dict[str, str | None] = {
            "OPENLATCH_SIGN_IN": str(self.kept),
            "OPENLATCH_CONFIG": str(self.home / "config.toml"),
            "NO_COLOR": "1",
            "COLUMNS": str(self.width) if self.width else None,
        }
        with _at(self.home):
            around = {**fixed, **self.environment, **environment}
            done = CliRunner().invoke(main, words, given, around, obj=self._carrier, prog_name="openlatch")
        if done.exception is not None and not isinstance(done.exception, SystemExit):
            raise done.exception
        return done.exit_code, done.stdout, done.stderr


@contextlib.contextmanager
def _at(folder: Path) -> Iterator[None]:
    former = Path.cwd()
    os.chdir(folder)
    try:
        yield
    finally:
        os.chdir(former)
