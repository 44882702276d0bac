"""What runs on one machine: the tour ends in a proof, a killed start blocks nothing, and nothing is left behind."""

from __future__ import annotations

import os
import re
import signal
import subprocess
import sys
from collections.abc import Iterator
from itertools import repeat
from pathlib import Path

import pytest

from openlatch.errors import Misconfigured
from openlatch.local.postgres import PrivatePostgres

COMMAND = [sys.executable, "-m", "openlatch.cli"]


def using(folder: Path) -> list[str]:
    """The processes that were started for a folder, by their command lines and where they stand."""
    texts = []
    for process in Path("/proc").iterdir():
        try:
            words = (process / "cmdline").read_text().replace("\0", " ")
            where = str((process / "cwd").readlink())
        except OSError:
            continue
        if str(folder) in words or str(folder) in where:
            texts.append(words)
    return texts


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    for parent in (tmp_path, *tmp_path.parents[:2]):
        parent.chmod(0o711)
    return tmp_path / "demo"


def start(folder: Path) -> subprocess.Popen[str]:
    return subprocess.Popen(
        [*COMMAND, "demo", "--folder", str(folder), "--port", "18480"],
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
    )


def said(process: subprocess.Popen[str], until: str) -> str:
    """What a process says up to a line that matches."""
    text = ""
    assert process.stdout is not None
    for line in process.stdout:
        text += line
        if re.search(until, line):
            return text
    raise AssertionError(f"it ended without saying {until!r}:\n{text}")


@pytest.fixture
def demo(folder: Path) -> Iterator[subprocess.Popen[str]]:
    process = start(folder)
    yield process
    if process.poll() is None:
        process.kill()
    process.wait()
    if process.stdout is not None:
        process.stdout.close()


def test_a_demo_that_was_killed_starts_again_with_its_data_and_a_clean_stop_leaves_nothing(
    folder: Path, demo: subprocess.Popen[str]
) -> None:
    first = said(demo, "Ctrl-C stops everything")
    port = re.search(r"http://localhost:(\d+)", first)
    with pytest.raises(Misconfigured, match="Another start is using"):
        PrivatePostgres(folder / "product", login="postgres").start()
    demo.kill()
    demo.wait()
    again = start(folder)
    try:
        second = said(again, "Ctrl-C stops everything")
        counted = r"(\d+ entries on \d+ accounts)"
        assert re.findall(counted, first) == re.findall(counted, second)
        assert port is not None
        assert port[0] in second
        again.send_signal(signal.SIGINT)
        assert "Everything is kept" in said(again, "Stopped")
        assert again.wait() == 0
    finally:
        again.kill()
        again.wait()
        if again.stdout is not None:
            again.stdout.close()
    for _ in repeat(None):
        if not using(folder):
            break


def test_the_tour_ends_in_a_refused_login_and_a_verified_log_and_cleans_up(tmp_path: Path) -> None:
    for parent in (tmp_path, *tmp_path.parents[:2]):
        parent.chmod(0o711)
    done = subprocess.run(
        [*COMMAND, "tour"], env=os.environ | {"TMPDIR": str(tmp_path)}, capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stdout + done.stderr
    assert 'role "brightmere_sync" is not permitted to log in' in done.stdout
    assert "each fits the one before" in done.stdout
    assert list(tmp_path.glob("openlatch-tour-*")) == []
    assert using(tmp_path) == []
